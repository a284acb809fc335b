//! The Wattotherm application: API, pages, command line.

mod api;
mod body;
mod cases;
mod connections;
mod demo;
mod error;
mod everything;
mod found;
mod help_pack;
mod live;
mod moment;
mod pages;
mod photo;
mod printing;
mod reading;
mod serve;
mod state;
mod system;
mod typed;
mod work;
mod zip_file;

pub use demo::{connect_demo, fill_with_demo};
pub use moment::now;
pub use serve::{Listening, app_router, job_schema_json, listen, openapi_json};
pub use state::App;
pub use system::Stopped;
