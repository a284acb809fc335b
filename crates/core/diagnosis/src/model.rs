//! The model: what can be wrong, what can be seen, what can be done.

use wattotherm_measure::Unit;
use wattotherm_printer::{Parameter, Part, Replacement};

/// Something that can be wrong.
#[derive(Clone, Copy, Debug)]
pub struct Cause {
    /// Name for programs.
    pub id: &'static str,
    /// In words, within a sentence.
    pub label: &'static str,
    /// Usual weight, relative to the other causes, above 0. Judgement, no published source.
    pub weight: f64,
    /// Whether it can burn, or hurt: its checks come first, cold and unplugged.
    pub hazard: bool,
    /// Parts whose replacement makes it likelier: it hangs on them, and somebody was just there.
    pub shaken_by: &'static [Part],
    /// Parts whose replacement makes it less likely: the piece at fault would be gone.
    pub cured_by: &'static [Part],
    /// Observations that it makes likelier or less likely than they are without it: by id, P(yes), 0 to 1.
    pub shows: &'static [(&'static str, f64)],
}

/// Something that can be seen, measured or told.
#[derive(Clone, Copy, Debug)]
pub struct Observation {
    /// Name for programs.
    pub id: &'static str,
    /// A yes in a few words.
    pub says: &'static str,
    /// What is asked.
    pub asks: &'static str,
    /// Chance of a yes, 0 to 1, where nothing of it comes from the cause. Judgement, no published source.
    pub base: f64,
    /// How it is read as a number; none where it is yes or no.
    pub reads: Option<Reads>,
}

/// An observation that is a number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reads {
    /// Its unit.
    pub unit: Unit,
    /// Beyond this it means yes, in that unit.
    pub yes_beyond: f64,
    /// What can't be meant lies below the first or above the second, in that unit.
    pub bounds: [f64; 2],
}

/// What an action is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ActionKind {
    /// Answers observations.
    Check(&'static [&'static str]),
    /// Mends causes: by id, the chance that it does, 0 to 1, above 0. Judgement, no published source.
    Remedy(&'static [(&'static str, f64)]),
}

/// What the printer itself can do of an action, where it is connected.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PrinterDoes {
    /// Holds a temperature and logs it.
    Hold,
    /// Warms a little and logs while the head is moved by hand.
    Watch,
    /// Says how high it lets itself be set.
    Limit,
    /// Feeds so many millimetres of filament, hot.
    Feed(u16),
    /// Says what the nozzle reads, cold.
    Reading,
}

/// Something that can be done.
#[derive(Clone, Copy, Debug)]
pub struct Action {
    /// Name for programs.
    pub id: &'static str,
    /// What to do, in the imperative.
    pub does: &'static str,
    /// How it is done, and what to beware of; may be blank.
    pub how: &'static str,
    /// Minutes of hands [min], above 0. Judgement, no published source.
    pub minutes: f64,
    /// What it uses up besides hands, as minutes of hands [min]: a part, a spool, a risk. Judgement, no published source.
    pub also_min: f64,
    /// Whether it is done cold and unplugged, so that it may go before everything that heats.
    pub cold: bool,
    /// Whether the printer has to heat for it.
    pub heats: bool,
    /// Whether it can break a part.
    pub can_break: bool,
    /// One of its answers at most is a yes; then this says that none is. None where several can be.
    pub one_of: Option<&'static str>,
    /// Where on the machine it is done.
    pub at: Option<Part>,
    /// What the printer does of it, where it is connected.
    pub printer: Option<PrinterDoes>,
    /// Parts that it fits, the usual one first.
    pub fits: &'static [Replacement],
    /// Values of the printer that are found anew by it, or after it.
    pub settles: &'static [Parameter],
    /// What is known once the fault came back after it: by id of the observation.
    pub came_back_shows: Option<&'static str>,
    /// A check or a remedy.
    pub kind: ActionKind,
}

impl Action {
    /// Minutes that it costs, all in.
    #[must_use]
    pub const fn cost_min(&self) -> f64 {
        self.minutes + self.also_min
    }

    /// Whether a job follows from it: it fits a part, or a value is found anew after it.
    #[must_use]
    pub const fn wants_job(&self) -> bool {
        !self.fits.is_empty() || !self.settles.is_empty()
    }

    /// What it answers; nothing for a remedy.
    #[must_use]
    pub const fn answers(&self) -> &'static [&'static str] {
        match self.kind {
            ActionKind::Check(ids) => ids,
            ActionKind::Remedy(_) => &[],
        }
    }

    /// What it mends; nothing for a check.
    #[must_use]
    pub const fn mends(&self) -> &'static [(&'static str, f64)] {
        match self.kind {
            ActionKind::Check(_) => &[],
            ActionKind::Remedy(causes) => causes,
        }
    }
}

/// Rungs from mild to invasive; each is an action of the same engine.
#[derive(Clone, Copy, Debug)]
pub struct Ladder {
    /// Name for programs.
    pub id: &'static str,
    /// What it is climbed for.
    pub title: &'static str,
    /// Actions by id, the mildest first.
    pub rungs: &'static [&'static str],
    /// What tells after each rung whether it helped.
    pub test: &'static str,
    /// What to beware of.
    pub caution: &'static str,
}

/// Everything that is known of faults.
#[derive(Clone, Copy, Debug)]
pub struct Model<'a> {
    /// What can be wrong; the last one is that it is none of them.
    pub causes: &'a [Cause],
    /// What can be seen.
    pub observations: &'a [Observation],
    /// What can be done.
    pub actions: &'a [Action],
    /// Orders that are kept.
    pub ladders: &'a [Ladder],
    /// Observations whose yes forbids to heat by the printer, by id.
    pub no_heat_when: &'a [&'a str],
    /// What it costs to write to somebody, and to let the machine stand, when nothing helped [min].
    pub give_up_min: f64,
}

impl Model<'_> {
    /// Chance of a yes of an observation, 0 to 1, given a cause.
    #[must_use]
    pub fn p_yes(&self, cause: usize, observation: usize) -> f64 {
        let o = &self.observations[observation];
        let shown = self.causes[cause].shows.iter().find(|(id, _)| *id == o.id);
        shown.map_or(o.base, |(_, p)| *p)
    }

    /// An observation by its id.
    #[must_use]
    pub fn observation_named(&self, id: &str) -> Option<&Observation> {
        self.observations.iter().find(|o| o.id == id)
    }

    /// A cause by its id.
    #[must_use]
    pub fn cause_named(&self, id: &str) -> Option<&Cause> {
        self.causes.iter().find(|c| c.id == id)
    }

    /// An action by its id.
    #[must_use]
    pub fn action_named(&self, id: &str) -> Option<&Action> {
        self.actions.iter().find(|a| a.id == id)
    }

    /// Place of an observation.
    #[must_use]
    pub fn observation(&self, id: &str) -> Option<usize> {
        self.observations.iter().position(|o| o.id == id)
    }

    /// Place of a cause.
    #[must_use]
    pub fn cause(&self, id: &str) -> Option<usize> {
        self.causes.iter().position(|c| c.id == id)
    }

    /// Place of an action.
    #[must_use]
    pub fn action(&self, id: &str) -> Option<usize> {
        self.actions.iter().position(|a| a.id == id)
    }
}

/// The model that ships. Judgement, no published source.
pub const SHIPPED: Model<'static> = Model {
    causes: crate::CAUSES,
    observations: crate::OBSERVATIONS,
    actions: crate::ACTIONS,
    ladders: crate::LADDERS,
    no_heat_when: &["reads_end"],
    give_up_min: 180.0,
};
