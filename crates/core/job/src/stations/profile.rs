//! Nozzle profile: what of the slicer's profile rests on the bore, what becomes of it, and whether printer, profile
//! and the last sliced file speak of one bore.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::plain;
use wattotherm_measure::{Pen, Unit, Verdict};
use wattotherm_printer::Parameter;
use wattotherm_toolpath::bead_area_mm2;

use super::{SetUp, Station, known};
use crate::context::{Context, IN_FORCE, SavedLines};
use crate::finding::{Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};
use crate::house::RuleId;

/// The slicer's profile for the fitted bore.
pub struct Profile;

/// What is read off the slicer's profile. What an older trial of it kept is taken along.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct ProfileReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// Bore that the profile was for before [mm]; blank if there was none.
    pub before: Entry,
    /// Bore that the profile is for now [mm].
    #[serde(alias = "best")]
    pub bore: Entry,
    /// Height of the first layer [mm].
    pub first_layer: Entry,
    /// Height of the other layers [mm].
    pub layer: Entry,
    /// Width of a line of the first layer [mm].
    pub first_width: Entry,
    /// Width of the outer wall [mm].
    pub outer_width: Entry,
    /// Width of inner walls [mm].
    pub inner_width: Entry,
    /// Width of infill and top lines [mm].
    pub infill_width: Entry,
    /// Speed of the outer wall [mm/s].
    pub outer_speed: Entry,
    /// Speed of inner walls [mm/s].
    pub inner_speed: Entry,
    /// Speed of infill [mm/s].
    pub infill_speed: Entry,
    /// Volumetric limit [mm³/s]; blank while it isn't known.
    pub flow_limit: Entry,
    /// Width of the beads in the last sliced file [mm]; blank if there is none.
    pub file_width: Entry,
    /// Height of its layers [mm].
    pub file_height: Entry,
    /// Name under which it is saved.
    pub name: String,
    /// Saved in the printer's part of the slicer.
    pub saved_printer: bool,
    /// Saved among the ways to print.
    pub saved_process: bool,
    /// Minutes that the shop's usual part takes with the bore of before [min].
    pub minutes_before: Entry,
    /// Minutes with this bore [min].
    pub minutes_now: Entry,
    /// Its weight before [g].
    pub grams_before: Entry,
    /// Its weight now [g].
    pub grams_now: Entry,
    /// What an hour of the machine costs the shop, in its own money.
    pub hour: Entry,
    /// In the technician's words.
    pub note: String,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// Which value of a profile.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Which {
    FirstLayer,
    Layer,
    FirstWidth,
    OuterWidth,
    InnerWidth,
    InfillWidth,
    OuterSpeed,
    InnerSpeed,
    InfillSpeed,
}

impl Which {
    const fn label(self) -> &'static str {
        match self {
            Self::FirstLayer => "first layer",
            Self::Layer => "layer",
            Self::FirstWidth => "width, first layer",
            Self::OuterWidth => "width, outer wall",
            Self::InnerWidth => "width, inner walls",
            Self::InfillWidth => "width, infill and top",
            Self::OuterSpeed => "speed, outer wall",
            Self::InnerSpeed => "speed, inner walls",
            Self::InfillSpeed => "speed, infill",
        }
    }
}

/// Where a value of the table comes from.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "from", rename_all = "snake_case")]
enum From {
    /// Read off, and inside what the bore carries.
    Stays,
    /// The same share of the bore as before.
    SameShare,
    /// A share of the bore [1].
    OfBore { share: f64 },
    /// The volumetric limit [mm³/s] over the bead [mm²].
    FlowLimit { mm3_s: f64, mm2: f64 },
}

/// A value of the profile, before and after.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Line {
    which: Which,
    /// As it was read off, in mm or mm/s; none where nobody looked.
    was: Option<f64>,
    /// As it is to be.
    now: f64,
    from: From,
}

impl Line {
    /// Whether it only says how far a value may go that nobody read off.
    const fn is_bound_only(&self) -> bool {
        matches!(self.from, From::FlowLimit { .. }) && self.was.is_none()
    }
}

/// Which of printer, profile and last file speaks of another bore.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Odd {
    /// All that is known agrees.
    None,
    /// The last file was sliced for another bore.
    File,
    /// Record and file agree; the profile is for another bore.
    Profile,
    /// Profile and record differ, and no file tells which of them is wrong.
    Either,
    /// Profile and file agree; the printer's record says another bore.
    Fitted,
}

/// What the shop's usual part takes with either bore.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Worth {
    minutes: [f64; 2],
    grams: Option<[f64; 2]>,
    hour: Option<f64>,
}

/// What was found of the profile.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ProfileFound {
    bore_mm: f64,
    fitted_mm: f64,
    lines: Vec<Line>,
    odd: Odd,
    /// Width and height of the last file's beads [mm].
    file: Option<[f64; 2]>,
    worth: Option<Worth>,
    name: String,
    note: String,
}

/// What the profile of a finding has saved; nothing unless it passed, and for a bore of `nozzle_mm` [mm].
#[must_use]
pub fn saved_lines(facts: &Facts, nozzle_mm: f64) -> SavedLines {
    let passed = facts.verdict == Verdict::Pass;
    let own = passed.then(|| serde_json::from_value::<ProfileFound>(facts.own.clone()));
    let own = own.and_then(Result::ok);
    let Some(own) = own.filter(|own| (own.bore_mm - nozzle_mm).abs() <= SAME_MM) else {
        return SavedLines::default();
    };
    let saved = |which: Which| own.lines.iter().find(|l| l.which == which)?.was;
    SavedLines {
        outer_width_mm: saved(Which::OuterWidth),
        first_layer_mm: saved(Which::FirstLayer),
    }
}

/// Lines are so many bores wide at least, at most. Common practice, no published source.
const WIDTHS: [f64; 2] = [1.0, 1.5];
/// Layers are so many bores high at least, at most. Common practice, no published source.
const LAYERS: [f64; 2] = [0.25, 0.75];
/// Beads of a file may be so many bores wide, and its layers so high, before it counts as sliced for another bore: a
/// program rounds and squeezes.
const FILE_WIDTHS: [f64; 2] = [0.9, 1.6];
const FILE_LAYER: f64 = 0.8;
/// Two bores are the same within this [mm]: nozzles come in steps of 0.05.
const SAME_MM: f64 = 0.005;

const BORE: Limit = Limit::new(
    "bore",
    "bore in the profile",
    Unit::Mm,
    [0.1, 2.0, 0.15, 1.2],
    "nozzles are drilled in this range",
);
const LAYER: Limit = Limit::new(
    "layer",
    "layer height",
    Unit::Mm,
    [0.02, 2.0, 0.04, 0.9],
    "a bore lays a quarter to three quarters of itself",
);
const WIDTH: Limit = Limit::new(
    "outer_width",
    "line width",
    Unit::Mm,
    [0.08, 4.0, 0.14, 1.8],
    "a line is about as wide as the bore",
);
const SPEED: Limit = Limit::new(
    "outer_speed",
    "speed",
    Unit::MmPerS,
    [1.0, 1_500.0, 5.0, 600.0],
    "heads move in this range",
);
const FLOW: Limit = Limit::new(
    "flow_limit",
    "volumetric limit",
    Unit::Mm3PerS,
    [0.5, 100.0, 2.0, 60.0],
    "hot ends melt this much",
);
const MINUTES: Limit = Limit::new(
    "minutes_before",
    "print",
    Unit::Minute,
    [0.5, 20_000.0, 1.0, 6_000.0],
    "prints last minutes to days",
);
const GRAMS: Limit = Limit::new(
    "grams_before",
    "part",
    Unit::Gram,
    [0.05, 20_000.0, 0.2, 5_000.0],
    "parts weigh grams to kilograms",
);
const HOUR: Limit = Limit::new(
    "hour",
    "an hour",
    Unit::One,
    [0.01, 10_000.0, 0.1, 500.0],
    "what the shop reckons for an hour of the machine",
);
/// Longest name, and longest note.
const MOST_NAME: usize = 80;
const MOST_NOTE: usize = 20_000;
/// Of a note, what stands among the reasons.
const NOTE_SHOWN: usize = 400;

/// Rounded to a step that slicers take [mm].
fn step(mm: f64) -> f64 {
    (mm / 0.01).round() * 0.01
}

/// Whether beads of a file may come out of a bore [mm].
fn fits(file: [f64; 2], bore_mm: f64) -> bool {
    (FILE_WIDTHS[0] * bore_mm..=FILE_WIDTHS[1] * bore_mm).contains(&file[0])
        && file[1] <= FILE_LAYER * bore_mm
}

/// Who of file, printer and profile speaks of another bore, in words; none where all agree. Beads of the file [mm]:
/// width, height; bores [mm]: fitted, and in the profile where one was settled.
#[must_use]
pub fn other_bore(file_mm: [f64; 2], fitted_mm: f64, profile_mm: Option<f64>) -> Option<String> {
    let file = format!(
        "beads of {} × {} mm",
        plain(file_mm[0], 2),
        plain(file_mm[1], 2)
    );
    let fitted = plain(fitted_mm, 2);
    let profile = profile_mm.filter(|p| (p - fitted_mm).abs() > SAME_MM);
    match (fits(file_mm, fitted_mm), profile) {
        (true, None) => None,
        (true, Some(p)) => Some(format!(
            "File and nozzle agree on {fitted} mm; the printer’s profile was set for {} mm: look at it.",
            plain(p, 2)
        )),
        (false, Some(p)) if fits(file_mm, p) => Some(format!(
            "File ({file}) and profile are for {} mm, and {fitted} mm is said to be fitted: look at the nozzle.",
            plain(p, 2)
        )),
        (false, _) => Some(format!(
            "The file lays {file}: it was sliced for another bore than the {fitted} mm that is fitted."
        )),
    }
}

/// A length of the profile: what becomes of it under the bore. `share` [1] is what it is set to where nothing better
/// is known.
fn length(
    which: Which,
    was: Option<f64>,
    [bore, before]: [f64; 2],
    range: [f64; 2],
    share: f64,
) -> Line {
    let inside = |mm: f64| (range[0] * bore - 1e-9..=range[1] * bore + 1e-9).contains(&mm);
    let moved = (bore - before).abs() > SAME_MM;
    let (now, from) = match was {
        // A first layer is chosen for the bed, not for the bore.
        Some(mm) if inside(mm) && (!moved || which == Which::FirstLayer) => (mm, From::Stays),
        Some(mm) if moved && inside(step(mm * bore / before)) => {
            (step(mm * bore / before), From::SameShare)
        }
        _ => (step(share * bore), From::OfBore { share }),
    };
    Line {
        which,
        was,
        now,
        from,
    }
}

impl Station for Profile {
    type Readings = ProfileReadings;
    type Own = ProfileFound;
    const ID: &'static str = "profile";
    const SETTLES: &'static [Parameter] = &[Parameter::Profile];
    const STAYS: &'static [&'static str] = &["name", "flow_limit", "hour"];

    fn start(context: &Context) -> ProfileReadings {
        let file = context.last_print.as_ref();
        ProfileReadings {
            before: known(context.before, 3),
            bore: known(Some(context.printer.nozzle_mm), 3),
            flow_limit: known(context.volumetric_limit, 2),
            file_width: known(file.map(|f| f.width_mm), 2),
            file_height: known(file.map(|f| f.height_mm), 2),
            ..ProfileReadings::default()
        }
    }

    fn sources(context: &Context) -> BTreeMap<&'static str, &'static str> {
        let mut from = BTreeMap::from([("bore", "what is fitted")]);
        if context.before.is_some() {
            from.insert("before", IN_FORCE);
        }
        if context.volumetric_limit.is_some() {
            from.insert("flow_limit", IN_FORCE);
        }
        if context.last_print.is_some() {
            from.insert("file_width", "the last sliced file");
            from.insert("file_height", "the last sliced file");
        }
        from
    }

    fn form(_: &ProfileReadings, _: &Context) -> Form {
        let at =
            |path: &str, limit: &Limit, label: &str| Field::number_at(path, limit).named(label);
        Form::default()
            .group(
                "",
                vec![
                    at("before", &BORE, "Bore before"),
                    Field::number(&BORE)
                        .named("Bore in the profile now")
                        .needed(),
                ],
            )
            .large()
            .drawn("bead")
            .group(
                "As the profile has it now",
                vec![
                    at("outer_width", &WIDTH, "Outer wall, width"),
                    at("inner_width", &WIDTH, "Inner walls, width"),
                    at("infill_width", &WIDTH, "Infill and top, width"),
                    at("first_width", &WIDTH, "First layer, width"),
                    at("layer", &LAYER, "Layer"),
                    at("first_layer", &LAYER, "First layer"),
                    at("outer_speed", &SPEED, "Outer wall, speed"),
                    at("inner_speed", &SPEED, "Inner walls, speed"),
                    at("infill_speed", &SPEED, "Infill, speed"),
                    Field::number(&FLOW).named("Volumetric limit"),
                ],
            )
            .group(
                "Saved",
                vec![
                    Field::text("name", "Under which name", MOST_NAME)
                        .hint("With the bore in it, for example “0.6 draft”."),
                    Field::tick("saved_printer", "The bore is saved with the printer"),
                    Field::tick(
                        "saved_process",
                        "Widths, layers and speeds are saved with the way to print",
                    ),
                ],
            )
            .folded(
                "The last sliced file",
                vec![
                    at("file_width", &WIDTH, "Its beads, width"),
                    at("file_height", &LAYER, "Its layers"),
                ],
            )
            .folded(
                "Is the bigger bore worth it?",
                vec![
                    at("minutes_before", &MINUTES, "Usual part before"),
                    at("minutes_now", &MINUTES, "Usual part now")
                        .hint("Prints compares two files, or reckons with another bore."),
                    at("grams_before", &GRAMS, "Its weight before"),
                    at("grams_now", &GRAMS, "Its weight now"),
                    Field::number(&HOUR).named("An hour of the machine"),
                ],
            )
            .group("", vec![Field::text("note", "What you saw", MOST_NOTE)])
    }

    fn set_up(_: &ProfileReadings, context: &Context) -> SetUp {
        let up = SetUp::new("Set what rests on the bore, in printer and profile, and save both.");
        let up = super::guide::guide(Parameter::Profile, context)
            .iter()
            .fold(up, |up, hint| up.hint(context.house.pen.text(hint)));
        up.hint(
            "Read off the profile what it has now; what isn’t read off is reckoned from the bore.",
        )
        .limit("Lines 100 to 150 % of the bore wide, layers 25 to 75 % of it high.")
        .rule(RuleId::ProfileAfterBore, context, "")
    }

    /// Formula: widths 100 to 150 % and layers 25 to 75 % of the bore; what was inside before keeps its share of the
    /// bore; speed ≤ limit / ((w − h)·h + π(h/2)²).
    /// Source: handbook 2, section 6: common practice, no published source; the bead's area is geometry.
    fn facts(r: &ProfileReadings, context: &Context) -> Result<Facts<ProfileFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let fitted = context.printer.nozzle_mm;
        let before = intake.may(&BORE, "before", &r.before);
        let bore = intake.need(&BORE, "bore", &r.bore);
        let mut may = |limit: &Limit, path: &str, entry: &Entry| intake.may(limit, path, entry);
        let first_layer = may(&LAYER, "first_layer", &r.first_layer);
        let layer = may(&LAYER, "layer", &r.layer);
        let widths = [
            may(&WIDTH, "first_width", &r.first_width),
            may(&WIDTH, "outer_width", &r.outer_width),
            may(&WIDTH, "inner_width", &r.inner_width),
            may(&WIDTH, "infill_width", &r.infill_width),
        ];
        let speeds = [
            may(&SPEED, "outer_speed", &r.outer_speed),
            may(&SPEED, "inner_speed", &r.inner_speed),
            may(&SPEED, "infill_speed", &r.infill_speed),
        ];
        let limit = may(&FLOW, "flow_limit", &r.flow_limit);
        let file = may(&WIDTH, "file_width", &r.file_width)
            .zip(may(&LAYER, "file_height", &r.file_height))
            .map(|(w, h)| [w, h]);
        let minutes = may(&MINUTES, "minutes_before", &r.minutes_before).zip(may(
            &MINUTES,
            "minutes_now",
            &r.minutes_now,
        ));
        let grams = may(&GRAMS, "grams_before", &r.grams_before).zip(may(
            &GRAMS,
            "grams_now",
            &r.grams_now,
        ));
        let hour = may(&HOUR, "hour", &r.hour);
        super::snapshot::no_longer(&mut intake, "name", &r.name, MOST_NAME);
        super::snapshot::no_longer(&mut intake, "note", &r.note, MOST_NOTE);
        // A profile is for the nozzle that is fitted, unless profile and file both say that the record is wrong.
        if bore.is_some_and(|b| (b - fitted).abs() > SAME_MM)
            && !r.confirmed.iter().any(|c| c == "bore" || c == "best")
        {
            intake.push(FieldProblem::DidYouMean {
                field: "bore".into(),
                label: "fitted nozzle".into(),
                unit: Unit::Mm,
                got: r.bore.shown(),
                suggestion: fitted,
            });
        }
        let moved = before
            .zip(bore)
            .is_none_or(|(a, b)| (a - b).abs() > SAME_MM);
        if !moved {
            if widths[1].is_none() || layer.is_none() {
                intake.count(
                    "outer_width",
                    "Read off at least the width of the outer wall and the layer as they are saved.",
                );
            }
            if !r.saved_printer {
                intake.count(
                    "saved_printer",
                    "Save the bore with the printer, then tick it.",
                );
            }
            if !r.saved_process {
                intake.count(
                    "saved_process",
                    "Save widths, layers and speeds with the way to print, then tick it.",
                );
            }
        }
        intake.finish()?;
        // OK because `need` has found it, or there is a problem.
        let bore = bore.unwrap_or(fitted);
        let bores = [bore, before.unwrap_or(bore)];
        let mut lines = vec![
            length(Which::Layer, layer, bores, LAYERS, 0.5),
            length(Which::FirstLayer, first_layer, bores, LAYERS, 0.5),
            length(Which::OuterWidth, widths[1], bores, WIDTHS, 1.1),
            length(Which::InnerWidth, widths[2], bores, WIDTHS, 1.1),
            length(Which::InfillWidth, widths[3], bores, WIDTHS, 1.1),
            length(Which::FirstWidth, widths[0], bores, WIDTHS, 1.2),
        ];
        let height = lines[0].now;
        let of = [lines[2].now, lines[3].now, lines[4].now];
        let which = [Which::OuterSpeed, Which::InnerSpeed, Which::InfillSpeed];
        for ((which, was), width) in which.into_iter().zip(speeds).zip(of) {
            let Some(mm3_s) = limit else { continue };
            let mm2 = bead_area_mm2(width.max(height), height);
            let most = (mm3_s / mm2).floor();
            let over = was.is_none_or(|v| v > most + 1e-9);
            lines.push(Line {
                which,
                was,
                now: if over { most } else { was.unwrap_or(most) },
                from: if over {
                    From::FlowLimit { mm3_s, mm2 }
                } else {
                    From::Stays
                },
            });
        }
        // Where nothing of the bore moved, only what was read off is judged.
        if !moved {
            lines.retain(|l| l.was.is_some());
        }
        let changes = lines.iter().any(|l| l.from != From::Stays);
        let file_fits = file.map(|f| fits(f, bore));
        let odd = if (bore - fitted).abs() > SAME_MM {
            match file {
                Some(f) if fits(f, fitted) && !fits(f, bore) => Odd::Profile,
                Some(f) if fits(f, bore) && !fits(f, fitted) => Odd::Fitted,
                _ => Odd::Either,
            }
        } else if file_fits == Some(false) {
            Odd::File
        } else {
            Odd::None
        };
        let own = ProfileFound {
            bore_mm: bore,
            fitted_mm: fitted,
            lines,
            odd,
            file,
            worth: minutes.map(|(a, b)| Worth {
                minutes: [a, b],
                grams: grams.map(|(a, b)| [a, b]),
                hour,
            }),
            name: r.name.trim().to_owned(),
            note: r.note.trim().chars().take(NOTE_SHOWN).collect(),
        };
        let mut facts = Facts::new(Self::ID, Unit::Mm, Verdict::Pass, own);
        facts.before = before;
        facts.value_expanded = Some(SAME_MM);
        if matches!(facts.own.odd, Odd::Fitted | Odd::Profile | Odd::Either) {
            facts.verdict = Verdict::MeasureAgain;
        } else if moved || changes {
            facts.verdict = Verdict::Adjust;
            facts.after = Some(bore);
        }
        Ok(facts)
    }

    fn words(f: &Facts<ProfileFound>, pen: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new(Parameter::Profile.label());
        let mm = |v: f64| pen.plain(v, Unit::Mm, 2);
        let shown = |which: Which, v: f64| match which {
            Which::OuterSpeed | Which::InnerSpeed | Which::InfillSpeed => {
                pen.plain(v, Unit::MmPerS, 0)
            }
            _ => mm(v),
        };
        let bore = mm(own.bore_mm);
        w.rows.push(Row::new(
            "bore",
            f.before.map(mm),
            f.after.map(|_| format!("{bore}, as fitted")),
        ));
        for line in &own.lines {
            let why = match line.from {
                From::Stays => None,
                From::SameShare => Some("the same share of the bore".to_owned()),
                From::OfBore { share } => {
                    Some(format!("{} % of the bore", plain(100.0 * share, 0)))
                }
                From::FlowLimit { mm3_s, mm2 } => Some(format!(
                    "{} over a bead of {} mm²",
                    pen.plain(mm3_s, Unit::Mm3PerS, 1),
                    plain(mm2, 3)
                )),
            };
            w.rows.push(Row::new(
                line.which.label(),
                Some(
                    line.was
                        .map_or_else(|| "not read off".into(), |v| shown(line.which, v)),
                ),
                why.map(|why| {
                    let most = if line.is_bound_only() { "at most " } else { "" };
                    format!("{most}{}: {why}", shown(line.which, line.now))
                }),
            ));
        }
        match (own.odd, own.file) {
            (Odd::File, Some([width, height])) => w.reasons.push(format!(
                "The last sliced file lays beads of {} × {}: it was sliced for another bore. Slice it anew before it is printed.",
                mm(width),
                mm(height)
            )),
            (Odd::Fitted, _) => w.reasons.push(format!(
                "Profile and last file are for {bore}, the printer’s record says {}: the record is the odd one.",
                mm(own.fitted_mm)
            )),
            (Odd::Profile, _) => w.reasons.push(format!(
                "The profile is for {bore}; record and last file are for {}: the profile is the odd one.",
                mm(own.fitted_mm)
            )),
            (Odd::Either | Odd::File | Odd::None, _) => {}
        }
        if let Some(worth) = own.worth {
            w.reasons.extend(worth_words(worth, own, pen));
        }
        if !own.note.is_empty() {
            w.reasons.push(own.note.clone());
        }
        let under = if own.name.is_empty() {
            String::new()
        } else {
            format!(" as “{}”", own.name)
        };
        if f.verdict == Verdict::MeasureAgain {
            w.settle = vec!["the bore read off the nozzle: the number or the dots on it".into()];
            return w.say(
                format!(
                    "Measure again: the profile is for {bore}, and {} is said to be fitted.",
                    mm(own.fitted_mm)
                ),
                "Look at the nozzle. Is the profile wrong, set it; is the record wrong, put it right on the printer’s page.",
                "bore not settled",
                "Read the bore off the nozzle.",
            );
        }
        if f.verdict == Verdict::Adjust {
            w.plain = own
                .lines
                .iter()
                .filter(|l| l.from != From::Stays && !l.is_bound_only())
                .map(|l| PlainValue {
                    name: l.which.label().into(),
                    // Slicers want millimetres, whatever the shop is shown.
                    value: plain(l.now, 2),
                })
                .collect();
            let was = f.before.map_or_else(|| "not set".into(), mm);
            let same = f.before.is_some_and(|b| (b - own.bore_mm).abs() <= SAME_MM);
            let line = if same {
                format!("{bore}, {} to set", w.plain.len())
            } else {
                format!("{was} → {bore}")
            };
            let headline = if same {
                let n = w.plain.len();
                format!(
                    "Adjust: {n} {} outside what a bore of {bore} carries.",
                    if n == 1 { "value is" } else { "values are" }
                )
            } else {
                format!("Adjust: bore {was} → {bore}.")
            };
            w.say(
                headline,
                format!("Set the values of the table{under}, and save them in both places."),
                line,
                "Set them, save them, read them off once more, tick both places.",
            )
        } else {
            w.say(
                format!("Pass: the profile is for {bore}{under}."),
                "What was read off is inside what the bore carries, and saved in both places.",
                bore,
                "Go on.",
            )
        }
    }
}

/// Is the bigger bore worth it: time, grams, money, and what is seen of it.
fn worth_words(worth: Worth, own: &ProfileFound, pen: Pen) -> Vec<String> {
    let [a, b] = worth.minutes;
    let minutes = |v: f64| pen.plain(v, Unit::Minute, 0);
    let mut says = vec![format!(
        "The usual part: {} instead of {}, {}.",
        minutes(b),
        minutes(a),
        if b <= a {
            format!("{} % saved", plain(100.0 * (a - b) / a, 0))
        } else {
            format!("{} % longer", plain(100.0 * (b - a) / a, 0))
        }
    )];
    if let Some([ga, gb]) = worth.grams {
        says.push(format!(
            "It takes {} instead of {}.",
            pen.plain(gb, Unit::Gram, 1),
            pen.plain(ga, Unit::Gram, 1)
        ));
    }
    if let Some(hour) = worth.hour {
        let saved = (a - b) / 60.0 * hour;
        says.push(format!(
            "At {} an hour that {} {} a part.",
            plain(hour, 2),
            if saved >= 0.0 { "saves" } else { "costs" },
            plain(saved.abs(), 2)
        ));
    }
    let of = |which: Which| own.lines.iter().find(|l| l.which == which);
    let seen = |l: &Line| {
        l.was
            .filter(|was| (was - l.now).abs() > SAME_MM)
            .map(|was| [was, l.now].map(|v| pen.plain(v, Unit::Mm, 2)))
    };
    if let Some([was, now]) = of(Which::Layer).and_then(seen) {
        says.push(format!(
            "Layers of {now} instead of {was} are seen on slopes."
        ));
    }
    if let Some([was, now]) = of(Which::OuterWidth).and_then(seen) {
        says.push(format!(
            "No wall comes out thinner than {now}; before it was {was}."
        ));
    }
    says
}
