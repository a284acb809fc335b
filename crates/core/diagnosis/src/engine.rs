//! The model with its names looked up once: what everything else is worked out on.

use crate::model::Model;

/// A model made ready for arithmetic.
#[derive(Clone, Debug)]
pub struct Engine<'a> {
    pub(crate) model: &'a Model<'a>,
    /// P(yes) by observation and cause.
    yes: Vec<Vec<f64>>,
    /// Causes that an action mends, with the chance that it does.
    pub(crate) mends: Vec<Vec<(usize, f64)>>,
    /// Observations that an action answers.
    pub(crate) answers: Vec<Vec<usize>>,
    /// Ladders as places of actions.
    pub(crate) ladders: Vec<Vec<usize>>,
    /// Observations whose yes forbids to heat.
    pub(crate) no_heat: Vec<usize>,
    /// What an action is known to show when the fault came back after it.
    pub(crate) came_back_shows: Vec<Option<usize>>,
}

impl<'a> Engine<'a> {
    /// Looks up all names of a model; what names nothing is left out.
    #[must_use]
    pub fn new(model: &'a Model<'a>) -> Self {
        let causes = 0..model.causes.len();
        let by_action = || model.actions.iter();
        Self {
            model,
            yes: (0..model.observations.len())
                .map(|o| causes.clone().map(|c| model.p_yes(c, o)).collect())
                .collect(),
            mends: by_action()
                .map(|a| {
                    let found = |(id, p): &(&str, f64)| model.cause(id).map(|c| (c, *p));
                    a.mends().iter().filter_map(found).collect()
                })
                .collect(),
            answers: by_action()
                .map(|a| {
                    let found = |id: &&str| model.observation(id);
                    a.answers().iter().filter_map(found).collect()
                })
                .collect(),
            ladders: model
                .ladders
                .iter()
                .map(|l| l.rungs.iter().filter_map(|id| model.action(id)).collect())
                .collect(),
            no_heat: model
                .no_heat_when
                .iter()
                .filter_map(|id| model.observation(id))
                .collect(),
            came_back_shows: by_action()
                .map(|a| a.came_back_shows.and_then(|id| model.observation(id)))
                .collect(),
        }
    }

    /// Chance of a yes of an observation, 0 to 1, given a cause; both by place.
    #[must_use]
    pub fn p_yes(&self, cause: usize, observation: usize) -> f64 {
        self.yes[observation][cause]
    }
}
