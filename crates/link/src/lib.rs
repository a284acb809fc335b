//! Talking to a printer: transport, protocol, guard, record, and the routines built on them.
//!
//! A [`Link`] knows bytes and the rules of core, nothing of what stands behind the wire.
#![deny(missing_docs)]

mod actor;
mod link;
mod message;
mod options;
mod protocol;
mod record;
pub mod routines;
mod status;
mod system;
mod transport;
mod watch;

pub use link::{Claim, Link};
pub use options::LinkOptions;
pub use protocol::Patience;
pub use record::{Way, Wire};
pub use status::{
    CeilingAlarm, Heaters, LinkState, LinkStatus, Metal, OwnHeat, SendError, StopUnderWay,
};
pub use transport::{Address, BAUDS, BoxStream, Opener, Port, Stream, ports};
pub use watch::{Told, Watch, told};
