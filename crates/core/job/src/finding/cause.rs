//! Faults that a station can name.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// The likely fault behind a stop. The words for it, with its numbers, are the station's.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Cause {
    /// Adjusted again and again without a pass: it is not this setting.
    LiesElsewhere,
    /// The drive feeds backward.
    RunsBackward,
    /// Nothing was fed.
    NothingFed,
    /// Less comes when it feeds faster: slip, a partial clog, too cold.
    SlipsWhenFast,
    /// Free in air it feeds more than loaded: hot end, tube or nozzle hold the filament back.
    ResistanceDownstream,
    /// Far off right after work at the drive, and nothing is known of its build.
    WrongAfterWork,
    /// Far off, and nobody touched the drive.
    FarOffUntouched,
    /// The gear ratio was left out of the steps set.
    RatioLeftOut,
    /// The steps set belong to other microsteps or another motor.
    StepsOfOtherMicrosteps,
    /// The steps set are not those of this drive.
    StepsOfOtherDrive,
    /// There is no gear of the ratio typed.
    NoSuchRatio,
    /// The driver runs at other microsteps than typed.
    OtherMicrosteps,
    /// Neither the setting nor the build explains the feed.
    FeedUnexplained,
    /// The bed is farther off than its screws reach.
    BedBeyondScrews,
    /// The nozzle stands farther off than an offset explains.
    NozzleFarOff,
    /// The bed is tilted under the patches.
    BedTilted,
    /// Walls differ between bottom and top.
    WallsDiffer,
    /// Far more or less plastic than a flow multiplier explains.
    NotFlow,
    /// The complaint came back.
    CameBack,
    /// The drive clicks or grinds.
    DriveClicks,
    /// The second nozzle stands elsewhere from print to print.
    NozzlesLoose,
    /// No value gives a good print.
    NoGoodValue,
    /// A step's check failed.
    StepFailed,
    /// Pieces are left over, or missing.
    PiecesLeft,
    /// The sensor's circuit is open.
    SensorOpen,
    /// The sensor is shorted.
    SensorShorted,
    /// Another type of sensor is fitted than set.
    WrongSensorType,
    /// The resistance is that of no sensor of the list.
    UnknownSensor,
    /// The sensor doesn't read the room.
    SensorOffRoom,
    /// Sensor or wiring make and break contact.
    SensorIntermittent,
    /// Sensor open or short, seen in a log.
    SensorOpenOrShort,
    /// Sensor or heater cartridge sits loose.
    SensorLoose,
    /// The heater is made for a lower voltage.
    HeaterOfLowerVoltage,
    /// The heater is made for a higher voltage, or worn out.
    HeaterTooWeak,
    /// The heater makes a quarter more than its mark, or more.
    HeaterTooStrong,
    /// The heater is an open circuit.
    HeaterOpen,
    /// The heater is nearly a short circuit.
    HeaterShorted,
    /// The heater draws more than the board's output is rated for.
    HeaterOverload,
    /// The heater fails: full duty, and the temperature falls.
    HeaterFailing,
    /// It levels off below its target.
    NeverReaches,
    /// One axis is out and the other right: belt, pulley or steps.
    BeltOrSteps,
    /// Shadows beside edges: belts, screws, the frame.
    FrameRings,
    /// The part fan steals heat.
    FanStealsHeat,
    /// The heat sink gets too hot.
    SinkTooHot,
    /// A hotter print is planned than the hot end bears.
    PlannedTooHot,
    /// Plastic seeps above the nozzle.
    NozzleLeaks,
    /// The nozzle sits on the block and not on the heat break.
    NozzleOnBlock,
    /// The block was not held while tightening.
    BlockNotHeld,
    /// More torque than the thread bears.
    OverTorque,
    /// The probe's touches scatter too much.
    ProbeScatters,
    /// The plate is bent more than a mesh should hide.
    PlateBent,
    /// The tube is bent tighter than it bears.
    TubeKinks,
    /// The bed swings, and no gains are left to set.
    BedSwings,
    /// A crossing hangs farther askew than its screws leave it.
    GantrySlipped,
    /// A machine costs more than it is worth.
    CostsMoreThanWorth,
    /// A fault that an older version kept as text alone.
    Untyped,
}
