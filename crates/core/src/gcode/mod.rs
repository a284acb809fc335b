//! The line protocol: commands, frames, replies, settings, and the guard.

mod frame;
mod guard;
mod reply;
mod settings;
mod words;
mod writer;

pub use frame::{FrameError, checksum, framed, unframed};
pub use guard::{Allowed, Effect, Guard, GuardLimits, GuardState, Refusal};
pub use reply::{
    AutotuneReport, Reply, Temperatures, read_autotune, read_reply, read_temperatures,
};
pub use settings::{
    SettingChange, SettingKey, SettingsDiagnostic, SettingsReport, compare_settings, describe,
    read_settings, wanted_by,
};
pub use words::{WordError, Words};
pub use writer::{
    CommandError, FeedOrder, LEAST_EXTRUSION_C, feed_for_drive_test, read_back, set_flow_percent,
    set_heater_gains, set_steps_per_mm, set_z_offset_mm, store_settings,
};
