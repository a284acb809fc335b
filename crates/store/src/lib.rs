//! What Wattotherm keeps, in one SQLite file: printers with their histories, jobs, readings,
//! findings, house rules, and a logbook that is only ever appended to.

mod blocks;
mod check;
mod deeds;
mod doubt;
mod draft;
mod error;
mod fault_cases;
mod files;
mod find;
mod heat;
mod heat_on;
mod house;
mod jobs;
mod keep_deed;
mod lock;
mod logbook;
mod made_prints;
mod open;
mod photos;
mod print_files;
mod printers;
mod records;
mod samples;
mod transfer;
mod upgrade;

pub use check::{BadRecord, check_moment};
pub use draft::{Change, Draft, DraftConflict};
pub use error::StoreError;
pub use fault_cases::{CaseEnd, EntryAt, FaultCase, NewCase};
pub use files::{Attachment, Blob, Files, Incoming};
pub use find::{Found, FoundKind};
pub use heat::{Connection, NewTrace, NewWire, Source, TraceHead, WireLine};
pub use heat_on::{HeatOn, HeatSeen};
pub use lock::FolderLock;
pub use logbook::{About, LogFilter};
pub use made_prints::{MadePrint, MadePrintEnd, NewMadePrint};
pub use open::{OpenOptions, Store};
pub use photos::{MOST_PHOTOS, MarkShape, NewPhoto, Photo, PhotoMark, PhotoWords};
pub use print_files::{NewPrintFile, PrintFile};
pub use records::{
    ChangedAt, Closing, DeedEntry, Filament, Fitting, Job, JobEnd, JobFilter, JobHead, LogEntry,
    NewFilament, NewJob, NewPrinter, NewSetting, Printer, Setting, Shows, StaleMark,
};
pub use transfer::{FORMAT, ImportError, JobFile, TransferEntry, TransferPhoto};
