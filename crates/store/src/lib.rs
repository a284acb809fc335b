//! What Wattotherm keeps, in one SQLite file: printers with their histories, jobs, readings,
//! findings, house rules, and a logbook that is only ever appended to.

mod error;
mod heat;
mod house;
mod jobs;
mod logbook;
mod open;
mod printers;
mod records;
mod transfer;

pub use error::StoreError;
pub use heat::{Connection, NewTrace, NewWire, TraceHead, WireLine};
pub use logbook::LogFilter;
pub use open::{OpenOptions, Store};
pub use records::{
    Closing, Filament, Fitting, Job, LogEntry, NewFilament, NewJob, NewPrinter, NewSetting,
    Printer, Setting, Shows, StaleMark,
};
pub use transfer::{FORMAT, ImportError, JobFile, TransferEntry};
