//! Open pages, bounded in number.

use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::Notify;

/// Sockets of pages at once; one more takes the place of the oldest.
const MOST_PAGES: usize = 160;

/// The places for pages.
#[derive(Clone, Debug, Default)]
pub struct Pages(Arc<Mutex<VecDeque<Arc<Notify>>>>);

/// A page's place.
#[derive(Debug)]
pub struct Place {
    pages: Pages,
    goes: Arc<Notify>,
}

impl Pages {
    /// Takes a place; the oldest page gives up its own if all are taken, and opens a socket anew if it is
    /// still looked at.
    pub fn enter(&self) -> Place {
        let goes = Arc::new(Notify::new());
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= MOST_PAGES
            && let Some(oldest) = all.pop_front()
        {
            oldest.notify_one();
        }
        all.push_back(Arc::clone(&goes));
        drop(all);
        Place {
            pages: self.clone(),
            goes,
        }
    }
}

impl Place {
    /// Resolves when another page has taken this place.
    pub async fn taken_by_another(&self) {
        self.goes.notified().await;
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut all = self.pages.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|p| !Arc::ptr_eq(p, &self.goes));
    }
}
