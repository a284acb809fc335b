//! What is typed and not closed yet, kept by field: pages that type beside each other merge.

use std::collections::BTreeMap;

use rusqlite::{OptionalExtension, params};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;

use crate::{Store, StoreError};

/// One field that a page changed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Change {
    /// Where, as a JSON Pointer (RFC 6901), e.g. `/runs/1`.
    pub path: String,
    /// What stands there now.
    pub value: Value,
    /// Revision that the page had seen of this field, where that is less than of the rest: a field in conflict
    /// that is typed on without a choice.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base: Option<u64>,
}

/// A field in which two pages typed different things, neither knowing of the other.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DraftConflict {
    /// Where, as a JSON Pointer.
    pub path: String,
    /// What stands there: it was kept first.
    pub kept: Value,
    /// What was typed there too.
    pub other: Value,
}

/// A draft as it is kept.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Draft {
    /// Counts the writes, from 1.
    pub revision: u64,
    /// What is typed.
    pub readings: Value,
    /// Fields of which two values were typed and none chosen.
    pub conflicts: Vec<DraftConflict>,
    /// At which revision each field changed last; others at the first.
    fields: BTreeMap<String, u64>,
}

/// Whether one is the other's place, or lies within it.
fn touches(a: &str, b: &str) -> bool {
    let within = |inner: &str, outer: &str| {
        inner
            .strip_prefix(outer)
            .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    };
    within(a, b) || within(b, a)
}

/// Puts a value at a place; a list grows by one where the place is right behind its end. Whether there was
/// such a place.
fn put(readings: &mut Value, path: &str, value: Value) -> bool {
    if path.is_empty() {
        *readings = value;
        return true;
    }
    if let Some(there) = readings.pointer_mut(path) {
        *there = value;
        return true;
    }
    let Some((parent, name)) = path.rsplit_once('/') else {
        return false;
    };
    let name = name.replace("~1", "/").replace("~0", "~");
    match readings.pointer_mut(parent) {
        Some(Value::Object(map)) => {
            map.insert(name, value);
            true
        }
        Some(Value::Array(list)) if name.parse() == Ok(list.len()) => {
            list.push(value);
            true
        }
        _ => false,
    }
}

/// Places in which two values differ: within objects and lists by their parts, save lists that became shorter.
fn differences(at: &str, old: &Value, new: &Value, found: &mut Vec<Change>) {
    match (old, new) {
        (Value::Object(a), Value::Object(b)) if a.keys().all(|k| b.contains_key(k)) => {
            for (name, value) in b {
                let name_there = name.replace('~', "~0").replace('/', "~1");
                let path = format!("{at}/{name_there}");
                match a.get(name) {
                    Some(was) => differences(&path, was, value, found),
                    None => found.push(Change {
                        path,
                        value: value.clone(),
                        base: None,
                    }),
                }
            }
        }
        (Value::Array(a), Value::Array(b)) if a.len() <= b.len() => {
            for (i, value) in b.iter().enumerate() {
                let path = format!("{at}/{i}");
                match a.get(i) {
                    Some(was) => differences(&path, was, value, found),
                    None => found.push(Change {
                        path,
                        value: value.clone(),
                        base: None,
                    }),
                }
            }
        }
        _ if old != new => found.push(Change {
            path: at.to_owned(),
            value: new.clone(),
            base: None,
        }),
        _ => {}
    }
}

impl Draft {
    /// Lays changes over it that a page made, which had seen the revision `base`.
    ///
    /// A field that another page has changed since keeps what is there; both values are then a conflict,
    /// until a page that has seen it writes that field.
    fn merge(&mut self, base: u64, changes: Vec<Change>) {
        let next = self.revision + 1;
        for change in changes {
            let base = change.base.unwrap_or(base);
            let there = self.readings.pointer(&change.path);
            let newer = self
                .fields
                .iter()
                .any(|(path, rev)| *rev > base && *rev < next && touches(path, &change.path));
            if newer && there != Some(&change.value) {
                self.conflicts.retain(|c| c.path != change.path);
                self.conflicts.push(DraftConflict {
                    kept: there.cloned().unwrap_or_default(),
                    path: change.path,
                    other: change.value,
                });
                continue;
            }
            if there != Some(&change.value) && !put(&mut self.readings, &change.path, change.value)
            {
                continue;
            }
            self.conflicts.retain(|c| !touches(&c.path, &change.path));
            self.fields.insert(change.path, next);
        }
        self.revision = next;
    }
}

impl Store {
    /// What is typed at a station and not closed yet.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn draft(&self, job_id: i64, stop: &str) -> Result<Option<Value>, StoreError> {
        Ok(self.whole_draft(job_id, stop)?.map(|d| d.readings))
    }

    /// The same with its revision and what is in conflict. What doesn't read is no draft; it stays on disk
    /// until something is typed again.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn whole_draft(&self, job_id: i64, stop: &str) -> Result<Option<Draft>, StoreError> {
        let row: Option<(String, i64, String, String)> = self
            .conn
            .prepare_cached(
                "SELECT readings, revision, fields, conflicts FROM draft WHERE job_id = ?1 AND stop = ?2",
            )?
            .query_row(params![job_id, stop], |r| {
                Ok((r.get(0)?, r.get(1)?, r.get(2)?, r.get(3)?))
            })
            .optional()?;
        Ok(row.and_then(|(readings, revision, fields, conflicts)| {
            Some(Draft {
                readings: serde_json::from_str(&readings).ok()?,
                revision: u64::try_from(revision).unwrap_or(1),
                fields: serde_json::from_str(&fields).unwrap_or_default(),
                conflicts: serde_json::from_str(&conflicts).unwrap_or_default(),
            })
        }))
    }

    /// Keeps all that is typed, whatever was there: on disk when this returns.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn save_draft(
        &mut self,
        job_id: i64,
        stop: &str,
        readings: &Value,
        at: &str,
    ) -> Result<Draft, StoreError> {
        let mut draft = self.whole_draft(job_id, stop)?.unwrap_or_default();
        let mut changes = Vec::new();
        differences("", &draft.readings, readings, &mut changes);
        let seen = draft.revision;
        draft.merge(seen, changes);
        self.put_draft(job_id, stop, &draft, at)?;
        Ok(draft)
    }

    /// Keeps what a page changed that had seen the revision `base`; where nothing is kept yet, it began with
    /// `begun`, at revision 0.
    /// # Errors
    /// [`StoreError`] of the database.
    pub fn change_draft(
        &mut self,
        job_id: i64,
        stop: &str,
        base: u64,
        changes: Vec<Change>,
        begun: &Value,
        at: &str,
    ) -> Result<Draft, StoreError> {
        let mut draft = self.whole_draft(job_id, stop)?.unwrap_or_else(|| Draft {
            readings: begun.clone(),
            ..Draft::default()
        });
        draft.merge(base, changes);
        self.put_draft(job_id, stop, &draft, at)?;
        Ok(draft)
    }

    fn put_draft(
        &mut self,
        job_id: i64,
        stop: &str,
        draft: &Draft,
        at: &str,
    ) -> Result<(), StoreError> {
        self.conn
            .prepare_cached(
                "INSERT INTO draft (job_id, stop, readings, at, revision, fields, conflicts) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)
                 ON CONFLICT (job_id, stop) DO UPDATE SET readings = excluded.readings, at = excluded.at,
                   revision = excluded.revision, fields = excluded.fields, conflicts = excluded.conflicts",
            )?
            .execute(params![
                job_id,
                stop,
                draft.readings.to_string(),
                at,
                i64::try_from(draft.revision).unwrap_or(i64::MAX),
                serde_json::to_string(&draft.fields)?,
                serde_json::to_string(&draft.conflicts)?
            ])?;
        Ok(())
    }
}
