//! The form of a station as data: every field with its limit, once.
//!
//! Check, message, bounds on the page, property tests and bad-input tests come from here.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_measure::entry::Limit;
use wattotherm_measure::{InstrumentKind, Pen};

/// One of a choice's options.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct FieldOption {
    /// Identifier, as it stands in the readings.
    pub id: String,
    /// Label.
    pub label: String,
}

/// What is typed, chosen or laid into a field.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum FieldKind {
    /// A number within the field's limit.
    Number,
    /// One of these.
    Choice {
        /// In the order to show them.
        options: Vec<FieldOption>,
    },
    /// Yes, no, or not answered.
    YesNo,
    /// One of the shop's instruments of these kinds.
    Instrument {
        /// Kinds that can measure it.
        kinds: Vec<InstrumentKind>,
    },
    /// Words of the technician's.
    Text {
        /// Most characters.
        most: usize,
    },
    /// The printer's settings report, read or pasted.
    Report {
        /// Most characters.
        most: usize,
    },
    /// Ticked or not.
    Tick,
    /// A result that a routine at the printer lays in.
    Result,
}

/// One field.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Field {
    /// Where it stands in the readings, e.g. `runs.0`.
    pub path: String,
    /// Name, e.g. "rest".
    pub label: String,
    /// What is typed there.
    #[serde(flatten)]
    pub kind: FieldKind,
    /// Limit of a number, in the unit in which it is kept.
    pub limit: Option<Limit>,
    /// Symbol of the shop's unit; a page lays it behind a number that is typed without one.
    pub symbol: &'static str,
    /// Symbol of the unit in which it is kept: what a number without one is in.
    pub kept: &'static str,
    /// The number that stands there, in the unit in which it is kept; none where none can be read.
    pub value: Option<f64>,
    /// The same in words, in the shop's unit: "392 °F".
    pub says: String,
    /// Whether the station asks for it in any case.
    pub needed: bool,
    /// A short help; may be empty.
    pub hint: String,
    /// Where the value that stands there was taken from; none where it was typed.
    pub from: Option<String>,
}

impl Field {
    fn of(path: impl Into<String>, label: impl Into<String>, kind: FieldKind) -> Self {
        Self {
            path: path.into(),
            label: label.into(),
            kind,
            limit: None,
            symbol: "",
            kept: "",
            value: None,
            says: String::new(),
            needed: false,
            hint: String::new(),
            from: None,
        }
    }

    /// A number; its path is the limit's.
    #[must_use]
    pub fn number(limit: &Limit) -> Self {
        Self::number_at(limit.field, limit)
    }

    /// A number at a path of its own: one of a series.
    #[must_use]
    pub fn number_at(path: impl Into<String>, limit: &Limit) -> Self {
        let mut f = Self::of(path, limit.label, FieldKind::Number);
        f.limit = Some(*limit);
        f
    }

    /// One of some options: id and label.
    #[must_use]
    pub fn choice(path: &str, label: &str, options: &[(&str, &str)]) -> Self {
        let options = options
            .iter()
            .map(|(id, label)| FieldOption {
                id: (*id).to_owned(),
                label: (*label).to_owned(),
            })
            .collect();
        Self::of(path, label, FieldKind::Choice { options })
    }

    /// A question answered yes or no; it has to be answered.
    #[must_use]
    pub fn yes_no(path: &str, question: &str) -> Self {
        Self::of(path, question, FieldKind::YesNo).needed()
    }

    /// An instrument of these kinds.
    #[must_use]
    pub fn instrument(kinds: &[InstrumentKind]) -> Self {
        let kinds = kinds.to_vec();
        Self::of(
            "instrument",
            "measured with",
            FieldKind::Instrument { kinds },
        )
    }

    /// Words.
    #[must_use]
    pub fn text(path: impl Into<String>, label: &str, most: usize) -> Self {
        Self::of(path, label, FieldKind::Text { most })
    }

    /// A settings report.
    #[must_use]
    pub fn report(path: &str, label: &str, most: usize) -> Self {
        Self::of(path, label, FieldKind::Report { most })
    }

    /// A tick.
    #[must_use]
    pub fn tick(path: impl Into<String>, label: &str) -> Self {
        Self::of(path, label, FieldKind::Tick)
    }

    /// A result that a routine lays in.
    #[must_use]
    pub fn result(path: &str, label: &str) -> Self {
        Self::of(path, label, FieldKind::Result)
    }

    /// The same, asked in any case.
    #[must_use]
    pub fn needed(mut self) -> Self {
        self.needed = true;
        self
    }

    /// The same under another name.
    #[must_use]
    pub fn named(mut self, label: impl Into<String>) -> Self {
        self.label = label.into();
        self
    }

    /// The same with a short help.
    #[must_use]
    pub fn hint(mut self, hint: &str) -> Self {
        hint.clone_into(&mut self.hint);
        self
    }
}

/// Fields that belong together.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Group {
    /// Title; may be empty for the first.
    pub title: String,
    /// Whether it begins folded: for what is only sometimes needed.
    pub folded: bool,
    /// Its fields.
    pub fields: Vec<Field>,
}

/// What a page can do for a station at the printer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Action {
    /// Read the stored settings into `report`.
    ReadSettings,
    /// Ask for the hottest target that the firmware takes.
    AskLimit,
    /// Hold a temperature and log it.
    Hold,
    /// Run the printer's autotune.
    Autotune,
    /// Step, hold and fan.
    Verify,
    /// Warm the nozzle and hold it.
    Warm,
    /// Write the proposed gains, store, read back.
    WriteGains,
}

/// A station's form, given what is typed so far.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct Form {
    /// Drawing to show beside it, by name.
    pub drawing: Option<&'static str>,
    /// Groups of fields in order.
    pub groups: Vec<Group>,
    /// What can be done at the printer from here.
    pub actions: Vec<Action>,
}

impl Form {
    /// A form with a drawing.
    #[must_use]
    pub fn with(drawing: &'static str) -> Self {
        Self {
            drawing: Some(drawing),
            ..Self::default()
        }
    }

    /// The same with one more group.
    #[must_use]
    pub fn group(mut self, title: &str, fields: Vec<Field>) -> Self {
        self.groups.push(Group {
            title: title.to_owned(),
            folded: false,
            fields,
        });
        self
    }

    /// The same with one more group that begins folded.
    #[must_use]
    pub fn folded(mut self, title: &str, fields: Vec<Field>) -> Self {
        self.groups.push(Group {
            title: title.to_owned(),
            folded: true,
            fields,
        });
        self
    }

    /// The same with something to do at the printer.
    #[must_use]
    pub fn action(mut self, action: Action) -> Self {
        self.actions.push(action);
        self
    }

    /// All fields in order.
    pub fn fields(&self) -> impl Iterator<Item = &Field> {
        self.groups.iter().flat_map(|g| &g.fields)
    }

    /// All fields in order, to change.
    pub(crate) fn fields_mut(&mut self) -> impl Iterator<Item = &mut Field> {
        self.groups.iter_mut().flat_map(|g| &mut g.fields)
    }

    /// The same in the units of a shop.
    #[must_use]
    pub fn written_by(mut self, pen: Pen) -> Self {
        for field in self.fields_mut() {
            if let Some(limit) = &field.limit {
                field.symbol = pen.symbol(limit.unit);
                field.kept = limit.unit.symbol();
                if let Some(value) = field.value {
                    field.says = pen.plain(value, limit.unit, 4);
                }
            }
            field.hint = pen.text(&field.hint);
        }
        self
    }
}
