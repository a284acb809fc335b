//! What the gains of each tuning rule would do on the plants that a log allows.

use serde::Serialize;
use utoipa::ToSchema;

use super::control::{ControllerKind, ControllerSettings, Gains, OutputForm};
use super::figures::LoopFigures;
use super::interval::Interval;
use super::loop_sim::{LoopScript, simulate_loop};
use super::margins::{Margins, margins};
use super::model::Plant;
use super::relay::Ultimate;
use super::tuning::{TUNING_RULES, TuningRule, TuningRuleSpec, tune};

/// What gains would do.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct GainsRun {
    /// The gains as text, output 0 to 255.
    pub gains: String,
    /// The same, output 0 to 1.
    pub gains_unit: String,
    /// Figures of the simulated run.
    pub figures: LoopFigures,
    /// How far the loop is from swinging; none where it can't.
    pub margins: Option<Margins>,
    /// Temperatures of the simulated run [°C], one every [`RULE_RUN_STEP_S`].
    pub points: Vec<f64>,
    /// What they do over all plants that the log allows; none where they aren't known.
    pub band: Option<GainsBand>,
}

/// What gains do over all plants that a log allows, each at 95 %.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct GainsBand {
    /// Above the target at most [°C].
    pub overshoot_c: Interval,
    /// Settled after [s]; none where a plant among them never settles, or where the margins leave so little that
    /// what no model has of a real hot end may keep it swinging.
    pub settle_s: Option<Interval>,
    /// Below the target with the part fan [°C].
    pub dip_c: Interval,
    /// Gain margin.
    pub gain: Interval,
    /// Phase margin [°].
    pub phase_deg: Interval,
}

/// What one rule's gains would do.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct RuleRun {
    /// Which rule.
    pub rule: TuningRule,
    /// Its name.
    pub label: String,
    /// Why one would take it.
    pub why: String,
    /// Where it was published.
    pub source: String,
    /// Its run; none where the rule has nothing to go by.
    pub run: Option<GainsRun>,
}

/// Time between the points of a [`RuleRun`] [s].
pub const RULE_RUN_STEP_S: f64 = 1.0;

/// A loop to try gains on.
#[derive(Clone, Copy, Debug)]
pub struct Trial<'a> {
    /// The likeliest plant.
    pub plant: &'a Plant,
    /// Plants that the log allows; empty where they aren't known.
    pub ensemble: &'a [Plant],
    /// Target [°C].
    pub target_c: f64,
    /// How the controller goes about a step.
    pub controller: ControllerKind,
}

impl Trial<'_> {
    /// What these gains would do: step from 40 °C below, hold, part fan, as [`LoopScript::usual`].
    #[must_use]
    pub fn run(&self, gains: Gains) -> GainsRun {
        let script = LoopScript::usual(self.target_c);
        let settings = ControllerSettings::of_kind(gains, self.controller);
        let run = simulate_loop(self.plant, settings, &script);
        let mut points = Vec::new();
        let mut next = 0.0;
        for (t, c) in &run.points {
            if *t >= next - 1e-9 {
                points.push((c * 100.0).round() / 100.0);
                next += RULE_RUN_STEP_S;
            }
        }
        let [p, i, d] = gains.in_form(OutputForm::Unit);
        GainsRun {
            gains: gains.text(),
            gains_unit: format!("P {p:.4} I {i:.5} D {d:.3}"),
            figures: run.figures,
            margins: margins(self.plant, &settings),
            points,
            band: self.band(settings),
        }
    }

    fn band(&self, settings: ControllerSettings) -> Option<GainsBand> {
        // A coarser step than for the run that is drawn: the bands are wider than what it costs.
        let script = LoopScript {
            dt_s: 0.1,
            ..LoopScript::usual(self.target_c)
        };
        let runs: Vec<(LoopFigures, Option<Margins>)> = self
            .ensemble
            .iter()
            .map(|p| {
                (
                    simulate_loop(p, settings, &script).figures,
                    margins(p, &settings),
                )
            })
            .collect();
        if runs.is_empty() {
            return None;
        }
        // A run that doesn't come to its target is no overshoot, and as deep a dip as there is.
        let of = |f: &dyn Fn(&LoopFigures) -> Option<f64>, else_: f64| {
            Interval::of_95(runs.iter().map(|r| f(&r.0).unwrap_or(else_)))
        };
        let settled: Option<Vec<f64>> = runs.iter().map(|r| r.0.settle_s).collect();
        let margin = |f: &dyn Fn(&Margins) -> f64, never: f64| {
            Interval::of_95(runs.iter().map(|r| r.1.as_ref().map_or(never, f)))
        };
        let gain = margin(&|m| m.gain, NEVER_SWINGS);
        let phase_deg = margin(&|m| m.phase_deg, 180.0);
        let room = gain.low >= ROOM_GAIN && phase_deg.low >= ROOM_PHASE_DEG;
        Some(GainsBand {
            overshoot_c: of(&|f| f.overshoot_c, 0.0),
            settle_s: settled.filter(|_| room).map(Interval::of_95),
            dip_c: of(&|f| f.dip_c, self.target_c),
            gain,
            phase_deg,
        })
    }

    /// Every rule, see [`Trial::run`].
    #[must_use]
    pub fn compare(&self, ultimate: Option<Ultimate>) -> Vec<RuleRun> {
        let run = |spec: &TuningRuleSpec| RuleRun {
            rule: spec.rule,
            label: spec.label.to_owned(),
            why: spec.why.to_owned(),
            source: spec.source.to_owned(),
            run: tune(spec.rule, ultimate, Some(self.plant)).map(|g| self.run(g)),
        };
        // Rules know nothing of each other: half of them on another processor.
        let (first, rest) = TUNING_RULES.split_at(TUNING_RULES.len() / 2);
        std::thread::scope(|s| {
            let other = s.spawn(|| first.iter().map(run).collect::<Vec<_>>());
            let rest: Vec<RuleRun> = rest.iter().map(run).collect();
            let mut all = other.join().unwrap_or_default();
            all.extend(rest);
            all
        })
    }
}

/// Margins below which no settling is promised: a hot end has more lags than the model. Set by simulated hot ends
/// of five masses; no published source.
const ROOM_GAIN: f64 = 1.4;
const ROOM_PHASE_DEG: f64 = 20.0;
/// Gain margin that stands for a loop that can't swing.
const NEVER_SWINGS: f64 = 100.0;
/// Least gain margin that a rule must keep on every plant, and phase margin [°] (Åström & Hägglund 2006, "Advanced
/// PID Control", section 4.6: 2 and 45°; a little below them is still no swing).
const LEAST_GAIN: f64 = 1.7;
const LEAST_PHASE_DEG: f64 = 35.0;

/// The rule that is best where it is worst: of those that keep their margins and overshoot at most
/// `overshoot_most_c` [°C] on every plant that the log allows, the one that settles first on the slowest. None
/// where none does, or where the plants aren't known.
#[must_use]
pub fn safest(runs: &[RuleRun], overshoot_most_c: f64) -> Option<TuningRule> {
    runs.iter()
        .filter_map(|r| {
            let band = r.run.as_ref()?.band?;
            let keeps = band.gain.low >= LEAST_GAIN
                && band.phase_deg.low >= LEAST_PHASE_DEG
                && band.overshoot_c.high <= overshoot_most_c;
            keeps.then_some((r.rule, band.settle_s?.high))
        })
        .min_by(|a, b| a.1.total_cmp(&b.1))
        .map(|(rule, _)| rule)
}
