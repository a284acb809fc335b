//! What can be seen. The chance of a yes without the cause is judgement, no published source.

use crate::model::Observation;

const fn o(id: &'static str, asks: &'static str, base: f64) -> Observation {
    Observation {
        id,
        asks,
        base,
        yes_beyond: None,
    }
}

const fn beyond(id: &'static str, asks: &'static str, base: f64, most: f64) -> Observation {
    Observation {
        id,
        asks,
        base,
        yes_beyond: Some(most),
    }
}

/// All of them: when it shows, what is seen, then what the checks answer.
pub const OBSERVATIONS: &[Observation] = &[
    o(
        "at_once",
        "Does it show at once, from the first metre?",
        0.3,
    ),
    o(
        "after_minutes",
        "Does it begin after ten to forty minutes?",
        0.1,
    ),
    o(
        "half_print",
        "Is it good for part of a print, then not?",
        0.1,
    ),
    o(
        "at_random",
        "Does it come at random, while something moves?",
        0.15,
    ),
    o("first_layer_only", "Is it the first layer alone?", 0.08),
    o("one_filament", "Is it one filament alone?", 0.1),
    o(
        "since_swap",
        "Has it been so since a part was swapped?",
        0.15,
    ),
    o(
        "new_nozzle_for_a_while",
        "Did a new nozzle help, but only for a while?",
        0.03,
    ),
    o("thin", "Are lines thin, or with gaps?", 0.2),
    o("nothing_comes", "Does nothing come out?", 0.06),
    o("clicks", "Does the drive click?", 0.12),
    o(
        "grinding_dust",
        "Is there dust of filament at the drive?",
        0.08,
    ),
    o("fat_lines", "Are lines fat, outer walls rough?", 0.06),
    o("strings", "Are there strings and blobs?", 0.15),
    o("hiss", "Does it hiss or steam, are walls fuzzy?", 0.04),
    o("weak_layers", "Do layers break apart?", 0.06),
    o("ridges", "Does the first layer show ridges, or drag?", 0.05),
    o(
        "loose_strands",
        "Does the first layer lie as round, loose strands?",
        0.06,
    ),
    o(
        "plate_uneven",
        "Does the first layer differ over the plate?",
        0.06,
    ),
    o("rattles", "Does something rattle when it moves?", 0.05),
    o(
        "ringing",
        "Are there waves beside corners, or shifted layers?",
        0.05,
    ),
    o("swings", "Does the temperature swing?", 0.06),
    o(
        "jumps",
        "Does the reading jump by tens of degrees within a second?",
        0.03,
    ),
    o(
        "reads_end",
        "Does the nozzle read 0 or its limit, or error at once?",
        0.02,
    ),
    o("slow_heat", "Does it heat slowly, or never arrive?", 0.05),
    o(
        "too_hot_or_cold",
        "Is everything too hot or too cold since a swap?",
        0.04,
    ),
    o(
        "refuses_target",
        "Is a target refused, with no other error?",
        0.02,
    ),
    o(
        "one_factor",
        "Is all of it short or long by one factor?",
        0.04,
    ),
    o(
        "motor_hot",
        "Does the motor hum, or get too hot to touch?",
        0.03,
    ),
    o(
        "burnt_smell",
        "Did it smell burnt, or was it run hotter than before?",
        0.05,
    ),
    o(
        "debris_in_fan",
        "Is there debris in the blades of the hot-end fan?",
        0.04,
    ),
    o(
        "drops_above_nozzle",
        "Is there plastic above the nozzle, or brown drops?",
        0.05,
    ),
    o(
        "plastic_all_over",
        "Is plastic wrapped around the hot end?",
        0.02,
    ),
    o("part_dragged", "Did the part come off the plate?", 0.05),
    o(
        "wont_load",
        "Won’t it load, or is the filament half cut?",
        0.03,
    ),
    o("overshoots", "Does it overshoot far and settle late?", 0.04),
    // What checks answer.
    o(
        "free_feed_nothing",
        "Free feed of 30 mm: does nothing come?",
        0.04,
    ),
    o(
        "free_feed_curls",
        "Free feed of 30 mm: does the strand curl?",
        0.08,
    ),
    o(
        "needle_frees",
        "Did a needle from below free it, when somebody tried?",
        0.05,
    ),
    o("bore_wide", "Is the bore wider than its mark?", 0.04),
    beyond(
        "tube_moves",
        "How far does the tube move when it is pulled [mm]?",
        0.05,
        0.2,
    ),
    o("tube_clump", "Is there a clump at the tube’s end?", 0.06),
    o(
        "tube_brown",
        "Is its end brown, does filament stick in it?",
        0.05,
    ),
    o(
        "fan_wrong",
        "Is the hot-end fan dead, blocked, or blowing away from the fins?",
        0.03,
    ),
    beyond(
        "sink_c",
        "How hot is the heat sink after half an hour [°C]?",
        0.06,
        60.0,
    ),
    o(
        "ohms_wrong",
        "Is the sensor’s circuit open or short, cold?",
        0.02,
    ),
    o("pin_loose", "Is a pin loose or pushed out?", 0.03),
    o(
        "jumps_when_moved",
        "Does the reading jump while the head is moved by hand?",
        0.02,
    ),
    o(
        "sensor_moves",
        "Does the sensor move in its hole, cold?",
        0.03,
    ),
    o(
        "other_type",
        "Do its ohms belong to another type than set?",
        0.02,
    ),
    o("watts_off", "Is the heater far from its watts, cold?", 0.03),
    o(
        "limit_low",
        "Does the printer say a limit below the print?",
        0.03,
    ),
    o(
        "hold_swings",
        "Does it swing at rest, as the block can?",
        0.05,
    ),
    o(
        "slips_fast",
        "Is it short when fed fast, and right when slow?",
        0.08,
    ),
    o(
        "fed_off_alike",
        "Is the fed length off by the same factor, slow and fast?",
        0.04,
    ),
    o(
        "clicks_in_air",
        "Does it click when it feeds into free air?",
        0.03,
    ),
    o(
        "spool_stiff",
        "Does the spool, or the guide, hold it back?",
        0.06,
    ),
    o("bubbles", "Does it hiss or bubble at 100 mm of feed?", 0.03),
    o("other_spool_good", "Is another spool good?", 0.15),
    o("lever_stays", "Does the cutter’s lever stay pressed?", 0.02),
    o("profile_bore_off", "Do bore and profile differ?", 0.03),
    o(
        "patch_off",
        "Is the patch thicker or thinner than set?",
        0.08,
    ),
    o("bed_rocks", "Does the bed rock by hand?", 0.05),
    o("leak_hot", "Does plastic seep at the threads, hot?", 0.04),
    o("axis_play", "Has an axis play by hand?", 0.05),
];
