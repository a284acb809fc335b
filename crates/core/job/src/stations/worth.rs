//! Worth: what a machine of unknown past is missing, and whether it costs more than it is worth.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use wattotherm_measure::entry::{Entry, FieldProblem, Intake, Limit, ReadingError};
use wattotherm_measure::text::{count, join_and, plain};
use wattotherm_measure::{Pen, Unit, Verdict};

use super::{SetUp, Station};
use crate::context::Context;
use crate::finding::{Cause, Facts, Row, Words};
use crate::form::{Field, Form};

/// Parts list and running cost.
pub struct Worth;

/// How a piece was found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PieceState {
    /// Not looked at yet.
    #[default]
    Open,
    /// There, and whole.
    There,
    /// Not there.
    Missing,
    /// There, and broken or worn.
    Damaged,
}

/// A piece of the machine or its accessories.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ListedPiece {
    /// What, e.g. "spool holder".
    pub name: String,
    /// How it was found.
    pub state: PieceState,
    /// What a new one costs, in the shop's currency.
    pub price: Entry,
}

/// What is known of a machine's worth.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct WorthReadings {
    /// Version of this shape: 1.
    pub version: u32,
    /// What it is worth in order, in the shop's currency.
    pub worth: Entry,
    /// What it has cost so far.
    pub paid: Entry,
    /// Price of an hour of hands.
    pub hour: Entry,
    /// The parts list.
    pub pieces: Vec<ListedPiece>,
    /// Paths of unusual values that the technician confirmed.
    pub confirmed: Vec<String>,
}

/// What a machine comes to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct WorthFound {
    worth: f64,
    paid: f64,
    /// Pieces to buy: name, state, price.
    to_buy: Vec<(String, PieceState, f64)>,
    listed: usize,
    /// Price of the hands that the card still asks for: at least, at most.
    hands: Option<[f64; 2]>,
}

impl WorthFound {
    fn pieces(&self) -> f64 {
        self.to_buy.iter().map(|(_, _, price)| price).sum()
    }

    /// What it comes to in the end: at least, at most.
    fn comes_to(&self) -> [f64; 2] {
        let hands = self.hands.unwrap_or_default();
        hands.map(|h| self.paid + self.pieces() + h)
    }
}

const MONEY: Limit = Limit::new(
    "worth",
    "sum",
    Unit::One,
    [0.0, 1_000_000.0, 0.0, 20_000.0],
    "money is counted from 0 up",
);

/// What a machine comes with, to begin the list. Common practice, no source.
const USUAL: [&str; 10] = [
    "mains cable",
    "spool holder",
    "plate and clips",
    "nozzle and sock",
    "tube and couplers",
    "fans and covers",
    "belts and wheels",
    "screen and knob",
    "card slot",
    "tools and spares",
];
/// Pieces that are read at most.
const MOST_PIECES: usize = 60;
/// Longest name of a piece.
const MOST_NAME: usize = 60;

fn money(v: f64) -> String {
    if (v - v.round()).abs() < 0.005 {
        plain(v, 0)
    } else {
        format!("{v:.2}")
    }
}

impl Station for Worth {
    type Readings = WorthReadings;
    type Own = WorthFound;
    const ID: &'static str = "worth";
    const STAYS: &'static [&'static str] = &["worth", "paid", "hour", "pieces"];

    fn start(_: &Context) -> WorthReadings {
        WorthReadings {
            pieces: USUAL
                .map(|name| ListedPiece {
                    name: name.into(),
                    ..ListedPiece::default()
                })
                .to_vec(),
            ..WorthReadings::default()
        }
    }

    fn form(r: &WorthReadings, _: &Context) -> Form {
        let sum = |path: &str, label: &str| Field::number_at(path, &MONEY).named(label);
        let mut form = Form::default().group(
            "In your currency",
            vec![
                sum("worth", "Worth, in order").needed(),
                sum("paid", "Cost so far").needed(),
                sum("hour", "An hour of hands"),
            ],
        );
        for (i, p) in r.pieces.iter().take(MOST_PIECES).enumerate() {
            let buy = matches!(p.state, PieceState::Missing | PieceState::Damaged);
            let name = name_of(i, p);
            let mut fields = vec![Field::choice(
                &format!("pieces.{i}.state"),
                &name,
                &[
                    ("there", "there"),
                    ("missing", "missing"),
                    ("damaged", "damaged"),
                ],
            )];
            if !USUAL.contains(&p.name.as_str()) {
                fields.insert(
                    0,
                    Field::text(format!("pieces.{i}.name"), "piece", MOST_NAME),
                );
            }
            let price = sum(
                &format!("pieces.{i}.price"),
                &format!("{name}, a new one costs"),
            );
            fields.push(if buy {
                price.needed()
            } else {
                price.when(false)
            });
            form = form.group("", fields);
        }
        form.more(
            "One more piece",
            "pieces",
            serde_json::json!({"name": "", "state": "open", "price": ""}),
        )
    }

    fn set_up(_: &WorthReadings, _: &Context) -> SetUp {
        SetUp::new("Lay it all out: what is there, missing, damaged, and what it comes to.")
            .hint("Hands are counted by what this card still asks for. Open this station again when a part is added: the sum runs along.")
            .limit("It is put in order only while cost so far, parts and hands stay below its worth.")
    }

    /// Formula: cost so far + prices of what is missing or damaged + hands left · price of an hour, at least and at
    /// most, against the worth.
    /// Source: arithmetic; hands by the card's own minutes.
    fn facts(r: &WorthReadings, context: &Context) -> Result<Facts<WorthFound>, ReadingError> {
        let mut intake = Intake::new(&r.confirmed);
        let worth = intake.need(&MONEY, "worth", &r.worth);
        let paid = intake.need(&MONEY, "paid", &r.paid);
        let hour = intake.may(&MONEY, "hour", &r.hour);
        let mut to_buy = Vec::new();
        let mut open = Vec::new();
        for (i, p) in r.pieces.iter().take(MOST_PIECES).enumerate() {
            let name = name_of(i, p);
            super::snapshot::no_longer(
                &mut intake,
                &format!("pieces.{i}.name"),
                &p.name,
                MOST_NAME,
            );
            match p.state {
                PieceState::Open | PieceState::There => {
                    intake.may(&MONEY, &format!("pieces.{i}.price"), &p.price);
                    if p.state == PieceState::Open {
                        open.push((i, name));
                    }
                }
                PieceState::Missing | PieceState::Damaged => {
                    let price = intake.need(&MONEY, &format!("pieces.{i}.price"), &p.price);
                    to_buy.extend(price.map(|price| (name, p.state, price)));
                }
            }
        }
        if r.pieces.len() > MOST_PIECES {
            intake.count("pieces", "Sixty pieces are enough. Put some together.");
        }
        if let Some((i, name)) = open.first() {
            intake.push(FieldProblem::Count {
                field: format!("pieces.{i}.state"),
                message: format!(
                    "Say of the {name} whether it is there, missing or damaged{}.",
                    match open.len() {
                        1 => String::new(),
                        n => format!("; {} more are open", n - 1),
                    }
                ),
            });
        }
        intake.finish()?;
        let hands = context
            .hands_left_min
            .zip(hour)
            .map(|(left, hour)| left.map(|min| min / 60.0 * hour));
        let own = WorthFound {
            // OK because finish() fails where one of these is missing.
            worth: worth.unwrap_or_default(),
            paid: paid.unwrap_or_default(),
            to_buy,
            listed: r.pieces.len(),
            hands,
        };
        let [at_least, _] = own.comes_to();
        let too_dear = at_least > own.worth;
        let facts = Facts::new(Self::ID, Unit::One, Verdict::Pass, own);
        Ok(if too_dear {
            facts.stopped(Cause::CostsMoreThanWorth)
        } else {
            facts
        })
    }

    fn words(f: &Facts<WorthFound>, _: Pen) -> Words {
        let own = &f.own;
        let mut w = Words::new("worth");
        let row = |name: &str, v: f64| Row::new(name, None, Some(money(v)));
        w.rows = vec![
            row("worth in order", own.worth),
            row("cost so far", own.paid),
        ];
        for (name, state, price) in &own.to_buy {
            let state = match state {
                PieceState::Missing => "missing",
                _ => "damaged",
            };
            w.rows.push(row(&format!("{name}, {state}"), *price));
        }
        if let Some([least, most]) = own.hands {
            let hands = format!("{} to {}", money(least.round()), money(most.round()));
            w.rows.push(Row::new("hands left", None, Some(hands)));
        } else {
            w.reasons
                .push("Hands are not counted: no price of an hour was typed.".into());
        }
        let [least, most] = own.comes_to().map(|v| (v * 100.0).round() / 100.0);
        let total = if (most - least).abs() < 0.005 {
            money(least)
        } else {
            format!("{} to {}", money(least.round()), money(most.round()))
        };
        w.rows.push(Row::new("comes to", None, Some(total.clone())));
        let names: Vec<&str> = own.to_buy.iter().map(|(n, _, _)| n.as_str()).collect();
        let bought = if names.is_empty() {
            format!(
                "Of {} nothing is missing.",
                count(own.listed, "piece", "pieces")
            )
        } else {
            format!("To buy: {}.", join_and(&names))
        };
        if f.verdict == Verdict::Stop {
            let mut w = w.stop(
                &format!("it comes to {total} and is worth {}", money(own.worth)),
                format!(
                    "{bought} Close the job unfixed and keep it for parts; or buy cheaper, and come back. Left out with a reason, the work goes on all the same."
                ),
            );
            w.next = "Decide whether it is put in order. Nothing is bought.".into();
            return w;
        }
        let dear = if most > own.worth {
            " If every value on the way moves, it costs more than it is worth: look again after the first heating."
        } else {
            ""
        };
        w.say(
            format!("Pass: it comes to {total}, worth {}.", money(own.worth)),
            format!("{bought}{dear}"),
            format!("{total} of {}", money(own.worth)),
            "Go on.",
        )
    }
}

fn name_of(i: usize, p: &ListedPiece) -> String {
    if p.name.trim().is_empty() {
        format!("piece {}", i + 1)
    } else {
        p.name.trim().chars().take(MOST_NAME).collect()
    }
}
