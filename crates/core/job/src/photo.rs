//! Readings taken from a photo: a proposal with its doubt; the person decides.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_looks::strings_score;
use wattotherm_measure::text::{count, fixed, join_and, plain};
use wattotherm_measure::{Pen, Unit};
use wattotherm_sight::{Corners, GrayImage, SightError, read_combs, read_lines, read_strings};

use crate::form::{Measured, PhotoAsk};

/// What a photo proposes.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct PhotoProposal {
    /// Path of the reading.
    pub into: String,
    /// What would be typed there.
    pub value: String,
    /// What was seen, and how far it can be trusted.
    pub says: Vec<String>,
    /// What was seen, drawn: ways, as parts of the photo [1].
    pub drawn: Vec<Vec<[f64; 2]>>,
}

/// Why a photo gives no reading.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PhotoRefusal {
    /// It can't be read.
    #[error(transparent)]
    Sight(#[from] SightError),
    /// Lines stand up where they should lie, or the other way.
    #[error(
        "In this photo the {0}. Take it with the plate as it lies in the printer, or mark the other comb."
    )]
    Turned(&'static str),
    /// Too many lines look alike.
    #[error(
        "{0} of {1} lines look alike in this photo: it doesn’t tell which is best. Take it from nearer, or look yourself."
    )]
    Alike(usize, usize),
}

/// Measures on a photo what an ask wants.
/// # Errors
/// [`PhotoRefusal`], saying what to do.
pub fn measure_photo(
    ask: &PhotoAsk,
    photo: &GrayImage,
    corners: &Corners,
    pen: Pen,
) -> Result<PhotoProposal, PhotoRefusal> {
    let (value, says, drawn) = match ask.measured {
        Measured::Strings => strings(photo, corners, |score| score)?,
        Measured::StringsGood => strings(photo, corners, |score| 4 - score.min(4))?,
        Measured::EvenLines {
            count: lines,
            pitch_mm,
        } => even_lines(photo, corners, lines, pitch_mm, pen)?,
        Measured::Combs { teeth, more, lie } => combs(photo, corners, teeth, more, lie)?,
    };
    Ok(PhotoProposal {
        into: ask.into.clone(),
        value,
        says,
        drawn,
    })
}

type Found = (String, Vec<String>, Vec<Vec<[f64; 2]>>);

fn strings(
    photo: &GrayImage,
    corners: &Corners,
    scale: impl Fn(u32) -> u32,
) -> Result<Found, PhotoRefusal> {
    let seen = read_strings(photo, corners)?;
    let of = |n: usize| scale(strings_score(n));
    let score = of(seen.count);
    let mut says = vec![format!(
        "{} seen; that scores {score}.",
        count(seen.count, "string", "strings")
    )];
    if seen.at_least != seen.at_most {
        says.push(format!(
            "{} nobody would doubt; with what may be one {}.",
            seen.at_least, seen.at_most
        ));
    }
    let (low, high) = (of(seen.at_least), of(seen.at_most));
    if low != high {
        says.push(format!(
            "So it may score {} to {}: look yourself.",
            low.min(high),
            low.max(high)
        ));
    }
    Ok((score.to_string(), says, seen.drawn))
}

fn even_lines(
    photo: &GrayImage,
    corners: &Corners,
    lines: usize,
    pitch_mm: f64,
    pen: Pen,
) -> Result<Found, PhotoRefusal> {
    let seen = read_lines(photo, corners, lines, pitch_mm)?;
    if !seen.lie {
        return Err(PhotoRefusal::Turned("lines stand up"));
    }
    if seen.even.len() * 3 > lines {
        return Err(PhotoRefusal::Alike(seen.even.len(), lines));
    }
    // The first line is the nearest to the one who looks: the lowest of the photo.
    let mut numbers: Vec<usize> = seen.even.iter().map(|i| lines - i).collect();
    numbers.sort_unstable();
    let names: Vec<String> = numbers.iter().map(usize::to_string).collect();
    let widths = || seen.lines.iter().map(|l| l.width_mm);
    let (low, high) = widths().fold((f64::INFINITY, 0.0_f64), |(a, b), w| (a.min(w), b.max(w)));
    let u = seen.lines.iter().map(|l| l.expanded_mm).fold(0.0, f64::max);
    let mm = |v: f64| pen.fixed(v, Unit::Mm, 3);
    let says = vec![
        format!(
            "{} {}, counted from the lower edge of the picture, {} width best; a difference below {} can’t be seen.",
            if names.len() == 1 { "Line" } else { "Lines" },
            join_and(&names.iter().map(String::as_str).collect::<Vec<_>>()),
            if names.len() == 1 {
                "keeps its"
            } else {
                "keep their"
            },
            mm(seen.tells_mm)
        ),
        format!("Lines are {} to {} wide, ± {}.", mm(low), mm(high), mm(u)),
    ];
    let drawn = seen
        .even
        .iter()
        .map(|i| seen.lines[*i].drawn.clone())
        .collect();
    Ok((names.join(" "), says, drawn))
}

fn combs(
    photo: &GrayImage,
    corners: &Corners,
    teeth: usize,
    more: f64,
    lie: bool,
) -> Result<Found, PhotoRefusal> {
    let seen = read_combs(photo, corners, teeth, more)?;
    if seen.lie != lie {
        return Err(PhotoRefusal::Turned(if lie {
            "teeth stand up: those are the combs for X"
        } else {
            "teeth lie: those are the combs for Y"
        }));
    }
    // As the plate lies in the printer the second nozzle's comb is behind the first's, or right of it; a photo from the other
    // side shows both turned.
    let turned = seen.second_first == lie;
    let tooth = if turned { -seen.tooth } else { seen.tooth };
    let mut says = vec![format!(
        "Teeth meet at {} ± {} teeth, counted from the middle, by all {teeth} together.",
        fixed(tooth, 2),
        fixed(seen.expanded, 2)
    )];
    if turned {
        says.push("The photo was taken from behind the printer: that is turned back.".into());
    }
    Ok((plain(tooth, 2), says, seen.drawn.to_vec()))
}
