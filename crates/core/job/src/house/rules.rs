//! The questions on which good practitioners differ. Common practice, no published source.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// One question.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)] // each variant is its question, below
pub enum RuleId {
    RetuneLoop,
    LinedCeiling,
    HotTightening,
    SameBoreNozzle,
    StepsOrFlow,
    MeasuringSteps,
    FlowBy,
    Hop,
    RetractionSearch,
    NozzleGap,
    TubeReplaced,
    AllMetalConversion,
    NewPart,
    FirstPrint,
    Clog,
    Covers,
    CubeBy,
    DeadHeat,
    LoopOrLevel,
    TubeOrNozzle,
    BlockHeldBy,
    SockAtHotChange,
    PowerWhileWorking,
    TubeCutBy,
    LinerFumes,
    FirstPiece,
    FirstPrintSpeed,
    MakersInstructions,
    ProfileAfterBore,
    FirstSuspect,
    AcceptAs,
    PartsReplaced,
}

/// One school.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct RuleOption {
    /// Identifier.
    pub id: &'static str,
    /// What one does in this school; quantities in braces, as [`wattotherm_measure::Pen::text`] reads them.
    pub label: &'static str,
}

/// A question with its schools; the first is the default.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct RuleSpec {
    /// Which question.
    pub id: RuleId,
    /// The question.
    pub question: &'static str,
    /// What it decides, and where; blank where nothing obeys it yet, so that it isn't offered.
    pub decides: &'static str,
    /// The schools, default first.
    pub options: &'static [RuleOption],
    /// Why the default is the default; quantities in braces.
    pub why: &'static str,
}

impl RuleId {
    /// The question with its schools.
    #[must_use]
    pub const fn spec(self) -> &'static RuleSpec {
        // OK because RULES has one entry a variant, in order; a test holds it.
        &RULES[self as usize]
    }
}

const fn o(id: &'static str, label: &'static str) -> RuleOption {
    RuleOption { id, label }
}

/// Every question.
pub const RULES: [RuleSpec; 32] = [
    RuleSpec {
        id: RuleId::RetuneLoop,
        question: "When is the heater loop retuned?",
        decides: "At the heater loop: whether a loop that holds still is tuned anew. In the plan: whether it opens the filament’s values.",
        options: &[
            o(
                "whenever_replaced",
                "Whenever anything in the heat path was replaced",
            ),
            o(
                "when_it_swings",
                "Only when a hold test swings more than the limit",
            ),
        ],
        why: "Minutes against a ruined print. The hold test is done in both schools.",
    },
    RuleSpec {
        id: RuleId::LinedCeiling,
        question: "How hot may a lined hot end go?",
        decides: "The ceiling of every lined hot end: at the heater, in the plan, and for each target sent to a printer.",
        options: &[
            o("c235", "{235 °C}"),
            o("c240", "{240 °C}"),
            o("c250", "The printer maker’s figure, up to {250 °C}"),
        ],
        why: "Liners soften from about {240 °C}, and some practitioners distrust them far lower.",
    },
    RuleSpec {
        id: RuleId::HotTightening,
        question: "At what temperature is a nozzle tightened?",
        decides: "The temperature of the tightening sheet and of the station after it.",
        options: &[
            o(
                "hottest_print",
                "At the hottest print planned, never above the ceiling",
            ),
            o("c220", "{220 °C}"),
            o("c230", "{230 °C}"),
            o("c235", "{235 °C}"),
        ],
        why: "What was tight cold opens when the block expands.",
    },
    RuleSpec {
        id: RuleId::SameBoreNozzle,
        question: "What is recalibrated after a nozzle of the same bore?",
        decides: "In the plan of a nozzle job: whether flow is opened beside Z.",
        options: &[
            o("verify_flow", "Redo Z, verify flow"),
            o("z_only", "Z only"),
        ],
        why: "It is quick, and the old nozzle was worn or it would still be in.",
    },
    RuleSpec {
        id: RuleId::StepsOrFlow,
        question: "Steps per millimetre or flow first?",
        decides: "At the drive: whether the measured or the computed steps are proposed.",
        options: &[
            o("steps_first", "Steps first, flow after"),
            o(
                "computed",
                "Leave steps at the drive’s computed value and put all in flow",
            ),
        ],
        why: "Steps belong to the machine, flow to the filament, so profiles stay portable.",
    },
    RuleSpec {
        id: RuleId::MeasuringSteps,
        question: "How are the steps measured?",
        decides: "At the drive: whether a free feed alone is enough, and whether the nozzle is heated for it.",
        options: &[
            o(
                "loaded",
                "Hot, loaded, slow feed, with one free-air repeat if it disagrees",
            ),
            o("free_air", "With the filament out of the hot end"),
        ],
        why: "Loaded shows slip, free air shows the drive alone. The difference is the diagnosis.",
    },
    RuleSpec {
        id: RuleId::FlowBy,
        question: "How is flow found?",
        decides: "At flow: the way the station begins with. The others stay open to you.",
        options: &[
            o("walls", "By wall thickness, then picture cards to refine"),
            o("cards", "By picture cards only"),
            o("tower", "By a tower over a user’s own part"),
            o("mass", "By mass"),
        ],
        why: "Numbers first, then what the eye sees. Soft filaments want the tower.",
    },
    RuleSpec {
        id: RuleId::Hop,
        question: "Lift the nozzle on travel?",
        decides: "At retraction and at acceptance: whether a hop is on, and what its strings mean.",
        options: &[
            o(
                "off",
                "Off while tuning, on only where the nozzle strikes parts",
            ),
            o("on", "Always on"),
        ],
        why: "A hop leaves no wipe, so it strings. But a struck part is lost.",
    },
    RuleSpec {
        id: RuleId::RetractionSearch,
        question: "How is retraction searched?",
        decides: "At retraction: in which order it is searched.",
        options: &[
            o(
                "distance_first",
                "Distance at a moderate speed, then speed from slow to fast",
            ),
            o("fast_first", "Fast first"),
        ],
        why: "Slow pulls are gentler on the filament. Fast ones grind it.",
    },
    RuleSpec {
        id: RuleId::NozzleGap,
        question: "How is the nozzle gap set?",
        decides: "At the Z offset: the way the station begins with.",
        options: &[
            o("patch", "First-layer patch measured, paper only to start"),
            o("paper", "Paper"),
            o("feeler", "Feeler gauge"),
            o("probe", "The printer’s own routine, where it has a probe"),
            o("trim", "Trimmed live while the first layer is laid"),
        ],
        why: "A measured patch is a number that can be compared next year.",
    },
    RuleSpec {
        id: RuleId::TubeReplaced,
        question: "When is the tube replaced?",
        decides: "Said on the tube’s sheet.",
        options: &[
            o("when_worn", "When it shows wear"),
            o("every_job", "At every hot-end job"),
        ],
        why: "Both occur. The traveller records which.",
    },
    RuleSpec {
        id: RuleId::AllMetalConversion,
        question: "Where to start after an all-metal conversion?",
        decides: "At print temperature and retraction after a conversion: where the search starts.",
        options: &[
            o(
                "shifted",
                "Print {5 to 10 K} hotter, shorten retraction, then tune",
            ),
            o("old_values", "Tune from the old values"),
        ],
        why: "A longer cold path wants both.",
    },
    RuleSpec {
        id: RuleId::NewPart,
        question: "In what form are new hot ends stocked?",
        decides: "On the sheets of hot-end parts: what is taken apart, and what that costs.",
        options: &[
            o("assembly", "Complete assembly"),
            o("single", "Single parts"),
        ],
        why: "Single parts mean moving sensor and fan by hand: slower, more breakage.",
    },
    RuleSpec {
        id: RuleId::FirstPrint,
        question: "With which settings is the first print after a repair?",
        decides: "In the plan: whether a first print with the old settings stands before the new values.",
        options: &[
            o("old_settings", "Old settings unchanged"),
            o("new_estimates", "New estimates at once"),
        ],
        why: "One change at a time: the part alone explains the difference.",
    },
    RuleSpec {
        id: RuleId::Clog,
        question: "What is done about a clog?",
        decides: "Where the cause is looked for: what is tried before a hot end is stripped.",
        options: &[
            o(
                "mild_first",
                "Try without stripping first: heat, push, needle, pull",
            ),
            o("strip", "Strip at once"),
        ],
        why: "Half of the broken heat breaks come from stripping.",
    },
    RuleSpec {
        id: RuleId::Covers,
        question: "Covers after a blob?",
        decides: "At the hand over: whether covers left off are a fault.",
        options: &[
            o("refit", "Refit the covers"),
            o("leave_off", "Leave them off to see trouble sooner"),
        ],
        why: "They keep hands off hot metal.",
    },
    RuleSpec {
        id: RuleId::CubeBy,
        question: "By what is the test cube judged?",
        decides: "At acceptance: the limit of each edge of the cube.",
        options: &[
            o("plain", "By the plain tolerance for each edge"),
            o("it11", "By ISO 286-1 grade IT11, half to each side"),
            o("it12", "By ISO 286-1 grade IT12, half to each side"),
            o("it13", "By ISO 286-1 grade IT13, half to each side"),
        ],
        why: "A plain ± is understood by every customer. A grade follows the size of the part.",
    },
    RuleSpec {
        id: RuleId::DeadHeat,
        question: "What becomes of heat whose routine died with the server?",
        decides: "On the link: what is sent to a printer whose routine died with the server.",
        options: &[
            o(
                "zero",
                "It is set to 0 as soon as the printer is connected again",
            ),
            o("say", "It is said on every page and left on"),
        ],
        why: "Nobody watches over it any more. A print of the printer’s own is never touched.",
    },
    RuleSpec {
        id: RuleId::LoopOrLevel,
        question: "Heater loop or levelling first?",
        decides: "In the plan: which of them comes first, and whether a loop that moved after levelling opens Z again.",
        options: &[
            o("loop_first", "The heater loop first"),
            o("level_first", "Level first"),
        ],
        why: "A swinging loop moves the nozzle’s length; who levels first repeats it.",
    },
    RuleSpec {
        id: RuleId::TubeOrNozzle,
        question: "In a lined hot end, tube or nozzle first?",
        decides: "In the plan: whether a new tube brings hot tightening and Z. On the tube’s sheet: how it is seated.",
        options: &[
            o(
                "tube_first",
                "Tube to the bottom, nozzle tightened up against it hot",
            ),
            o("nozzle_first", "Nozzle first, tube pushed home on it"),
        ],
        why: "Pressed together there is no gap.",
    },
    RuleSpec {
        id: RuleId::BlockHeldBy,
        question: "What holds the block against the wrench?",
        decides: "Tools and steps of the nozzle’s sheet, and what hot tightening names.",
        options: &[
            o("wrench", "A second wrench on its flats"),
            o("pliers", "Pliers"),
            o("brace", "A brace against the block, sock left on"),
        ],
        why: "A slip tears wires.",
    },
    RuleSpec {
        id: RuleId::SockAtHotChange,
        question: "The sock at a hot change?",
        decides: "On the nozzle’s sheet: whether the sock comes off before heating. At hot tightening: that it goes on again cold.",
        options: &[o("off", "Off, refitted cold"), o("on", "Left on")],
        why: "Grip against burns.",
    },
    RuleSpec {
        id: RuleId::PowerWhileWorking,
        question: "Power while working?",
        decides: "The gates of cold steps that touch no wire: unplugged or switched on.",
        options: &[
            o(
                "electrical",
                "Off and unplugged for anything electrical, live and hot only for the nozzle",
            ),
            o("all", "Unplugged for all but heating"),
        ],
        why: "Wires and hands.",
    },
    RuleSpec {
        id: RuleId::TubeCutBy,
        question: "What cuts a tube?",
        decides: "Tools and the cutting step of the tube’s sheet. Side cutters crush, and are no choice.",
        options: &[
            o("cutter", "A tube cutter"),
            o("guide", "A guide and a knife"),
            o("blade", "A blade by eye"),
        ],
        why: "A square end seals.",
    },
    RuleSpec {
        id: RuleId::LinerFumes,
        question: "From what temperature is a liner’s fume warned of?",
        decides: "Whether the caution stands at heating steps of lined hot ends.",
        options: &[o("c220", "{220 °C}"), o("c150", "{150 °C}")],
        why: "Some distrust liners far below their softening, and ventilation costs nothing.",
    },
    RuleSpec {
        id: RuleId::FirstPiece,
        question: "Which piece is printed first after the repair?",
        decides: "On the sheet of the first print.",
        options: &[
            o("baseline", "The baseline piece again"),
            o("quick", "A quick small one"),
            o("harsh", "A harsh one"),
        ],
        why: "Comparable beats quick. The long run comes last in any school.",
    },
    RuleSpec {
        id: RuleId::FirstPrintSpeed,
        question: "How fast is the first print?",
        decides: "On the sheet of the first print: the speed override.",
        options: &[
            o("profile", "As the profile says"),
            o("two_thirds", "At two thirds of it"),
            o("stress", "At one and a half times, to stress it"),
        ],
        why: "Only what is printed alike can be compared.",
    },
    RuleSpec {
        id: RuleId::MakersInstructions,
        question: "The maker’s instructions?",
        decides: "At the intake: whether reading them is a step.",
        options: &[
            o("first", "Read before the first screw"),
            o("as_needed", "As needed"),
        ],
        why: "What is read afterwards is read twice.",
    },
    RuleSpec {
        id: RuleId::ProfileAfterBore,
        question: "What becomes of the profile after a new bore?",
        decides: "At the nozzle profile: how it is made, with the widths and layers of the bore.",
        options: &[
            o("copied", "Copied and renamed, all widths and layers redone"),
            o("makers", "The maker’s default for that bore"),
            o("diameter_only", "The diameter alone is changed"),
        ],
        why: "Widths and layers follow the bore.",
    },
    RuleSpec {
        id: RuleId::FirstSuspect,
        question: "What is looked at first when the flow is thin?",
        decides: "Where the cause is looked for: the first check.",
        options: &[
            o("evidence", "What the evidence says"),
            o("nozzle", "The nozzle"),
            o("tube", "Couplers and tube"),
            o("fan", "The hot-end fan"),
        ],
        why: "A habit finds what it looks for.",
    },
    RuleSpec {
        id: RuleId::AcceptAs,
        question: "What is accepted as good enough?",
        decides: "At acceptance: whether a piece of the customer’s own is laid beside the reference.",
        options: &[
            o("verdicts", "The verdicts of the stations"),
            o(
                "own_piece",
                "A piece of one’s own beside the reference, too",
            ),
        ],
        why: "A number can be compared next year; a piece is what the customer sees.",
    },
    RuleSpec {
        id: RuleId::PartsReplaced,
        question: "When are wearing parts replaced?",
        decides: "On a printer’s page: which parts are due.",
        options: &[
            o("history", "When they fail, or their history says so"),
            o("by_age", "By age, after the days set below"),
        ],
        why: "A part that works is not made better by a new one.",
    },
];
