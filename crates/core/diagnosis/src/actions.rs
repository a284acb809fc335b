//! What can be done. Minutes are judgement, no published source.

use crate::model::{Action, ActionKind};

const fn check(
    id: &'static str,
    does: &'static str,
    minutes: f64,
    answers: &'static [&'static str],
) -> Action {
    Action {
        id,
        does,
        minutes,
        also_min: 0.0,
        cold: false,
        can_break: false,
        kind: ActionKind::Check(answers),
    }
}

const fn cold(action: Action) -> Action {
    Action {
        cold: true,
        ..action
    }
}

const fn remedy(
    id: &'static str,
    does: &'static str,
    minutes: f64,
    also_min: f64,
    mends: &'static [&'static str],
) -> Action {
    Action {
        id,
        does,
        minutes,
        also_min,
        cold: false,
        can_break: false,
        kind: ActionKind::Remedy(mends),
    }
}

const fn can_break(action: Action) -> Action {
    Action {
        can_break: true,
        ..action
    }
}

/// All of them, the checks first.
pub const ACTIONS: &[Action] = &[
    check(
        "look",
        "Look the hot end over, cold: plastic all over it, drops above the nozzle, debris in the fan.",
        1.0,
        &["plastic_all_over", "drops_above_nozzle", "debris_in_fan"],
    ),
    check(
        "free_feed",
        "Feed 30 mm free, hot: straight, curling, or nothing.",
        3.0,
        &["free_feed_nothing", "free_feed_curls"],
    ),
    check(
        "needle",
        "Push a needle up the bore, hot.",
        3.0,
        &["needle_frees"],
    ),
    check(
        "bore",
        "Look at the bore under a glass, or gauge it.",
        5.0,
        &["bore_wide"],
    ),
    check(
        "pull_tube",
        "Pull the tube at either end, and read how far it moves.",
        1.0,
        &["tube_moves"],
    ),
    check(
        "tube_out",
        "Take the tube out and look at its end: clump, brown.",
        10.0,
        &["tube_clump", "tube_brown"],
    ),
    check(
        "fan",
        "Look whether the hot-end fan turns and blows onto the fins.",
        1.0,
        &["fan_wrong"],
    ),
    check(
        "sink",
        "Read the heat sink after half an hour.",
        2.0,
        &["sink_c"],
    ),
    cold(check(
        "sensor_ohms",
        "Unplugged and cold: measure the sensor’s ohms.",
        4.0,
        &["ohms_wrong", "other_type"],
    )),
    cold(check(
        "plugs",
        "Unplugged: pull gently at each wire, look into the plugs.",
        3.0,
        &["pin_loose"],
    )),
    check(
        "move_head",
        "Watch the reading while you move the head by hand.",
        4.0,
        &["jumps_when_moved"],
    ),
    cold(check(
        "tug_sensor",
        "Cold: tug the sensor lightly.",
        2.0,
        &["sensor_moves"],
    )),
    cold(check(
        "heater_ohms",
        "Unplugged and cold: measure the heater’s ohms.",
        4.0,
        &["watts_off"],
    )),
    check(
        "ask_limit",
        "Ask the printer for its limit.",
        1.0,
        &["limit_low"],
    ),
    check(
        "hold",
        "Hold the print temperature for four minutes.",
        4.0,
        &["hold_swings"],
    ),
    check(
        "slip_test",
        "Feed slowly, then fast, and measure both.",
        6.0,
        &["slips_fast", "fed_off_alike"],
    ),
    check(
        "free_air",
        "Feed into free air and listen.",
        3.0,
        &["clicks_in_air"],
    ),
    check(
        "turn_spool",
        "Turn the spool by hand, follow the filament to the drive.",
        1.0,
        &["spool_stiff"],
    ),
    check(
        "feed_100",
        "Feed 100 mm and listen: hiss, bubbles.",
        2.0,
        &["bubbles"],
    ),
    check(
        "other_spool",
        "Print the same with another spool.",
        6.0,
        &["other_spool_good"],
    ),
    check(
        "lever",
        "Press the cutter’s lever: does it come back?",
        1.0,
        &["lever_stays"],
    ),
    check(
        "read_bore",
        "Read the bore on the hexagon, compare the profile.",
        2.0,
        &["profile_bore_off"],
    ),
    check(
        "patch",
        "Print a first-layer patch and measure it.",
        8.0,
        &["patch_off"],
    ),
    check("rock_bed", "Rock the bed by hand.", 1.0, &["bed_rocks"]),
    check(
        "look_hot",
        "Heat it for two minutes and look at the threads.",
        3.0,
        &["leak_hot"],
    ),
    check("push_axes", "Push each axis by hand.", 1.0, &["axis_play"]),
    // Remedies.
    remedy(
        "clear_nozzle",
        "Clear the nozzle: hotter, push, needle, soft pull.",
        12.0,
        0.0,
        &["nozzle_clogged", "nozzle_partly"],
    ),
    can_break(remedy(
        "nozzle",
        "Fit a new nozzle.",
        15.0,
        8.0,
        &["nozzle_worn", "nozzle_partly", "nozzle_clogged"],
    )),
    remedy(
        "seat_tube",
        "Seat the tube to the bottom, the nozzle against it.",
        20.0,
        2.0,
        &["tube_gap"],
    ),
    remedy("coupler", "Fit a new coupler.", 15.0, 3.0, &["coupler"]),
    can_break(remedy(
        "liner",
        "Trim or replace the liner; look at the ceiling.",
        20.0,
        6.0,
        &["liner_burnt"],
    )),
    remedy(
        "free_fan",
        "Free, turn or replace the hot-end fan.",
        10.0,
        4.0,
        &["creep_fan"],
    ),
    can_break(remedy(
        "heat_break",
        "New paste, or a new heat break.",
        30.0,
        12.0,
        &["creep_break"],
    )),
    remedy(
        "seat_plug",
        "Seat the plug, push the pin home.",
        5.0,
        0.0,
        &["plug_loose"],
    ),
    can_break(remedy(
        "sensor",
        "Fit a new sensor.",
        20.0,
        8.0,
        &["sensor_open", "wire_breaking"],
    )),
    remedy(
        "seat_sensor",
        "Seat the sensor, its screw light.",
        5.0,
        1.0,
        &["sensor_loose"],
    ),
    remedy(
        "set_type",
        "Set the right sensor type.",
        2.0,
        0.0,
        &["sensor_type"],
    ),
    can_break(remedy(
        "heater",
        "Seat its clamp, or fit the right heater.",
        20.0,
        8.0,
        &["heater_weak"],
    )),
    remedy(
        "raise_limit",
        "Set the ceiling that the parts allow.",
        5.0,
        0.0,
        &["ceiling_low"],
    ),
    remedy(
        "tune_loop",
        "Tune the heater loop.",
        12.0,
        0.0,
        &["loop_untuned"],
    ),
    remedy(
        "drive",
        "Clean the drive, set its tension; new gear if worn.",
        10.0,
        3.0,
        &["drive_slips"],
    ),
    remedy(
        "set_steps",
        "Set the steps by the drive station.",
        8.0,
        0.0,
        &["steps_wrong"],
    ),
    remedy(
        "set_current",
        "Seat the motor’s plug, current as its maker says.",
        8.0,
        0.0,
        &["motor_current"],
    ),
    remedy(
        "free_spool",
        "Free the spool and its guide.",
        2.0,
        0.0,
        &["spool"],
    ),
    remedy("dry", "Dry the filament.", 3.0, 5.0, &["wet"]),
    remedy(
        "cutter",
        "Free the cutter after its sheet.",
        10.0,
        2.0,
        &["cutter"],
    ),
    remedy(
        "set_profile",
        "Set the profile of this bore.",
        5.0,
        0.0,
        &["profile"],
    ),
    remedy("set_z", "Set Z by measured patches.", 8.0, 0.0, &["z_off"]),
    remedy(
        "bed",
        "Set the nuts, tram the bed.",
        12.0,
        0.0,
        &["bed_loose"],
    ),
    remedy(
        "tighten_hot",
        "Tighten the nozzle hot, holding the block.",
        10.0,
        2.0,
        &["leak"],
    ),
    can_break(remedy(
        "blob",
        "Soften and take the blob off, by its sheet.",
        25.0,
        5.0,
        &["blob"],
    )),
    remedy(
        "axis",
        "Tension the belt, set the eccentric nuts.",
        8.0,
        0.0,
        &["axis"],
    ),
    remedy(
        "hold_part",
        "Clean the plate, set the first layer, add a brim.",
        6.0,
        0.0,
        &["part_lost"],
    ),
    remedy(
        "set_temperature",
        "Find the temperature by a tower.",
        10.0,
        2.0,
        &["temperature"],
    ),
];
