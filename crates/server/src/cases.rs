//! The page of a case: what is known, one thing to do, and what is believed; worked out anew each time.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_diagnosis::{
    Action, Answer, Choice, Diagnosis, Facts, From, Model, Outcome, PrinterDoes, Proposed, SHIPPED,
    Told, chance_word, choices, diagnose, hits_sisters, milder, prevents, proposals, why_words,
};
use wattotherm_job::due_by_age;
use wattotherm_measure::Pen;
use wattotherm_measure::text::plain;
use wattotherm_printer::{FilamentPath, HotEndKind, Part};
use wattotherm_store::{FaultCase, Job, Printer, Store};

use crate::error::ApiError;
use crate::moment::days_since;
use crate::state::traveller_of;

/// A part touched within so many days is suspect. Judgement, no published source.
const RECENT_DAYS: f64 = 30.0;
/// Causes shown at once.
const SHOWN: usize = 6;
/// A cause below this chance, 0 to 1, is ruled out, where something speaks against it. Judgement, no published source.
const RULED_OUT: f64 = 0.01;

/// Something that was seen.
#[derive(Serialize, ToSchema)]
pub struct SeenShown {
    /// Which observation, by id.
    pub observation: &'static str,
    /// What it is, in a few words.
    pub says: String,
    /// The answer in words: yes, no, nobody could tell, or the number with its unit.
    pub answer: String,
    /// Where it comes from.
    pub from: From,
    /// When it was told.
    pub at: String,
}

/// A question of a check.
#[derive(Serialize, ToSchema)]
pub struct Question {
    /// Which observation, by id.
    pub observation: &'static str,
    /// A yes in a few words.
    pub says: String,
    /// What is asked.
    pub asks: String,
    /// The answer so far, as it was told.
    pub answer: Option<Answer>,
    /// Unit in which the shop reads it; none where it is yes or no.
    pub unit: Option<&'static str>,
}

/// An action, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct StepShown {
    /// The action, by id.
    pub id: &'static str,
    /// What to do.
    pub does: String,
    /// How, and what to beware of.
    pub how: String,
    /// `check` or `remedy`.
    pub kind: &'static str,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// Where on the machine.
    pub at: Option<Part>,
    /// Whether it is done cold and unplugged.
    pub cold: bool,
    /// Whether the printer heats for it.
    pub heats: bool,
    /// Whether it can break a part.
    pub can_break: bool,
    /// One of its answers at most is a yes; then this says that none is.
    pub one_of: Option<&'static str>,
    /// `hold`, `watch`, `limit` or `reading`, where the connected printer does it.
    pub printer: Option<&'static str>,
    /// What is asked.
    pub questions: Vec<Question>,
    /// Milder rungs that weren't tried, in words.
    pub milder: Vec<String>,
    /// What it cost so far or would cost, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
}

/// Something that was tried.
#[derive(Serialize, ToSchema)]
pub struct TriedShown {
    /// The action, by id.
    pub action: &'static str,
    /// What was done.
    pub does: String,
    /// What it did.
    pub outcome: Outcome,
    /// The same in words.
    pub says: String,
    /// What else was said.
    pub reason: String,
    /// What it cost, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
}

/// A cause, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct CauseShown {
    /// By id.
    pub id: &'static str,
    /// In words.
    pub label: &'static str,
    /// How likely it is, 0 to 1.
    pub p: f64,
    /// The same in a word.
    pub word: &'static str,
    /// What speaks for it.
    pub speaks: Vec<String>,
    /// What speaks against it.
    pub against: Vec<String>,
    /// How it is mended, with its minutes.
    pub remedy: String,
    /// The judged share of it among all causes, 0 to 1, and this shop's number of cases.
    pub learned: LearnedShown,
}

/// What the shop learned of a cause.
#[derive(Serialize, ToSchema)]
pub struct LearnedShown {
    /// The judged share among all causes, 0 to 1.
    pub judged: f64,
    /// Number of this shop's cases.
    pub cases: f64,
}

/// A rung of a ladder.
#[derive(Serialize, ToSchema)]
pub struct RungShown {
    /// The action, by id.
    pub id: &'static str,
    /// What to do.
    pub does: String,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// What it did; none where it wasn't tried.
    pub outcome: Option<Outcome>,
    /// Whether it can break a part.
    pub can_break: bool,
}

/// A ladder, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct LadderShown {
    /// By id.
    pub id: &'static str,
    /// What it is climbed for.
    pub title: &'static str,
    /// From mild to invasive.
    pub rungs: Vec<RungShown>,
    /// What tells after each rung.
    pub test: String,
    /// What to beware of.
    pub caution: String,
}

/// A way to mend the proven cause.
#[derive(Serialize, ToSchema)]
pub struct ChoiceShown {
    /// The action, by id.
    pub action: &'static str,
    /// What to do.
    pub does: String,
    /// Chance that it mends it, 0 to 1.
    pub chance: f64,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// Expected minutes in the end [min].
    pub expected_min: f64,
    /// What it costs alone, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
    /// What it is expected to cost in the end, as a number in the shop's money; none where no price is known.
    pub expected_price: Option<f64>,
    /// The part that it fits, by the id of its replacement; none where it fits none.
    pub fits: Option<&'static str>,
    /// Name of that part.
    pub part: Option<&'static str>,
    /// What that part costs, as a number in the shop's money; none where nobody said.
    pub part_price: Option<f64>,
}

/// A cause that is proven, and what follows.
#[derive(Serialize, ToSchema)]
pub struct ProvenShown {
    /// By id.
    pub id: &'static str,
    /// In words.
    pub label: &'static str,
    /// Ways to mend it, the one expected to cost least first.
    pub choices: Vec<ChoiceShown>,
    /// What keeps it from coming back.
    pub prevents: Vec<&'static str>,
    /// Printers of the same kind of hot end and drive, which it may hit next.
    pub sisters: Vec<String>,
}

/// Two causes at once.
#[derive(Serialize, ToSchema)]
pub struct PairShown {
    /// The two, in words.
    pub labels: [&'static str; 2],
    /// How likely it is, 0 to 1.
    pub p: f64,
}

/// The page of a case.
#[derive(Serialize, ToSchema)]
pub struct CasePage {
    /// The case.
    pub case: FaultCase,
    /// Its printer.
    pub printer: Printer,
    /// Its job, where it has one that is open.
    pub open_job: Option<i64>,
    /// What the sentence may mean, and nobody has said yet.
    pub proposals: Vec<ProposalShown>,
    /// What was seen.
    pub seen: Vec<SeenShown>,
    /// What was tried.
    pub tried: Vec<TriedShown>,
    /// What was passed over: the actions, with why.
    pub passed_over: Vec<PassedShown>,
    /// Parts that were touched not long ago, by name.
    pub replaced: Vec<&'static str>,
    /// Parts replaced after which it came back: what they don't explain.
    pub false_fixes: Vec<String>,
    /// The likeliest causes.
    pub causes: Vec<CauseShown>,
    /// Causes that are ruled out, each with what rules it out.
    pub ruled_out: Vec<String>,
    /// What to do next; none where nothing is left.
    pub next: Option<StepShown>,
    /// Why.
    pub why: String,
    /// Everything else that could be done, the checks first.
    pub others: Vec<StepShown>,
    /// Ladders for what is likely.
    pub ladders: Vec<LadderShown>,
    /// Expected minutes to the end [min].
    pub expected_minutes: f64,
    /// Expected money to the end, as a number in the shop's money; none where no price is known.
    pub expected_cost: Option<f64>,
    /// Two at once, where no single cause explains what was seen.
    pub two_at_once: Option<PairShown>,
    /// What the likeliest cause doesn't explain.
    pub unexplained: Vec<String>,
    /// The proven cause, and what follows.
    pub proven: Option<ProvenShown>,
    /// No cause is proven, and nothing is left that is worth doing.
    pub nothing_found: bool,
}

/// What a sentence may mean.
#[derive(Serialize, ToSchema)]
pub struct ProposalShown {
    /// Which observation, by id.
    pub observation: &'static str,
    /// What is asked.
    pub asks: String,
    /// Words of the sentence that say so.
    pub because: String,
}

/// An action that was passed over.
#[derive(Serialize, ToSchema)]
pub struct PassedShown {
    /// The action, by id.
    pub action: String,
    /// What it would be.
    pub does: String,
    /// Why.
    pub reason: String,
}

/// What was told of a case, and what is on record around it.
pub struct Gathered {
    pub case: FaultCase,
    pub printer: Printer,
    pub told: Told,
    /// Moments of the entries.
    pub moments: Vec<String>,
    pub facts: Facts,
    pub job: Option<Job>,
    false_fixes: Vec<String>,
    pen: Pen,
}

/// Name by which the prices keep what an hour of hands costs.
pub const HOUR: &str = "hour";

/// Gathers a case: its entries, what was replaced not long ago, false fixes of its job, parts past their age, the shop's
/// own cases and prices.
pub fn gather(store: &Store, id: i64) -> Result<Gathered, ApiError> {
    let case = store.fault_case(id)?;
    let printer = store.printer(case.printer_id)?;
    let house = store.house()?;
    let entries = store.case_entries(id)?;
    let told = Told::of(entries.iter().map(|e| &e.entry));
    let mut facts = told.facts();
    let job = case.job_id.map(|j| store.job(j)).transpose()?;
    let mut false_fixes = Vec::new();
    if let Some(job) = &job {
        let ids = job.replaced.iter().map(|r| r.id().to_owned());
        facts.replaced.extend(ids);
        for fix in traveller_of(store, job)?.false_fixes {
            false_fixes.push(format!("{}: {}", fix.label, fix.says));
            let fits = |a: &&Action| a.fits.iter().any(|r| r.part() == fix.part.part());
            if let Some(action) = SHIPPED.actions.iter().find(fits)
                && !facts.tried.iter().any(|t| t.action == action.id)
            {
                facts.tried.push(wattotherm_diagnosis::Tried {
                    action: action.id.into(),
                    outcome: Outcome::CameBack,
                });
            }
        }
    }
    for f in store.fittings(case.printer_id)? {
        if f.until_at.is_some() {
            continue;
        }
        if due_by_age(&house, f.part, days_since(&f.from_at)).is_some() {
            facts.aged.push(f.part);
        }
        // What was there when the printer was added was not replaced then.
        if f.job_id.is_some()
            && days_since(&f.from_at) < RECENT_DAYS
            && let Some(usual) = f.part.replacements().first()
        {
            facts.replaced.push(usual.id().to_owned());
        }
    }
    if printer.facts.path == FilamentPath::Direct {
        facts.impossible.push("coupler".into());
    }
    // Its tube ends above the heat break.
    if printer.facts.hot_end == HotEndKind::AllMetal {
        facts
            .impossible
            .extend(["tube_gap".into(), "liner_burnt".into()]);
    }
    facts.replaced.sort_unstable();
    facts.replaced.dedup();
    facts.learned = store.learned()?;
    facts
        .learned
        .retain(|cause, _| SHIPPED.cause(cause).is_some());
    facts.prices = store.prices()?;
    facts.per_hour = facts.prices.remove(HOUR);
    Ok(Gathered {
        case,
        printer,
        told,
        moments: entries.into_iter().map(|e| e.at).collect(),
        facts,
        job,
        false_fixes,
        pen: house.pen,
    })
}

/// What a check or a remedy is called within a page.
fn action_of(id: &str) -> Option<&'static Action> {
    SHIPPED.actions.iter().find(|a| a.id == id)
}

impl Gathered {
    /// What is believed, and what comes next.
    pub fn diagnosis(&self) -> Result<Diagnosis, ApiError> {
        diagnose(&SHIPPED, &self.facts).map_err(|_| ApiError::Internal)
    }

    fn price(&self, action: &Action) -> Option<f64> {
        let part = action
            .fits
            .first()
            .and_then(|r| self.facts.prices.get(r.id()));
        part.copied()
    }

    /// An answer in words.
    fn answer(&self, observation: &str, answer: &Answer) -> String {
        let known = SHIPPED.observations.iter().find(|o| o.id == observation);
        match answer {
            Answer::Word(w) if w == "unsure" => "nobody could tell".into(),
            Answer::Word(w) => w.clone(),
            Answer::Number(n) => {
                let unit = known
                    .and_then(|o| o.reads)
                    .map(|r| r.unit)
                    .unwrap_or_default();
                self.pen.plain(*n, unit, 2)
            }
        }
    }

    /// An id of an observation or an action, in a few words with its answer.
    fn says(&self, id: &str) -> String {
        if let Some(o) = SHIPPED.observations.iter().find(|o| o.id == id) {
            let says = self.pen.text(o.says);
            let given = self.told.seen.iter().find(|s| s.observation == id);
            return match given {
                Some(s) => format!("{says}: {}", self.answer(id, &s.answer)),
                None => says,
            };
        }
        let action = action_of(id).map_or("", |a| a.does);
        let tried = self.facts.tried.iter().find(|t| t.action == id);
        let outcome = tried.map_or("", |t| outcome_word(t.outcome));
        format!("{} {outcome}", self.pen.text(action))
    }

    fn step(&self, action: &'static Action, milder: Vec<String>) -> StepShown {
        let questions = action.answers().iter().filter_map(|id| {
            let o = SHIPPED.observations.iter().find(|o| o.id == *id)?;
            let given = self.told.seen.iter().find(|s| s.observation == o.id);
            Some(Question {
                observation: o.id,
                says: self.pen.text(o.says),
                asks: self.pen.text(o.asks),
                answer: given.map(|s| s.answer.clone()),
                unit: o.reads.map(|r| self.pen.symbol(r.unit)),
            })
        });
        StepShown {
            id: action.id,
            does: self.pen.text(action.does),
            how: self.pen.text(action.how),
            kind: if action.mends().is_empty() {
                "check"
            } else {
                "remedy"
            },
            minutes: action.minutes,
            at: action.at,
            cold: action.cold,
            heats: action.heats,
            can_break: action.can_break,
            one_of: action.one_of,
            printer: action.printer.map(|p| match p {
                PrinterDoes::Hold => "hold",
                PrinterDoes::Watch => "watch",
                PrinterDoes::Limit => "limit",
                PrinterDoes::Reading => "reading",
            }),
            questions: questions.collect(),
            milder,
            price: self.price(action),
        }
    }

    fn cause(&self, model: &Model<'_>, c: &wattotherm_diagnosis::Believed) -> CauseShown {
        let all: f64 = model.causes.iter().map(|c| c.weight).sum();
        let cause = model.causes.iter().find(|x| x.id == c.id);
        let mends = |a: &&Action| a.mends().iter().any(|(id, p)| *id == c.id && *p > 0.5);
        let cheapest = |a: &&Action, b: &&Action| a.cost_min().total_cmp(&b.cost_min());
        let remedy = model.actions.iter().filter(mends).min_by(cheapest);
        let words = |all: &[wattotherm_diagnosis::Weighed]| {
            all.iter().take(3).map(|w| self.says(w.id)).collect()
        };
        CauseShown {
            id: c.id,
            label: cause.map_or("", |x| x.label),
            p: c.p,
            word: chance_word(c.p),
            speaks: words(&c.speaks),
            against: words(&c.against),
            remedy: remedy.map_or_else(String::new, |a| {
                let price = self
                    .price(a)
                    .map_or(String::new(), |p| format!(", {}", plain(p, 2)));
                format!(
                    "{} {} min{price}",
                    self.pen.text(a.does),
                    plain(a.minutes, 0)
                )
            }),
            learned: LearnedShown {
                judged: cause.map_or(0.0, |x| x.weight) / all,
                cases: self.facts.learned.get(c.id).copied().unwrap_or(0.0),
            },
        }
    }

    fn proven(&self, store: &Store, id: &'static str) -> Result<ProvenShown, ApiError> {
        let label = SHIPPED
            .causes
            .iter()
            .find(|c| c.id == id)
            .map_or("", |c| c.label);
        let ways = choices(&SHIPPED, &self.facts, id).map_err(|_| ApiError::Internal)?;
        let shown = |c: Choice| {
            let action = action_of(c.action);
            let fits = action.and_then(|a| a.fits.first());
            ChoiceShown {
                action: c.action,
                does: action.map_or(String::new(), |a| self.pen.text(a.does)),
                chance: c.chance,
                minutes: c.minutes,
                expected_min: c.expected_min,
                price: c.money.map(|m| m[0]),
                expected_price: c.money.map(|m| m[1]),
                fits: fits.map(|r| r.id()),
                part: fits.map(|r| r.label()),
                part_price: action.and_then(|a| self.price(a)),
            }
        };
        let mut sisters = Vec::new();
        if hits_sisters(id) {
            for other in store.printers()? {
                let alike = other.facts.path == self.printer.facts.path
                    && other.facts.hot_end == self.printer.facts.hot_end;
                if other.id != self.printer.id && other.retired_at.is_none() && alike {
                    sisters.push(other.name);
                }
            }
        }
        Ok(ProvenShown {
            id,
            label,
            choices: ways.into_iter().map(shown).collect(),
            prevents: prevents(id),
            sisters,
        })
    }

    fn ladders(&self, d: &Diagnosis) -> Vec<LadderShown> {
        let likely: Vec<&str> = d
            .causes
            .iter()
            .filter(|c| c.p > 0.12)
            .map(|c| c.id)
            .collect();
        let mends = |id: &&str| {
            action_of(id).is_some_and(|a| a.mends().iter().any(|(c, _)| likely.contains(c)))
        };
        // One that somebody is on stays in sight.
        let tried = |id: &&str| self.facts.tried.iter().any(|t| t.action == **id);
        let wanted = SHIPPED
            .ladders
            .iter()
            .filter(|l| l.rungs.iter().any(|r| mends(r) || tried(r)));
        wanted
            .map(|l| LadderShown {
                id: l.id,
                title: l.title,
                rungs: l
                    .rungs
                    .iter()
                    .filter_map(|id| action_of(id))
                    .map(|a| RungShown {
                        id: a.id,
                        does: self.pen.text(a.does),
                        minutes: a.minutes,
                        outcome: self
                            .facts
                            .tried
                            .iter()
                            .find(|t| t.action == a.id)
                            .map(|t| t.outcome),
                        can_break: a.can_break,
                    })
                    .collect(),
                test: self.pen.text(l.test),
                caution: self.pen.text(l.caution),
            })
            .collect()
    }

    /// Rungs that were not tried and are milder, in words.
    pub fn milder(&self, action: &str) -> Vec<String> {
        let ids = milder(&SHIPPED, &self.facts, action).unwrap_or_default();
        let each = ids.into_iter().filter_map(action_of);
        each.map(|a| self.pen.text(a.does)).collect()
    }

    fn tried_shown(&self) -> Vec<TriedShown> {
        let each = self.told.tried.iter().filter_map(|t| {
            let action = action_of(&t.action)?;
            let says = match (t.outcome, t.after_min) {
                (Outcome::CameBack, Some(m)) => {
                    format!("false fix: came back after {} min", plain(m, 0))
                }
                (outcome, _) => outcome_word(outcome).to_owned(),
            };
            Some(TriedShown {
                action: action.id,
                does: self.pen.text(action.does),
                outcome: t.outcome,
                says,
                reason: t.reason.clone(),
                price: self.price(action),
            })
        });
        each.collect()
    }

    fn seen_shown(&self) -> Vec<SeenShown> {
        let each = self.told.seen.iter().filter_map(|s| {
            let o = SHIPPED
                .observations
                .iter()
                .find(|o| o.id == s.observation)?;
            Some(SeenShown {
                observation: o.id,
                says: self.pen.text(o.says),
                answer: self.answer(o.id, &s.answer),
                from: s.from,
                at: self.moments.get(s.at).cloned().unwrap_or_default(),
            })
        });
        each.collect()
    }

    fn ruled_out(&self, d: &Diagnosis) -> Vec<String> {
        let out = d
            .causes
            .iter()
            .filter(|c| c.before > 0.0 && c.p < RULED_OUT && !c.against.is_empty());
        out.filter_map(|c| {
            let label = SHIPPED.causes.iter().find(|x| x.id == c.id)?.label;
            Some(format!("{label}: {}", self.says(c.against.first()?.id)))
        })
        .collect()
    }

    /// The whole page.
    pub fn page(self, store: &Store) -> Result<CasePage, ApiError> {
        let d = self.diagnosis()?;
        let said: Vec<&str> = self
            .told
            .seen
            .iter()
            .map(|s| s.observation.as_str())
            .collect();
        let proposed = |p: Proposed| {
            let o = SHIPPED
                .observations
                .iter()
                .find(|o| o.id == p.observation)?;
            (!said.contains(&o.id)).then(|| ProposalShown {
                observation: o.id,
                asks: self.pen.text(o.asks),
                because: p.because,
            })
        };
        let label = |id: &str| {
            SHIPPED
                .causes
                .iter()
                .find(|c| c.id == id)
                .map_or("", |c| c.label)
        };
        let done = |a: &Action| self.facts.tried.iter().any(|t| t.action == a.id);
        let next = d.next.as_ref().and_then(|n| action_of(n.id));
        let others = SHIPPED
            .actions
            .iter()
            .filter(|a| Some(a.id) != next.map(|n| n.id) && !done(a));
        let replaced =
            |id: &String| wattotherm_printer::Replacement::from_id(id).map(|r| r.part().label());
        Ok(CasePage {
            open_job: self
                .job
                .as_ref()
                .filter(|j| j.finished_at.is_none())
                .map(|j| j.id),
            proposals: proposals(&self.case.sentence)
                .into_iter()
                .filter_map(proposed)
                .collect(),
            seen: self.seen_shown(),
            tried: self.tried_shown(),
            passed_over: self
                .told
                .passed_over
                .iter()
                .map(|(id, reason)| PassedShown {
                    action: id.clone(),
                    does: action_of(id).map_or(String::new(), |a| self.pen.text(a.does)),
                    reason: reason.clone(),
                })
                .collect(),
            replaced: self.facts.replaced.iter().filter_map(replaced).collect(),
            causes: d
                .causes
                .iter()
                .take(SHOWN)
                .map(|c| self.cause(&SHIPPED, c))
                .collect(),
            ruled_out: self.ruled_out(&d),
            why: d
                .next
                .as_ref()
                .map_or(String::new(), |n| why_words(&SHIPPED, n)),
            next: next.map(|a| self.step(a, self.milder(a.id))),
            others: others.map(|a| self.step(a, self.milder(a.id))).collect(),
            ladders: self.ladders(&d),
            expected_minutes: d.expected_minutes,
            expected_cost: d.expected_cost,
            two_at_once: d.two_at_once.as_ref().map(|t| PairShown {
                labels: t.ids.map(label),
                p: t.p,
            }),
            unexplained: d.unexplained.iter().map(|id| self.says(id)).collect(),
            proven: d.proven.map(|id| self.proven(store, id)).transpose()?,
            nothing_found: d.nothing_found,
            false_fixes: self.false_fixes,
            printer: self.printer,
            case: self.case,
        })
    }
}

/// What a remedy did, in words.
pub const fn outcome_word(outcome: Outcome) -> &'static str {
    match outcome {
        Outcome::NoHelp => "no help",
        Outcome::CameBack => "false fix: it came back",
        Outcome::Helped => "it helped",
    }
}
