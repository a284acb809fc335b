//! What a station is, and the list of all of them.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::RwLock;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::openapi::{RefOr, Schema};
use utoipa::{PartialSchema, ToSchema};
use wattotherm_measure::entry::{Entry, ReadingError};
use wattotherm_measure::{Pen, Verdict};
use wattotherm_printer::{Fitted, Parameter};

use super::SetUp;
use crate::context::Context;
use crate::finding::{Cause, FINDING_VERSION, Facts, Finding, Words};
use crate::form::Form;

/// A kind of work at the printer: what is read, what it shows, what it is called.
///
/// A station is one file and one line in [`STATIONS`]. Evaluation is three steps that never mix: readings to
/// facts, facts to words; words by a pen that knows the shop's units.
pub trait Station: Send + Sync + 'static {
    /// What is typed there. All fields have defaults; `version` and `confirmed` are among them.
    type Readings: Serialize + DeserializeOwned + Default + ToSchema;
    /// Facts that only this station knows of.
    type Own: Serialize + DeserializeOwned;

    /// Name for programs, e.g. `drive`.
    const ID: &'static str;
    /// Shape of the readings.
    const VERSION: u32 = 1;
    /// Parameters that are settled here.
    const SETTLES: &'static [Parameter] = &[];
    /// Fields that stay as they were typed when the station is worked again in its job: the instrument, the way, how
    /// it is set up. All else is read anew.
    const STAYS: &'static [&'static str] = &["instrument"];

    /// Readings to begin with: what is known filled in, the rest blank.
    fn start(context: &Context) -> Self::Readings;
    /// What is asked, given what is typed so far.
    fn form(readings: &Self::Readings, context: &Context) -> Form;
    /// What is shown before anything is typed: instruction, caution, house rule.
    fn set_up(readings: &Self::Readings, context: &Context) -> SetUp;
    /// Readings to facts.
    /// # Errors
    /// [`ReadingError`] with every field that is missing or impossible.
    fn facts(
        readings: &Self::Readings,
        context: &Context,
    ) -> Result<Facts<Self::Own>, ReadingError>;
    /// Facts to words.
    fn words(facts: &Facts<Self::Own>, pen: Pen) -> Words;
    /// What the readings show of the pieces that are fitted, once the station is closed.
    fn learns(_readings: &Self::Readings) -> Vec<Fitted> {
        Vec::new()
    }
    /// Fields of [`Station::start`] that were filled from somewhere, by path: from where.
    fn sources(_context: &Context) -> BTreeMap<&'static str, &'static str> {
        BTreeMap::new()
    }
    /// Readings of an older shape in this one.
    fn upgrade(_from: u32, readings: Value) -> Value {
        readings
    }
}

/// Why a station gives no finding.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EvaluateError {
    /// The JSON has another shape than the station's readings.
    #[error("{field}: {message}")]
    Shape {
        /// Path of the field.
        field: String,
        /// What was wrong.
        message: String,
    },
    /// The shape is right, the values are not.
    #[error(transparent)]
    Readings(#[from] ReadingError),
}

/// Adjusts without a pass before the station stops. Common practice, no published source.
pub const MOST_ADJUSTS: u32 = 3;

/// A station whose readings and facts are JSON: what all but the station itself works with.
pub trait AnyStation: Send + Sync {
    /// See [`Station::ID`].
    fn id(&self) -> &'static str;
    /// See [`Station::SETTLES`].
    fn settles(&self) -> &'static [Parameter];
    /// See [`Station::start`].
    fn start(&self, context: &Context) -> Value;
    /// See [`Station::form`]. Readings that can't be read give the form of blank ones.
    fn form(&self, readings: &Value, context: &Context) -> Form;
    /// See [`Station::set_up`]. Readings that can't be read give the set-up of blank ones.
    fn set_up(&self, readings: &Value, context: &Context) -> SetUp;
    /// Readings to facts to words, in the units of the context's shop.
    /// # Errors
    /// [`EvaluateError::Shape`] for JSON that isn't this station's, [`EvaluateError::Readings`] with every
    /// field that is missing, out of range, or asks "did you mean".
    fn evaluate(&self, readings: &Value, context: &Context) -> Result<Finding, EvaluateError>;
    /// Words for kept facts; none where an older version kept them without its own facts.
    fn words(&self, facts: &Facts, pen: Pen) -> Option<Words>;
    /// See [`Station::learns`].
    fn learns(&self, readings: &Value) -> Vec<Fitted>;
    /// Schemas of its readings, the readings' own last.
    fn schemas(&self) -> Vec<(String, RefOr<Schema>)>;
}

impl fmt::Debug for dyn AnyStation + '_ {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.id())
    }
}

/// Reads JSON as a station's readings, of whatever version.
pub(crate) fn read<S: Station>(json: &Value) -> Result<S::Readings, EvaluateError> {
    let version = json.get("version").and_then(Value::as_u64).unwrap_or(0);
    let older = u32::try_from(version)
        .ok()
        .filter(|v| *v > 0 && *v < S::VERSION);
    let upgraded = older.map(|from| S::upgrade(from, json.clone()));
    serde_path_to_error::deserialize(upgraded.as_ref().unwrap_or(json)).map_err(|e| {
        EvaluateError::Shape {
            field: e.path().to_string(),
            message: e.inner().to_string(),
        }
    })
}

fn words_of<S: Station>(facts: &Facts<S::Own>, pen: Pen) -> Words {
    let words = S::words(facts, pen);
    match facts.adjusts {
        Some(n) => words.stopped_by_adjusts(n),
        None => words,
    }
}

impl<S: Station> AnyStation for S {
    fn id(&self) -> &'static str {
        S::ID
    }

    fn settles(&self) -> &'static [Parameter] {
        S::SETTLES
    }

    fn start(&self, context: &Context) -> Value {
        let mut json = serde_json::to_value(S::start(context)).unwrap_or_default();
        if let Some(version) = json.get_mut("version") {
            *version = S::VERSION.into();
        }
        keep_what_stays(&mut json, context, S::STAYS);
        let pen = context.house.pen;
        if pen != Pen::METRIC {
            let form = S::form(&read::<S>(&json).unwrap_or_default(), context);
            in_shop_units(&mut json, &form, pen);
        }
        json
    }

    fn form(&self, readings: &Value, context: &Context) -> Form {
        let typed = read::<S>(readings).unwrap_or_default();
        let mut form = S::form(&typed, context);
        let mut shown = readings.clone();
        for field in form.fields_mut() {
            let entry = place_of(&mut shown, &field.path)
                .and_then(|v| serde_json::from_value::<Entry>(v.clone()).ok());
            field.value = entry
                .zip(field.limit)
                .and_then(|(e, l)| e.parse(l.unit))
                .filter(|v| v.is_finite());
        }
        let mut form = form.written_by(context.house.pen);
        let sources = S::sources(context);
        if !sources.is_empty() {
            let begun = self.start(context);
            for field in form.fields_mut() {
                // What was changed since is the technician's.
                let same = begun.get(&field.path) == readings.get(&field.path);
                if let Some(from) = sources.get(field.path.as_str()).filter(|_| same) {
                    field.from = Some((*from).to_owned());
                }
            }
        }
        form
    }

    fn set_up(&self, readings: &Value, context: &Context) -> SetUp {
        S::set_up(&read::<S>(readings).unwrap_or_default(), context)
    }

    fn evaluate(&self, readings: &Value, context: &Context) -> Result<Finding, EvaluateError> {
        let mut facts = S::facts(&read::<S>(readings)?, context)?;
        // Three adjusts without a pass: the cause lies elsewhere.
        if facts.verdict == Verdict::Adjust && context.adjusts_so_far >= MOST_ADJUSTS {
            facts = facts.stopped(Cause::LiesElsewhere);
            facts.adjusts = Some(context.adjusts_so_far);
        }
        let words = words_of::<S>(&facts, context.house.pen);
        let own = serde_json::to_value(&facts.own).unwrap_or_default();
        Ok(Finding {
            version: FINDING_VERSION,
            facts: facts.with_own(own).0,
            words,
        })
    }

    fn words(&self, facts: &Facts, pen: Pen) -> Option<Words> {
        let own = serde_json::from_value(facts.own.clone()).ok()?;
        Some(words_of::<S>(&facts.clone().with_own(own).0, pen))
    }

    fn learns(&self, readings: &Value) -> Vec<Fitted> {
        read::<S>(readings).map_or(Vec::new(), |r| S::learns(&r))
    }

    fn schemas(&self) -> Vec<(String, RefOr<Schema>)> {
        let mut all = Vec::new();
        S::Readings::schemas(&mut all);
        all.push((S::Readings::name().into_owned(), S::Readings::schema()));
        all
    }
}

/// Numbers that a station begins with, written in the units of the shop where they are the same number there:
/// "392 °F". The others stay in the unit in which they are kept, and a page says so.
fn in_shop_units(readings: &mut Value, form: &Form, pen: Pen) {
    for field in form.fields() {
        let Some(unit) = field.limit.map(|l| l.unit) else {
            continue;
        };
        if pen.symbol(unit) == unit.symbol() {
            continue;
        }
        if let Some(place) = place_of(readings, &field.path)
            && let Ok(entry) = serde_json::from_value::<Entry>(place.clone())
            && let Some(value) = entry.parse(unit)
        {
            // Only what stays the same number: a Z offset of -1.682 mm is not -0.0662 in.
            let text = pen.plain(value, unit, 3);
            let back = Entry::from(text.as_str()).parse(unit);
            if back.is_some_and(|b| (b - value).abs() < 1e-9) {
                *place = text.into();
            }
        }
    }
}

/// The value at a field's path. A key may itself have dots, as those of a new part have.
fn place_of<'a>(json: &'a mut Value, path: &str) -> Option<&'a mut Value> {
    match json {
        Value::Array(items) => {
            let (head, rest) = path.split_once('.').unwrap_or((path, ""));
            let item = items.get_mut(head.parse::<usize>().ok()?)?;
            if rest.is_empty() {
                Some(item)
            } else {
                place_of(item, rest)
            }
        }
        Value::Object(map) => {
            if map.contains_key(path) {
                return map.get_mut(path);
            }
            let (head, rest) = path.split_once('.')?;
            place_of(map.get_mut(head)?, rest)
        }
        _ => None,
    }
}

/// All stations that ship: one line each.
pub static STATIONS: &[&dyn AnyStation] = &[
    &super::Drive,
    &super::Tram,
    &super::OffsetZ,
    &super::Flow,
    &super::Acceptance,
    &super::Profile,
    &super::OffsetXy,
    &super::PrintTemp,
    &super::VolumetricLimit,
    &super::PressureAdvance,
    &super::Retraction,
    &super::Check,
    &super::Snapshot,
    &super::Compare,
    &super::Sensor,
    &super::Heater,
    &super::HeaterLoop,
    &super::HotTighten,
    &super::TubeLength,
    &super::Probe,
    &super::Mesh,
    &super::Worth,
    &super::BedLoop,
    &super::Gantry,
];

static ADDED: RwLock<Vec<&'static dyn AnyStation>> = RwLock::new(Vec::new());

/// Adds a station of another crate to those that ship, before the application starts; it goes before them where
/// both settle a parameter.
pub fn add_station(station: &'static dyn AnyStation) {
    if let Ok(mut added) = ADDED.write() {
        added.push(station);
    }
}

/// All stations: the added ones, then those that ship.
#[must_use]
pub fn all_stations() -> Vec<&'static dyn AnyStation> {
    let mut all = ADDED.read().map(|a| a.clone()).unwrap_or_default();
    all.extend_from_slice(STATIONS);
    all
}

/// The station with this id.
#[must_use]
pub fn station_named(id: &str) -> Option<&'static dyn AnyStation> {
    all_stations().into_iter().find(|s| s.id() == id)
}

/// The station that settles a parameter.
#[must_use]
pub fn station_for(parameter: Parameter) -> &'static dyn AnyStation {
    all_stations()
        .into_iter()
        .find(|s| s.settles().contains(&parameter))
        // It can't be asked for: each parameter has a station, and a test holds it.
        .unwrap_or(&super::Acceptance)
}

impl Finding {
    /// The same in the units of a shop. What an older version kept stays as it was said.
    #[must_use]
    pub fn in_units(mut self, pen: Pen) -> Self {
        let words = station_named(&self.facts.station).and_then(|s| s.words(&self.facts, pen));
        if let Some(words) = words {
            self.words = words;
        }
        self
    }
}

/// How a yes-or-no answer is kept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Answer {
    /// Not answered yet.
    #[default]
    Open,
    /// Yes.
    Yes,
    /// No.
    No,
}

/// Lays what was typed in the last round of this job over what a station begins with.
fn keep_what_stays(json: &mut Value, context: &Context, stays: &[&str]) {
    let (Some(begun), Some(last)) = (
        json.as_object_mut(),
        context.previous.as_ref().and_then(Value::as_object),
    ) else {
        return;
    };
    for name in stays {
        let typed = last.get(*name).filter(|v| !v.is_null() && *v != "");
        if let (Some(field), Some(typed)) = (begun.get_mut(*name), typed) {
            *field = typed.clone();
        }
    }
}
