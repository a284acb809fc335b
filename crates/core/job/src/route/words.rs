//! Names of stops, and why they stand on a route.

use super::{JobFacts, Stop};

pub(super) fn reason_of(stop: Stop) -> String {
    match stop {
        Stop::Intake => "Keep pictures and the story before anything is touched.".into(),
        Stop::Snapshot => {
            "The only copy if the board is reset, and what the end is compared with.".into()
        }
        Stop::Heater => {
            "A heater made for another voltage is a fire: measure before it gets power.".into()
        }
        Stop::HotTighten => {
            "The joint was opened; what is tight cold opens when the block expands.".into()
        }
        Stop::Compare => {
            "New values that were never stored are gone at the next power cycle.".into()
        }
        Stop::Inspection => {
            "Nobody here knows this machine: look it over before it costs more than it is worth."
                .into()
        }
        Stop::Worth => "Cost so far, parts and hands against what it is worth.".into(),
        Stop::TubeLength => {
            "A tube cut too short pulls at a corner, one too long loses motion.".into()
        }
        Stop::Probe => {
            "The probe was moved, or nobody here knows it: it belongs before bed and Z.".into()
        }
        Stop::Mesh => {
            "What was probed with another plate or probe says nothing of this one.".into()
        }
        Stop::BedLoop => {
            "The bed’s gains live on the board: another board holds it by none, or by others."
                .into()
        }
        Stop::Gantry => {
            "It hangs on several motors: they are made level before the bed’s screws.".into()
        }
        Stop::Baseline => "Something to compare with after the repair.".into(),
        Stop::Cause => {
            "Replacing parts before the cause is known costs parts and proves nothing.".into()
        }
        Stop::FirstHeat => {
            "What was opened is heated for the first time: somebody stays with it.".into()
        }
        Stop::Fit(r) => {
            let clause = r.was_replaced();
            format!("{}{}.", clause[..1].to_uppercase(), &clause[1..])
        }
        Stop::PowerUp => "Wires were joined or unplugged.".into(),
        Stop::FirstPrint => {
            "The old settings once more, so that the part alone explains the difference.".into()
        }
        Stop::Acceptance => "It rests on all of them and is always the last.".into(),
        Stop::HandOver => "Whole, looked over, reported.".into(),
        Stop::Parameter(p, _) => format!("{}.", p.label()),
    }
}

pub(super) fn title_of(stop: Stop, facts: &JobFacts) -> String {
    match stop {
        Stop::Intake => "Intake".into(),
        Stop::Snapshot => "Settings snapshot".into(),
        Stop::Heater => "Heater".into(),
        Stop::HotTighten => "Hot tighten".into(),
        Stop::Compare => "Settings compared".into(),
        Stop::Inspection => "Inspection".into(),
        Stop::Worth => "Parts and worth".into(),
        Stop::TubeLength => "Tube length".into(),
        Stop::Probe => "Bed probe".into(),
        Stop::Mesh => "Mesh".into(),
        Stop::BedLoop => "Bed loop".into(),
        Stop::Gantry => "Gantry".into(),
        Stop::Baseline => "Baseline print".into(),
        Stop::Cause => "Find the cause".into(),
        Stop::FirstHeat => "First heating".into(),
        Stop::Fit(r) => format!("Strip and fit: {}", r.part().label()),
        Stop::PowerUp => "Power-up checks".into(),
        Stop::FirstPrint => "First print".into(),
        Stop::Acceptance => "Acceptance".into(),
        Stop::HandOver => "Hand over".into(),
        Stop::Parameter(p, filament) => {
            let several = facts.filaments.len() > 1;
            let name = filament.and_then(|id| facts.filaments.iter().find(|(f, _)| *f == id));
            match name {
                Some((_, n)) if several => format!("{}, {n}", p.label()),
                _ => p.label().to_owned(),
            }
        }
    }
}
