//! A simulated printer behind a port of this computer.

use serde_json::json;
use wattotherm_twin::Twin;
use wattotherm_twin::port::{Running, Speed};

use super::Server;

/// A twin that is reached over TCP; its time runs as long as this lives.
pub struct Printer {
    pub running: Running,
    pub host: String,
    _runtime: tokio::runtime::Runtime,
}

impl Printer {
    pub fn new(twin: Twin, speed: Speed) -> Self {
        let runtime = tokio::runtime::Builder::new_multi_thread()
            .worker_threads(1)
            .enable_all()
            .build()
            .unwrap();
        let running = Running::new(twin, speed);
        let listener = runtime
            .block_on(tokio::net::TcpListener::bind("127.0.0.1:0"))
            .unwrap();
        let host = listener.local_addr().unwrap().to_string();
        let serving = running.clone();
        runtime.spawn(async move { serving.serve_tcp(listener).await });
        Self {
            running,
            host,
            _runtime: runtime,
        }
    }

    /// Connects it as a printer that the server knows.
    pub fn connect(&self, s: &Server, id: i64) {
        let link = format!("/api/v1/printers/{id}/link");
        let body = json!({"address": {"kind": "tcp", "host": self.host}});
        let (status, got) = s.call("POST", &link, Some(&body));
        assert_eq!(status, 200, "{got}");
    }
}
