//! Commands for a printer's line protocol.

mod writer;

pub use writer::{
    CommandError, FeedOrder, LEAST_EXTRUSION_C, feed_for_drive_test, read_back, set_flow_percent,
    set_steps_per_mm, set_z_offset_mm, store_settings,
};
