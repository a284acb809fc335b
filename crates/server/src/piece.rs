//! `wattotherm piece`: test pieces for one printer, as G-code or STL.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{BufWriter, Write as _};
use std::path::{Path, PathBuf};

use wattotherm_measure::text::duration_s;
use wattotherm_toolpath::{
    DEFAULT_JUNCTION_MM, Limits, PIECES, Piece, PieceChoice, PieceFor, PieceKind, SurveyOptions,
    make_piece, piece_named, survey, write_stl,
};

use crate::Failure;

/// What is asked for.
pub struct PieceWanted {
    /// Its name; `list` prints all.
    pub name: String,
    /// The printer as JSON.
    pub printer: Option<PathBuf>,
    /// Values by key, `key=value` each.
    pub set: Vec<String>,
    /// Where it goes.
    pub out: Option<PathBuf>,
}

fn list() -> Result<(), Failure> {
    let mut to = std::io::stdout();
    for p in PIECES {
        writeln!(to, "{:<8} {}: finds {}", p.name, p.title, p.finds)?;
        for s in p.settings {
            let choices: Vec<String> = s.choices.iter().map(PieceChoice::shown).collect();
            let unless = s
                .unsaid
                .map_or_else(|| s.default.to_string(), str::to_owned);
            let of = if choices.is_empty() {
                format!("{} to {}", s.min, s.max)
            } else {
                choices.join(", ")
            };
            writeln!(to, "    {:<8} {}: {of}; else {unless}", s.key, s.says)?;
        }
    }
    Ok(())
}

fn facts(file: Option<&Path>) -> Result<PieceFor, Failure> {
    let Some(file) = file else {
        return Ok(PieceFor::default());
    };
    let text = std::fs::read_to_string(file)
        .map_err(|e| format!("{} can’t be read: {e}", file.display()))?;
    Ok(serde_json::from_str(&text).map_err(|e| format!("{}: {e}", file.display()))?)
}

fn settings(set: &[String]) -> Result<BTreeMap<String, f64>, Failure> {
    set.iter()
        .map(|one| {
            let (key, value) = one
                .split_once('=')
                .ok_or_else(|| format!("“{one}” is no setting: write key=value."))?;
            let value = value
                .replace(',', ".")
                .parse::<f64>()
                .map_err(|_| format!("“{value}” is no number: write {key}=1.5."))?;
            Ok((key.to_owned(), value))
        })
        .collect()
}

/// What it takes: time under usual limits, metres and grams.
fn takes(piece: &Piece, facts: &PieceFor) -> Result<String, Failure> {
    let options = SurveyOptions {
        limits: Limits {
            junction_mm: Some(DEFAULT_JUNCTION_MM),
            filament_mm: facts.filament_mm,
            ..Limits::default()
        },
        heating: None,
        cores: 0,
    };
    let s = survey(piece.gcode.as_bytes(), &options, |_| true)?;
    Ok(format!(
        "{} without heating, {:.2} m, {:.1} g",
        duration_s(s.seconds),
        s.filament_mm / 1e3,
        s.volume_mm3 / 1e3 * facts.density_g_cm3
    ))
}

fn said(kind: &PieceKind, piece: &Piece, facts: &PieceFor) -> Result<(), Failure> {
    let mut to = std::io::stdout();
    writeln!(to, "{}: {}", kind.title, takes(piece, facts)?)?;
    writeln!(to, "finds {}", kind.finds)?;
    writeln!(to, "proves {}", kind.proves)?;
    writeln!(to, "{}", kind.proves_not)?;
    for part in &piece.parts {
        writeln!(
            to,
            "  {:>6}  {:<10} X {:.1} to {:.1}, Y {:.1} to {:.1}, Z {:.2} to {:.2}",
            part.label,
            part.value,
            part.x_mm[0],
            part.x_mm[1],
            part.y_mm[0],
            part.y_mm[1],
            part.z_mm[0],
            part.z_mm[1]
        )?;
    }
    Ok(())
}

/// Makes a piece, writes it, and says what it takes and proves.
/// # Errors
/// What is wrong with name, printer, settings or file.
pub fn run(asked: &PieceWanted) -> Result<(), Failure> {
    if asked.name == "list" {
        return list();
    }
    let kind = piece_named(&asked.name).ok_or_else(|| {
        let names: Vec<&str> = PIECES.iter().map(|p| p.name).collect();
        format!(
            "There is no piece “{}”. There are {}.",
            asked.name,
            names.join(", ")
        )
    })?;
    let facts = facts(asked.printer.as_deref())?;
    let piece = make_piece(kind, &facts, &settings(&asked.set)?).map_err(|e| e.to_string())?;
    if let Some(out) = &asked.out {
        let failed = |e: std::io::Error| format!("{} can’t be written: {e}", out.display());
        let mut to = BufWriter::new(File::create(out).map_err(failed)?);
        if out
            .extension()
            .is_some_and(|e| e.eq_ignore_ascii_case("stl"))
        {
            if piece.body.is_empty() {
                return Err(format!(
                    "The {} is a path, not a body: write it as G-code.",
                    kind.title
                )
                .into());
            }
            write_stl(&piece.body, &mut to).map_err(failed)?;
        } else {
            to.write_all(piece.gcode.as_bytes()).map_err(failed)?;
        }
        to.flush().map_err(failed)?;
    }
    said(kind, &piece, &facts)
}
