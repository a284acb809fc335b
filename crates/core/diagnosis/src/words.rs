//! Numbers and reasons in words, rendered last.

use crate::diagnose::{NextAction, WhyNext};
use crate::model::Model;

/// From this chance on, 0 to 1, a cause is possible and not unlikely. Judgement, no published source.
pub const POSSIBLE_FROM: f64 = 0.12;

/// A chance in a word. Domain: 0 to 1. Where the words change is judgement, no published source.
#[must_use]
pub fn chance_word(p: f64) -> &'static str {
    match p {
        p if p > 0.85 => "almost sure",
        p if p > 0.5 => "likely",
        p if p > POSSIBLE_FROM => "possible",
        p if p > 0.03 => "unlikely",
        _ => "hardly",
    }
}

fn minutes(m: f64) -> String {
    match m.round() {
        m if m < 2.0 => "a minute".into(),
        m => format!("{m} minutes"),
    }
}

/// Why an action comes next, as a sentence or two.
#[must_use]
pub fn why_words(model: &Model<'_>, next: &NextAction) -> String {
    let label = |id: &str| model.cause_named(id).map_or("", |c| c.label);
    match &next.why {
        WhyNext::Hazard => {
            "It could burn or hurt somebody: that is looked at first, cold and unplugged.".into()
        }
        WhyNext::Saves {
            minutes: saved,
            between,
        } => {
            let [a, b] = between.map(label);
            format!(
                "It tells “{a}” from “{b}” in {}, and saves about {} of trying.",
                minutes(next.minutes),
                minutes(*saved)
            )
        }
        WhyNext::Spares => {
            "It is short and tells something: nothing that can break a part before it.".into()
        }
        WhyNext::Proves => "It proves the likeliest cause before a part is spent on it.".into(),
        WhyNext::Mends => {
            "Nothing else to look at saves more: mending it now is the shortest way.".into()
        }
    }
}
