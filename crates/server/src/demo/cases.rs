//! Cases of the demo workshop: one that was proven weeks ago, one that is looked into. All invented.

use wattotherm_diagnosis::{Answer, Entry, From, Outcome};
use wattotherm_store::{CaseEnd, NewCase};

use super::{Demo, Failure};

fn seen(observation: &str, answer: Answer, from: From) -> Entry {
    Entry::Seen {
        observation: observation.into(),
        answer,
        from,
    }
}

fn word(text: &str) -> Answer {
    Answer::Word(text.into())
}

impl Demo<'_> {
    /// A fan with debris in it, weeks ago.
    pub(super) fn proven_case(&mut self, alder: i64) -> Result<(), Failure> {
        self.days_before_now(41, 3);
        let at = self.minutes(1);
        let id = self.store.begin_case(
            &NewCase {
                printer_id: alder,
                sentence: "Jams in the morning after a long print, always after half an hour."
                    .into(),
                who: "bench A".into(),
                ..NewCase::default()
            },
            &at,
        )?;
        let case = self.store.fault_case(id)?;
        let told = [
            seen("nothing_comes", word("yes"), From::Sentence),
            seen("after_minutes", word("yes"), From::Sentence),
            seen("debris_in_fan", word("yes"), From::Seen),
            seen("fan_wrong", word("yes"), From::Seen),
            Entry::Tried {
                action: "free_fan".into(),
                outcome: Outcome::Helped,
                after_min: None,
                reason: "Threads of PETG in the blades.".into(),
            },
        ];
        let at = self.minutes(25);
        self.store.tell_case(&case, &told, &[], &at)?;
        let end = (CaseEnd::Proven, Some("creep_fan"), true);
        let text = format!("Case {id}: it is the heat creep, by the hot-end fan");
        self.store.end_case(&case, Some(end), &text, &at)?;
        Ok(())
    }

    /// Yew, whose job stopped at the drive.
    pub(super) fn open_case(&mut self, yew: i64) -> Result<(), Failure> {
        let at = self.minutes(1);
        let job = self.store.open_job_of(yew)?.ok_or("Yew has a job")?;
        let id = self.store.begin_case(
            &NewCase {
                printer_id: yew,
                job_id: Some(job.id),
                sentence: job.complaint.clone(),
                who: "bench B".into(),
                ..NewCase::default()
            },
            &at,
        )?;
        let case = self.store.fault_case(id)?;
        let told = [
            seen("half_print", word("yes"), From::Sentence),
            seen("nothing_comes", word("no"), From::Sentence),
            seen("thin", word("yes"), From::Station),
            seen("clicks_in_air", word("no"), From::Station),
            seen("at_once", word("no"), From::Seen),
        ];
        let at = self.minutes(6);
        self.store.tell_case(&case, &told, &[], &at)?;
        Ok(())
    }
}
