//! Parts that a shop replaces by their age.

use wattotherm_measure::text::plain;
use wattotherm_printer::Part;

use crate::house::{House, RuleId, ToleranceId};

/// Parts that wear by being there: plastic, springs, bearings, what filament runs through. Common practice.
const AGES: [Part; 9] = [
    Part::Nozzle,
    Part::Tube,
    Part::HotEndCoupler,
    Part::ExtruderCoupler,
    Part::FilamentCutter,
    Part::SiliconeSock,
    Part::HotEndFan,
    Part::PartFan,
    Part::BedSurface,
];

/// What is to be said of a part that was fitted `days` ago, where this shop replaces parts by age and its time is over;
/// none otherwise. Domain: days from 0.
#[must_use]
pub fn due_by_age(house: &House, part: Part, days: f64) -> Option<String> {
    let by_age = house.option(RuleId::PartsReplaced).id == "by_age";
    let most = house.tolerance(ToleranceId::PartAgeDays);
    (by_age && AGES.contains(&part) && days > most).then(|| {
        format!(
            "Due by age: {}, fitted {} days ago; this shop replaces it after {}.",
            part.label(),
            plain(days.floor(), 0),
            plain(most, 0)
        )
    })
}
