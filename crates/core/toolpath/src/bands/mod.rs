//! Changing a setting by height in a file that is there already: what changes is put in, the rest stays byte for byte.

mod check;
mod commanded;
mod rewritten;
mod wanted;
mod words;

use std::io::{self, Read, Write};

use serde::Serialize;
use utoipa::ToSchema;

use crate::chunks::ReadError;
use crate::read::{LineRef, read_path};
pub use check::check_change;
pub use wanted::{BandKind, Wanted, WantedError, band_values, read_wanted};

/// One band of the table.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
#[schema(as = HeightBand)]
pub struct Band {
    /// Where it begins [mm].
    pub from_mm: f64,
    /// Where it ends [mm].
    pub to_mm: f64,
    /// Its value, in the unit of its kind.
    pub value: f64,
    /// What the printer makes of it: for flow the profile's flow times this override, otherwise the value; in the unit of its kind.
    pub effective: f64,
    /// First line that lays a bead of it; a number, none where no bead lies in it.
    pub line: Option<u64>,
    /// Length of its beads [mm].
    pub printed_mm: f64,
}

/// What was changed.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct BandTable {
    /// What is set.
    pub kind: BandKind,
    /// The bands, from below.
    pub bands: Vec<Band>,
    /// What the file itself says outside of them, in the unit of the kind; none where it doesn't say.
    pub base: Option<f64>,
    /// Whether the last value stays in the printer: it was set, and the file doesn't say what it was.
    pub stays: bool,
    /// Height of the part [mm].
    pub top_mm: f64,
    /// Places that change; a number.
    pub edits: usize,
}

/// One place that changes: so many bytes make room for some text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Edit {
    /// Where, in bytes from the begin of the file.
    pub at: u64,
    /// How many bytes go.
    pub cut: u32,
    /// What comes.
    pub put: Box<[u8]>,
}

/// A file changed by height: what is to be edited, in order, and the table of it.
#[derive(Clone, Debug)]
pub struct Changed {
    /// What changes, in the order of the file.
    pub edits: Vec<Edit>,
    /// What it means.
    pub table: BandTable,
}

/// Why a file isn't changed.
#[derive(Debug, thiserror::Error)]
pub enum BandsError {
    /// What is wanted can't be meant.
    #[error(transparent)]
    Wanted(#[from] WantedError),
    /// The file can't be read to its end.
    #[error(transparent)]
    Read(#[from] ReadError),
    /// How filament counts isn't said before it is fed.
    #[error(
        "Line {line} feeds filament, and no M82 or M83 stands before it: whether its numbers are absolute can’t be told. Put one at the begin of the file."
    )]
    ModeUnknown {
        /// The line.
        line: u64,
    },
    /// There is no bead in the file.
    #[error("The file lays no bead: there is nothing to change by height.")]
    Empty,
    /// A band has nothing in it.
    #[error(
        "The band from {from_mm:.2} to {to_mm:.2} mm is outside the part, whose top is {top_mm:.2} mm. Take fewer values, or lower bands."
    )]
    Outside {
        /// Where the band begins [mm].
        from_mm: f64,
        /// Where it ends [mm].
        to_mm: f64,
        /// Top of the part [mm].
        top_mm: f64,
    },
    /// What was in force before a band isn't known, and the part goes on above it.
    #[error(
        "The part goes on above the bands, and the file doesn’t say what {what} it has there. Cover the part to its top, or put the command before it."
    )]
    NoBase {
        /// What is set.
        what: &'static str,
    },
    /// There is nothing of the kind to change.
    #[error("The file has no {what} to change.")]
    Nothing {
        /// What is missed.
        what: &'static str,
    },
    /// Boards differ in what a length of this command counts in.
    #[error(
        "Line {line}: the file counts in inches there, and boards differ in whether M207 does. Slice the part in millimetres."
    )]
    Inches {
        /// The line.
        line: u64,
    },
    /// A line that can't be written anew.
    #[error("Line {line}: {says}")]
    Line {
        /// The line.
        line: u64,
        /// Why.
        says: &'static str,
    },
}

/// Finds what has to change in a file for the wanted bands. A layer belongs to the band that its middle lies in. Commands are put
/// before the first bead of a band, again where the file itself sets the same inside one, and what the file says
/// otherwise comes back behind; moves are written anew only where their own numbers change. Memory grows with the number of edits.
/// # Errors
/// [`BandsError`].
pub fn change_by_height(
    from: impl Read + Send,
    wanted: &Wanted,
    cores: usize,
    progress: impl FnMut(u64) -> bool,
) -> Result<Changed, BandsError> {
    wanted.check()?;
    let mut sheet = Sheet::new(wanted);
    let (reading, base, refused) = if wanted.kind.is_command() {
        let mut change = commanded::Commanded::new(wanted, &mut sheet);
        let reading = read_path(from, cores, &mut change, progress)?;
        let (base, refused) = change.finish();
        (reading, base, refused)
    } else {
        let mut change = rewritten::Rewritten::new(wanted, &mut sheet);
        let reading = read_path(from, cores, &mut change, progress);
        let (base, refused) = change.finish();
        let reading = match (reading, refused) {
            (Err(ReadError::Stopped), Some(refused)) => return Err(refused),
            (reading, _) => reading?,
        };
        (reading, base, None)
    };
    if let Some(line) = reading.unsure_e_line {
        return Err(BandsError::ModeUnknown { line });
    }
    if sheet.top_mm <= 0.0 {
        return Err(BandsError::Empty);
    }
    if let Some(empty) = sheet.bands.iter().find(|b| b.line.is_none()) {
        return Err(BandsError::Outside {
            from_mm: empty.from_mm,
            to_mm: empty.to_mm,
            top_mm: sheet.top_mm,
        });
    }
    if let Some(refused) = refused {
        return Err(refused);
    }
    if sheet.edits.is_empty() {
        return Err(BandsError::Nothing {
            what: wanted.kind.what(),
        });
    }
    sheet.edits.sort_by_key(|e| e.at);
    Ok(Changed {
        table: BandTable {
            kind: wanted.kind,
            bands: sheet.bands,
            base,
            stays: wanted.kind.is_command() && base.is_none(),
            top_mm: sheet.top_mm,
            edits: sheet.edits.len(),
        },
        edits: sheet.edits,
    })
}

/// The table and the edits while a file is read.
struct Sheet {
    bands: Vec<Band>,
    from_mm: f64,
    every_mm: f64,
    top_mm: f64,
    edits: Vec<Edit>,
}

impl Sheet {
    fn new(wanted: &Wanted) -> Self {
        Self {
            bands: wanted.bands(),
            from_mm: wanted.from_mm,
            every_mm: wanted.every_mm,
            top_mm: 0.0,
            edits: Vec::new(),
        }
    }

    /// The band that a height lies in.
    fn band_at(&self, z_mm: f64) -> Option<usize> {
        let nth = (z_mm - self.from_mm) / self.every_mm;
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        // checked to be within the list
        (nth >= 0.0 && nth < self.bands.len() as f64).then_some(nth as usize)
    }

    /// Notes a bead of a layer: which band it is in.
    fn bead(
        &mut self,
        z_mm: f64,
        height_mm: f64,
        length_mm: f64,
        line: LineRef<'_>,
    ) -> Option<usize> {
        self.top_mm = self.top_mm.max(z_mm);
        let band = self.band_at(z_mm - 0.5 * height_mm)?;
        let b = &mut self.bands[band];
        b.line.get_or_insert(line.number);
        b.printed_mm += length_mm;
        Some(band)
    }

    fn put(&mut self, at: u64, cut: usize, put: Vec<u8>) {
        self.edits.push(Edit {
            at,
            cut: u32::try_from(cut).unwrap_or(u32::MAX),
            put: put.into_boxed_slice(),
        });
    }
}

/// Writes a file with its edits: all else is copied as it is. `progress` hears how many bytes are read.
/// # Errors
/// What reading or writing says; `Interrupted` where `progress` said false.
pub fn apply_edits(
    mut from: impl Read,
    edits: &[Edit],
    mut to: impl Write,
    mut progress: impl FnMut(u64) -> bool,
) -> io::Result<()> {
    let mut buffer = vec![0; 256 * 1024];
    let (mut at, mut next, mut skip) = (0_u64, 0, 0_usize);
    loop {
        let n = match from.read(&mut buffer) {
            Ok(n) => n,
            Err(e) if e.kind() == io::ErrorKind::Interrupted => continue,
            Err(e) => return Err(e),
        };
        let mut rest = &buffer[..n];
        while let Some(edit) = edits.get(next).filter(|e| e.at <= at + rest.len() as u64) {
            if n > 0 && edit.at == at + rest.len() as u64 {
                // It may belong to bytes that are not read yet.
                break;
            }
            #[allow(clippy::cast_possible_truncation)] // within the buffer
            let before = (edit.at - at) as usize;
            let gone = before.min(skip);
            to.write_all(&rest[gone..before])?;
            skip -= gone;
            rest = &rest[before..];
            at = edit.at;
            to.write_all(&edit.put)?;
            skip += edit.cut as usize;
            next += 1;
        }
        let gone = skip.min(rest.len());
        to.write_all(&rest[gone..])?;
        skip -= gone;
        at += rest.len() as u64;
        if n == 0 {
            return to.flush();
        }
        if !progress(at) {
            return Err(io::Error::new(io::ErrorKind::Interrupted, "stopped"));
        }
    }
}
