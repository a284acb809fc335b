//! What keeps a proven cause from coming back. Common practice, no published source.

/// Causes by id, and what to do so that they don't come back.
const PREVENTS: &[(&[&str], &str)] = &[
    (
        &["coupler", "tube_gap"],
        "Look at the sisters: printers with couplers of the same age fail next. Keep two spare couplers.",
    ),
    (
        &["coupler", "tube_gap"],
        "Mark the tube at the coupler with a pen: a mark that wanders is seen before a print fails.",
    ),
    (
        &["nozzle_clogged", "nozzle_partly"],
        "Empty the nozzle before another filament goes in, and don’t leave it hot and idle.",
    ),
    (
        &["nozzle_clogged", "nozzle_partly", "drive_slips"],
        "Wipe the filament before the drive: a piece of foam on it keeps dust out.",
    ),
    (
        &["nozzle_worn"],
        "Print fibre or glow filament through a hard nozzle, and write the hours down.",
    ),
    (
        &["liner_burnt"],
        "Keep the ceiling where the liner bears it; what needs more heat wants an all-metal hot end.",
    ),
    (
        &["creep_fan", "creep_break"],
        "Look at the hot-end fan weekly: it turns, it blows onto the fins, no debris in it.",
    ),
    (&["creep_fan"], "Keep a spare fan of the same voltage."),
    (
        &["sensor_open", "wire_breaking", "plug_loose"],
        "Tie the loom so that it bends wide and nothing pulls at a plug. Keep a spare sensor.",
    ),
    (
        &["heater_weak", "sensor_loose", "plug_loose"],
        "After work at the heater watch it heat once, with a hand at the switch.",
    ),
    (
        &["blob", "part_lost"],
        "Look at the first layers before you leave, and again after ten minutes.",
    ),
    (
        &["blob", "part_lost"],
        "For runs that nobody watches: a camera, a smoke detector, nothing that burns beside it.",
    ),
    (
        &["blob", "leak"],
        "Put the silicone cover back on: it keeps plastic off the block.",
    ),
    (
        &["leak"],
        "Tighten a new nozzle hot, holding the block, and look at the threads after the first print.",
    ),
    (
        &["blob", "nozzle_clogged"],
        "Purge into a bin beside the bed, not onto the part.",
    ),
    (
        &["part_lost", "z_off"],
        "Wash the plate with warm water and soap; fingers leave grease.",
    ),
    (
        &["wet"],
        "Keep spools in a dry box, and dry them before a long print.",
    ),
    (
        &["spool"],
        "Wind spools so that no turn lies under another, and let the holder run free.",
    ),
    (
        &["bed_loose", "axis"],
        "Check eccentric nuts and belts each month; a coat of thread lock where nuts wander.",
    ),
    (
        &["sensor_type", "ceiling_low", "steps_wrong", "loop_untuned"],
        "Write the settings down before firmware is renewed, and read them back after a power cycle.",
    ),
    (
        &["profile"],
        "Write the bore on the printer and into the profile’s name.",
    ),
    (
        &["temperature"],
        "Write the temperature that was found onto the spool.",
    ),
    (&["cutter"], "Clean the cutter with each new nozzle."),
    (
        &["motor_current"],
        "Let the loom of the motor hang free, and note the current that was set.",
    ),
];

/// What keeps a cause from coming back, by its id.
#[must_use]
pub fn prevents(cause: &str) -> Vec<&'static str> {
    let of = |(causes, _): &&(&[&str], &str)| causes.contains(&cause);
    PREVENTS.iter().filter(of).map(|(_, what)| *what).collect()
}

/// Causes that hit sisters: printers of the same kind, age and parts.
#[must_use]
pub fn hits_sisters(cause: &str) -> bool {
    [
        "coupler",
        "liner_burnt",
        "creep_fan",
        "nozzle_worn",
        "sensor_type",
        "ceiling_low",
    ]
    .contains(&cause)
}
