//! Flow: the multiplier of one filament, by the walls of a box or by mass.

mod by_eye;

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use serde_json::json;
use statrs::distribution::{ContinuousCDF, FisherSnedecor};
use utoipa::ToSchema;
use wattotherm_gcode as gcode;
use wattotherm_measure::entry::{Entry, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, fixed, plain};
use wattotherm_measure::{
    BudgetPart, Combined, Component, Instrument, InstrumentKind, PartOf, Pen, Reading, Series,
    SettleOption, Unit, Verdict, combine, default_instruments, fresh_mean, what_would_settle,
};
use wattotherm_printer::Parameter;

use super::blind::{self, Look};
use super::search::for_a_piece;
use super::set_up::tolerance;
use super::taken::{Taken, more};
use super::{SetUp, Station, asked, expanded_95, known};
use crate::context::Context;
use crate::finding::{Band, Cause, Facts, PlainValue, Row, Words, times_the_blur};
use crate::form::{Field, Form};
use crate::house::{RuleId, ToleranceId};

/// Flow multiplier.
pub struct Flow;

/// How flow is measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FlowMethod {
    /// Thickness of single walls.
    #[default]
    Walls,
    /// Mass of a printed piece.
    Mass,
    /// Tops of cards in steps of the flow, by eye.
    Cards,
    /// Bands by height with an override each, by eye.
    Tower,
}

impl FlowMethod {
    /// Whether an eye judges it.
    const fn by_eye(self) -> bool {
        matches!(self, Self::Cards | Self::Tower)
    }
}

/// Where on the box a wall was measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum WallHeight {
    /// Near the bottom, above the first layers.
    #[default]
    Low,
    /// Near the top.
    High,
}

/// One wall reading.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WallReading {
    /// Side of the box, 1 to 4.
    pub side: u8,
    /// Low or high.
    pub height: WallHeight,
    /// Thickness [mm].
    pub t_mm: Entry,
}

/// What is typed at flow.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct FlowReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Walls or mass.
    pub method: FlowMethod,
    /// Flow multiplier of the profile that the piece was sliced with [%].
    pub flow_set_percent: Entry,
    /// Override that the printer had while it printed [%]; blank for 100.
    pub override_percent: Entry,
    /// Instrument, by id.
    pub instrument: String,
    /// Wall thickness the G-code asks for [mm].
    pub wall_mm: Entry,
    /// Wall readings, away from corners and seam.
    pub walls: Vec<WallReading>,
    /// Volume the G-code asks for [mm³].
    pub volume_mm3: Entry,
    /// Density of the filament [g/cm³].
    pub density_g_cm3: Entry,
    /// Mass on the balance, a weighing each [g].
    pub masses_g: Vec<Entry>,
    /// First card's change of the flow [%], or the first band's override [%].
    pub from: Entry,
    /// From card to card, or band to band [%].
    pub step: Entry,
    /// How many cards, or bands.
    pub count: Entry,
    /// Key of the cards; 0 if they lie in order.
    pub seed: Entry,
    /// First look: good cards by letter, or good bands by number from below.
    pub first: String,
    /// Second look.
    pub second: String,
    /// Pairs laid beside each other, the better one first.
    pub pairs: String,
    /// The first layer's own multiplier [%]; blank where it has none.
    pub first_layer_percent: Entry,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What would settle it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
enum Way {
    More(usize),
    With(Instrument),
}

/// What was found of the flow.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FlowFound {
    method: FlowMethod,
    /// Multiplier of the profile [%].
    set_percent: f64,
    /// Override on the printer meanwhile [%].
    #[serde(default = "no_override")]
    override_percent: f64,
    /// Multiplier that the readings ask for, in the profile and with no override [%].
    wanted_percent: f64,
    /// How walls or masses were taken; none where an eye judged.
    taken: Option<Taken>,
    settle: Vec<Way>,
    /// Walls differ by this between bottom and top [mm].
    step_mm: Option<f64>,
    /// What the eye said of cards or bands.
    #[serde(default)]
    look: Option<Look>,
    /// The first layer's own multiplier [%].
    #[serde(default)]
    first_layer_percent: Option<f64>,
}

const SET: Limit = Limit::new(
    "flow_set_percent",
    "flow set",
    Unit::Percent,
    [10.0, 300.0, 60.0, 160.0],
    "beyond this it isn’t flow that is wrong",
);
const OVERRIDE: Limit = Limit::new(
    "override_percent",
    "override",
    Unit::Percent,
    [10.0, 300.0, 50.0, 200.0],
    "an override is for trying",
);
const WALL: Limit = Limit::new(
    "wall_mm",
    "wall asked for",
    Unit::Mm,
    [0.1, 5.0, 0.25, 2.0],
    "one wall is about as wide as the bore",
);
/// What a caliper on a wall may be off by [mm].
const WALL_OFF_MM: f64 = 0.02;
const THICKNESS: Limit = Limit::new(
    "t_mm",
    "wall thickness",
    Unit::Mm,
    [0.02, 10.0, 0.15, 3.0],
    "one wall is about as wide as the bore",
);
const VOLUME: Limit = Limit::new(
    "volume_mm3",
    "volume",
    Unit::Mm3,
    [10.0, 10_000_000.0, 10.0, 10_000_000.0],
    "less can’t be weighed",
);
const DENSITY: Limit = Limit::new(
    "density_g_cm3",
    "density",
    Unit::GramPerCm3,
    [0.3, 8.0, 0.8, 4.0],
    "filaments lie between foamed and metal-filled",
);
const MASS: Limit = Limit::new(
    "masses_g",
    "mass",
    Unit::Gram,
    [0.01, 5_000.0, 0.05, 5_000.0],
    "a printed piece weighs something",
);

/// Cards: coarse and fine, from and step [%], and how many. Source: handbook 5, table E (common practice).
const COARSE: [f64; 3] = [-20.0, 5.0, 9.0];
const FINE: [f64; 3] = [-4.0, 1.0, 9.0];
/// Walls read at most.
const MOST_WALLS: usize = 64;
/// Weighings at most.
const MOST_MASSES: usize = 30;

/// Density of a common material [g/cm³]; none for others.
///
/// Source: common practice, no published source (makers' sheets agree within 2 %).
#[must_use]
pub fn density_g_cm3(material: &str) -> Option<f64> {
    match material.trim().to_ascii_uppercase().as_str() {
        "PLA" => Some(1.24),
        "PETG" => Some(1.27),
        "ABS" => Some(1.04),
        "ASA" => Some(1.07),
        "TPU" => Some(1.21),
        "PC" => Some(1.20),
        "PA12" => Some(1.01),
        _ => None,
    }
}

/// Beyond this the cause isn't flow. Common practice, no published source.
const MOST_ERROR_PERCENT: f64 = 30.0;

/// Significance of "walls vary along the height": our own judgement, strict because an accusation
/// sends the technician to strip a hot end.
const VARIATION_P: f64 = 0.01;

/// "104.2 % = 1.042".
fn multiplier(percent: f64) -> String {
    format!("{} % = {}", fixed(percent, 1), fixed(percent / 100.0, 3))
}

/// Override of a printer that has none [%].
const fn no_override() -> f64 {
    100.0
}

/// Whether an override [%] changes anything.
fn overrides(over: f64) -> bool {
    (over - no_override()).abs() > 0.01
}

struct Typed {
    set: f64,
    over: f64,
    nominal: f64,
    values: Vec<f64>,
    low: Vec<f64>,
    high: Vec<f64>,
}

fn read(readings: &FlowReadings) -> Result<Typed, ReadingError> {
    let mut intake = Intake::new(&readings.confirmed);
    let set = intake.need(&SET, "flow_set_percent", &readings.flow_set_percent);
    let over = intake.may(&OVERRIDE, "override_percent", &readings.override_percent);
    let (mut values, mut low, mut high) = (Vec::new(), Vec::new(), Vec::new());
    let nominal = match readings.method {
        // What an eye judges is never read here.
        FlowMethod::Walls | FlowMethod::Cards | FlowMethod::Tower => {
            let nominal = intake.need(&WALL, "wall_mm", &readings.wall_mm);
            let mut named = Vec::new();
            for (i, w) in readings.walls.iter().take(MOST_WALLS).enumerate() {
                let path = format!("walls.{i}.t_mm");
                if let Some(t) = intake.may(&THICKNESS, &path, &w.t_mm) {
                    named.push((path, t));
                    match w.height {
                        WallHeight::Low => low.push(t),
                        WallHeight::High => high.push(t),
                    }
                }
            }
            intake.ask_outliers_by_ten(&THICKNESS, &named);
            intake.ask_outliers(&THICKNESS, &named, WALL_OFF_MM);
            values.extend(named.iter().map(|(_, t)| *t));
            if readings.walls.len() > MOST_WALLS {
                intake.count("walls", "Sixty-four readings are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count("walls.0.t_mm", "Type the thickness of at least one wall.");
            }
            nominal
        }
        FlowMethod::Mass => {
            let volume = intake.need(&VOLUME, "volume_mm3", &readings.volume_mm3);
            let density = intake.need(&DENSITY, "density_g_cm3", &readings.density_g_cm3);
            for (i, m) in readings.masses_g.iter().take(MOST_MASSES).enumerate() {
                values.extend(intake.may(&MASS, &format!("masses_g.{i}"), m));
            }
            if readings.masses_g.len() > MOST_MASSES {
                intake.count("masses_g", "Thirty weighings are enough. Remove some.");
            }
            if values.is_empty() {
                intake.count("masses_g.0", "Type the mass of the printed piece.");
            }
            // mm³ to cm³.
            volume.zip(density).map(|(v, d)| v / 1000.0 * d)
        }
    };
    intake.finish()?;
    Ok(Typed {
        // OK because finish() fails where one of these is missing.
        set: set.unwrap_or_default(),
        over: over.unwrap_or(no_override()),
        nominal: nominal.unwrap_or(1.0),
        values,
        low,
        high,
    })
}

fn instrument_for(readings: &FlowReadings, context: &Context) -> Instrument {
    let (kind, fallback) = match readings.method {
        FlowMethod::Mass => (InstrumentKind::Balance, 3),
        _ => (InstrumentKind::Caliper, 1),
    };
    let unit = if readings.method == FlowMethod::Mass {
        "g"
    } else {
        "mm"
    };
    context
        .house
        .instrument(&readings.instrument, kind)
        .filter(|i| i.unit == unit)
        .or_else(|| context.house.instruments.iter().find(|i| i.kind == kind))
        .cloned()
        .unwrap_or_else(|| default_instruments().swap_remove(fallback))
}

/// What the density's doubt (house rule, rectangular) leaves of the mass that should come [g], standard; none for walls.
fn density_u(typed: &Typed, readings: &FlowReadings, context: &Context) -> Option<f64> {
    let fraction = context.house.tolerance(ToleranceId::DensityPercent) / 100.0;
    (readings.method == FlowMethod::Mass).then_some(fraction * typed.nominal / 3.0_f64.sqrt())
}

fn uncertainty(mean: Combined, density_u: Option<f64>) -> Combined {
    let Some(u) = density_u else { return mean };
    combine(&[
        Component {
            u: mean.u,
            sensitivity: 1.0,
            dof: mean.dof,
        },
        Component::type_b(u, 1.0),
    ])
}

/// Thickness asked of a single wall: an eighth wider than the bore. Common practice, no source.
fn wall(context: &Context) -> (Entry, Option<&'static str>) {
    let saved = context.saved_lines.outer_width_mm;
    asked(context, "wall_mm", saved, context.printer.nozzle_mm * 1.125)
}

impl Station for Flow {
    type Readings = FlowReadings;
    type Own = FlowFound;
    const ID: &'static str = "flow";
    const STAYS: &'static [&'static str] = &[
        "method",
        "instrument",
        "volume_mm3",
        "density_g_cm3",
        "first_layer_percent",
    ];
    const SETTLES: &'static [Parameter] = &[Parameter::Flow];

    fn start(context: &Context) -> FlowReadings {
        let density = context
            .filament
            .as_ref()
            .and_then(|f| density_g_cm3(&f.material));
        let (method, instrument) = if context.house.option(RuleId::FlowBy).id == "mass" {
            (FlowMethod::Mass, "balance")
        } else {
            (FlowMethod::Walls, "caliper")
        };
        // After a coarse set that moved the flow, the fine one about it.
        let by_cards = context
            .previous
            .as_ref()
            .is_some_and(|p| p.get("method").is_some_and(|m| m == "cards"));
        let [from, step, cards] = if by_cards && context.adjusts_so_far > 0 {
            FINE
        } else {
            COARSE
        };
        let what = format!("{:?} {:?}", context.filament, context.before);
        FlowReadings {
            from: known(Some(from), 1),
            step: known(Some(step), 1),
            count: known(Some(cards), 0),
            seed: known(
                Some(f64::from(blind::key_of(&what, context.adjusts_so_far))),
                0,
            ),
            method,
            flow_set_percent: known(Some(context.before.unwrap_or(100.0)), 3),
            override_percent: known(Some(no_override()), 0),
            instrument: instrument.into(),
            wall_mm: wall(context).0,
            walls: (1..=4)
                .flat_map(|side| [WallHeight::Low, WallHeight::High].map(|h| (side, h)))
                .map(|(side, height)| WallReading {
                    side,
                    height,
                    t_mm: Entry::default(),
                })
                .collect(),
            density_g_cm3: known(density, 2),
            masses_g: vec![Entry::default()],
            ..FlowReadings::default()
        }
    }

    fn form(r: &FlowReadings, _: &Context) -> Form {
        let method = Field::choice(
            "method",
            "Found by",
            &[
                ("walls", "wall thickness"),
                ("mass", "mass"),
                ("cards", "cards, by eye"),
                ("tower", "bands by height, by eye"),
            ],
        )
        .sets("walls", "instrument", "caliper")
        .sets("mass", "instrument", "balance")
        .sets("cards", "from", "-20")
        .sets("cards", "step", "5")
        .sets("cards", "count", "9")
        .sets("tower", "from", "90")
        .sets("tower", "step", "5")
        .sets("tower", "count", "6");
        let set = Field::number(&SET).named("Flow in the profile").needed();
        let over = Field::number(&OVERRIDE)
            .named("Override on the printer")
            .hint("Read it while it prints. Pieces made here set it to 100 %.");
        let form = Form::default().group("", vec![method]);
        match r.method {
            FlowMethod::Cards | FlowMethod::Tower => by_eye::form(form, r),
            FlowMethod::Walls => {
                let walls = r.walls.iter().take(MOST_WALLS).enumerate().map(|(i, w)| {
                    let height = match w.height {
                        WallHeight::Low => "low",
                        WallHeight::High => "high",
                    };
                    Field::number_at(format!("walls.{i}.t_mm"), &THICKNESS)
                        .named(format!("side {}, {height}", w.side))
                });
                let n = r.walls.len();
                let next = json!({
                    "side": n / 2 % 4 + 1,
                    "height": if n.is_multiple_of(2) { "low" } else { "high" },
                    "t_mm": "",
                });
                let with = [InstrumentKind::Caliper, InstrumentKind::Micrometer];
                form.with_piece(
                    "box",
                    "Make the box",
                    &[
                        ("wall", for_a_piece(&r.wall_mm, Unit::Mm)),
                        ("flow", for_a_piece(&r.flow_set_percent, Unit::Percent)),
                    ],
                )
                .group("", walls.collect())
                .drawn("wall")
                .more("One more wall", "walls", next)
                .group(
                    "",
                    vec![
                        set,
                        over,
                        Field::number(&WALL).named("Wall asked for").needed(),
                        Field::instrument(&with),
                    ],
                )
            }
            FlowMethod::Mass => {
                let n = r.masses_g.len().min(MOST_MASSES);
                let mass = |i| {
                    Field::number_at(format!("masses_g.{i}"), &MASS)
                        .named(format!("Weighing {}", i + 1))
                };
                form.group("", (0..n).map(mass).collect())
                    .more("One more weighing", "masses_g", json!(""))
                    .group(
                        "",
                        vec![
                            set,
                            over,
                            Field::number(&VOLUME).named("Volume asked for").needed(),
                            Field::number(&DENSITY).named("Density").needed(),
                            Field::instrument(&[InstrumentKind::Balance]),
                        ],
                    )
            }
        }
    }

    fn set_up(r: &FlowReadings, context: &Context) -> SetUp {
        let up = match r.method {
            FlowMethod::Cards => SetUp::new("Print the cards, and name those whose tops close without ridges.")
                .hint("The letters hide which card has which flow. Ridges are too much, gaps too little."),
            FlowMethod::Tower => SetUp::new("Print bands with an override each, over a tower or a part of your own.")
                .hint(context.house.pen.text("Bands of {10 mm}; from a range of good ones the middle is taken. Set the override back to 100 % afterwards.")),
            FlowMethod::Walls | FlowMethod::Mass => SetUp::new("Print the single-wall box and measure its walls, away from corners and seam.")
                .hint("Four sides, low and high: eight readings."),
        };
        let up = up.hint("A test piece has the flow in its path, and sets the override to 100 %: keep what is found in the profile.");
        up.rule(
            RuleId::FlowBy,
            context,
            &format!(
                " Limit {}.",
                tolerance(context, ToleranceId::FlowPercent, Unit::Percent)
            ),
        )
    }

    /// Formula: new multiplier = profile · override · target / mean, by wall thickness [mm] or by mass [g] with
    /// target = volume · density; it goes into the profile, and the override back to 100 %. By mass the density's own uncertainty is added; repeating doesn't
    /// shrink it.
    /// Source: common practice, no published source; uncertainty as [`fresh_mean`]; the test for walls
    /// that vary along the height is a one-way analysis of variance (NIST/SEMATECH e-Handbook 7.4.3) against the
    /// larger of their scatter and the instrument's variance.
    fn facts(r: &FlowReadings, context: &Context) -> Result<Facts<FlowFound>, ReadingError> {
        if r.method.by_eye() {
            return by_eye::facts(r, context);
        }
        let typed = read(r)?;
        let instrument = instrument_for(r, context);
        let Some(mean) = fresh_mean(&typed.values, &Reading::once(&instrument)) else {
            debug_assert!(false, "read() asks for a reading");
            return Err(ReadingError::default());
        };
        let density = density_u(&typed, r, context);
        let combined = uncertainty(mean.combined, density);
        let of_density = density.map(|u| BudgetPart {
            of: PartOf::Density,
            u,
        });
        let parts = mean.parts.iter().copied().chain(of_density).collect();
        let expanded = expanded_95(combined);
        let limit_fraction = context.house.tolerance(ToleranceId::FlowPercent) / 100.0;
        let (id, unit) = match r.method {
            FlowMethod::Mass => ("mass", Unit::Gram),
            _ => ("wall", Unit::Mm),
        };
        let band = Band::new(
            id,
            unit,
            (mean.series.mean, typed.nominal),
            (expanded, combined.dof),
            limit_fraction * typed.nominal,
        )
        .made_of(parts);
        let laid = typed.set * typed.over / 100.0;
        let wanted = laid * typed.nominal / mean.series.mean;
        let after = (wanted * 10.0).round() / 10.0;
        let mut own = FlowFound {
            method: r.method,
            set_percent: typed.set,
            override_percent: typed.over,
            wanted_percent: after,
            taken: Some(Taken::of(&mean, &instrument)),
            settle: Vec::new(),
            step_mm: varies_along_height(&typed.low, &typed.high, band.limit, &instrument),
            look: None,
            first_layer_percent: None,
        };
        if band.verdict == Verdict::MeasureAgain {
            own.settle = settle(&typed, &mean.series, &instrument, &band, r, context);
        }
        let varies = own.step_mm.is_some();
        let percent = 100.0 * band.error / typed.nominal;
        let overridden = overrides(typed.over);
        // Right, but by an override: the profile takes what was laid, and the override goes.
        let moves = overridden && band.verdict == Verdict::Pass;
        let verdict = if moves { Verdict::Adjust } else { band.verdict };
        let after = if moves {
            (laid * 10.0).round() / 10.0
        } else {
            after
        };
        own.wanted_percent = after;
        let mut facts = Facts::new(Self::ID, Unit::Percent, verdict, own);
        facts.before = Some(typed.set);
        facts.value_expanded = Some(wanted * expanded / mean.series.mean);
        if verdict == Verdict::Adjust {
            facts.after = Some(after);
        }
        // Never both: what is found goes into the profile alone.
        if overridden {
            facts
                .commands
                .extend(gcode::set_flow_percent(no_override()).ok());
        }
        facts.bands.push(band);
        if varies {
            return Ok(facts.stopped(Cause::WallsDiffer));
        }
        if percent.abs() > MOST_ERROR_PERCENT {
            facts.send_back = Some("drive".into());
            return Ok(facts.stopped(Cause::NotFlow));
        }
        Ok(facts)
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let profile = wall(context).1.map(|says| ("wall_mm", says));
        profile.into_iter().collect()
    }

    fn words(f: &Facts<FlowFound>, pen: Pen) -> Words {
        let own = &f.own;
        let Some(taken) = &own.taken else {
            return by_eye::words(f, pen);
        };
        let (label, what) = match own.method {
            FlowMethod::Mass => ("mass", "the mass"),
            _ => ("wall", "the wall"),
        };
        let mut w = Words::new("flow multiplier").with_bands(f, pen, |_| label.to_owned());
        let Some((band, said)) = f.bands.first().zip(w.bands.first().cloned()) else {
            return w;
        };
        let value_expanded = f.value_expanded.unwrap_or(0.0);
        let percent = 100.0 * band.error / band.nominal;
        w.reasons = vec![
            format!(
                "{} with {}.",
                count(taken.n, "reading", "readings"),
                taken.instrument.describe(pen)
            ),
            taken.rests_on(pen, band.unit, 3, "reading", "readings"),
        ];
        if own.method == FlowMethod::Walls && taken.n < 8 {
            w.reasons
                .push("Four sides at two heights are the rule: eight readings.".into());
        }
        w.rows.push(Row::new(
            "flow",
            Some(multiplier(own.set_percent)),
            f.after.map(multiplier),
        ));
        let u_text = fixed(value_expanded, 1);
        let set = fixed(own.set_percent, 1);
        match (f.verdict, f.cause) {
            (_, Some(Cause::WallsDiffer)) => w.stop(
                &format!(
                    "the walls differ by {} between bottom and top",
                    pen.fixed(own.step_mm.unwrap_or(0.0), Unit::Mm, 3)
                ),
                "Flow can’t cure that: something changed while it printed. Look for a partial clog, slip at the drive, or a gap above the nozzle.",
            ),
            (_, Some(_)) => w.stop(
                &format!("{percent:+.0} % is not a flow error"),
                "Check that the profile’s bore and width are those printed, then the drive.",
            ),
            (Verdict::Pass, None) => {
                w.say(
                    format!("Pass: flow {set} % stays."),
                    format!(
                        "{} of {}, inside ±{} %.",
                        said.measured,
                        said.nominal,
                        plain(100.0 * band.limit / band.nominal, 2)
                    ),
                    format!("{set} % ±{u_text}"),
                    "Go on.",
                )
            }
            (Verdict::Adjust, None) => {
                let much = if percent > 0.0 {
                    "too much"
                } else {
                    "too little"
                };
                w.plain.push(PlainValue {
                    name: "flow multiplier in the profile".into(),
                    value: plain(own.wanted_percent / 100.0, 3),
                });
                w.reasons.push(one_place(own));
                let moved = format!("{set} → {} %", fixed(own.wanted_percent, 1));
                let right = band.verdict == Verdict::Pass;
                w.say(
                    format!("Adjust: flow {moved}."),
                    if right {
                        "What was laid is right, by an override. The profile takes it over; the override goes back to 100 %.".into()
                    } else {
                        format!(
                            "It lays {:.1} % {much}{}. Set the new flow, then print again.",
                            percent.abs(),
                            times_the_blur(band.error, band.expanded)
                        )
                    },
                    format!("{moved} ±{u_text}"),
                    "Put the new multiplier into the filament’s profile, then print and measure again.",
                )
            }
            _ => {
                let ways = own
                    .settle
                    .iter()
                    .map(|way| match way {
                        Way::More(n) => more(*n, "reading", "readings"),
                        Way::With(i) => {
                            format!("the same places measured with {}", i.describe(pen))
                        }
                    })
                    .collect();
                w.unsettled(ways, what).headed(
                    format!("Measure again: {} could be right or wrong.", said.measured),
                    format!("{label} {}, not settled", said.measured),
                    "Add readings here; nothing is set.",
                )
            }
        }
    }
}

/// Where the flow is set: in one place only.
fn one_place(own: &FlowFound) -> String {
    let over = own.override_percent;
    let laid = if overrides(over) {
        format!(
            "Profile {} % times override {} % laid {} %. ",
            fixed(own.set_percent, 1),
            plain(over, 1),
            fixed(own.set_percent * over / 100.0, 1)
        )
    } else {
        String::new()
    };
    format!(
        "{laid}The profile alone takes the new value; the override belongs at 100 %, since both multiply. To try it before \
         you slice anew, an override of {} % over the old profile does the same.",
        fixed(100.0 * own.wanted_percent / own.set_percent, 1)
    )
}

fn settle(
    typed: &Typed,
    series: &Series,
    instrument: &Instrument,
    band: &Band,
    readings: &FlowReadings,
    context: &Context,
) -> Vec<Way> {
    let density = density_u(typed, readings, context);
    let predicted = |n: usize, i: &Instrument| {
        let u = wattotherm_measure::u_of_mean(series.s, n, series.mean, &Reading::once(i));
        expanded_95(uncertainty(u, density))
    };
    let n = series.n;
    let more = (1..=24).map(|k| SettleOption {
        way: Way::More(k),
        expanded: predicted(n + k, instrument),
    });
    let finer = context
        .house
        .instruments
        .iter()
        .filter(|i| i.kind == InstrumentKind::Micrometer && i.unit == instrument.unit)
        .filter(|i| i.half_width < instrument.half_width)
        .map(|i| SettleOption {
            way: Way::With(i.clone()),
            expanded: predicted(n.max(4), i),
        });
    [
        what_would_settle(band.error, band.limit, more)
            .into_iter()
            .next(),
        what_would_settle(band.error, band.limit, finer)
            .into_iter()
            .next(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// Difference between high and low walls, if it is significant and larger than the limit.
///
/// Walls that read all alike prove nothing: within a group they differ by no less than the instrument can tell.
fn varies_along_height(
    low: &[f64],
    high: &[f64],
    limit: f64,
    instrument: &Instrument,
) -> Option<f64> {
    let (a, b) = (Series::of(low)?, Series::of(high)?);
    if a.n < 2 || b.n < 2 {
        return None;
    }
    // OK because there are at most 64 readings.
    #[allow(clippy::cast_precision_loss)]
    let (na, nb) = (a.n as f64, b.n as f64);
    let step = b.mean - a.mean;
    if step.abs() <= limit {
        return None;
    }
    let within = ((na - 1.0) * a.s.powi(2) + (nb - 1.0) * b.s.powi(2)) / (na + nb - 2.0);
    let within = within.max(instrument.half_width.powi(2) / 3.0);
    let between = step.powi(2) * na * nb / (na + nb);
    let f = FisherSnedecor::new(1.0, na + nb - 2.0).ok()?;
    (1.0 - f.cdf(between / within) < VARIATION_P).then_some(step.abs())
}
