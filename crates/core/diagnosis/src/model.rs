//! The model: what can be wrong, what can be seen, what can be done.

use wattotherm_printer::Part;

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
    /// What is asked.
    pub asks: &'static str,
    /// Chance of a yes, 0 to 1, where nothing of it comes from the cause. Judgement, no published source.
    pub base: f64,
    /// A number means yes beyond this, in its own unit, which the question names; none where it has no number.
    pub yes_beyond: Option<f64>,
}

/// What an action is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ActionKind {
    /// Answers observations.
    Check(&'static [&'static str]),
    /// Mends causes.
    Remedy(&'static [&'static str]),
}

/// Something that can be done.
#[derive(Clone, Copy, Debug)]
pub struct Action {
    /// Name for programs.
    pub id: &'static str,
    /// What to do, in the imperative.
    pub does: &'static str,
    /// Minutes of hands [min], above 0. Judgement, no published source.
    pub minutes: f64,
    /// What it uses up besides hands, as minutes of hands [min]: a part, a spool, a risk. Judgement, no published source.
    pub also_min: f64,
    /// Whether it is done cold and unplugged, so that it may go before everything that heats.
    pub cold: bool,
    /// Whether it can break a part.
    pub can_break: bool,
    /// A check or a remedy.
    pub kind: ActionKind,
}

impl Action {
    /// Minutes that it costs, all in.
    #[must_use]
    pub const fn cost_min(&self) -> f64 {
        self.minutes + self.also_min
    }
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
    /// What it costs to write to somebody when nothing helped [min].
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
}

/// The model that ships. Judgement, no published source.
pub const SHIPPED: Model<'static> = Model {
    causes: crate::CAUSES,
    observations: crate::OBSERVATIONS,
    actions: crate::ACTIONS,
    give_up_min: 60.0,
};
