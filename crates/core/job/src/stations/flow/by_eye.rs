//! Flow by the look of cards or of bands by height.

use wattotherm_gcode as gcode;
use wattotherm_looks::{Picked, Tiles};
use wattotherm_measure::entry::{Intake, Limit, ReadingError};
use wattotherm_measure::text::{fixed, plain};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::super::blind::{self, COUNT, KEY, Names};
use super::super::pairs;
use super::super::search::for_a_piece;
use super::{Flow, FlowFound, FlowMethod, FlowReadings, SET, multiplier, no_override, one_place};
use crate::context::Context;
use crate::finding::{Band, Facts, PlainValue, Row, Words};
use crate::form::{Field, Form};
use crate::house::ToleranceId;
use crate::stations::Station;

const FROM: Limit = Limit::new(
    "from",
    "first of the range",
    Unit::Percent,
    [-40.0, 200.0, -40.0, 160.0],
    "beyond this it isn’t flow that is wrong",
);
const STEP: Limit = Limit::new(
    "step",
    "step",
    Unit::Percent,
    [0.5, 20.0, 0.5, 10.0],
    "finer steps are never seen, coarser ones tell nothing",
);

pub(super) fn form(form: Form, r: &FlowReadings) -> Form {
    let cards = r.method == FlowMethod::Cards;
    let (what, drawing, first) = if cards {
        (
            "The letters of good cards",
            "cards",
            "First card, against the profile",
        )
    } else {
        (
            "The numbers of good bands, from below",
            "bands",
            "Lowest band’s override",
        )
    };
    let form = if cards {
        form.with_piece(
            "cards",
            "Make these cards",
            &[
                ("from", for_a_piece(&r.from, Unit::Percent)),
                ("step", for_a_piece(&r.step, Unit::Percent)),
                ("count", for_a_piece(&r.count, Unit::One)),
                ("seed", for_a_piece(&r.seed, Unit::One)),
                ("flow", for_a_piece(&r.flow_set_percent, Unit::Percent)),
            ],
        )
    } else {
        form
    };
    let mut looks = blind::fields(what).to_vec();
    looks.push(pairs::field(names(cards), &r.first, &r.second));
    form.group("", looks).drawn(drawing).group(
        "The piece",
        [
            Some(Field::number(&SET).named("Flow in the profile").needed()),
            Some(Field::number(&FROM).named(first).needed()),
            Some(Field::number(&STEP).named("Step").needed()),
            Some(
                Field::number(&COUNT)
                    .named(if cards { "Cards" } else { "Bands" })
                    .needed(),
            ),
            cards.then(|| {
                Field::number(&KEY)
                    .named("Key")
                    .hint("0 if the cards lie in order of their flow.")
            }),
            Some(Field::number_at("first_layer_percent", &SET).named("First layer’s own flow")),
        ]
        .into_iter()
        .flatten()
        .collect(),
    )
}

/// Formula: change = middle of the good ones, ± half of what they span and half a step; new = old · (1 + change), for
/// bands old · override: the override multiplies what the profile has.
/// Source: handbook 2, section 8 (common practice, no published source).
pub(super) fn facts(r: &FlowReadings, context: &Context) -> Result<Facts<FlowFound>, ReadingError> {
    let mut intake = Intake::new(&r.confirmed);
    let set = intake.need(&SET, "flow_set_percent", &r.flow_set_percent);
    let from = intake.need(&FROM, "from", &r.from);
    let step = intake.need(&STEP, "step", &r.step);
    let count = intake.need(&COUNT, "count", &r.count);
    let first_layer_percent = intake.may(&SET, "first_layer_percent", &r.first_layer_percent);
    let cards = r.method == FlowMethod::Cards;
    let most = if cards { 12.0 } else { 20.0 };
    if count.is_some_and(|c| c > most) {
        intake.conflict("count", format!("At most {} find room.", plain(most, 0)));
    }
    let tiles = from.zip(step).zip(count).map(|((from, step), n)| Tiles {
        from: if cards { from } else { from - 100.0 },
        step,
        // OK because the limit keeps it between 3 and 41.
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        count: n.round() as u32,
    });
    let in_order = "0".into();
    let typed = blind::Typed {
        seed: if cards { &r.seed } else { &in_order },
        first: &r.first,
        second: &r.second,
        pairs: &r.pairs,
        names: names(cards),
        shuffles: cards,
    };
    let look = blind::read(&mut intake, tiles, &typed);
    intake.finish()?;
    // OK because `finish` fails where it is missing.
    let set = set.unwrap_or(100.0);
    let mut own = FlowFound {
        method: r.method,
        set_percent: set,
        override_percent: no_override(),
        wanted_percent: set,
        taken: None,
        settle: Vec::new(),
        step_mm: None,
        look,
        first_layer_percent,
    };
    let settled = look.and_then(|l| match l.picked {
        Picked::Settled {
            value, expanded, ..
        } => Some((value, expanded)),
        _ => None,
    });
    let Some((change, expanded)) = settled else {
        let mut facts = Facts::new(Flow::ID, Unit::Percent, Verdict::MeasureAgain, own);
        facts.before = Some(set);
        return Ok(facts);
    };
    let limit = context.house.tolerance(ToleranceId::FlowPercent);
    let band = Band::new(
        "look",
        Unit::Percent,
        (change, 0.0),
        (expanded, f64::INFINITY),
        limit,
    );
    own.wanted_percent = (set * (1.0 + change / 100.0) * 10.0).round() / 10.0;
    let mut facts = Facts::new(Flow::ID, Unit::Percent, band.verdict, own);
    facts.before = Some(set);
    facts.value_expanded = Some(set * expanded / 100.0);
    if band.verdict == Verdict::Adjust {
        facts.after = Some(facts.own.wanted_percent);
    }
    // Bands leave the last one's override behind. What is found goes into the profile alone.
    if !cards {
        facts
            .commands
            .extend(gcode::set_flow_percent(no_override()).ok());
    }
    facts.bands.push(band);
    Ok(facts)
}

pub(super) fn words(f: &Facts<FlowFound>, pen: Pen) -> Words {
    let own = &f.own;
    let (what, by) = if own.method == FlowMethod::Cards {
        ("cards", "the tops of cards")
    } else {
        ("bands", "bands by height")
    };
    let mut w = Words::new("flow multiplier").with_bands(f, pen, |_| "change of the flow".into());
    w.rows.push(Row::new(
        "flow",
        Some(multiplier(own.set_percent)),
        f.after.map(multiplier),
    ));
    w.reasons.push(format!("Judged by {by}, two looks."));
    if let Some(look) = own.look {
        look.reasons(&mut w);
        if own.method == FlowMethod::Tower {
            w.reasons.push(format!(
                "The override multiplies what the profile has: {} % of it, times the override, is what was laid.",
                fixed(own.set_percent, 1)
            ));
        }
    }
    if let Some(first) = own.first_layer_percent {
        w.rows
            .push(Row::new("first layer", None, Some(multiplier(first))));
        w.reasons.push(
            "The first layer has a multiplier of its own: it isn’t touched by what is found above it.".into(),
        );
    }
    let set = fixed(own.set_percent, 1);
    match f.verdict {
        Verdict::Pass => w.say(
            format!("Pass: flow {set} % stays."),
            "Its top closes, and the neighbours are no better.",
            format!(
                "{set} % ±{}",
                plain(f.value_expanded.unwrap_or_default(), 1)
            ),
            "Go on.",
        ),
        Verdict::Adjust => {
            w.plain.push(PlainValue {
                name: "flow multiplier in the profile".into(),
                value: plain(own.wanted_percent / 100.0, 3),
            });
            w.reasons.push(one_place(own));
            let line = format!("{set} → {} %", fixed(own.wanted_percent, 1));
            let coarse = own.look.is_some_and(|l| l.tiles.step > 2.0);
            w.say(
                format!("Adjust: flow {line}."),
                if coarse {
                    "Put it into the filament’s profile, then print the fine set about it."
                } else {
                    "Put it into the filament’s profile, then print and look again."
                },
                line,
                "Put the new multiplier into the filament’s profile, then print again.",
            )
        }
        _ => match own.look {
            Some(look) => look.unsettled(w, what, Unit::Percent, pen),
            None => w,
        },
    }
}

/// What cards or bands are called.
fn names(cards: bool) -> Names {
    if cards {
        Names::Letters
    } else {
        Names::Numbers
    }
}
