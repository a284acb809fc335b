//! What can be seen. The chance of a yes without the cause is judgement, no published source.

use wattotherm_measure::Unit;

use crate::model::{Observation, Reads};

const fn o(id: &'static str, says: &'static str, asks: &'static str, base: f64) -> Observation {
    Observation {
        id,
        says,
        asks,
        base,
        reads: None,
    }
}

const fn beyond(
    id: &'static str,
    says: &'static str,
    asks: &'static str,
    base: f64,
    reads: Reads,
) -> Observation {
    Observation {
        id,
        says,
        asks,
        base,
        reads: Some(reads),
    }
}

/// All of them: when it shows, what is seen, then what the checks answer.
pub const OBSERVATIONS: &[Observation] = &[
    o(
        "at_once",
        "shows at once",
        "Does it show at once, from the first metre?",
        0.3,
    ),
    o(
        "after_minutes",
        "begins after ten to forty minutes",
        "Does it begin after ten to forty minutes?",
        0.1,
    ),
    o(
        "half_print",
        "good for part of a print, then not",
        "Is it good for part of a print, then not?",
        0.1,
    ),
    o(
        "at_random",
        "comes at random, while something moves",
        "Does it come at random, while something moves?",
        0.15,
    ),
    o(
        "first_layer_only",
        "the first layer alone",
        "Is it the first layer alone?",
        0.08,
    ),
    o(
        "one_filament",
        "one filament alone",
        "Is it one filament alone?",
        0.1,
    ),
    o(
        "since_swap",
        "so since a part was swapped",
        "Has it been so since a part was swapped?",
        0.15,
    ),
    o(
        "new_nozzle_for_a_while",
        "a new nozzle helped for a while",
        "Did a new nozzle help, but only for a while?",
        0.03,
    ),
    o(
        "thin",
        "lines thin, or with gaps",
        "Are lines thin, or with gaps?",
        0.2,
    ),
    o(
        "nothing_comes",
        "nothing comes out",
        "Does nothing come out?",
        0.06,
    ),
    o("clicks", "the drive clicks", "Does the drive click?", 0.12),
    o(
        "grinding_dust",
        "dust of filament at the drive",
        "Is there dust of filament at the drive?",
        0.08,
    ),
    o(
        "fat_lines",
        "lines fat, walls rough",
        "Are lines fat, outer walls rough?",
        0.06,
    ),
    o(
        "strings",
        "strings and blobs",
        "Are there strings and blobs?",
        0.15,
    ),
    o(
        "hiss",
        "hiss or steam, fuzzy walls",
        "Does it hiss or steam, are walls fuzzy?",
        0.04,
    ),
    o(
        "weak_layers",
        "layers break apart",
        "Do layers break apart?",
        0.06,
    ),
    o(
        "ridges",
        "ridges in the first layer",
        "Does the first layer show ridges, or drag?",
        0.05,
    ),
    o(
        "loose_strands",
        "first layer of round, loose strands",
        "Does the first layer lie as round, loose strands?",
        0.06,
    ),
    o(
        "plate_uneven",
        "first layer differs over the plate",
        "Does the first layer differ over the plate?",
        0.06,
    ),
    o(
        "rattles",
        "rattles when it moves",
        "Does something rattle when it moves?",
        0.05,
    ),
    o(
        "ringing",
        "waves beside corners, or shifted layers",
        "Are there waves beside corners, or shifted layers?",
        0.05,
    ),
    o(
        "swings",
        "the temperature swings",
        "Does the temperature swing?",
        0.06,
    ),
    o(
        "jumps",
        "the reading jumps within a second",
        "Does the reading jump by tens of degrees within a second?",
        0.03,
    ),
    o(
        "reads_end",
        "nozzle reads 0 or its limit",
        "Does the nozzle read 0 or its limit, or error at once?",
        0.02,
    ),
    o(
        "slow_heat",
        "heats slowly, or never arrives",
        "Does it heat slowly, or never arrive?",
        0.05,
    ),
    o(
        "too_hot_or_cold",
        "all too hot or too cold since a swap",
        "Is everything too hot or too cold since a swap?",
        0.04,
    ),
    o(
        "refuses_target",
        "a target is refused",
        "Is a target refused, with no other error?",
        0.02,
    ),
    o(
        "one_factor",
        "all short or long by one factor",
        "Is all of it short or long by one factor?",
        0.04,
    ),
    o(
        "motor_hot",
        "the motor hums or is too hot",
        "Does the motor hum, or get too hot to touch?",
        0.03,
    ),
    o(
        "burnt_smell",
        "burnt smell, or run hotter than before",
        "Did it smell burnt, or was it run hotter than before?",
        0.05,
    ),
    o(
        "debris_in_fan",
        "debris in the hot-end fan",
        "Is there debris in the blades of the hot-end fan?",
        0.04,
    ),
    o(
        "drops_above_nozzle",
        "plastic above the nozzle",
        "Is there plastic above the nozzle, or brown drops?",
        0.05,
    ),
    o(
        "plastic_all_over",
        "plastic wrapped around the hot end",
        "Is plastic wrapped around the hot end?",
        0.02,
    ),
    o(
        "part_dragged",
        "the part came off the plate",
        "Did the part come off the plate?",
        0.05,
    ),
    o(
        "wont_load",
        "won’t load, or filament half cut",
        "Won’t it load, or is the filament half cut?",
        0.03,
    ),
    o(
        "overshoots",
        "overshoots far, settles late",
        "Does it overshoot far and settle late?",
        0.04,
    ),
    // What checks answer.
    o(
        "free_feed_nothing",
        "{30 mm} of free feed: nothing",
        "Free feed of {30 mm}: does nothing come?",
        0.04,
    ),
    o(
        "free_feed_curls",
        "{30 mm} of free feed: curls",
        "Free feed of {30 mm}: does the strand curl?",
        0.08,
    ),
    o(
        "needle_frees",
        "a needle freed it",
        "Did a needle from below free it, when somebody tried?",
        0.05,
    ),
    o(
        "bore_wide",
        "bore wider than its mark",
        "Is the bore wider than its mark?",
        0.04,
    ),
    beyond(
        "tube_moves",
        "the tube moves in its coupler",
        "How far does the tube move when it is pulled?",
        0.05,
        Reads {
            unit: Unit::Mm,
            yes_beyond: 0.2,
            bounds: [0.0, 100.0],
        },
    ),
    o(
        "tube_clump",
        "clump at the tube’s end",
        "Is there a clump at the tube’s end?",
        0.06,
    ),
    o(
        "tube_brown",
        "tube end brown or sticky",
        "Is its end brown, does filament stick in it?",
        0.05,
    ),
    o(
        "fan_wrong",
        "hot-end fan dead, blocked or the wrong way",
        "Is the hot-end fan dead, blocked, or blowing away from the fins?",
        0.03,
    ),
    beyond(
        "sink_c",
        "heat sink hotter than {60 °C}",
        "How hot is the heat sink after half an hour?",
        0.06,
        Reads {
            unit: Unit::Celsius,
            yes_beyond: 60.0,
            bounds: [-20.0, 350.0],
        },
    ),
    o(
        "ohms_wrong",
        "sensor open or short, cold",
        "Is the sensor’s circuit open or short, cold?",
        0.02,
    ),
    o(
        "pin_loose",
        "a pin loose or pushed out",
        "Is a pin loose or pushed out?",
        0.03,
    ),
    o(
        "jumps_when_moved",
        "reading jumps when the head is moved",
        "Does the reading jump while the head is moved by hand?",
        0.02,
    ),
    o(
        "sensor_moves",
        "sensor moves in its hole",
        "Does the sensor move in its hole, cold?",
        0.03,
    ),
    o(
        "other_type",
        "sensor of another type than set",
        "Do its ohms belong to another type than set?",
        0.02,
    ),
    o(
        "watts_off",
        "heater far from its watts",
        "Is the heater far from its watts, cold?",
        0.03,
    ),
    o(
        "limit_low",
        "the printer’s limit is below the print",
        "Does the printer say a limit below the print?",
        0.03,
    ),
    o(
        "hold_swings",
        "swings at rest",
        "Does it swing at rest, as the block can?",
        0.05,
    ),
    o(
        "slips_fast",
        "short when fast, right when slow",
        "Is it short when fed fast, and right when slow?",
        0.08,
    ),
    o(
        "fed_off_alike",
        "fed length off by one factor",
        "Is the fed length off by the same factor, slow and fast?",
        0.04,
    ),
    o(
        "clicks_in_air",
        "clicks when feeding into free air",
        "Does it click when it feeds into free air?",
        0.03,
    ),
    o(
        "spool_stiff",
        "spool or guide holds it back",
        "Does the spool, or the guide, hold it back?",
        0.06,
    ),
    o(
        "bubbles",
        "hiss or bubbles at {100 mm} of feed",
        "Does it hiss or bubble at {100 mm} of feed?",
        0.03,
    ),
    o(
        "other_spool_good",
        "another spool is good",
        "Is another spool good?",
        0.15,
    ),
    o(
        "lever_stays",
        "the cutter’s lever stays pressed",
        "Does the cutter’s lever stay pressed?",
        0.02,
    ),
    o(
        "profile_bore_off",
        "bore and profile differ",
        "Do bore and profile differ?",
        0.03,
    ),
    o(
        "patch_off",
        "patch thicker or thinner than set",
        "Is the patch thicker or thinner than set?",
        0.08,
    ),
    o(
        "bed_rocks",
        "the bed rocks by hand",
        "Does the bed rock by hand?",
        0.05,
    ),
    o(
        "leak_hot",
        "plastic seeps at the threads",
        "Does plastic seep at the threads, hot?",
        0.04,
    ),
    o(
        "axis_play",
        "an axis has play",
        "Has an axis play by hand?",
        0.05,
    ),
];
