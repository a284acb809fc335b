//! What of a printer is changed still, by the deeds of its jobs.

use super::Deed;
use crate::changed::{Changed, same};

/// What of a printer is changed still, given the deeds of all its jobs, the oldest first, each with what belongs to it.
#[must_use]
pub fn still_changed<'a, T>(deeds: impl IntoIterator<Item = (T, &'a Deed)>) -> Vec<(T, Changed)> {
    let mut open: Vec<(T, Changed)> = Vec::new();
    for (of, deed) in deeds {
        match deed {
            Deed::Changed {
                what,
                was,
                now,
                lasts,
                ..
            } => {
                open.retain(|(_, c)| !same(&c.what, what));
                let (what, was, now) = (what.clone(), was.clone(), now.clone());
                let lasts = *lasts;
                open.push((
                    of,
                    Changed {
                        what,
                        was,
                        now,
                        lasts,
                    },
                ));
            }
            Deed::PutBack { what, .. } => open.retain(|(_, c)| !same(&c.what, what)),
            _ => {}
        }
    }
    open
}

/// The one of them that is named so.
pub(super) fn named<'a>(changed: &'a [Changed], what: &str) -> Option<&'a Changed> {
    changed.iter().find(|c| same(&c.what, what))
}
