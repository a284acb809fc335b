//! What is said of a log.

use wattotherm_gcode::Heater;
use wattotherm_measure::text::fixed;
use wattotherm_measure::{Pen, Unit};

use super::{SegmentKind, TraceClass, TraceFact, TraceReading};

impl TraceReading {
    /// The reading with its words in this pen's units. What an earlier version kept only as words stays so.
    #[must_use]
    pub fn worded(mut self, pen: Pen) -> Self {
        put_headline(&mut self, pen);
        if !self.facts.is_empty() {
            self.evidence = self.facts.iter().map(|f| f.words(pen)).collect();
        }
        for mark in &mut self.marks {
            if let Some(shows) = &mark.shows {
                mark.says = shows.words(pen);
            }
        }
        self
    }
}

/// Puts headline and advice; the headline names the piece where the log has several holds.
fn put_headline(reading: &mut TraceReading, pen: Pen) {
    let (mut headline, mut advice) = said(reading, pen);
    if matches!(reading.heater, Heater::Bed | Heater::Chamber) {
        advice = bed_advice(reading.class);
    }
    let holds = reading
        .segments
        .iter()
        .filter(|s| matches!(s.kind, SegmentKind::Hold | SegmentKind::Standby))
        .count();
    if holds > 1
        && let Some(s) = reading
            .segments
            .iter()
            .find(|s| s.class == reading.class && s.target_c == reading.target_c)
    {
        headline = format!(
            "{} ({}{} to {} min)",
            headline.trim_end_matches('.'),
            s.target_c.map_or(String::new(), |t| format!(
                "at {}, ",
                pen.plain(t, Unit::Celsius, 0)
            )),
            fixed(s.from_s / 60.0, 1),
            fixed(s.to_s / 60.0, 1)
        );
    }
    (reading.headline, reading.advice) = (headline, advice.to_owned());
}

fn said(reading: &TraceReading, pen: Pen) -> (String, &'static str) {
    let shows = |fact: fn(&TraceFact) -> bool| reading.facts.iter().any(fact);
    match reading.class {
        TraceClass::Steady => ("Steady: the loop holds.".into(), "Leave the loop alone."),
        TraceClass::LoopSwinging => (
            format!(
                "The loop swings{}.",
                reading.swing_c.map_or(String::new(), |s| format!(
                    " by {} peak to peak",
                    pen.fixed(s, Unit::Kelvin, 1)
                ))
            ),
            "The block can do this, so it is the loop: tune it.",
        ),
        TraceClass::SensorIntermittent => (
            "Sensor or wiring: heat can’t change that fast.".into(),
            "Don’t tune. Power off and unplug; wiggle-test the plug, then the wire along the moving loom, then the sensor in its hole. Replace what breaks.",
        ),
        TraceClass::OpenOrShort => (
            "Sensor open or short: the reading is pinned at the end of its table.".into(),
            "Don’t tune and don’t change the sensor type. Check the plug, then the wire, then the sensor. If you changed a setting while looking, set it back.",
        ),
        TraceClass::HeaterFailing => (
            "Heater failing: full duty, and the temperature falls.".into(),
            "Don’t tune. Power off and unplug; measure the heater’s resistance cold, look at its plug and screw terminal for heat marks, and feel whether it is loose in its hole.",
        ),
        TraceClass::FanStealingHeat => (
            "The part fan steals heat.".into(),
            "Look at the sock and at where the fan blows before you tune: air belongs on the part, not on the block.",
        ),
        TraceClass::NeverReaching => (
            "It never reaches its target: too little power, or too much loss.".into(),
            "Don’t tune. Measure the heater’s resistance and the supply, then look at sock and fan ducts.",
        ),
        TraceClass::Offset => (
            "It holds still, beside its target.".into(),
            "Don’t tune by this. Read the gains: without an I, or with one that is tiny, a loop stops short. Then compare what is shown with a thermometer of your own.",
        ),
        TraceClass::Noisy => (
            "The reading is noisy; the heat holds.".into(),
            "Don’t tune. Lay the sensor’s wires away from heater and motor wires, look at its plug and at the supply’s ground, then log again.",
        ),
        TraceClass::Drifting => (
            "It drifts slowly.".into(),
            "Don’t tune. A sensor that works its way out, a plug that warms up, or air that changes: look at the screw of the sensor, and log again with the duty.",
        ),
        TraceClass::LossGrew => (
            "It loses more heat than at first.".into(),
            "Don’t tune. Look whether the sock has come off or slipped, whether a fan or a door blows on the block, and whether plastic hangs on it.",
        ),
        TraceClass::CannotSay => (
            if shows(|f| matches!(f, TraceFact::RareLines { .. }))
                && !shows(|f| matches!(f, TraceFact::Strays { .. }))
            {
                "Its lines are too far apart to judge it by."
            } else {
                "It strays, and this log doesn’t show from what."
            }
            .into(),
            "Don’t tune by this. Log five minutes of hold at one target, a line a second, with duty and fan: that would settle it.",
        ),
        TraceClass::TooShort => (
            "Too short to judge.".into(),
            "Log the heat-up and two minutes at the target, with duty if the printer reports it.",
        ),
    }
}

/// What to do where it is no hot end: it has no sock, it is slow, and it may be on mains.
const fn bed_advice(class: TraceClass) -> &'static str {
    match class {
        TraceClass::Steady => "Leave it alone.",
        TraceClass::LoopSwinging => {
            "What is only switched on and off swings by a few degrees: that is its way, and nothing is broken. If the firmware has a loop for it, tune that one."
        }
        TraceClass::SensorIntermittent => {
            "Don’t tune. Power off and unplug; wiggle-test its plug, and its wires where they bend with the bed. Replace what breaks."
        }
        TraceClass::OpenOrShort => {
            "Don’t tune and don’t change the sensor type. Check its plug, then the wire where it bends, then the sensor."
        }
        TraceClass::HeaterFailing => {
            "Don’t tune. Power off and unplug; look at its plug, wires and terminals for heat marks. A heater on mains is for a licensed electrician under the local code."
        }
        TraceClass::NeverReaching => {
            "Don’t tune. It lacks power, or loses too much: look for a draught and at the insulation, then measure heater and supply. A heater on mains is for a licensed electrician under the local code."
        }
        TraceClass::FanStealingHeat => "Look where the fan blows, and whether a door stands open.",
        TraceClass::Offset => {
            "Don’t tune by this. Compare what is shown with a thermometer of your own on the plate."
        }
        TraceClass::Noisy => {
            "Don’t tune. Lay the sensor’s wires away from heater and motor wires, look at its plug, then log again."
        }
        TraceClass::Drifting => {
            "Don’t tune. Look whether its sensor comes off, and whether the room or the chamber still warms up."
        }
        TraceClass::LossGrew => {
            "Don’t tune. Look for an open door, a draught, and insulation that came off."
        }
        TraceClass::CannotSay => {
            "Don’t tune by this. Log ten minutes of hold at one target, a line a second, with its duty: that would settle it."
        }
        TraceClass::TooShort => "Log its heat-up and five minutes at the target, with its duty.",
    }
}
