//! What was changed at a printer and isn't as it belongs: loans and alterations.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How long a change is meant to last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Lasts {
    /// For a try: it is given back before the job is handed over.
    Loan,
    /// Until somebody puts it right: covers left off, a wire spliced, a fan moved.
    Alteration,
}

/// Something that isn't as it belongs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Changed {
    /// What, e.g. "sensor type in the firmware".
    pub what: String,
    /// How it was; blank where that says itself.
    pub was: String,
    /// How it is.
    pub now: String,
    /// How long it is meant to last.
    pub lasts: Lasts,
}

impl Changed {
    /// In words, e.g. "sensor type: 5, was 1".
    #[must_use]
    pub fn says(&self) -> String {
        says(&self.what, &self.was, &self.now)
    }
}

pub(crate) fn says(what: &str, was: &str, now: &str) -> String {
    match (was, now) {
        ("", "") => what.to_owned(),
        ("", now) => format!("{what}: {now}"),
        (was, "") => format!("{what}, was {was}"),
        (was, now) => format!("{what}: {now}, was {was}"),
    }
}

/// Whether two names mean the same thing.
pub(crate) fn same(a: &str, b: &str) -> bool {
    a.trim().to_lowercase() == b.trim().to_lowercase()
}
