//! Files that are read through: how far each is, and that the reading ends with the request that wanted it.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use serde::Serialize;
use utoipa::ToSchema;

/// A file that is being read through.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct ReadingThrough {
    /// The sliced part; none for one that is just coming in.
    pub print_id: Option<i64>,
    /// How much of it is read, 0 to 1.
    pub part: f64,
}

struct One {
    print_id: Option<i64>,
    /// Bytes of one pass, and how many passes there are.
    bytes: u64,
    passes: u64,
    /// Passes that are over, and where the present one is.
    over: AtomicU64,
    at: AtomicU64,
    gone: AtomicBool,
}

impl One {
    fn reached(&self, at: u64) -> bool {
        // One that begins anew is the next pass.
        if at < self.at.swap(at, Ordering::Relaxed) {
            self.over.fetch_add(1, Ordering::Relaxed);
        }
        !self.gone.load(Ordering::Relaxed)
    }

    fn part(&self) -> f64 {
        let read = self.over.load(Ordering::Relaxed) * self.bytes + self.at.load(Ordering::Relaxed);
        // OK because a file has far fewer than 2^52 bytes.
        #[allow(clippy::cast_precision_loss)]
        let part = read as f64 / (self.bytes * self.passes).max(1) as f64;
        part.min(1.0)
    }
}

/// All files that are being read through.
#[derive(Clone, Default)]
pub struct Readings(Arc<Mutex<Vec<Arc<One>>>>);

impl Readings {
    /// Begins `passes` readings of a file of so many bytes. Held by whoever wants it: what is read asks whether they
    /// are still there, and says how far it is.
    pub fn begin(
        &self,
        print_id: Option<i64>,
        bytes: u64,
        passes: u64,
    ) -> (Wanting, impl Fn(u64) -> bool + Clone + Send + 'static) {
        let one = Arc::new(One {
            print_id,
            bytes,
            passes,
            over: AtomicU64::new(0),
            at: AtomicU64::new(0),
            gone: AtomicBool::new(false),
        });
        self.all().push(Arc::clone(&one));
        let wanting = Wanting {
            all: self.clone(),
            one: Arc::clone(&one),
        };
        (wanting, move |at| one.reached(at))
    }

    /// What is being read just now.
    #[must_use]
    pub fn now(&self) -> Vec<ReadingThrough> {
        let of = |o: &Arc<One>| ReadingThrough {
            print_id: o.print_id,
            part: o.part(),
        };
        self.all().iter().map(of).collect()
    }

    fn all(&self) -> std::sync::MutexGuard<'_, Vec<Arc<One>>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Whoever asked is still there: long reading ends with the request that wanted it.
pub struct Wanting {
    all: Readings,
    one: Arc<One>,
}

impl Drop for Wanting {
    fn drop(&mut self) {
        self.one.gone.store(true, Ordering::Relaxed);
        self.all.all().retain(|o| !Arc::ptr_eq(o, &self.one));
    }
}

#[cfg(test)]
mod tests {
    use super::{ReadingThrough, Readings};

    #[test]
    fn a_reading_says_how_far_it_is_over_all_its_passes_and_ends_with_who_wanted_it() {
        let all = Readings::default();
        let (wanting, reached) = all.begin(Some(7), 100, 2);
        let part = |of: f64| ReadingThrough {
            print_id: Some(7),
            part: of,
        };
        assert_eq!(all.now(), [part(0.0)]);
        assert!(reached(50) && reached(100));
        assert_eq!(all.now(), [part(0.5)]);
        assert!(reached(20));
        assert_eq!(all.now(), [part(0.6)]);
        let (_other, _) = all.begin(None, 0, 1);
        assert_eq!(all.now().len(), 2);
        drop(wanting);
        assert!(!reached(30));
        assert_eq!(all.now().len(), 1);
    }
}
