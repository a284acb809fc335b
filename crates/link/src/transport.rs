//! Where a printer is reached, and opening the way to it.

use std::future::Future;
use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::time::Duration;

use serde::{Deserialize, Serialize};
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpStream;
use tokio_serial::{SerialPort as _, SerialPortBuilderExt as _, SerialPortType};

use crate::system::keep_alone;
use utoipa::ToSchema;

/// A stream of bytes to a printer.
pub trait Stream: AsyncRead + AsyncWrite + Send + Unpin {}
impl<T: AsyncRead + AsyncWrite + Send + Unpin> Stream for T {}

/// An open way.
pub type BoxStream = Box<dyn Stream>;
type Opening = Pin<Box<dyn Future<Output = io::Result<BoxStream>> + Send>>;

/// Opens the way, again after a loss.
#[derive(Clone)]
pub struct Opener(Arc<dyn Fn() -> Opening + Send + Sync>);

impl std::fmt::Debug for Opener {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Opener")
    }
}

impl Opener {
    /// From any way of opening a stream, e.g. a pipe in the same process.
    pub fn new<F, Fut, S>(open: F) -> Self
    where
        F: Fn() -> Fut + Send + Sync + 'static,
        Fut: Future<Output = io::Result<S>> + Send + 'static,
        S: Stream + 'static,
    {
        Self(Arc::new(move || {
            let opening = open();
            Box::pin(async move { Ok(Box::new(opening.await?) as BoxStream) })
        }))
    }

    pub(crate) async fn open(&self) -> io::Result<BoxStream> {
        (self.0)().await
    }
}

/// Where a printer is reached.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case", deny_unknown_fields)]
pub enum Address {
    /// A serial port.
    Serial {
        /// Its name, e.g. `/dev/ttyUSB0`.
        port: String,
        /// Bits per second, e.g. 115200.
        baud: u32,
    },
    /// A network address.
    Tcp {
        /// Host and port, e.g. `192.168.1.20:4871`.
        host: String,
    },
}

/// Speeds that printers are set to. Common practice, no published source.
pub const BAUDS: [u32; 5] = [115_200, 250_000, 500_000, 57_600, 9_600];

impl Address {
    /// The address in words.
    #[must_use]
    pub fn says(&self) -> String {
        match self {
            Self::Serial { port, baud } => format!("{port} at {baud} baud"),
            Self::Tcp { host } => host.clone(),
        }
    }

    /// Opens this address.
    #[must_use]
    pub fn opener(&self) -> Opener {
        match self.clone() {
            Self::Serial { port, baud } => Opener::new(move || {
                let port = port.clone();
                async move {
                    let mut stream = tokio_serial::new(port, baud)
                        .timeout(Duration::from_millis(50))
                        .open_native_async()
                        .map_err(io::Error::from)?;
                    keep_alone(&mut stream);
                    let _ = stream.clear(tokio_serial::ClearBuffer::All);
                    Ok(stream)
                }
            }),
            Self::Tcp { host } => Opener::new(move || {
                let host = host.clone();
                async move {
                    let connecting = TcpStream::connect(host);
                    let stream = tokio::time::timeout(Duration::from_secs(5), connecting)
                        .await
                        .map_err(|_| io::Error::from(io::ErrorKind::TimedOut))??;
                    stream.set_nodelay(true)?;
                    Ok(stream)
                }
            }),
        }
    }
}

/// A serial port of this computer, with a hint of what it is.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, ToSchema)]
pub struct Port {
    /// Its name.
    pub name: String,
    /// What it seems to be.
    pub hint: String,
    /// Whether a printer is likely behind it.
    pub likely: bool,
}

/// Serial ports of this computer, the likely ones first.
#[must_use]
pub fn ports() -> Vec<Port> {
    let mut all: Vec<Port> = tokio_serial::available_ports()
        .unwrap_or_default()
        .into_iter()
        .map(|p| {
            let (hint, likely) = match p.port_type {
                SerialPortType::UsbPort(usb) => (
                    usb.product.map_or_else(
                        || "USB, likely a board".to_owned(),
                        |n| format!("USB: {}", n.chars().take(60).collect::<String>()),
                    ),
                    true,
                ),
                SerialPortType::BluetoothPort => ("Bluetooth".to_owned(), false),
                SerialPortType::PciPort => ("built in, rarely a printer".to_owned(), false),
                SerialPortType::Unknown => {
                    let usb = p.port_name.contains("USB") || p.port_name.contains("ACM");
                    let hint = if usb {
                        "USB, likely a board"
                    } else {
                        "not known"
                    };
                    (hint.to_owned(), usb)
                }
            };
            Port {
                name: p.port_name,
                hint,
                likely,
            }
        })
        .collect();
    all.sort_by(|a, b| b.likely.cmp(&a.likely).then_with(|| a.name.cmp(&b.name)));
    all
}
