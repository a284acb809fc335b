//! What is known of a printer and a filament.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::fitting::{Fitted, ScrewThread};
use crate::materials::{
    BlockMaterial, FilamentPath, HotEndKind, HotEndMass, NozzleMaterial, NozzleMount,
};

/// The drive as built, for the computed steps/mm.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GearFacts {
    /// Number of full steps of one motor turn, e.g. 200.
    pub full_steps: f64,
    /// Number of microsteps a full step, e.g. 16.
    pub microsteps: f64,
    /// Motor turns per turn of the drive wheel, e.g. 3.
    pub gear_ratio: f64,
    /// Effective diameter of the drive wheel [mm].
    pub drive_diameter_mm: f64,
}

/// A printer as far as stations care.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PrinterFacts {
    /// Build volume in X [mm].
    pub bed_x_mm: f64,
    /// Build volume in Y [mm].
    pub bed_y_mm: f64,
    /// Build volume in Z [mm].
    pub height_mm: f64,
    /// Tube or direct drive.
    pub path: FilamentPath,
    /// Lined or all-metal.
    pub hot_end: HotEndKind,
    /// Bore of the fitted nozzle [mm].
    pub nozzle_mm: f64,
    /// How many nozzles: 1 or 2.
    pub nozzles: u8,
    /// The firmware's own temperature limit [°C].
    pub firmware_limit_c: Option<f64>,
    /// The drive as built.
    pub gear: Option<GearFacts>,
    /// Sensor type set in the firmware, by id; empty where it isn't known.
    pub sensor: String,
    /// Material of the nozzle.
    pub nozzle: NozzleMaterial,
    /// How the nozzle is changed, where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mount: Option<NozzleMount>,
    /// Material of the heater block.
    pub block: BlockMaterial,
    /// How heavy the heater block is.
    pub mass: HotEndMass,
    /// Supply [V], where it is known.
    pub supply_v: Option<f64>,
    /// Power marked on the heater [W], where it is known.
    pub heater_w: Option<f64>,
    /// Greatest current of the board's heater output [A], where it is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub heater_a: Option<f64>,
    /// Number of levelling screws of the bed, where they were counted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bed_screws: Option<f64>,
    /// Their thread.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bed_thread: Option<ScrewThread>,
    /// Number of motors that lift the crossing or the bed, where they were counted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub z_motors: Option<f64>,
    /// Thickness of the plate [mm].
    #[serde(skip_serializing_if = "Option::is_none")]
    pub plate_mm: Option<f64>,
    /// From the nozzle to the probe in X and Y [mm].
    #[serde(skip_serializing_if = "Option::is_none")]
    pub probe_mm: Option<[f64; 2]>,
    /// Outer and inner diameter and length of the tube [mm].
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tube_mm: Option<[f64; 3]>,
}

impl Default for PrinterFacts {
    fn default() -> Self {
        Self {
            bed_x_mm: 235.0,
            bed_y_mm: 235.0,
            height_mm: 250.0,
            path: FilamentPath::Tube,
            hot_end: HotEndKind::Lined,
            nozzle_mm: 0.4,
            nozzles: 1,
            firmware_limit_c: None,
            gear: None,
            sensor: "ntc_100k_3950".into(),
            nozzle: NozzleMaterial::Brass,
            mount: None,
            block: BlockMaterial::Aluminium,
            mass: HotEndMass::Standard,
            supply_v: Some(24.0),
            heater_w: Some(40.0),
            heater_a: None,
            bed_screws: None,
            bed_thread: None,
            z_motors: None,
            plate_mm: None,
            probe_mm: None,
            tube_mm: None,
        }
    }
}

impl PrinterFacts {
    /// What follows from all that is fitted. What isn't known stands as the most careful printer has it
    /// (lined, brass, aluminium) or as the usual one; what a station would take for measured stays blank.
    #[must_use]
    pub fn of(fitted: &[Fitted]) -> Self {
        let mut facts = Self {
            sensor: String::new(),
            supply_v: None,
            heater_w: None,
            ..Self::default()
        };
        let (mut full, mut micro, mut ratio, mut wheel) = (None, None, None, None);
        for one in fitted {
            match one {
                Fitted::Frame {
                    x_mm,
                    y_mm,
                    height_mm,
                    nozzles,
                } => {
                    set(&mut facts.bed_x_mm, *x_mm);
                    set(&mut facts.bed_y_mm, *y_mm);
                    set(&mut facts.height_mm, *height_mm);
                    if let Some(n) = nozzles {
                        facts.nozzles = if *n > 1.5 { 2 } else { 1 };
                    }
                }
                Fitted::Bed {
                    screws,
                    thread,
                    z_motors,
                } => {
                    facts.bed_screws = *screws;
                    facts.bed_thread = *thread;
                    facts.z_motors = *z_motors;
                }
                Fitted::BedSurface { thickness_mm } => facts.plate_mm = *thickness_mm,
                Fitted::BedProbe { x_mm, y_mm } => {
                    facts.probe_mm = x_mm.zip(*y_mm).map(|(x, y)| [x, y]);
                }
                Fitted::Nozzle {
                    bore_mm,
                    material,
                    mount,
                } => {
                    facts.mount = *mount;
                    set(&mut facts.nozzle_mm, *bore_mm);
                    set(&mut facts.nozzle, *material);
                }
                Fitted::HeatBreak { kind } => set(&mut facts.hot_end, *kind),
                Fitted::HeaterBlock { material, mass } => {
                    set(&mut facts.block, *material);
                    set(&mut facts.mass, *mass);
                }
                Fitted::HeaterCartridge { power_w } => facts.heater_w = *power_w,
                Fitted::TemperatureSensor { kind } => {
                    facts.sensor = kind.clone().unwrap_or_default();
                }
                Fitted::ExtruderDrive {
                    path,
                    gear_ratio,
                    diameter_mm,
                } => {
                    set(&mut facts.path, *path);
                    (ratio, wheel) = (*gear_ratio, *diameter_mm);
                }
                Fitted::ExtruderMotor { full_steps } => full = *full_steps,
                Fitted::Tube {
                    outer_mm,
                    inner_mm,
                    length_mm,
                } => {
                    facts.tube_mm = match (outer_mm, inner_mm, length_mm) {
                        (Some(o), Some(i), Some(l)) => Some([*o, *i, *l]),
                        _ => None,
                    };
                }
                Fitted::ControlBoard {
                    supply_v,
                    heater_a,
                    microsteps,
                    limit_c,
                } => {
                    facts.supply_v = *supply_v;
                    facts.heater_a = *heater_a;
                    facts.firmware_limit_c = *limit_c;
                    micro = *microsteps;
                }
            }
        }
        if let (Some(full_steps), Some(microsteps), Some(gear_ratio), Some(drive_diameter_mm)) =
            (full, micro, ratio, wheel)
        {
            facts.gear = Some(GearFacts {
                full_steps,
                microsteps,
                gear_ratio,
                drive_diameter_mm,
            });
        }
        facts
    }

    /// The same as what is fitted at each place: the way back of [`PrinterFacts::of`].
    #[must_use]
    pub fn fitted(&self) -> Vec<Fitted> {
        let gear = self.gear.as_ref();
        vec![
            Fitted::Frame {
                x_mm: Some(self.bed_x_mm),
                y_mm: Some(self.bed_y_mm),
                height_mm: Some(self.height_mm),
                nozzles: Some(f64::from(self.nozzles)),
            },
            Fitted::Bed {
                screws: self.bed_screws,
                thread: self.bed_thread,
                z_motors: self.z_motors,
            },
            Fitted::BedSurface {
                thickness_mm: self.plate_mm,
            },
            Fitted::BedProbe {
                x_mm: self.probe_mm.map(|p| p[0]),
                y_mm: self.probe_mm.map(|p| p[1]),
            },
            Fitted::Nozzle {
                bore_mm: Some(self.nozzle_mm),
                material: Some(self.nozzle),
                mount: self.mount,
            },
            Fitted::HeatBreak {
                kind: Some(self.hot_end),
            },
            Fitted::HeaterBlock {
                material: Some(self.block),
                mass: Some(self.mass),
            },
            Fitted::HeaterCartridge {
                power_w: self.heater_w,
            },
            Fitted::TemperatureSensor {
                kind: Some(self.sensor.clone()).filter(|s| !s.is_empty()),
            },
            Fitted::ExtruderDrive {
                path: Some(self.path),
                gear_ratio: gear.map(|g| g.gear_ratio),
                diameter_mm: gear.map(|g| g.drive_diameter_mm),
            },
            Fitted::ExtruderMotor {
                full_steps: gear.map(|g| g.full_steps),
            },
            Fitted::Tube {
                outer_mm: self.tube_mm.map(|t| t[0]),
                inner_mm: self.tube_mm.map(|t| t[1]),
                length_mm: self.tube_mm.map(|t| t[2]),
            },
            Fitted::ControlBoard {
                supply_v: self.supply_v,
                heater_a: self.heater_a,
                microsteps: gear.map(|g| g.microsteps),
                limit_c: self.firmware_limit_c,
            },
        ]
    }
}

fn set<T>(fact: &mut T, known: Option<T>) {
    if let Some(k) = known {
        *fact = k;
    }
}

/// A filament as far as stations care.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FilamentFacts {
    /// Name in the shop, e.g. "PETG, green".
    pub name: String,
    /// Material, e.g. "PETG".
    pub material: String,
    /// Print temperature in force [°C].
    pub print_temp_c: Option<f64>,
}
