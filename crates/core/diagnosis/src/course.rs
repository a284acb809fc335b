//! What mending one thing after another is expected to take.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use crate::beliefs::Beliefs;
use crate::case::Case;
use crate::engine::Engine;

/// What a chance below is not worth an action.
const NEGLIGIBLE: f64 = 1e-9;

impl Engine<'_> {
    /// Chance that a remedy mends it, 0 to 1.
    pub(crate) fn helps(&self, action: usize, beliefs: &[f64]) -> f64 {
        self.mends[action]
            .iter()
            .map(|(c, p)| beliefs[*c] * p)
            .sum()
    }

    /// The likeliest cause of those that a remedy mends; none for a check.
    pub(crate) fn likeliest_of(&self, action: usize, beliefs: &Beliefs) -> Option<usize> {
        let causes = self.mends[action].iter().map(|(c, _)| *c);
        causes.max_by(|a, b| beliefs.0[*a].total_cmp(&beliefs.0[*b]))
    }

    /// Whether an action can be done: not one that heats where the printer must not, and no remedy twice.
    pub(crate) fn can_do(&self, action: usize, case: &Case) -> bool {
        let forbidden = || self.no_heat.iter().any(|o| case.answers[*o] == Some(true));
        case.tried[action].is_none()
            && !case.passed_over[action]
            && !(self.model.actions[action].heats && forbidden())
    }

    /// Remedies that may help, each with its chance given that those before it didn't; the greatest chance over cost
    /// first.
    pub(crate) fn course(&self, beliefs: &Beliefs, case: &Case) -> Vec<(usize, f64)> {
        let mut left = beliefs.0.clone();
        let ratio = |a: usize, left: &[f64]| self.helps(a, left) / self.model.actions[a].cost_min();
        // What is left to mend only shrinks, and each ratio with it: so the top of the heap is the greatest as soon as
        // its own ratio, worked out anew, is still not below the next.
        let mut heap: BinaryHeap<(u64, Reverse<usize>)> = (0..self.mends.len())
            .filter(|a| self.can_do(*a, case) && self.helps(*a, &left) > NEGLIGIBLE)
            .map(|a| (ratio(a, &left).to_bits(), Reverse(a)))
            .collect();
        let mut order = Vec::with_capacity(heap.len());
        while let Some((_, Reverse(action))) = heap.pop() {
            // Numbers above 0 are in the order of their bits.
            let now = ratio(action, &left).to_bits();
            if heap.peek().is_some_and(|(next, _)| *next > now) {
                heap.push((now, Reverse(action)));
                continue;
            }
            let helps = self.helps(action, &left);
            if helps <= NEGLIGIBLE {
                break;
            }
            for (c, p) in &self.mends[action] {
                left[*c] *= 1.0 - p;
            }
            order.push((action, helps));
        }
        order
    }

    /// Expected cost of mending one remedy after another by probability over cost, and of giving up as soon as that is
    /// cheaper than to go on, in what `cost` and `give_up` are in.
    ///
    /// Formula: Σ cost(i) · P(not mended before i) + give-up · P(not mended when given up), the least over all places to
    /// give up. For single causes, and remedies that share none, the order is optimal. Source: Heckerman, Breese, Rommelse 1995.
    pub(crate) fn expected(
        &self,
        beliefs: &Beliefs,
        case: &Case,
        cost: impl Fn(usize) -> f64,
        give_up: f64,
    ) -> f64 {
        let course = self.course(beliefs, case);
        // How likely it is still open before each, and after the last.
        let mut open = vec![1.0];
        for (_, helps) in &course {
            open.push((open[open.len() - 1] - helps).max(0.0));
        }
        // Backward: at each place the cheaper of giving up and going on.
        let last = open[course.len()] * give_up;
        course
            .iter()
            .enumerate()
            .rev()
            .fold(last, |rest, (i, (action, _))| {
                (open[i] * give_up).min(open[i] * cost(*action) + rest)
            })
    }

    /// Expected money of mending one remedy after another, in what `money` is in: as long as the minutes say to go on.
    pub(crate) fn money(
        &self,
        beliefs: &Beliefs,
        case: &Case,
        money: impl Fn(usize) -> f64,
    ) -> f64 {
        let mut open = 1.0;
        let mut all = 0.0;
        for (action, helps) in self.course(beliefs, case) {
            // Beyond this nobody goes on: what it helps is worth less than it costs.
            if helps * self.model.give_up_min < open * self.model.actions[action].cost_min() {
                break;
            }
            all += money(action) * open;
            open -= helps;
        }
        all
    }

    /// Expected minutes of mending one remedy after another, and of giving up once that is shorter [min].
    #[must_use]
    pub fn expected_minutes(&self, beliefs: &Beliefs, case: &Case) -> f64 {
        let minutes = |a: usize| self.model.actions[a].cost_min();
        self.expected(beliefs, case, minutes, self.model.give_up_min)
    }

    /// Milder rungs that were not tried and may mend the likeliest of what this one mends; the mildest first.
    #[must_use]
    pub fn milder(&self, action: usize, beliefs: &Beliefs, case: &Case) -> Vec<usize> {
        let Some(cause) = self.likeliest_of(action, beliefs) else {
            return Vec::new();
        };
        let mut all = Vec::new();
        for rungs in self.ladders.iter().filter(|l| l.contains(&action)) {
            for rung in rungs.iter().take_while(|r| **r != action) {
                let mends = self.mends[*rung].iter().any(|(c, _)| *c == cause);
                if mends && self.can_do(*rung, case) && !all.contains(rung) {
                    all.push(*rung);
                }
            }
        }
        all
    }
}
