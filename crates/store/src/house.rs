//! House rules on disk. Every change is a line of the logbook.

use rusqlite::{OptionalExtension, Params, params};
use serde::Serialize;
use serde::de::DeserializeOwned;
use wattotherm_job::chain::{CellOverride, Strength};
use wattotherm_job::house::{Choice, House, MOST_OWN_STEPS, OwnStep, RuleId, ToleranceId};
use wattotherm_measure::{Instrument, LengthScale, Pen, TemperatureScale};
use wattotherm_printer::{Parameter, Replacement};

use crate::logbook::{Line, append};
use crate::{Store, StoreError};

/// A fieldless enum as the text serde gives it.
fn word<T: Serialize>(value: &T) -> Result<String, StoreError> {
    Ok(serde_json::to_value(value)?
        .as_str()
        .unwrap_or_default()
        .to_owned())
}

fn from_word<T: DeserializeOwned>(text: String) -> Option<T> {
    serde_json::from_value(serde_json::Value::String(text)).ok()
}

impl Store {
    /// Writes one row of the house rules and its line of the logbook together.
    fn change(
        &mut self,
        sql: &str,
        row: impl Params,
        at: &str,
        text: &str,
    ) -> Result<(), StoreError> {
        let tx = self.conn.transaction()?;
        tx.execute(sql, row)?;
        let line = Line {
            at,
            kind: "rule",
            text,
            ..Line::default()
        };
        append(&tx, &line)?;
        tx.commit()?;
        Ok(())
    }

    /// The house rules in force.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn house(&self) -> Result<House, StoreError> {
        let mut house = House::default();
        let mut s = self
            .conn
            .prepare_cached("SELECT rule, option, reason FROM house_choice")?;
        for row in s.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get(1)?, r.get(2)?)))? {
            let (rule, option, reason) = row?;
            if let Some(id) = from_word::<RuleId>(rule) {
                house.choices.insert(id, Choice { option, reason });
            }
        }
        let mut s = self
            .conn
            .prepare_cached("SELECT id, value FROM house_tolerance")?;
        for row in s.query_map([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, f64>(1)?)))? {
            let (id, value) = row?;
            if let Some(id) = from_word::<ToleranceId>(id) {
                house.tolerances.insert(id, value);
            }
        }
        let mut s = self
            .conn
            .prepare_cached("SELECT instrument FROM house_instrument")?;
        for row in s.query_map([], |r| r.get::<_, String>(0))? {
            // An instrument that doesn't read is measured with as it was delivered.
            let Ok(changed) = serde_json::from_str::<Instrument>(&row?) else {
                continue;
            };
            match house.instruments.iter_mut().find(|i| i.id == changed.id) {
                Some(i) => *i = changed,
                None => house.instruments.push(changed),
            }
        }
        let mut s = self
            .conn
            .prepare_cached("SELECT replacement, parameter, strength, reason FROM house_cell")?;
        let rows = s.query_map([], |r| {
            Ok((
                r.get::<_, String>(0)?,
                r.get::<_, String>(1)?,
                r.get::<_, Option<String>>(2)?,
                r.get::<_, String>(3)?,
            ))
        })?;
        for row in rows {
            let (replacement, parameter, strength, reason) = row?;
            if let (Some(replacement), Some(parameter)) = (
                Replacement::from_id(&replacement),
                Parameter::from_id(&parameter),
            ) {
                let strength = strength.map(|s| Strength::of_word(&s));
                house.cells.push(CellOverride {
                    replacement,
                    parameter,
                    strength,
                    reason,
                });
            }
        }
        house.own_steps = self.own_steps()?;
        house.pen = self.units()?;
        Ok(house)
    }

    fn own_steps(&self) -> Result<Vec<OwnStep>, StoreError> {
        let mut s = self
            .conn
            .prepare_cached("SELECT list, step, after, act, proof FROM house_step ORDER BY id")?;
        let rows = s.query_map([], |r| {
            Ok(OwnStep {
                list: r.get(0)?,
                id: r.get(1)?,
                after: r.get(2)?,
                act: r.get(3)?,
                check: r.get(4)?,
            })
        })?;
        Ok(rows.collect::<Result<_, _>>()?)
    }

    /// Adds a step of the shop's own to a list, or puts it in the place of one of its steps.
    /// # Errors
    /// [`StoreError::Value`] where the list has as many of them as it takes.
    pub fn set_own_step(&mut self, step: &OwnStep, at: &str) -> Result<(), StoreError> {
        let others = self.own_steps()?;
        let others = others
            .iter()
            .filter(|o| o.list == step.list && o.id != step.id);
        if others.count() >= MOST_OWN_STEPS {
            return Err(StoreError::Value(format!(
                "{MOST_OWN_STEPS} steps of your own at one list are enough. Take one away first."
            )));
        }
        self.change(
            "INSERT INTO house_step (list, step, after, act, proof) VALUES (?1, ?2, ?3, ?4, ?5)
             ON CONFLICT (list, step) DO UPDATE SET after = ?3, act = ?4, proof = ?5",
            params![step.list, step.id, step.after, step.act, step.check],
            at,
            &format!("Own step at {}: {}", step.list, step.act),
        )
    }

    /// Takes a step of the shop's own away again.
    /// # Errors
    /// [`StoreError::NotFound`] if there is none of that name.
    pub fn drop_own_step(&mut self, list: &str, id: &str, at: &str) -> Result<(), StoreError> {
        let own = self.own_steps()?;
        let own = own.iter().find(|o| o.list == list && o.id == id);
        let Some(own) = own else {
            return Err(StoreError::NotFound {
                what: "step of your own",
                id: id.to_owned(),
            });
        };
        self.change(
            "DELETE FROM house_step WHERE list = ?1 AND step = ?2",
            params![list, id],
            at,
            &format!("Own step at {list} taken away: {}", own.act),
        )
    }

    /// Units in which the shop is shown its numbers.
    fn units(&self) -> Result<Pen, StoreError> {
        let mut s = self
            .conn
            .prepare_cached("SELECT temperature, length FROM house_units")?;
        let row = s
            .query_row([], |r| Ok((r.get::<_, String>(0)?, r.get::<_, String>(1)?)))
            .optional()?;
        Ok(row.map_or(Pen::METRIC, |(temperature, length)| Pen {
            temperature: from_word(temperature).unwrap_or_default(),
            length: from_word(length).unwrap_or_default(),
        }))
    }

    /// Chooses the units in which the shop is shown its numbers; what is kept stays as it is.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn set_units(&mut self, pen: Pen, at: &str) -> Result<(), StoreError> {
        let temperature = match pen.temperature {
            TemperatureScale::Celsius => "°C",
            TemperatureScale::Fahrenheit => "°F",
        };
        let length = match pen.length {
            LengthScale::Millimetre => "mm",
            LengthScale::Inch => "inches",
        };
        self.change(
            "INSERT OR REPLACE INTO house_units VALUES (1, ?1, ?2)",
            params![word(&pen.temperature)?, word(&pen.length)?],
            at,
            &format!("Units: {temperature} and {length}"),
        )
    }

    /// Chooses an option.
    /// # Errors
    /// [`StoreError::Conflict`] if the rule has no such option.
    pub fn choose(&mut self, rule: RuleId, choice: &Choice, at: &str) -> Result<(), StoreError> {
        let spec = rule.spec();
        let Some(option) = spec.options.iter().find(|o| o.id == choice.option) else {
            return Err(StoreError::Value(format!(
                "“{}” has no option “{}”.",
                spec.question, choice.option
            )));
        };
        self.change(
            "INSERT OR REPLACE INTO house_choice VALUES (?1, ?2, ?3)",
            params![word(&rule)?, choice.option, choice.reason],
            at,
            &format!(
                "House rule: {} {}",
                spec.question,
                Pen::METRIC.text(option.label)
            ),
        )
    }

    /// Sets a tolerance.
    /// # Errors
    /// [`StoreError::Conflict`] outside its bounds.
    pub fn set_tolerance(
        &mut self,
        id: ToleranceId,
        value: f64,
        at: &str,
    ) -> Result<(), StoreError> {
        let spec = id.spec();
        let pen = self.units()?;
        if !(spec.min..=spec.max).contains(&value) {
            return Err(StoreError::Value(format!(
                "{} can’t be {}. Type {} to {}.",
                spec.label,
                pen.plain(value, spec.unit, 4),
                pen.plain_number(spec.min, spec.unit, 4),
                pen.plain(spec.max, spec.unit, 4)
            )));
        }
        self.change(
            "INSERT OR REPLACE INTO house_tolerance VALUES (?1, ?2)",
            params![word(&id)?, value],
            at,
            &format!(
                "Tolerance: {} {}",
                spec.label,
                pen.plain(value, spec.unit, 4)
            ),
        )
    }

    /// Changes or adds an instrument.
    /// # Errors
    /// [`StoreError::Conflict`] for limits that can't be.
    pub fn set_instrument(&mut self, instrument: &Instrument, at: &str) -> Result<(), StoreError> {
        let good = |v: f64| v.is_finite() && (0.0..=10.0).contains(&v);
        if !good(instrument.half_width)
            || !good(instrument.shared_half_width)
            || !good(instrument.scale_fraction)
            || instrument.half_width + instrument.shared_half_width <= 0.0
        {
            return Err(StoreError::Value(format!(
                "Limits of {} must be 0 to 10, and one of them above 0: no instrument is exact.",
                instrument.name
            )));
        }
        self.change(
            "INSERT OR REPLACE INTO house_instrument VALUES (?1, ?2)",
            params![instrument.id, serde_json::to_string(instrument)?],
            at,
            &format!("Instrument: {}", instrument.describe(Pen::METRIC)),
        )
    }

    /// Changes a cell of the chain's first table.
    /// # Errors
    /// [`StoreError::Conflict`] without a reason.
    pub fn set_cell(&mut self, cell: &CellOverride, at: &str) -> Result<(), StoreError> {
        if cell.reason.trim().is_empty() {
            return Err(StoreError::Value("Say why your shop differs here.".into()));
        }
        let word = cell.strength.map_or("untouched", Strength::word);
        self.change(
            "INSERT OR REPLACE INTO house_cell VALUES (?1, ?2, ?3, ?4)",
            params![
                cell.replacement.id(),
                cell.parameter.id(),
                cell.strength.map(Strength::word),
                cell.reason
            ],
            at,
            &format!(
                "Chain: {} after {}: {word}",
                cell.parameter.label(),
                cell.replacement.label()
            ),
        )
    }
}
