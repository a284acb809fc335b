//! Two at once: where no single cause explains what was seen.

use crate::case::Case;
use crate::engine::Engine;

/// How rarely two things are wrong at once, as a share of all cases. Judgement, no published source.
pub const TWO_AT_ONCE: f64 = 0.08;

/// Two causes, and how likely it is that it is those two.
#[derive(Clone, Debug, PartialEq)]
pub struct Pair {
    /// Their places in the model.
    pub causes: [usize; 2],
    /// How likely it is, 0 to 1, against all single causes and all pairs.
    pub p: f64,
}

/// P(yes) where both are wrong: what either makes likelier adds up as independent reasons over the base; what either
/// makes less likely does so too; where one makes it likelier and the other less, the one that makes it likelier is seen.
fn both(base: f64, a: f64, b: f64) -> f64 {
    match (a >= base, b >= base) {
        (true, true) => 1.0 - (1.0 - a) * (1.0 - b) / (1.0 - base),
        (false, false) => a * b / base,
        (true, false) => a,
        (false, true) => b,
    }
}

impl Engine<'_> {
    /// The likeliest pair, where pairs together are likelier than all single causes; none otherwise. What remedies did
    /// is not weighed: mending one of two helps half.
    #[must_use]
    pub fn two_at_once(&self, case: &Case) -> Option<Pair> {
        let prior = self.before(case).0;
        // The last one is "none of these": it makes no pair.
        let n = self.model.causes.len().saturating_sub(1);
        let seen: Vec<(usize, bool)> = self
            .known(case)
            .into_iter()
            .enumerate()
            .filter_map(|(o, a)| a.map(|yes| (o, yes)))
            .collect();
        let likelihood = |q: f64, yes: bool| if yes { q } else { 1.0 - q };
        let single: f64 = prior
            .iter()
            .enumerate()
            .map(|(c, p)| {
                let each = seen
                    .iter()
                    .map(|(o, yes)| likelihood(self.p_yes(c, *o), *yes));
                p * each.product::<f64>()
            })
            .sum();
        let table: Vec<Vec<f64>> = (0..n)
            .map(|c| seen.iter().map(|(o, _)| self.p_yes(c, *o)).collect())
            .collect();
        let mut pairs = Vec::new();
        let mut of_prior = 0.0;
        for a in 0..n {
            for b in a + 1..n {
                let before = prior[a] * prior[b];
                of_prior += before;
                let mut p = before;
                for (i, (o, yes)) in seen.iter().enumerate() {
                    let base = self.model.observations[*o].base;
                    p *= likelihood(both(base, table[a][i], table[b][i]), *yes);
                }
                pairs.push(([a, b], p));
            }
        }
        if of_prior <= 0.0 {
            return None;
        }
        let scale = TWO_AT_ONCE / of_prior;
        let together: f64 = pairs.iter().map(|(_, p)| p * scale).sum();
        let all = together + single * (1.0 - TWO_AT_ONCE);
        let (causes, p) = pairs.into_iter().max_by(|x, y| x.1.total_cmp(&y.1))?;
        (together > all / 2.0).then(|| Pair {
            causes,
            p: p * scale / all,
        })
    }
}
