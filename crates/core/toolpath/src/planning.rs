//! Planning on a thread of its own while the path is read: whose time it is, and what binds.

use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread::{Scope, ScopedJoinHandle};

use crate::plan::{Binds, Planner, Profile, Segment};

/// Moves handed over at once: few enough to stay in a core's cache.
const HANDED: usize = 8_192;
/// Such lots under way; reading waits where planning falls behind.
const UNDER_WAY: usize = 8;

/// Seconds by owner and by kind.
#[derive(Debug, Default)]
pub(crate) struct Times {
    /// Of each owner: its seconds and what binds in them.
    pub owners: Vec<(f64, Binds)>,
    /// Of each kind of move [s].
    pub kinds_s: [f64; 5],
    /// Whether a plan had to rest where the path doesn't.
    pub rested: bool,
}

impl Times {
    fn owner(&mut self, owner: usize) -> &mut (f64, Binds) {
        if self.owners.len() <= owner {
            self.owners.resize(owner + 1, (0.0, Binds::default()));
        }
        &mut self.owners[owner]
    }

    #[inline]
    fn take(&mut self, s: &Segment, p: &Profile) {
        let seconds = p.phases_s[0] + p.phases_s[1] + p.phases_s[2];
        self.kinds_s[usize::from(s.kind)] += seconds;
        let of = self.owner(s.owner as usize);
        of.0 += seconds;
        of.1.add(&p.binds);
    }

    fn with(mut self, other: &Self) -> Self {
        for (i, (s, binds)) in other.owners.iter().enumerate() {
            let of = self.owner(i);
            of.0 += s;
            of.1.add(binds);
        }
        for (all, s) in self.kinds_s.iter_mut().zip(other.kinds_s) {
            *all += s;
        }
        self.rested |= other.rested;
        self
    }
}

/// Where moves are planned.
enum Place<'scope> {
    Here,
    Beside(SyncSender<Vec<Segment>>, ScopedJoinHandle<'scope, Times>),
}

/// Plans moves where they are read, or on a thread beside.
pub(crate) struct Planning<'scope, 'env> {
    /// Where a thread may be begun, once there is more than one lot: what is short isn't worth one.
    scope: Option<&'scope Scope<'scope, 'env>>,
    lot: Vec<Segment>,
    /// Time in which nothing moves, and what was planned here.
    times: Times,
    planner: Planner,
    place: Place<'scope>,
}

impl<'scope, 'env> Planning<'scope, 'env> {
    /// With a planner that sees `look_ahead` moves or all; a `scope` for a thread of its own.
    pub fn new(scope: Option<&'scope Scope<'scope, 'env>>, look_ahead: Option<usize>) -> Self {
        Self {
            scope,
            lot: Vec::new(),
            times: Times::default(),
            planner: Planner::new(look_ahead),
            place: Place::Here,
        }
    }

    /// Takes the next move.
    #[inline]
    pub fn push(&mut self, segment: Segment) {
        self.lot.push(segment);
        if self.lot.len() >= HANDED {
            self.hand_over();
        }
    }

    #[inline(never)]
    fn hand_over(&mut self) {
        if let Some(scope) = self.scope.take() {
            let (give, lots) = sync_channel(UNDER_WAY);
            let planner = std::mem::replace(&mut self.planner, Planner::new(None));
            self.place = Place::Beside(give, scope.spawn(move || plan(planner, &lots)));
        }
        match &mut self.place {
            Place::Here => {
                let times = &mut self.times;
                self.planner.extend(&self.lot, |s, p| times.take(s, p));
                self.lot.clear();
            }
            Place::Beside(give, _) => {
                let full = std::mem::replace(&mut self.lot, Vec::with_capacity(HANDED));
                // OK because it ends only when this does.
                let _ = give.send(full);
            }
        }
    }

    /// Time in which nothing moves [s], for whoever is being laid.
    pub fn wait(&mut self, owner: u32, s: f64) {
        self.times.owner(owner as usize).0 += s;
    }

    /// Plans what is left to a rest.
    pub fn finish(mut self) -> Times {
        self.scope = None;
        self.hand_over();
        let here = finished(self.planner, self.times);
        match self.place {
            Place::Here => here,
            Place::Beside(give, planned) => {
                drop(give);
                match planned.join() {
                    Ok(times) => times.with(&here),
                    Err(panic) => std::panic::resume_unwind(panic),
                }
            }
        }
    }
}

fn finished(mut planner: Planner, mut times: Times) -> Times {
    planner.finish(|s, p| times.take(s, p));
    times.rested = planner.rested;
    times
}

fn plan(mut planner: Planner, lots: &Receiver<Vec<Segment>>) -> Times {
    let mut times = Times::default();
    for lot in lots {
        planner.extend(&lot, |s, p| times.take(s, p));
    }
    finished(planner, times)
}
