//! What is said of a log.

use wattotherm_measure::text::{fixed, plain};

use super::{SegmentKind, TraceClass, TraceReading};

/// Puts headline and advice; the headline names the piece where the log has several holds.
pub(crate) fn put(reading: &mut TraceReading) {
    let (mut headline, advice) = said(reading);
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
            "{} (at {} °C, {} to {} min)",
            headline.trim_end_matches('.'),
            s.target_c.map_or("?".into(), |t| plain(t, 0)),
            fixed(s.from_s / 60.0, 1),
            fixed(s.to_s / 60.0, 1)
        );
    }
    (reading.headline, reading.advice) = (headline, advice.to_owned());
}

fn said(reading: &TraceReading) -> (String, &'static str) {
    match reading.class {
        TraceClass::Steady => ("Steady: the loop holds.".into(), "Leave the loop alone."),
        TraceClass::LoopSwinging => (
            format!(
                "The loop swings{}.",
                reading.swing_c.map_or(String::new(), |s| format!(
                    " by {} °C peak to peak",
                    fixed(s, 1)
                ))
            ),
            "The block can do this, so it is the loop: tune it.",
        ),
        TraceClass::SensorIntermittent => (
            "Sensor or wiring: the block can't change that fast.".into(),
            "Don't tune. Power off and unplug; wiggle-test the plug, then the wire along the moving loom, then the sensor in its hole. Replace what breaks.",
        ),
        TraceClass::OpenOrShort => (
            "Sensor open or short: the reading is pinned at the end of its table.".into(),
            "Don't tune and don't change the sensor type. Check the plug, then the wire, then the sensor. If you changed a setting while looking, set it back.",
        ),
        TraceClass::HeaterFailing => (
            "Heater failing: full duty, and the temperature falls.".into(),
            "Don't tune. Power off and unplug; measure the heater's resistance cold, look at its plug and screw terminal for heat marks, and feel whether it is loose in its hole.",
        ),
        TraceClass::FanStealingHeat => (
            "The part fan steals heat.".into(),
            "Look at the sock and at where the fan blows before you tune: air belongs on the part, not on the block.",
        ),
        TraceClass::NeverReaching => (
            "It never reaches its target: too little power, or too much loss.".into(),
            "Don't tune. Measure the heater's resistance and the supply, then look at sock and fan ducts.",
        ),
        TraceClass::Offset => (
            "It holds still, beside its target.".into(),
            "Don't tune by this. Read the gains: without an I, or with one that is tiny, a loop stops short. Then compare what is shown with a thermometer of your own.",
        ),
        TraceClass::Noisy => (
            "The reading is noisy; the block holds.".into(),
            "Don't tune. Lay the sensor's wires away from heater and motor wires, look at its plug and at the supply's ground, then log again.",
        ),
        TraceClass::Drifting => (
            "It drifts slowly.".into(),
            "Don't tune. A sensor that works its way out, a plug that warms up, or air that changes: look at the screw of the sensor, and log again with the duty.",
        ),
        TraceClass::LossGrew => (
            "It loses more heat than at first.".into(),
            "Don't tune. Look whether the sock has come off or slipped, whether a fan or a door blows on the block, and whether plastic hangs on it.",
        ),
        TraceClass::CannotSay => (
            "It strays, and this log doesn't show from what.".into(),
            "Don't tune by this. Log five minutes of hold at one target, a line a second, with duty and fan: that would settle it.",
        ),
        TraceClass::TooShort => (
            "Too short to judge.".into(),
            "Log the heat-up and two minutes at the target, with duty if the printer reports it.",
        ),
    }
}
