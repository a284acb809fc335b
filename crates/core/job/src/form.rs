//! The form of a station as data: every field with its limit, once.
//!
//! Check, message, bounds on the page, property tests and bad-input tests come from here.

use std::collections::BTreeMap;

use serde::Serialize;
use serde_json::Value;
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
    /// What else is set when it is chosen.
    pub sets: Vec<Sets>,
}

/// A field that a choice sets too.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct Sets {
    /// Path of the field.
    pub path: &'static str,
    /// What it becomes.
    pub value: &'static str,
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
        /// Whether they are a list to open, rather than laid out side by side.
        list: bool,
    },
    /// A score from 0 by reference pictures; a number too.
    Picture {
        /// Which pictures, by name.
        pictures: &'static str,
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
    /// Whether it isn't asked as things stand: what is typed in it is kept.
    pub hidden: bool,
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
            hidden: false,
        }
    }

    /// What these readings hold there, with its name: "rest 27.1 mm"; none where it is blank, or only ever chosen.
    #[must_use]
    pub fn shown(&self, readings: &Value) -> Option<String> {
        let at = readings.pointer(&format!("/{}", self.path.replace('.', "/")))?;
        match self.kind {
            FieldKind::Result => (!at.is_null()).then(|| self.label.clone()),
            FieldKind::Number
            | FieldKind::Picture { .. }
            | FieldKind::Text { .. }
            | FieldKind::Report { .. } => {
                let text = at.as_str().map(str::trim).filter(|t| !t.is_empty())?;
                let unit = (self.limit).filter(|_| text.parse::<f64>().is_ok());
                let unit = unit.map_or("", |l| l.unit.symbol());
                Some(
                    format!("{} {text} {unit}", self.label)
                        .trim_end()
                        .to_owned(),
                )
            }
            _ => None,
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
                sets: Vec::new(),
            })
            .collect();
        let list = false;
        Self::of(path, label, FieldKind::Choice { options, list })
    }

    /// The same choice as a list to open.
    #[must_use]
    pub fn as_list(mut self) -> Self {
        if let FieldKind::Choice { list, .. } = &mut self.kind {
            *list = true;
        }
        self
    }

    /// The same choice, whose option `id` sets another field too.
    #[must_use]
    pub fn sets(mut self, id: &str, path: &'static str, value: &'static str) -> Self {
        if let FieldKind::Choice { options, .. } = &mut self.kind {
            let mut named = options.iter_mut().filter(|o| o.id == id);
            if let Some(option) = named.next() {
                option.sets.push(Sets { path, value });
            }
        }
        self
    }

    /// A score by reference pictures; its path is the limit's.
    #[must_use]
    pub fn picture(limit: &Limit, pictures: &'static str) -> Self {
        let mut f = Self::number(limit);
        f.kind = FieldKind::Picture { pictures };
        f
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
        Self::of("instrument", "Instrument", FieldKind::Instrument { kinds })
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

    /// The same, asked only where `asked`.
    #[must_use]
    pub fn when(mut self, asked: bool) -> Self {
        self.hidden = !asked;
        self.needed &= asked;
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
    /// Whether its numbers are what the station is about: read from two metres.
    pub large: bool,
    /// Its fields as rows of a table with so many columns, a number of; 0 where they aren't one.
    pub columns: usize,
    /// Whether the finding's rows, in their order, say something of the table's.
    pub told: bool,
    /// Drawing that follows its numbers, by name.
    pub drawing: Option<&'static str>,
    /// Whether the drawing stands beside the fields, not above them.
    pub beside: bool,
    /// What to do while the printer isn't connected; empty where the printer has no part in it.
    pub unlinked: String,
    /// Its fields.
    pub fields: Vec<Field>,
    /// Series of it that can grow.
    pub more: Vec<More>,
    /// What can be done for it at the printer.
    pub acts: Vec<Act>,
}

/// One more reading of a series.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct More {
    /// What the button says, e.g. "One more run".
    pub label: String,
    /// The series in the readings, e.g. `runs`.
    pub path: &'static str,
    /// What is put at its end.
    pub value: Value,
}

/// Something to do at the printer, with what its button says.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Act {
    /// What the button says.
    pub says: String,
    /// What it does.
    #[serde(flatten)]
    pub action: Action,
}

/// What a page can do for a station at the printer.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
#[serde(tag = "action", rename_all = "snake_case")]
pub enum Action {
    /// Ask whether the firmware takes this target.
    AskLimit {
        /// The target [°C].
        target_c: f64,
    },
    /// Warm the nozzle and hold it.
    Warm {
        /// The target [°C].
        target_c: f64,
    },
    /// Take what the printer shows now.
    TakeTemperatures {
        /// Field for the nozzle's.
        nozzle: &'static str,
        /// Field for the bed's.
        bed: Option<&'static str>,
    },
    /// Write the finding's commands, store, read back into `report`.
    WriteCommands,
}

/// A test piece that a station is worked with, as it is to be made.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct PieceAsk {
    /// Its name, e.g. `lines`.
    pub name: &'static str,
    /// What the button says.
    pub says: &'static str,
    /// What is set of it, as it would be typed, by key.
    pub set: BTreeMap<&'static str, String>,
}

/// What is measured on a photo.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Measured {
    /// Strings between two posts, scored 0 (none) to 5 (a curtain).
    Strings,
    /// The same, scored 4 (none) to 0.
    StringsGood,
    /// Which of a number of lines keep their width.
    EvenLines {
        /// How many lines, a number of.
        count: usize,
        /// From line to line [mm].
        pitch_mm: f64,
    },
    /// Where two combs meet: across X, or across Y.
    Combs {
        /// Teeth of each, an odd number of.
        teeth: usize,
        /// How much wider the second's pitch is [1].
        more: f64,
        /// Across Y: the teeth lie.
        lie: bool,
    },
}

/// A reading that can be taken from a photo.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct PhotoAsk {
    /// Path of the reading.
    pub into: String,
    /// What is measured, in a few words.
    pub says: String,
    /// How the photo is taken, and where the four corners go.
    pub how: &'static str,
    /// What to measure.
    pub measured: Measured,
}

/// A station's form, given what is typed so far.
#[derive(Clone, Debug, Default, PartialEq, Serialize, ToSchema)]
pub struct Form {
    /// Groups of fields in order.
    pub groups: Vec<Group>,
    /// The pieces that are printed for it.
    pub pieces: Vec<PieceAsk>,
    /// What can be measured on a photo of it.
    pub photos: Vec<PhotoAsk>,
    /// What a picture can be of, in words; empty where it is of the station as a whole.
    pub pictured: Vec<String>,
}

impl Form {
    /// The same with one more group.
    #[must_use]
    pub fn group(mut self, title: &str, fields: Vec<Field>) -> Self {
        self.groups.push(Group {
            title: title.to_owned(),
            folded: false,
            large: false,
            columns: 0,
            told: false,
            drawing: None,
            beside: false,
            unlinked: String::new(),
            fields,
            more: Vec::new(),
            acts: Vec::new(),
        });
        self
    }

    /// The last group, changed.
    fn last(mut self, change: impl FnOnce(&mut Group)) -> Self {
        if let Some(group) = self.groups.last_mut() {
            change(group);
        }
        self
    }

    /// The same with one more group that begins folded.
    #[must_use]
    pub fn folded(self, title: &str, fields: Vec<Field>) -> Self {
        self.group(title, fields).last(|g| g.folded = true)
    }

    /// The last group's numbers are what the station is about.
    #[must_use]
    pub fn large(self) -> Self {
        self.last(|g| g.large = true)
    }

    /// The last group's fields are rows of a table with so many columns.
    #[must_use]
    pub fn table(self, columns: usize) -> Self {
        self.last(|g| g.columns = columns)
    }

    /// The finding's rows, in their order, say something of the last group's.
    #[must_use]
    pub fn told(self) -> Self {
        self.last(|g| g.told = true)
    }

    /// The last group has a drawing above its fields.
    #[must_use]
    pub fn drawn(self, drawing: &'static str) -> Self {
        self.last(|g| g.drawing = Some(drawing))
    }

    /// The last group has a drawing beside its fields.
    #[must_use]
    pub fn drawn_beside(self, drawing: &'static str) -> Self {
        self.drawn(drawing).last(|g| g.beside = true)
    }

    /// The last group's series at `path` can grow by `value`.
    #[must_use]
    pub fn more(self, label: &str, path: &'static str, value: Value) -> Self {
        let label = label.to_owned();
        self.last(|g| g.more.push(More { label, path, value }))
    }

    /// Something to do at the printer for the last group.
    #[must_use]
    pub fn act(self, says: impl Into<String>, action: Action) -> Self {
        let says = says.into();
        self.last(|g| g.acts.push(Act { says, action }))
    }

    /// What to do for the last group while the printer isn't connected.
    #[must_use]
    pub fn unlinked(self, says: &str) -> Self {
        self.last(|g| says.clone_into(&mut g.unlinked))
    }

    /// The same, worked with one more piece: its name, what its button says, and what is set of it, `nozzle` being the
    /// temperature that it is printed at and `flow` its flow [%]; blank values stay as the piece has them.
    #[must_use]
    pub fn with_piece(
        mut self,
        name: &'static str,
        says: &'static str,
        set: &[(&'static str, String)],
    ) -> Self {
        let set = set.iter().filter(|(_, v)| !v.is_empty()).cloned().collect();
        self.pieces.push(PieceAsk { name, says, set });
        self
    }

    /// The same, with a reading that can be taken from a photo.
    #[must_use]
    pub fn with_photo(mut self, into: String, says: String, measured: Measured) -> Self {
        let how = match measured {
            Measured::Strings | Measured::StringsGood => {
                "From the side, at the height of the strings, something dark behind. Corners on the inner edges of both posts, nothing but air between them."
            }
            Measured::EvenLines { .. } => {
                "From straight above, the plate as it lies in the printer. Corners round all lines where the speed changes, a strip of free plate before the first and behind the last."
            }
            Measured::Combs { .. } => {
                "From straight above, the plate as it lies in the printer. Corners round all teeth of both combs, a strip of free plate at either side."
            }
        };
        self.photos.push(PhotoAsk {
            into,
            says,
            how,
            measured,
        });
        self
    }

    /// The same, with pictures that are of one print each, a number of.
    #[must_use]
    pub fn pictured_prints(mut self, prints: usize) -> Self {
        self.pictured = (1..=prints).map(|i| format!("print {i}")).collect();
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
