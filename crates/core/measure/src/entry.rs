//! What was typed into a field, and the limits it has to meet.

use std::fmt;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::pen::Pen;
use crate::unit::Unit;

/// A number as it came in: typed text ("27,5", "27.5 mm", "") or a JSON number.
///
/// Kept as it was typed, so that a draft shows again what the technician wrote.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged)]
pub enum Entry {
    /// A JSON number.
    Number(f64),
    /// Typed text; a comma is a decimal point.
    Text(String),
    /// JSON null: nothing typed.
    Empty,
}

impl Default for Entry {
    /// A field in which nothing is typed.
    fn default() -> Self {
        Self::Text(String::new())
    }
}

impl From<f64> for Entry {
    fn from(value: f64) -> Self {
        Self::Number(value)
    }
}

impl From<&str> for Entry {
    fn from(value: &str) -> Self {
        Self::Text(value.to_owned())
    }
}

impl Entry {
    /// Whether nothing was typed.
    #[must_use]
    pub fn is_blank(&self) -> bool {
        match self {
            Self::Number(_) => false,
            Self::Text(t) => t.trim().is_empty(),
            Self::Empty => true,
        }
    }

    /// The entry as it stands, for a message.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::Number(n) => n.to_string(),
            // A message stays a message, whatever was pasted into the field.
            Self::Text(t) => t.trim().chars().take(40).collect(),
            Self::Empty => String::new(),
        }
    }

    /// Whether a meter shows an open circuit: "OL", "0L", "∞", "open".
    #[must_use]
    pub fn is_open_line(&self) -> bool {
        matches!(self, Self::Text(t) if matches!(
            t.trim().to_lowercase().trim_end_matches([' ', 'ω', 'Ω', 'k', 'm']),
            "ol" | "0l" | "o.l" | "o.l." | "∞" | "open" | "over" | "overload"
        ))
    }

    /// The number in `unit`, if it is one; the unit, or another that measures the same, may stand behind it:
    /// "392 °F" is 200 °C, "118.9 kΩ" is 118 900 Ω, "1 1/4 in" is 31.75 mm.
    #[must_use]
    pub fn parse(&self, unit: Unit) -> Option<f64> {
        match self {
            Self::Number(n) => Some(*n),
            Self::Empty => None,
            Self::Text(text) => {
                let (value, behind) = number_and_rest(text.trim())?;
                let turn = unit.suffix(behind.trim())?;
                // 455 °F are 235 °C, not 235.000 000 000 000 03 of them.
                Some(match turn {
                    Some((factor, offset)) => ((value * factor + offset) * 1e9).round() / 1e9,
                    None => value,
                })
            }
        }
    }
}

/// The number that a text begins with and what follows it: "14,4 ohm", "-3", "1 1/4 in", "3/8".
fn number_and_rest(t: &str) -> Option<(f64, &str)> {
    let in_number = |c: char| c.is_ascii_digit() || matches!(c, '.' | ',' | '-' | '+' | '\u{2212}');
    let split = |t: &'_ str| t.find(|c: char| !in_number(c)).unwrap_or(t.len());
    // Only digits: Rust would also read "inf", "nan" and "1e300", and none is a reading.
    let number = |t: &str| {
        t.replace(',', ".")
            .replace('\u{2212}', "-")
            .parse::<f64>()
            .ok()
    };
    let (first, rest) = t.split_at(split(t));
    let value = number(first)?;
    // A fraction of whole numbers, alone or behind a whole one.
    let whole = |t: &str| t.parse::<u32>().ok().map(f64::from);
    let fraction = |top: &str, behind: &str| {
        let below = behind.strip_prefix('/')?;
        let end = below
            .find(|c: char| !c.is_ascii_digit())
            .unwrap_or(below.len());
        let (below, after) = (&below[..end], end);
        let part = whole(top)? / whole(below).filter(|b| *b > 0.0)?;
        Some((part, after + 1))
    };
    if let Some((part, used)) = fraction(first, rest) {
        return Some((part, &rest[used..]));
    }
    let behind = rest.trim_start();
    let (second, after) = behind.split_at(split(behind));
    if first.bytes().all(|b| b.is_ascii_digit())
        && let Some((part, used)) = fraction(second, after)
    {
        return Some((value + part, &after[used..]));
    }
    Some((value, rest))
}

/// The limits of one kind of input: gives the check, the message, the form's bounds and the
/// property test's generator.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
pub struct Limit {
    /// Name of the field in JSON.
    pub field: &'static str,
    /// Name in a sentence, e.g. "rest".
    pub label: &'static str,
    /// Unit.
    pub unit: Unit,
    /// Least value accepted [the field's unit].
    pub min: f64,
    /// Greatest value accepted [the field's unit].
    pub max: f64,
    /// Values usual at the bench, for "did you mean".
    pub usual_min: f64,
    /// See `usual_min` [the field's unit].
    pub usual_max: f64,
    /// Why the bounds are where they are.
    pub why: &'static str,
}

impl Limit {
    /// A limit; the bounds are least, greatest, and the usual two, in `unit`.
    #[must_use]
    pub const fn new(
        field: &'static str,
        label: &'static str,
        unit: Unit,
        [min, max, usual_min, usual_max]: [f64; 4],
        why: &'static str,
    ) -> Self {
        Self {
            field,
            label,
            unit,
            min,
            max,
            usual_min,
            usual_max,
            why,
        }
    }
}

/// What is wrong with one field.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum FieldProblem {
    /// Nothing was typed where something is needed.
    Missing {
        /// Path of the field.
        field: String,
        /// Its name.
        label: String,
    },
    /// The text is no number.
    NotANumber {
        /// Path of the field.
        field: String,
        /// Its name.
        label: String,
        /// Its unit.
        unit: Unit,
        /// What was typed.
        got: String,
    },
    /// Outside the bounds.
    OutOfRange {
        /// Path of the field.
        field: String,
        /// Its name.
        label: String,
        /// Its unit.
        unit: Unit,
        /// What was typed.
        got: String,
        /// Least accepted [the field's unit].
        min: f64,
        /// Greatest accepted [the field's unit].
        max: f64,
        /// Why the bounds are there.
        why: String,
        /// The same digits with the point moved [the field's unit], if that would be usual.
        suggestion: Option<f64>,
    },
    /// Possible, but a shift of the decimal point would be far more usual.
    DidYouMean {
        /// Path of the field.
        field: String,
        /// Its name.
        label: String,
        /// Its unit.
        unit: Unit,
        /// What was typed.
        got: String,
        /// What was probably meant [the field's unit].
        suggestion: f64,
    },
    /// Far from the other readings of its series: mistyped, or a finding.
    Outlier {
        /// Path of the field.
        field: String,
        /// Its unit.
        unit: Unit,
        /// What was typed.
        got: String,
        /// How far it is from the others [the field's unit].
        distance: f64,
    },
    /// Possible, but oddly placed: two fields may have been swapped. Asked, and confirmed if it is right.
    Ask {
        /// Path of the field.
        field: String,
        /// What is odd and what to do; quantities in braces, as [`Pen::text`] reads them.
        message: String,
    },
    /// Too few or too many entries in a list.
    Count {
        /// Path of the list.
        field: String,
        /// What to do; quantities in braces, as [`Pen::text`] reads them.
        message: String,
    },
    /// Two fields contradict each other, or a choice doesn't exist.
    Conflict {
        /// Path of the field.
        field: String,
        /// What was wrong and what to do; quantities in braces, as [`Pen::text`] reads them.
        message: String,
    },
}

impl fmt::Display for FieldProblem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.says(Pen::METRIC))
    }
}

impl std::error::Error for FieldProblem {}

impl FieldProblem {
    /// What was wrong and what to do, in the units of a shop.
    #[must_use]
    pub fn says(&self, pen: Pen) -> String {
        // What was typed without a unit is in the one that is kept: a page brings the shop's along.
        let typed = |got: &str, unit: Unit| {
            let bare = !got.contains(|c: char| c.is_alphabetic() || c == '°');
            let symbol = if bare { unit.symbol() } else { "" };
            format!("{got}{}", crate::text::spaced(symbol))
        };
        match self {
            Self::Missing { label, .. } => format!("Type the {label}."),
            Self::NotANumber {
                label, unit, got, ..
            } => match pen.symbol(*unit) {
                "" => format!("“{got}” is not a number. Type the {label} in digits."),
                symbol => {
                    format!("“{got}” is not a number. Type the {label} in digits, in {symbol}.")
                }
            },
            Self::OutOfRange {
                label,
                unit,
                got,
                min,
                max,
                why,
                suggestion,
                ..
            } => {
                let mean = suggestion.map_or(String::new(), |s| {
                    format!(" Did you mean {}?", pen.plain(s, *unit, 5))
                });
                format!(
                    "The {label} can’t be {}: {}. Type {} to {}.{mean}",
                    typed(got, *unit),
                    pen.text(why),
                    pen.plain_number(*min, *unit, 4),
                    pen.plain(*max, *unit, 4)
                )
            }
            Self::DidYouMean {
                label,
                unit,
                got,
                suggestion,
                ..
            } => format!(
                "{} is unusual for the {label}. Did you mean {}? Confirm it if it is right.",
                typed(got, *unit),
                pen.plain(*suggestion, *unit, 5)
            ),
            Self::Outlier {
                unit,
                got,
                distance,
                ..
            } => format!(
                "{} is {} from the others: mistyped? Type it again, or confirm it if it is right.",
                typed(got, *unit),
                pen.plain(*distance, *unit, 2)
            ),
            Self::Count { message, .. }
            | Self::Conflict { message, .. }
            | Self::Ask { message, .. } => pen.text(message),
        }
    }

    /// Path of the field, e.g. `runs.2.rest_mm`.
    #[must_use]
    pub fn field(&self) -> &str {
        match self {
            Self::Missing { field, .. }
            | Self::NotANumber { field, .. }
            | Self::OutOfRange { field, .. }
            | Self::DidYouMean { field, .. }
            | Self::Outlier { field, .. }
            | Self::Ask { field, .. }
            | Self::Count { field, .. }
            | Self::Conflict { field, .. } => field,
        }
    }

    /// The same problem of a field below another one: `fitted` and `bore` give `fitted.bore`.
    #[must_use]
    pub fn under(mut self, parent: &str) -> Self {
        let (Self::Missing { field, .. }
        | Self::NotANumber { field, .. }
        | Self::OutOfRange { field, .. }
        | Self::DidYouMean { field, .. }
        | Self::Outlier { field, .. }
        | Self::Ask { field, .. }
        | Self::Count { field, .. }
        | Self::Conflict { field, .. }) = &mut self;
        *field = format!("{parent}.{field}");
        self
    }

    /// Stable code for programs.
    #[must_use]
    pub const fn code(&self) -> &'static str {
        match self {
            Self::Missing { .. } => "missing",
            Self::NotANumber { .. } => "not_a_number",
            Self::OutOfRange { .. } => "out_of_range",
            Self::DidYouMean { .. } => "did_you_mean",
            Self::Outlier { .. } => "outlier",
            Self::Ask { .. } => "ask",
            Self::Count { .. } => "count",
            Self::Conflict { .. } => "conflict",
        }
    }

    /// The value that was probably meant [the field's unit], as one would type it in a shop's units.
    #[must_use]
    pub fn take(&self, pen: Pen) -> Option<String> {
        let (Self::OutOfRange { unit, .. } | Self::DidYouMean { unit, .. }) = self else {
            return None;
        };
        let value = self.suggestion()?;
        Some(if pen.symbol(*unit) == unit.symbol() {
            pen.plain_number(value, *unit, 5)
        } else {
            pen.plain(value, *unit, 5)
        })
    }

    /// The value that was probably meant [the field's unit], where there is one.
    #[must_use]
    pub const fn suggestion(&self) -> Option<f64> {
        match self {
            Self::OutOfRange { suggestion, .. } => *suggestion,
            Self::DidYouMean { suggestion, .. } => Some(*suggestion),
            _ => None,
        }
    }
}

/// Readings that can't be evaluated, with every problem found.
#[derive(Clone, Debug, Default, PartialEq, thiserror::Error)]
#[error("{}", .problems.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))]
pub struct ReadingError {
    /// At least one problem, in the order of the fields.
    pub problems: Vec<FieldProblem>,
}

/// Collects numbers and problems from a set of readings.
#[derive(Debug)]
pub struct Intake<'a> {
    confirmed: &'a [String],
    problems: Vec<FieldProblem>,
}

impl<'a> Intake<'a> {
    /// Starts; `confirmed` lists paths whose unusual values the technician confirmed.
    #[must_use]
    pub const fn new(confirmed: &'a [String]) -> Self {
        Self {
            confirmed,
            problems: Vec::new(),
        }
    }

    /// A number [the field's unit] that must be there.
    pub fn need(&mut self, limit: &Limit, path: &str, entry: &Entry) -> Option<f64> {
        if entry.is_blank() {
            self.problems.push(FieldProblem::Missing {
                field: path.to_owned(),
                label: limit.label.to_owned(),
            });
            return None;
        }
        self.may(limit, path, entry)
    }

    /// A number [the field's unit] that may be left blank.
    pub fn may(&mut self, limit: &Limit, path: &str, entry: &Entry) -> Option<f64> {
        if entry.is_blank() {
            return None;
        }
        if limit.unit == Unit::Ohm && entry.is_open_line() {
            self.problems.push(FieldProblem::Conflict {
                field: path.to_owned(),
                message: "The meter shows an open line: set it to a higher range. If it still does with its tips on the \
                          plug’s two pins, the part or its wire is broken: that is the finding."
                    .into(),
            });
            return None;
        }
        let Some(value) = entry.parse(limit.unit).filter(|v| v.is_finite()) else {
            self.problems.push(FieldProblem::NotANumber {
                field: path.to_owned(),
                label: limit.label.to_owned(),
                unit: limit.unit,
                got: entry.shown(),
            });
            return None;
        };
        let usual = |v: f64| v >= limit.usual_min && v <= limit.usual_max;
        // A score or a count that is whole is no slipped point of one that isn't.
        let whole = limit.unit == Unit::One && value.fract() == 0.0;
        // A slipped point, or a prefix of the meter's that was left out.
        let shifted = [10.0, 0.1, 1_000.0, 0.001, 100.0, 0.01]
            .into_iter()
            .map(|by: f64| {
                if by < 1.0 {
                    value / (1.0 / by).round()
                } else {
                    value * by
                }
            })
            .find(|v| usual(*v) && (!whole || v.fract() == 0.0));
        if value < limit.min || value > limit.max {
            self.problems.push(FieldProblem::OutOfRange {
                field: path.to_owned(),
                label: limit.label.to_owned(),
                unit: limit.unit,
                got: entry.shown(),
                min: limit.min,
                max: limit.max,
                why: limit.why.to_owned(),
                suggestion: shifted,
            });
            return None;
        }
        if !usual(value)
            && let Some(suggestion) = shifted
            && !self.is_confirmed(path)
        {
            self.ask(limit, path, entry, suggestion);
            return None;
        }
        Some(value)
    }

    /// Numbers of a list where one differs from the others by a factor of about ten are asked
    /// about: a slipped decimal point. `values` are those already read, with their paths.
    pub fn ask_outliers_by_ten(&mut self, limit: &Limit, values: &[(String, f64)]) {
        if values.len() < 2 {
            return;
        }
        let mut sorted: Vec<f64> = values.iter().map(|(_, v)| *v).collect();
        sorted.sort_by(f64::total_cmp);
        // With two values the larger stands for the rest: a rest in centimetres is the usual slip.
        let middle = sorted[sorted.len() / 2];
        for (path, value) in values {
            if self.is_confirmed(path) || *value <= 0.0 || middle <= 0.0 {
                continue;
            }
            for factor in [10.0, 0.1] {
                let suggestion = value * factor;
                if (suggestion / middle - 1.0).abs() < 0.2 && (value / middle - 1.0).abs() > 0.5 {
                    self.ask(limit, path, &Entry::Number(*value), suggestion);
                }
            }
        }
    }

    /// A reading of one quantity far from its others is asked about, never dropped; one that is confirmed
    /// counts. `least` is what the instrument can be off by [the readings' unit].
    ///
    /// From five readings on by Grubbs' test at 1 %; for three and four, where no test has power, by the distance
    /// from the others' median: more than five times the larger of `least` and their spread. Two can't say which
    /// of them it is. Source: Grubbs 1969 and ISO 5725-2:2019 (from memory); the rule for few is common practice.
    pub fn ask_outliers(&mut self, limit: &Limit, values: &[(String, f64)], least: f64) {
        let all: Vec<f64> = values.iter().map(|(_, v)| *v).collect();
        let far = crate::outlier::far(&all, least);
        if let Some((i, distance)) = far {
            let (path, value) = &values[i];
            let asked = self.problems.iter().any(|p| p.field() == path);
            if !self.is_confirmed(path) && !asked {
                self.problems.push(FieldProblem::Outlier {
                    field: path.clone(),
                    unit: limit.unit,
                    got: Entry::Number(*value).shown(),
                    distance,
                });
            }
        }
    }

    fn ask(&mut self, limit: &Limit, path: &str, entry: &Entry, suggestion: f64) {
        self.problems.push(FieldProblem::DidYouMean {
            field: path.to_owned(),
            label: limit.label.to_owned(),
            unit: limit.unit,
            got: entry.shown(),
            suggestion,
        });
    }

    fn is_confirmed(&self, path: &str) -> bool {
        self.confirmed.iter().any(|c| c == path)
    }

    /// Notes a problem found elsewhere.
    pub fn push(&mut self, problem: FieldProblem) {
        self.problems.push(problem);
    }

    /// Asks about what is possible but odd, unless it is confirmed.
    pub fn ask_whether(&mut self, field: &str, message: impl Into<String>) {
        if !self.is_confirmed(field) {
            self.problems.push(FieldProblem::Ask {
                field: field.to_owned(),
                message: message.into(),
            });
        }
    }

    /// Notes a contradiction.
    pub fn conflict(&mut self, field: &str, message: impl Into<String>) {
        self.problems.push(FieldProblem::Conflict {
            field: field.to_owned(),
            message: message.into(),
        });
    }

    /// Notes a list of the wrong length.
    pub fn count(&mut self, field: &str, message: impl Into<String>) {
        self.problems.push(FieldProblem::Count {
            field: field.to_owned(),
            message: message.into(),
        });
    }

    /// Ends: the readings are in order, or here is everything that is not.
    /// # Errors
    /// [`ReadingError`] with all problems noted.
    pub fn finish(self) -> Result<(), ReadingError> {
        if self.problems.is_empty() {
            Ok(())
        } else {
            Err(ReadingError {
                problems: self.problems,
            })
        }
    }
}
