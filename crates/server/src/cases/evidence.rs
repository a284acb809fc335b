//! What a station or a heat log tells a case: typed causes and classes as observations. Common practice.

use wattotherm_diagnosis::{Answer, Entry, From};
use wattotherm_heat::TraceClass;
use wattotherm_job::finding::Cause;

fn seen(from: From, pairs: &[(&str, bool)]) -> Vec<Entry> {
    let one = |(observation, yes): &(&str, bool)| Entry::Seen {
        observation: (*observation).into(),
        answer: Answer::Word(if *yes { "yes" } else { "no" }.into()),
        from,
    };
    pairs.iter().map(one).collect()
}

/// What a station that stopped has shown; nothing where its cause says nothing of the machine.
pub fn of_cause(cause: Cause) -> Vec<Entry> {
    let pairs: &[(&str, bool)] = match cause {
        Cause::NothingFed => &[("nothing_comes", true)],
        Cause::SlipsWhenFast => &[("slips_fast", true), ("fed_off_alike", false)],
        Cause::ResistanceDownstream => &[("thin", true), ("clicks_in_air", false)],
        Cause::WrongAfterWork => &[("fed_off_alike", true), ("since_swap", true)],
        Cause::FarOffUntouched => &[("fed_off_alike", true)],
        Cause::RatioLeftOut | Cause::StepsOfOtherMicrosteps | Cause::StepsOfOtherDrive => {
            &[("fed_off_alike", true), ("one_factor", true)]
        }
        Cause::NozzleFarOff => &[("patch_off", true)],
        Cause::BedTilted => &[("patch_off", true), ("plate_uneven", true)],
        Cause::DriveClicks => &[("clicks", true)],
        Cause::SensorOpen | Cause::SensorShorted | Cause::SensorOpenOrShort => {
            &[("reads_end", true)]
        }
        Cause::WrongSensorType => &[("other_type", true)],
        Cause::SensorIntermittent => &[("jumps", true)],
        Cause::SensorLoose => &[("overshoots", true)],
        Cause::HeaterOfLowerVoltage
        | Cause::HeaterTooWeak
        | Cause::HeaterTooStrong
        | Cause::HeaterOpen
        | Cause::HeaterShorted => &[("watts_off", true)],
        Cause::HeaterFailing | Cause::NeverReaches => &[("slow_heat", true)],
        Cause::SinkTooHot => &[("sink_c", true)],
        Cause::NozzleLeaks => &[("leak_hot", true)],
        _ => &[],
    };
    seen(From::Station, pairs)
}

/// What a heat log has shown; a class that can't say says nothing. `moved`: the head was moved by hand meanwhile. A
/// wire that breaks when it bends reads quite steadily at rest, so a log at rest says nothing of that.
pub fn of_class(class: TraceClass, moved: bool, from: From) -> Vec<Entry> {
    use TraceClass as C;
    let pairs: &[(&str, bool)] = match (class, moved) {
        (C::SensorIntermittent, true) => &[("jumps", true), ("jumps_when_moved", true)],
        (C::SensorIntermittent, false) => &[("jumps", true), ("hold_swings", false)],
        // What swings, lies beside its target or scatters has no jump in it: that is asked before all of them.
        (
            C::Steady
            | C::LoopSwinging
            | C::Offset
            | C::Noisy
            | C::Drifting
            | C::LossGrew
            | C::FanStealingHeat,
            true,
        ) => &[("jumps_when_moved", false)],
        (C::Steady, false) => &[("hold_swings", false), ("reads_end", false)],
        (C::LoopSwinging, false) => &[("hold_swings", true), ("swings", true)],
        (C::OpenOrShort, _) => &[("reads_end", true)],
        (C::HeaterFailing | C::NeverReaching, _) => &[("slow_heat", true)],
        _ => &[],
    };
    seen(from, pairs)
}
