//! Orders that are kept: from mild to invasive. Common practice, no published source.

use crate::model::Ladder;

/// All of them.
pub const LADDERS: &[Ladder] = &[
    Ladder {
        id: "clog",
        title: "Clog, mildest first",
        rungs: &[
            "push_hot",
            "needle",
            "soft_pull",
            "creep_plug",
            "clean_path",
            "nozzle",
            "strip",
        ],
        test: "Feed {30 mm} free: straight is clear, curling is still partly clogged, nothing is no help.",
        caution: "Hot metal: gloves, and never above the ceiling. No open flame, not on the nozzle and not on the heat break.",
    },
    Ladder {
        id: "blob",
        title: "Blob around the hot end",
        rungs: &["blob_soften", "blob_air", "hot_end"],
        test: "Sensor, heater, fan and fins are free and whole; the reading is that of the room.",
        caution: "Gloves and goggles. Don’t pull it off cold: the wires come with it. A sensor that reads nothing means no heat from the printer at all.",
    },
    Ladder {
        id: "wont_heat",
        title: "It won’t heat",
        rungs: &[
            "seat_plug",
            "set_type",
            "seat_sensor",
            "raise_limit",
            "sensor",
            "heater",
        ],
        test: "Cold it reads the room; then it holds {200 °C} for four minutes.",
        caution: "Unplug it before a hand goes to a wire. Mains wiring is for whoever is licensed for it.",
    },
    Ladder {
        id: "wont_stick",
        title: "It won’t stick",
        rungs: &["hold_part", "set_z", "bed", "set_temperature"],
        test: "A first-layer patch in each corner holds when it is pushed by hand.",
        caution: "The bed is hot; solvents only on a cold bed, with a window open.",
    },
    Ladder {
        id: "loose_bed",
        title: "The bed is loose",
        rungs: &["bed_nuts", "bed", "bed_wheels"],
        test: "Rock the bed by hand: nothing moves, and it still runs freely.",
        caution: "Motors off: the axis can move by itself.",
    },
];
