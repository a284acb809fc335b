//! Which stops a job has, and in which order a careful person takes them. Common practice, no published source.

use wattotherm_printer::{Parameter, Part, Replacement};

use super::told::Told;
use super::{Begins, JobFacts, Stop};
use crate::chain::{ChainTables, Strength};
use crate::house::{House, RuleId};

/// The stops before the machine's values, each waiting for those before it, with the two values that are
/// settled among them: what a sensor is, and how hot this hot end may get, come before the first heating.
pub(super) fn preparation(
    house: &House,
    tables: &ChainTables,
    facts: &JobFacts,
    told: &Told,
) -> Vec<Stop> {
    let parts = || told.parts.keys().copied();
    let inspected = facts.begins == Begins::Inspection;
    let mut stops = vec![match facts.begins {
        Begins::Inspection => Stop::Inspection,
        _ => Stop::Intake,
    }];
    if matches!(facts.begins, Begins::CheckUp { .. } | Begins::Filament) {
        stops.clear();
    }
    if inspected {
        stops.push(Stop::Worth);
    }
    stops.push(Stop::Snapshot);
    if wants_baseline(tables, facts) {
        stops.push(Stop::Baseline);
    }
    if facts.begins == Begins::Symptom || told.came_back.is_some() {
        stops.push(Stop::Cause);
    }
    if parts().any(|r| r == Replacement::Tube) {
        stops.push(Stop::TubeLength);
    }
    let in_order = in_order(house, told.parts.keys().copied());
    stops.extend(in_order.into_iter().map(Stop::Fit));
    // Whatever was opened or joined is measured cold and unplugged, then switched on cold, then heated for the
    // first time by somebody who stays with it, and only then tightened.
    if parts().any(Replacement::brings_a_heater) {
        stops.push(Stop::Heater);
    }
    stops.push(Stop::Parameter(Parameter::SensorType, None));
    if inspected || parts().any(Replacement::electrical) {
        stops.push(Stop::PowerUp);
    }
    stops.push(Stop::Parameter(Parameter::Ceiling, None));
    if inspected || parts().any(Replacement::heats_anew) {
        stops.push(Stop::FirstHeat);
    }
    if parts().any(|r| opens_the_joint(house, facts, r)) {
        stops.push(Stop::HotTighten);
    }
    // Before bed and Z, which may be measured with it.
    if facts.probe && (inspected || parts().any(Replacement::moves_the_probe)) {
        stops.push(Stop::Probe);
    }
    stops
}

/// Whether a new tube is seated under a nozzle that is backed off, in this shop: where the nozzle is in first, the
/// tube is pushed home on it and the joint stays closed.
pub(super) fn tube_under_nozzle(house: &House, facts: &JobFacts) -> bool {
    facts.lined && house.option(RuleId::TubeOrNozzle).id == "tube_first"
}

/// Whether fitting this part leaves a joint that is tightened hot, in this shop.
pub(super) fn opens_the_joint(house: &House, facts: &JobFacts, r: Replacement) -> bool {
    // A nozzle with a heat break of its own has no joint to tighten.
    !(facts.quick_nozzle && r.part() == Part::Nozzle)
        && r.opens_the_joint(tube_under_nozzle(house, facts))
}

/// Whether a print with the old settings is worth its time: there is a complaint to compare with, or a value is
/// presumed wrong.
fn wants_baseline(tables: &ChainTables, facts: &JobFacts) -> bool {
    match facts.begins {
        Begins::Parts => facts.complaint || any_redo(tables, facts.replaced.iter().copied()),
        Begins::Symptom => true,
        Begins::CheckUp { .. } | Begins::Inspection | Begins::Filament => false,
    }
}

fn any_redo(tables: &ChainTables, mut parts: impl Iterator<Item = Replacement>) -> bool {
    parts.any(|r| {
        let mut cells = Parameter::ALL.iter().map(|p| tables.cell(r, *p));
        cells.any(|c| c == Some(Strength::Redo))
    })
}

/// Whether a first print stands before the filament's values.
pub(super) fn wants_first_print(
    house: &House,
    tables: &ChainTables,
    facts: &JobFacts,
    told: &Told,
) -> bool {
    house.option(RuleId::FirstPrint).id == "old_settings"
        && !told.parts.is_empty()
        && (facts.complaint || any_redo(tables, told.parts.keys().copied()))
}

/// Parts in the order in which they are taken out and put in: what is done hot comes before the one cool-down,
/// the hot end is built from the heat break down, wires before covers, and what is outside of it last.
#[must_use]
pub fn in_order(house: &House, parts: impl IntoIterator<Item = Replacement>) -> Vec<Replacement> {
    let mut all: Vec<Replacement> = parts.into_iter().collect();
    let stripped = is_stripped(all.iter().copied());
    let tube_first = house.option(RuleId::TubeOrNozzle).id == "tube_first";
    all.sort_by_key(|r| (place(*r, stripped, tube_first), *r));
    all
}

/// Whether the hot end comes apart in this job, so that its nozzle is started cold in the new pieces.
pub(crate) fn is_stripped(parts: impl IntoIterator<Item = Replacement>) -> bool {
    parts.into_iter().any(|r| {
        matches!(
            r.part(),
            Part::HeatBreak | Part::HeaterBlock | Part::HotEndAssembly
        )
    })
}

fn place(r: Replacement, stripped: bool, tube_first: bool) -> u8 {
    match r.part() {
        Part::Nozzle if !stripped => 0,
        Part::HotEndAssembly => 1,
        Part::HeatBreak => 2,
        Part::HeaterBlock => 3,
        Part::HeaterCartridge => 4,
        Part::TemperatureSensor => 5,
        Part::Tube | Part::HotEndCoupler | Part::ExtruderCoupler if tube_first => 6,
        Part::Nozzle => 7,
        Part::Tube | Part::HotEndCoupler | Part::ExtruderCoupler => 8,
        Part::ExtruderDrive | Part::ExtruderMotor | Part::FilamentCutter => 9,
        Part::ControlBoard => 10,
        Part::HotEndFan | Part::PartFan => 11,
        Part::SiliconeSock => 12,
        Part::Bed | Part::BedSurface | Part::BedProbe | Part::Frame => 13,
    }
}

/// Whether this shop levels before it tries the heater loop.
pub(super) fn levels_first(house: &House) -> bool {
    house.option(RuleId::LoopOrLevel).id == "level_first"
}

/// The machine's values after the preparation, in the order of this shop.
pub(super) fn machine_values(house: &House) -> Vec<Parameter> {
    let mut all: Vec<Parameter> = Parameter::ALL
        .iter()
        .copied()
        .filter(|p| !p.per_filament() && !matches!(p, Parameter::SensorType | Parameter::Ceiling))
        .collect();
    if levels_first(house) {
        let level = [Parameter::Profile, Parameter::Tram, Parameter::OffsetZ];
        all.sort_by_key(|p| !level.contains(p));
    }
    all
}
