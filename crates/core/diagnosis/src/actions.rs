//! What can be done. Minutes and chances are judgement, no published source.

use wattotherm_printer::{Parameter, Part, Replacement};

use crate::model::{Action, ActionKind, PrinterDoes};

/// An action without anything of its own: others are written as what they are besides.
pub const BLANK: Action = Action {
    id: "",
    does: "",
    how: "",
    minutes: 1.0,
    also_min: 0.0,
    cold: false,
    heats: false,
    can_break: false,
    one_of: None,
    at: None,
    printer: None,
    fits: &[],
    settles: &[],
    came_back_shows: None,
    kind: ActionKind::Check(&[]),
};

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
        kind: ActionKind::Check(answers),
        ..BLANK
    }
}

const fn remedy(
    id: &'static str,
    does: &'static str,
    minutes: f64,
    also_min: f64,
    mends: &'static [(&'static str, f64)],
) -> Action {
    Action {
        id,
        does,
        minutes,
        also_min,
        kind: ActionKind::Remedy(mends),
        ..BLANK
    }
}

impl Action {
    const fn how(self, how: &'static str) -> Self {
        Self { how, ..self }
    }
    const fn one_of(self, or_none: &'static str) -> Self {
        Self {
            one_of: Some(or_none),
            ..self
        }
    }
    const fn at(self, at: Part) -> Self {
        Self {
            at: Some(at),
            ..self
        }
    }
    const fn cold(self) -> Self {
        Self { cold: true, ..self }
    }
    const fn heats(self) -> Self {
        Self {
            heats: true,
            ..self
        }
    }
    const fn can_break(self) -> Self {
        Self {
            can_break: true,
            ..self
        }
    }
    const fn by(self, printer: PrinterDoes) -> Self {
        Self {
            printer: Some(printer),
            ..self
        }
    }
    const fn fits(self, fits: &'static [Replacement]) -> Self {
        Self { fits, ..self }
    }
    const fn settles(self, settles: &'static [Parameter]) -> Self {
        Self { settles, ..self }
    }
    const fn came_back_shows(self, id: &'static str) -> Self {
        Self {
            came_back_shows: Some(id),
            ..self
        }
    }
}

/// All of them, the checks first.
pub const ACTIONS: &[Action] = &[
    // Asked, or seen without a tool.
    check(
        "ask_when",
        "Ask when in a print it shows.",
        1.0,
        &["at_once", "after_minutes", "half_print", "at_random"],
    ).one_of("none of these").how("Nobody saw it? Look at a film of the print slowed down, or run it again and stay beside it: never leave a faulty printer alone."),
    check(
        "ask_scope",
        "Ask what it keeps to.",
        1.0,
        &["first_layer_only", "one_filament", "since_swap"],
    ),
    check(
        "ask_past",
        "Ask what happened before.",
        1.0,
        &["new_nozzle_for_a_while", "burnt_smell", "part_dragged"],
    ).how("A new part that helped for a while did not mend the cause."),
    check(
        "look_print",
        "Look at the last print.",
        1.0,
        &["thin", "fat_lines", "strings", "weak_layers"],
    ).how("Hold it against the light. Keep it: the next print is compared with it."),
    check(
        "look_first_layer",
        "Look at a first layer.",
        1.0,
        &["ridges", "loose_strands", "plate_uneven", "ringing"],
    ).how("Round strands that don’t touch: too far. Ridges and see-through: too near.")
    .at(Part::BedSurface),
    check(
        "listen",
        "Let it feed and move, and listen.",
        1.0,
        &["clicks", "hiss", "rattles"],
    ).how("A click is the motor that falls back; a hiss is water in the filament.")
    .at(Part::ExtruderDrive),
    check(
        "look_drive",
        "Look at the drive, and feel its motor.",
        1.0,
        &["grinding_dust", "motor_hot"],
    ).how("Bright flakes are filament that the gear chewed. The motor may be hot, not too hot to hold.")
    .at(Part::ExtruderDrive),
    check(
        "load",
        "Load the filament by the drive.",
        1.0,
        &["nothing_comes", "wont_load"],
    ).how("From the drive, at print temperature, with the lever open if it has one.")
    .at(Part::ExtruderDrive),
    check(
        "read_cold",
        "Read what the nozzle shows, cold.",
        1.0,
        &["reads_end", "jumps"],
    ).how("Cold, it reads the room. 0, its limit or an error is a sensor, a wire or a plug.")
    .at(Part::TemperatureSensor)
    .by(PrinterDoes::Reading),
    check(
        "watch_heating",
        "Watch it heat to the print temperature.",
        3.0,
        &["slow_heat", "overshoots", "swings"],
    ).how("Stay beside it with a hand at the switch. Smoke, or a reading that stands still while it heats: off at once.")
    .at(Part::HeaterBlock)
    .heats(),
    check(
        "ask_heat",
        "Ask how it heats.",
        1.0,
        &["too_hot_or_cold", "refuses_target"],
    )
    .at(Part::ControlBoard),
    check(
        "ask_factor",
        "Measure a print: is all of it off by one factor?",
        2.0,
        &["one_factor"],
    ),
    // Done with hands and tools.
    check(
        "look",
        "Look the hot end over, cold.",
        1.0,
        &["plastic_all_over", "drops_above_nozzle", "debris_in_fan"],
    ).how("Power off. A torch helps. Don’t pull at plastic: the wires come with it.")
    .at(Part::HotEndAssembly),
    check(
        "free_feed",
        "Feed {30 mm} into free air, hot.",
        3.0,
        &["free_feed_nothing", "free_feed_curls"],
    ).by(PrinterDoes::Feed(30)).one_of("straight and even").how("Nozzle {100 mm} above the bed, print temperature, {30 mm} at {2 mm/s}. Straight is clear, a curl is half closed, nothing is closed. Then push by hand: mark the filament at the inlet, and see how deep it goes before it stops.")
    .at(Part::Nozzle)
    .heats(),
    check(
        "bore",
        "Look at the bore under a glass, or gauge it.",
        5.0,
        &["bore_wide"],
    ).how("Cold. A gauge pin or a drill shank of the marked bore; a worn bore is wider and no longer round.")
    .at(Part::Nozzle),
    check(
        "pull_tube",
        "Pull and push the tube at each coupler.",
        1.0,
        &["tube_moves"],
    ).how("Cold, power off. Hold the coupler with one hand, pull and push the tube with the other, at both ends. Read how far it moves.")
    .at(Part::HotEndCoupler),
    check(
        "tube_out",
        "Take the tube out and look at its end.",
        10.0,
        &["tube_clump", "tube_brown"],
    ).how("Warm, so that it lets go; then power off. Press the collet evenly. Look at its end: a clump or a brown rim.")
    .at(Part::Tube),
    check(
        "fan",
        "Look at the hot-end fan, and feel where it blows.",
        1.0,
        &["fan_wrong"],
    ).how("It runs when the nozzle is warm. A strip of paper shows where it blows. Look for debris in the blades; power off before a finger goes near.")
    .at(Part::HotEndFan),
    check(
        "sink",
        "Read the heat sink after half an hour of heat.",
        2.0,
        &["sink_c"],
    ).how("At print temperature for half an hour. A thermocouple or a strip; not a finger.")
    .at(Part::HotEndAssembly)
    .heats(),
    check(
        "sensor_ohms",
        "Unplugged and cold: measure the sensor’s ohms.",
        4.0,
        &["ohms_wrong", "other_type"],
    ).how("Mains plug out, cold. At the sensor’s plug. Open or a few ohms is a fault; the value tells the type.")
    .at(Part::TemperatureSensor)
    .cold(),
    check(
        "plugs",
        "Unplugged: pull gently at each wire, look into the plugs.",
        3.0,
        &["pin_loose"],
    ).how("Mains plug out. Pull each wire gently, one at a time; a pin that moves was never seated.")
    .at(Part::ControlBoard)
    .cold(),
    check(
        "move_head",
        "Watch the reading while the head is moved by hand.",
        4.0,
        &["jumps_when_moved"],
    ).how("Warm it to {60 °C}, then move the head by hand over its whole travel, motors off. A jump of tens of degrees is a wire, never a loop.")
    .at(Part::TemperatureSensor)
    .by(PrinterDoes::Watch),
    check(
        "tug_sensor",
        "Unplugged and cold: tug the sensor lightly.",
        2.0,
        &["sensor_moves"],
    ).how("Mains plug out, cold. Lightly, along the hole: it should not move.")
    .at(Part::TemperatureSensor)
    .cold(),
    check(
        "heater_ohms",
        "Unplugged and cold: measure the heater’s ohms.",
        4.0,
        &["watts_off"],
    ).how("Mains plug out, cold. Supply voltage squared over the ohms is the power. Look at its clamp as well.")
    .at(Part::HeaterCartridge)
    .cold(),
    check(
        "ask_limit",
        "Ask the printer how high it lets itself be set.",
        1.0,
        &["limit_low"],
    ).how("It answers with the highest target that it takes.")
    .at(Part::ControlBoard)
    .by(PrinterDoes::Limit),
    check(
        "hold",
        "Hold the print temperature for four minutes.",
        4.0,
        &["hold_swings"],
    ).how("Four minutes at the print temperature, logged: the log says whether it is the loop.")
    .at(Part::HeaterBlock)
    .heats()
    .by(PrinterDoes::Hold),
    check(
        "slip_test",
        "Feed slowly, then fast, and measure both.",
        6.0,
        &["slips_fast", "fed_off_alike"],
    ).how("{100 mm} at {1 mm/s}, then {100 mm} at {5 mm/s}, marks measured. Short alike is steps; short when fast is slip.")
    .at(Part::ExtruderDrive)
    .heats(),
    check(
        "free_air",
        "Take the filament off the hot end, feed into free air and listen.",
        3.0,
        &["clicks_in_air"],
    ).how("Filament out of the hot end. Clicks without load are the motor: its plug or its current.")
    .at(Part::ExtruderMotor),
    check(
        "turn_spool",
        "Turn the spool by hand, follow the filament to the drive.",
        1.0,
        &["spool_stiff"],
    ).how("From the spool to the drive, a hand’s length at a time. It should run at a light pull.")
    .at(Part::ExtruderDrive),
    check(
        "feed_100",
        "Feed {100 mm} into free air, hot, and listen.",
        2.0,
        &["bubbles"],
    ).by(PrinterDoes::Feed(100)).how("At print temperature. Hiss, bubbles or steam is water.")
    .at(Part::Nozzle)
    .heats(),
    check(
        "other_spool",
        "Print the same with another spool.",
        6.0,
        &["other_spool_good"],
    ).how("The same file, a spool that is known to be good.")
    .heats(),
    check("lever", "Press the cutter’s lever.", 1.0, &["lever_stays"]).how("Cold. It should spring back by itself.").at(Part::FilamentCutter),
    check(
        "read_bore",
        "Read the bore on the nozzle, compare the profile.",
        2.0,
        &["profile_bore_off"],
    ).how("The number on its hexagon, or the dots. Compare it with the profile.")
    .at(Part::Nozzle),
    check(
        "patch",
        "Print a first-layer patch and measure it.",
        8.0,
        &["patch_off"],
    ).how("One layer, {20 mm} square, measured cold with a caliper or a micrometer.")
    .at(Part::BedSurface)
    .heats(),
    check(
        "rock_bed",
        "Rock the bed by hand, motors off.",
        1.0,
        &["bed_rocks"],
    ).how("At each corner, lightly. It must not rock, and must still run free.")
    .at(Part::BedSurface),
    check(
        "look_hot",
        "Heat it for two minutes and look at the threads.",
        3.0,
        &["leak_hot"],
    ).how("Two minutes at print temperature. Plastic that creeps out above the nozzle is a leak.")
    .at(Part::HeaterBlock)
    .heats(),
    check(
        "push_axes",
        "Push each axis by hand, motors off.",
        1.0,
        &["axis_play"],
    ).how("Lightly to and fro at the head and at the bed: no play, no click."),
    // Remedies; the rungs of the ladders are among them.
    remedy(
        "push_hot",
        "Heat {20 K} higher, not above the ceiling, and push by hand.",
        4.0,
        0.0,
        &[("nozzle_clogged", 0.3), ("nozzle_partly", 0.2)],
    )
    .at(Part::Nozzle)
    .heats(),
    remedy(
        "needle",
        "Push a needle up the bore, hot.",
        3.0,
        0.0,
        &[("nozzle_clogged", 0.45), ("nozzle_partly", 0.5)],
    )
    .at(Part::Nozzle)
    .heats(),
    remedy(
        "soft_pull",
        "Heat, cool to the filament’s pull temperature, and pull it out.",
        10.0,
        0.0,
        &[("nozzle_clogged", 0.5), ("nozzle_partly", 0.6)],
    )
    .at(Part::Nozzle)
    .heats(),
    remedy(
        "creep_plug",
        "Hot-end fan off, attended, hot until the plug softens, pull; then fan on again.",
        10.0,
        0.0,
        &[
            ("nozzle_clogged", 0.1),
            ("creep_fan", 0.1),
            ("creep_break", 0.1),
        ],
    )
    .at(Part::HeatBreak)
    .heats(),
    remedy(
        "clean_path",
        "Take the nozzle off hot, clean the path and the tube.",
        20.0,
        0.0,
        &[("nozzle_clogged", 0.7), ("nozzle_partly", 0.5)],
    )
    .at(Part::Nozzle)
    .heats()
    .can_break()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "nozzle",
        "Fit a new nozzle.",
        15.0,
        8.0,
        &[
            ("nozzle_worn", 0.95),
            ("nozzle_partly", 0.95),
            ("nozzle_clogged", 0.9),
        ],
    )
    .at(Part::Nozzle)
    .heats()
    .can_break()
    .fits(&[Replacement::NozzleSame])
    .came_back_shows("new_nozzle_for_a_while"),
    remedy(
        "strip",
        "Strip the hot end and clean every piece.",
        40.0,
        10.0,
        &[
            ("nozzle_clogged", 0.95),
            ("nozzle_partly", 0.9),
            ("liner_burnt", 0.5),
            ("tube_gap", 0.6),
        ],
    )
    .at(Part::HotEndAssembly)
    .can_break()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "seat_tube",
        "Seat the tube to the bottom, the nozzle against it.",
        20.0,
        2.0,
        &[("tube_gap", 0.9)],
    )
    .at(Part::Tube)
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "coupler",
        "Fit a new coupler.",
        15.0,
        3.0,
        &[("coupler", 0.95)],
    )
    .at(Part::HotEndCoupler)
    .fits(&[Replacement::HotEndCoupler, Replacement::ExtruderCoupler]),
    remedy(
        "liner",
        "Trim or replace the liner; look at the ceiling.",
        20.0,
        6.0,
        &[("liner_burnt", 0.9)],
    )
    .at(Part::Tube)
    .can_break()
    .fits(&[Replacement::Tube])
    .settles(&[Parameter::Ceiling]),
    remedy(
        "free_fan",
        "Take the plug out hot, fan off and attended; then free, turn or replace the fan.",
        10.0,
        4.0,
        &[("creep_fan", 0.9)],
    )
    .at(Part::HotEndFan)
    .fits(&[Replacement::HotEndFan]),
    remedy(
        "heat_break",
        "New paste, or a new heat break.",
        30.0,
        12.0,
        &[("creep_break", 0.85)],
    )
    .at(Part::HeatBreak)
    .can_break()
    .fits(&[Replacement::HeatBreakSame]),
    remedy(
        "seat_plug",
        "Unplugged: seat the plug, push the pin home.",
        5.0,
        0.0,
        &[("plug_loose", 0.9)],
    )
    .at(Part::ControlBoard)
    .cold(),
    remedy(
        "sensor",
        "Fit a new sensor.",
        20.0,
        8.0,
        &[("sensor_open", 0.95), ("wire_breaking", 0.9)],
    )
    .at(Part::TemperatureSensor)
    .cold()
    .can_break()
    .fits(&[Replacement::SensorSameType]),
    remedy(
        "seat_sensor",
        "Seat the sensor, its screw light.",
        5.0,
        1.0,
        &[("sensor_loose", 0.9)],
    )
    .at(Part::TemperatureSensor)
    .cold()
    .settles(&[Parameter::HeaterLoop]),
    remedy(
        "set_type",
        "Set the right sensor type.",
        2.0,
        0.0,
        &[("sensor_type", 0.95)],
    )
    .at(Part::ControlBoard)
    .settles(&[
        Parameter::SensorType,
        Parameter::HeaterLoop,
        Parameter::PrintTemp,
    ]),
    remedy(
        "heater",
        "Seat its clamp, or fit the right heater.",
        20.0,
        8.0,
        &[("heater_weak", 0.9)],
    )
    .at(Part::HeaterCartridge)
    .cold()
    .can_break()
    .fits(&[Replacement::HeaterCartridge]),
    remedy(
        "raise_limit",
        "Set the ceiling that the parts allow.",
        5.0,
        0.0,
        &[("ceiling_low", 0.95)],
    )
    .at(Part::ControlBoard)
    .settles(&[Parameter::Ceiling]),
    remedy(
        "tune_loop",
        "Tune the heater loop.",
        12.0,
        0.0,
        &[("loop_untuned", 0.95)],
    )
    .at(Part::HeaterBlock)
    .heats()
    .settles(&[Parameter::HeaterLoop]),
    remedy(
        "drive",
        "Clean the drive, set its tension; new gear if worn.",
        10.0,
        3.0,
        &[("drive_slips", 0.85)],
    )
    .at(Part::ExtruderDrive)
    .settles(&[Parameter::Drive]),
    remedy(
        "set_steps",
        "Set the steps by the drive station.",
        8.0,
        0.0,
        &[("steps_wrong", 0.95)],
    )
    .at(Part::ExtruderDrive)
    .heats()
    .settles(&[Parameter::Drive]),
    remedy(
        "set_current",
        "Seat the motor’s plug, current as its maker says.",
        8.0,
        0.0,
        &[("motor_current", 0.85)],
    )
    .at(Part::ExtruderMotor),
    remedy(
        "free_spool",
        "Free the spool and its guide.",
        2.0,
        0.0,
        &[("spool", 0.95)],
    )
    .at(Part::ExtruderDrive),
    remedy("dry", "Dry the filament.", 3.0, 5.0, &[("wet", 0.9)]),
    remedy(
        "cutter",
        "Free the cutter after its sheet.",
        10.0,
        2.0,
        &[("cutter", 0.9)],
    )
    .at(Part::FilamentCutter),
    remedy(
        "set_profile",
        "Set the profile of this bore.",
        5.0,
        0.0,
        &[("profile", 0.95)],
    )
    .at(Part::Nozzle)
    .settles(&[Parameter::Profile]),
    remedy(
        "set_z",
        "Set Z by measured patches.",
        8.0,
        0.0,
        &[("z_off", 0.95), ("part_lost", 0.2)],
    )
    .at(Part::BedSurface)
    .heats()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "bed_nuts",
        "Set the eccentric nuts until the bed neither rocks nor binds.",
        5.0,
        0.0,
        &[("bed_loose", 0.5)],
    )
    .at(Part::BedSurface),
    remedy(
        "bed",
        "Set the screws, tram the bed.",
        8.0,
        0.0,
        &[("bed_loose", 0.6), ("part_lost", 0.1)],
    )
    .at(Part::BedSurface)
    .settles(&[Parameter::Tram, Parameter::OffsetZ]),
    remedy(
        "bed_wheels",
        "Fit new wheels under the bed.",
        30.0,
        8.0,
        &[("bed_loose", 0.9)],
    )
    .at(Part::BedSurface)
    .settles(&[Parameter::Tram, Parameter::OffsetZ]),
    remedy(
        "tighten_hot",
        "Tighten the nozzle hot, holding the block.",
        10.0,
        2.0,
        &[("leak", 0.85)],
    )
    .at(Part::Nozzle)
    .heats()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "blob_soften",
        "Soften it by the printer’s own heat, pick it off, the wires last.",
        25.0,
        2.0,
        &[("blob", 0.7)],
    )
    .at(Part::HotEndAssembly)
    .heats()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "blob_air",
        "Unplugged: soften it with hot air from a distance, pick it off, the wires last.",
        35.0,
        2.0,
        &[("blob", 0.6)],
    )
    .at(Part::HotEndAssembly)
    .cold()
    .can_break()
    .settles(&[Parameter::OffsetZ]),
    remedy(
        "hot_end",
        "Fit a complete hot end.",
        40.0,
        30.0,
        &[
            ("blob", 0.98),
            ("nozzle_clogged", 0.97),
            ("nozzle_partly", 0.97),
            ("nozzle_worn", 0.97),
            ("liner_burnt", 0.95),
            ("creep_break", 0.95),
            ("sensor_open", 0.95),
            ("sensor_loose", 0.95),
            ("wire_breaking", 0.9),
            ("heater_weak", 0.95),
            ("leak", 0.95),
        ],
    )
    .at(Part::HotEndAssembly)
    .can_break()
    .fits(&[Replacement::HotEndSame]),
    remedy(
        "axis",
        "Tension the belt, set the eccentric nuts.",
        8.0,
        0.0,
        &[("axis", 0.85)],
    ),
    remedy(
        "hold_part",
        "Clean the plate, set the first layer, add a brim.",
        6.0,
        0.0,
        &[("part_lost", 0.8)],
    )
    .at(Part::BedSurface),
    remedy(
        "set_temperature",
        "Find the temperature by a tower.",
        10.0,
        2.0,
        &[("temperature", 0.9), ("part_lost", 0.1)],
    )
    .heats()
    .settles(&[Parameter::PrintTemp]),
];
