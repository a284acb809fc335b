//! The page of a case: what is known, one thing to do, and what is believed.

use wattotherm_diagnosis::{
    Action, Answer, Believed, Choice, Diagnosis, Model, Outcome, POSSIBLE_FROM, PrinterDoes,
    Proposed, SHIPPED, SeenEntry, Weighed, chance_word, choices, diagnose, hits_sisters, milder,
    prevents, proposals, why_words,
};
use wattotherm_measure::text::plain;
use wattotherm_printer::{Part, Replacement};
use wattotherm_store::Store;

use super::Gathered;
use super::earlier::earlier;
use super::shown::{
    CasePage, CauseShown, ChoiceShown, LadderShown, LearnedShown, PairShown, PassedShown,
    ProposalShown, ProvenShown, Question, RungShown, SeenShown, StepShown, TriedShown,
};
use crate::error::ApiError;

/// Most causes shown at once …
const SHOWN: usize = 5;
/// … each of at least this chance, 0 to 1. Judgement, no published source.
const SHOWN_FROM: f64 = 0.02;
/// A remedy named beside a cause mends it in at least this share of cases, 0 to 1. Judgement, no published source.
const MENDS_WELL: f64 = 0.5;

/// The observation that it has been so since a part was swapped.
const SINCE_SWAP: &str = "since_swap";

/// A cause below this chance, 0 to 1, is ruled out, where something speaks against it. Judgement, no published source.
const RULED_OUT: f64 = 0.01;

impl Gathered {
    fn price(&self, action: &Action) -> Option<f64> {
        let part = action
            .fits
            .first()
            .and_then(|r| self.facts.prices.get(r.id()));
        part.copied()
    }

    /// An answer in words.
    fn answer(&self, observation: &str, answer: &Answer) -> String {
        let known = SHIPPED.observation_named(observation);
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
        if let Some(o) = SHIPPED.observation_named(id) {
            let says = self.pen.text(o.says);
            let given = self.told.seen.iter().find(|s| s.observation == id);
            return match given {
                Some(s) => format!("{says}: {}", self.answer(id, &s.answer)),
                None => says,
            };
        }
        let action = SHIPPED.action_named(id).map_or("", |a| a.does);
        let tried = self.facts.tried.iter().find(|t| t.action == id);
        let outcome = tried.map_or("", |t| outcome_word(t.outcome));
        format!("{} {outcome}", self.pen.text(action))
    }

    fn step(&self, action: &'static Action, milder: Vec<String>) -> StepShown {
        let questions = action.answers().iter().filter_map(|id| {
            let o = SHIPPED.observation_named(id)?;
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
            at_label: action.at.map(Part::label),
            cold: action.cold,
            heats: action.heats,
            can_break: action.can_break,
            one_of: action.one_of,
            printer: action.printer.map(|p| match p {
                PrinterDoes::Hold => "hold",
                PrinterDoes::Watch => "watch",
                PrinterDoes::Limit => "limit",
                PrinterDoes::Reading => "reading",
                PrinterDoes::Feed(_) => "feed",
            }),
            feed_mm: match action.printer {
                Some(PrinterDoes::Feed(mm)) => Some(mm),
                _ => None,
            },
            questions: questions.collect(),
            wants_job: action.wants_job(),
            milder,
            price: self.price(action),
        }
    }

    fn cause(&self, model: &Model<'_>, c: &Believed) -> CauseShown {
        let all: f64 = model.causes.iter().map(|c| c.weight).sum();
        let cause = model.cause_named(c.id);
        let mends = |a: &&Action| {
            a.mends()
                .iter()
                .any(|(id, p)| *id == c.id && *p >= MENDS_WELL)
        };
        let cheapest = |a: &&Action, b: &&Action| a.cost_min().total_cmp(&b.cost_min());
        let remedy = model.actions.iter().filter(mends).min_by(cheapest);
        let words = |all: &[Weighed]| all.iter().take(3).map(|w| self.says(w.id)).collect();
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
        let label = SHIPPED.cause_named(id).map_or("", |c| c.label);
        let ways = choices(&SHIPPED, &self.facts, id).map_err(|_| ApiError::Internal)?;
        let shown = |c: Choice| {
            let action = SHIPPED.action_named(c.action);
            let fits = action.and_then(|a| a.fits.first());
            ChoiceShown {
                action: c.action,
                does: action.map_or(String::new(), |a| self.pen.text(a.does)),
                chance: c.chance,
                came_back: c.came_back,
                minutes: c.minutes,
                expected_min: c.expected_min,
                price: c.money.map(|m| m[0]),
                expected_price: c.money.map(|m| m[1]),
                wants_job: action.is_some_and(Action::wants_job),
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
            .filter(|c| c.p > POSSIBLE_FROM)
            .map(|c| c.id)
            .collect();
        let mends = |id: &&str| {
            SHIPPED
                .action_named(id)
                .is_some_and(|a| a.mends().iter().any(|(c, _)| likely.contains(c)))
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
                    .filter_map(|id| SHIPPED.action_named(id))
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
        let each = ids.into_iter().filter_map(|id| SHIPPED.action_named(id));
        each.map(|a| self.pen.text(a.does)).collect()
    }

    fn tried_shown(&self) -> Vec<TriedShown> {
        let each = self.told.tried.iter().filter_map(|t| {
            let action = SHIPPED.action_named(&t.action)?;
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
                wants_job: action.wants_job(),
                price: self.price(action),
            })
        });
        each.collect()
    }

    fn seen_shown(&self) -> Vec<SeenShown> {
        let each = self.told.seen.iter().filter_map(|s| {
            let o = SHIPPED.observation_named(&s.observation)?;
            Some(SeenShown {
                observation: o.id,
                says: self.pen.text(o.says),
                answer: self.answer(o.id, &s.answer),
                from: s.from,
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
            let label = SHIPPED.cause_named(c.id)?.label;
            Some(format!("{label}: {}", self.says(c.against.first()?.id)))
        })
        .collect()
    }

    /// The whole page.
    pub fn page(self, store: &Store) -> Result<CasePage, ApiError> {
        let d = diagnose(&SHIPPED, &self.facts).map_err(|_| ApiError::Internal)?;
        let said: Vec<&str> = self
            .told
            .seen
            .iter()
            .map(|s| s.observation.as_str())
            .collect();
        let proposed = |p: Proposed| {
            let o = SHIPPED.observation_named(p.observation)?;
            (!said.contains(&o.id)).then(|| ProposalShown {
                observation: o.id,
                asks: self.pen.text(o.asks),
                because: p.because,
            })
        };
        let label = |id: &str| SHIPPED.cause_named(id).map_or("", |c| c.label);
        let done = |a: &Action| self.facts.tried.iter().any(|t| t.action == a.id);
        let next = d.next.as_ref().and_then(|n| SHIPPED.action_named(n.id));
        let others = SHIPPED
            .actions
            .iter()
            .filter(|a| Some(a.id) != next.map(|n| n.id) && !done(a));
        let since_swap = |s: &SeenEntry| {
            s.observation == SINCE_SWAP && matches!(&s.answer, Answer::Word(w) if w == "yes")
        };
        let open_job = self
            .job
            .as_ref()
            .filter(|j| j.finished_at.is_none())
            .map(|j| j.id);
        let replaced = |id: &String| Replacement::from_id(id).map(|r| r.part().label());
        Ok(CasePage {
            open_job,
            swapped_unmeasured: open_job.is_none() && self.told.seen.iter().any(since_swap),
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
                    does: SHIPPED
                        .action_named(id)
                        .map_or(String::new(), |a| self.pen.text(a.does)),
                    reason: reason.clone(),
                })
                .collect(),
            replaced: self.facts.replaced.iter().filter_map(replaced).collect(),
            causes: d
                .causes
                .iter()
                .take(SHOWN)
                .filter(|c| c.p > SHOWN_FROM)
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
            // That a part was swapped is no symptom: its job is the answer.
            unexplained: d
                .unexplained
                .iter()
                .filter(|id| **id != SINCE_SWAP)
                .map(|id| self.says(id))
                .collect(),
            proven: d.proven.map(|id| self.proven(store, id)).transpose()?,
            nothing_found: d.nothing_found,
            per_hour: self.facts.per_hour,
            cause: self.case.cause.as_deref().map(label),
            false_fixes: self.false_fixes,
            earlier: earlier(store, &self.case)?,
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
