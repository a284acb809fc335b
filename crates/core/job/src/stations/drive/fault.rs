//! Faults that no setting of the drive cures.

use serde::{Deserialize, Serialize};
use wattotherm_measure::{Component, FreshMean, Instrument, combine};
use wattotherm_printer::GearFacts;

use super::{Typed, computed_steps_per_mm, expanded_95, mean_of};
use crate::context::Context;
use crate::finding::Cause;
use crate::house::ToleranceId;

/// A fault with its numbers.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub(super) enum Fault {
    Backward,
    NothingFed,
    /// Less came at the faster feed [mm].
    Slips {
        less_mm: f64,
    },
    /// More came free in air [mm].
    Resistance {
        more_mm: f64,
    },
    /// Far off, the build unknown.
    FarOff {
        after_work: bool,
    },
    /// The gear ratio was left out of the steps set.
    RatioLeftOut {
        ratio: f64,
        computed: f64,
    },
    /// The steps set belong to other microsteps.
    StepsOfOtherMicrosteps {
        theirs: f64,
        ours: f64,
        computed: f64,
    },
    /// The steps set are not those of this build.
    StepsOfOtherDrive {
        computed: f64,
    },
    /// There is no gear of this ratio.
    NoSuchRatio {
        ratio: f64,
    },
    /// The driver runs at other microsteps than typed.
    OtherMicrosteps {
        runs_at: f64,
        typed: f64,
    },
    /// Nothing explains it.
    Unexplained {
        needed: f64,
        computed: f64,
    },
}

impl Fault {
    /// What lies behind it.
    pub const fn cause(&self) -> Cause {
        match self {
            Self::Backward => Cause::RunsBackward,
            Self::NothingFed => Cause::NothingFed,
            Self::Slips { .. } => Cause::SlipsWhenFast,
            Self::Resistance { .. } => Cause::ResistanceDownstream,
            Self::FarOff { after_work: true } => Cause::WrongAfterWork,
            Self::FarOff { after_work: false } => Cause::FarOffUntouched,
            Self::RatioLeftOut { .. } => Cause::RatioLeftOut,
            Self::StepsOfOtherMicrosteps { .. } => Cause::StepsOfOtherMicrosteps,
            Self::StepsOfOtherDrive { .. } => Cause::StepsOfOtherDrive,
            Self::NoSuchRatio { .. } => Cause::NoSuchRatio,
            Self::OtherMicrosteps { .. } => Cause::OtherMicrosteps,
            Self::Unexplained { .. } => Cause::FeedUnexplained,
        }
    }
}

/// Whether the feed shows a fault that no setting cures.
pub(super) fn fault(
    typed: &Typed,
    main: &FreshMean,
    rule: &Instrument,
    context: &Context,
    limit_mm: f64,
) -> Option<Fault> {
    let fed = main.series.mean;
    let expanded = expanded_95(main.combined);
    let n_mm = typed.feed;
    if fed < -expanded {
        return Some(Fault::Backward);
    }
    if fed.abs() <= expanded.max(0.01 * n_mm) {
        return Some(Fault::NothingFed);
    }
    // By how much another series differs, where both uncertainties and the limit leave no doubt.
    let differs = |other: &FreshMean| {
        let both = combine(&[
            Component {
                u: main.combined.u,
                sensitivity: 1.0,
                dof: main.combined.dof,
            },
            Component {
                u: other.combined.u,
                sensitivity: -1.0,
                dof: other.combined.dof,
            },
        ]);
        let difference = other.series.mean - fed;
        (difference.abs() > expanded_95(both) && difference.abs() > limit_mm).then_some(difference)
    };
    if !typed.fed.is_empty() {
        let fast = mean_of(&typed.fast, rule).and_then(|m| differs(&m));
        if let Some(d) = fast.filter(|d| *d < 0.0) {
            return Some(Fault::Slips { less_mm: -d });
        }
        let free = mean_of(&typed.free, rule).and_then(|m| differs(&m));
        if let Some(d) = free.filter(|d| *d > 0.0) {
            return Some(Fault::Resistance { more_mm: d });
        }
    }
    let percent = 100.0 * (fed - n_mm) / n_mm;
    if percent.abs() <= context.house.tolerance(ToleranceId::DriveStopPercent) {
        return None;
    }
    let needed = typed.set * n_mm / fed;
    Some(match &typed.gear {
        None => Fault::FarOff {
            after_work: context.fresh_drive(),
        },
        Some(gear) => wrong_number(typed.set, needed, gear),
    })
}

/// Ratios this close are taken as the same; drive diameters are known to a few percent.
const ALIKE: f64 = 0.08;

fn alike(a: f64, b: f64) -> bool {
    (a / b - 1.0).abs() < ALIKE
}

/// The number that explains a feed far off, by comparing what is set, what the feed needs,
/// and what the drive's build computes to.
fn wrong_number(set: f64, needed: f64, gear: &GearFacts) -> Fault {
    let computed = computed_steps_per_mm(gear);
    let powers = [2.0, 4.0, 8.0, 16.0, 0.5, 0.25, 0.125, 0.0625];
    let ratio = gear.gear_ratio;
    if alike(needed, computed) {
        let factor = computed / set;
        if ratio > 1.1 && alike(factor, ratio) {
            return Fault::RatioLeftOut { ratio, computed };
        }
        return match powers.into_iter().find(|p| alike(factor, *p)) {
            Some(p) => Fault::StepsOfOtherMicrosteps {
                theirs: gear.microsteps / p,
                ours: gear.microsteps,
                computed,
            },
            None => Fault::StepsOfOtherDrive { computed },
        };
    }
    let factor = needed / computed;
    if ratio > 1.1 && alike(factor, 1.0 / ratio) {
        return Fault::NoSuchRatio { ratio };
    }
    match powers.into_iter().find(|p| alike(factor, *p)) {
        Some(p) => Fault::OtherMicrosteps {
            runs_at: gear.microsteps * p,
            typed: gear.microsteps,
        },
        None => Fault::Unexplained { needed, computed },
    }
}
