//! What the stops that aren't parameters cost.

use wattotherm_printer::{Part, Replacement};

use super::Stop;
use crate::chain::Effort;

/// Minutes and metres of the stops that aren't parameters. Our own estimate of common practice, no published source.
pub(super) const fn effort_of_stop(stop: Stop) -> Effort {
    match stop {
        Stop::Intake | Stop::HandOver => Effort::new(1.0, 0.0, 0.0),
        // Read by the printer or pasted.
        Stop::Snapshot | Stop::Compare => Effort::new(0.5, 0.5, 0.0),
        Stop::Inspection => Effort::new(20.0, 5.0, 0.2),
        Stop::Cause => Effort::new(10.0, 0.0, 0.2),
        Stop::Worth | Stop::Probe => Effort::new(5.0, 0.0, 0.0),
        Stop::BedLoop => Effort::new(3.0, 25.0, 0.0),
        Stop::Gantry => Effort::new(6.0, 0.0, 0.0),
        Stop::Mesh => Effort::new(2.0, 6.0, 0.0),
        Stop::TubeLength => Effort::new(2.0, 0.0, 0.0),
        Stop::Baseline | Stop::FirstPrint => Effort::new(1.0, 35.0, 5.0),
        Stop::Fit(r) => fitting(r),
        Stop::Heater => Effort::new(3.0, 0.0, 0.0),
        Stop::HotTighten => Effort::new(2.0, 5.0, 0.1),
        Stop::PowerUp => Effort::new(1.0, 0.0, 0.0),
        Stop::FirstHeat => Effort::new(3.0, 4.0, 0.0),
        Stop::Acceptance => Effort::new(2.0, 60.0, 8.0),
        Stop::Parameter(..) => Effort::new(0.0, 0.0, 0.0),
    }
}

/// Strip and fit: minutes of hands, of heating and cooling, filament. Cold work waits for one cool-down, which
/// several parts of a job share.
const fn fitting(r: Replacement) -> Effort {
    match r.part() {
        Part::Nozzle => Effort::new(5.0, 4.0, 0.1),
        Part::HeatBreak | Part::HeaterBlock => Effort::new(25.0, 12.0, 0.1),
        Part::HotEndAssembly => Effort::new(20.0, 12.0, 0.1),
        Part::HeaterCartridge | Part::TemperatureSensor => Effort::new(15.0, 12.0, 0.1),
        Part::SiliconeSock => Effort::new(1.0, 10.0, 0.0),
        Part::HotEndFan | Part::PartFan | Part::BedSurface => Effort::new(6.0, 10.0, 0.0),
        Part::Tube => Effort::new(12.0, 6.0, 0.1),
        Part::HotEndCoupler | Part::ExtruderCoupler => Effort::new(6.0, 6.0, 0.1),
        Part::FilamentCutter => Effort::new(4.0, 10.0, 0.1),
        Part::ExtruderDrive => match r {
            Replacement::TubeToDirectDrive => Effort::new(60.0, 12.0, 0.2),
            _ => Effort::new(20.0, 10.0, 0.2),
        },
        Part::ExtruderMotor => Effort::new(15.0, 10.0, 0.2),
        Part::BedProbe => Effort::new(10.0, 10.0, 0.0),
        Part::ControlBoard => Effort::new(45.0, 10.0, 0.0),
        Part::Frame | Part::Bed => Effort::new(20.0, 0.0, 0.0),
    }
}
