//! The line protocol: commands, frames, replies, settings, and the guard.
//!
//! Pure: no I/O, no clock, no async.
#![deny(missing_docs)]

mod allowed;
mod arc;
mod command;
mod frame;
mod guard;
mod lex;
mod machine;
mod marks;
mod moves;
mod print_line;
mod reply;
mod settings;
mod shape;
mod temperatures;
mod words;
mod writer;

pub use allowed::Allowed;
pub use arc::Arc;
pub use command::{COMMANDS, Effect, Needs, Spec, Takes, command};
pub use frame::{FrameError, checksum, framed, unframed};
pub use guard::{CHAMBER_CEILING_C, Guard, GuardLimits, HeaterLimit, Refusal, StopWord, stop_word};
pub use lex::{LexError, Lexer, Token, TokenKind};
pub use machine::{AXES, Habits, Machine};
pub use marks::Marks;
pub use moves::{MOVE_LETTERS, PlainMove, Short, line_end, plain_number, short_line};
pub use print_line::{LeftOut, PrintLine, PrintLines};
pub use reply::{
    AutotuneReport, Reply, read_autotune, read_card_print, read_place, read_reply,
    read_simulated_speed,
};
pub use settings::{
    SettingChange, SettingKey, SettingsDiagnostic, SettingsReport, compare_settings, describe,
    read_settings, wanted_by,
};
pub use temperatures::{Channel, Heater, Temperatures, read_temperatures};
pub use words::{WordError, Words};
pub use writer::{
    Command, CommandError, FeedOrder, LEAST_EXTRUSION_C, autotune_bed, autotune_nozzle,
    feed_for_drive_test, read_back, set_bed_gains, set_flow_percent, set_heater_gains,
    set_nozzle_offset_mm, set_pressure_advance_s, set_probe_xy_mm, set_retraction,
    set_steps_per_mm, set_z_offset_mm, store_settings,
};
