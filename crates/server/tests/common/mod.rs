//! A real server on a free port with a temporary database.

#![allow(dead_code, clippy::unwrap_used)] // each test file uses its own part of it

pub mod printer;

use std::io::{BufRead as _, BufReader, Write as _};
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};

use serde_json::Value;

/// What hangs, hangs for good; what is only slow on a machine that builds beside comes within this. How fast
/// it is says `make bench`.
#[allow(dead_code)]
pub const HANGS: std::time::Duration = std::time::Duration::from_secs(10);

pub struct Server {
    child: Child,
    pub url: String,
}

impl Server {
    pub fn start(args: &[&str]) -> Self {
        Self::spawn(Command::new(env!("CARGO_BIN_EXE_wattotherm")).args(args))
    }

    pub fn serve(data: &Path) -> Self {
        Self::start(&[
            "serve",
            "--listen",
            "127.0.0.1:0",
            "--data",
            data.to_str().unwrap(),
        ])
    }

    pub fn demo() -> Self {
        Self::start(&["demo", "--listen", "127.0.0.1:0"])
    }

    pub fn spawn(command: &mut Command) -> Self {
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap())
            .read_line(&mut line)
            .unwrap();
        let url = line.trim().rsplit(' ').next().unwrap().to_owned();
        assert!(url.starts_with("http://"), "the server said: {line:?}");
        Self { child, url }
    }

    pub fn kill(&mut self) {
        // SIGKILL: no destructor, no flush.
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Number of its process.
    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// Whether it ends by itself within this time.
    pub fn gone_within(&mut self, most: std::time::Duration) -> bool {
        let until = std::time::Instant::now() + most;
        while std::time::Instant::now() < until {
            if self.child.try_wait().unwrap().is_some() {
                return true;
            }
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
        false
    }

    /// Ends it as an operator does.
    pub fn end(&mut self) {
        let pid = self.child.id().to_string();
        assert!(Command::new("kill").arg(&pid).status().unwrap().success());
        self.child.wait().unwrap();
    }

    pub fn call(&self, method: &str, path: &str, body: Option<&Value>) -> (u16, Value) {
        self.raw(
            method,
            path,
            body.map(Value::to_string).as_deref(),
            &[("content-type", "application/json")],
        )
        .unwrap()
    }

    /// None where the server didn't answer at all.
    pub fn raw(
        &self,
        method: &str,
        path: &str,
        body: Option<&str>,
        headers: &[(&str, &str)],
    ) -> Option<(u16, Value)> {
        ask(&self.url, method, path, body, headers)
    }

    /// Sends a file; its name among the files.
    pub fn send_file(&self, content: &[u8]) -> String {
        let (status, kept) = self.send_bytes(content);
        assert_eq!(status, 201, "{kept}");
        kept["sha256"].as_str().unwrap().to_owned()
    }

    /// Sends bytes as a file: status and answer.
    pub fn send_bytes(&self, content: &[u8]) -> (u16, Value) {
        self.post_bytes("/api/v1/files", content)
    }

    /// Posts bytes: status and answer.
    pub fn post_bytes(&self, path: &str, content: &[u8]) -> (u16, Value) {
        let agent: ureq::Agent = ureq::Agent::config_builder()
            .http_status_as_error(false)
            .build()
            .into();
        let mut answer = agent
            .post(format!("{}{path}", self.url))
            .content_type("application/octet-stream")
            .send(content)
            .unwrap();
        let text = answer.body_mut().read_to_string().unwrap();
        (
            answer.status().as_u16(),
            serde_json::from_str(&text).unwrap_or(Value::String(text)),
        )
    }

    /// A file as text.
    pub fn raw_text(&self, path: &str) -> String {
        ureq::get(format!("{}{path}", self.url))
            .call()
            .unwrap()
            .body_mut()
            .read_to_string()
            .unwrap()
    }

    pub fn get(&self, path: &str) -> Value {
        let (status, body) = self.call("GET", path, None);
        assert_eq!(status, 200, "{path}: {body}");
        body
    }
}

/// Asks a server: its status and what it said, as JSON or as text. None where it didn't answer at all.
pub fn ask(
    url: &str,
    method: &str,
    path: &str,
    body: Option<&str>,
    headers: &[(&str, &str)],
) -> Option<(u16, Value)> {
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .http_status_as_error(false)
        .build()
        .into();
    let mut request = ureq::http::Request::builder()
        .method(method)
        .uri(format!("{url}{path}"));
    for (k, v) in headers {
        request = request.header(*k, *v);
    }
    let mut response = agent
        .run(request.body(body.unwrap_or("").to_owned()).unwrap())
        .ok()?;
    let text = response.body_mut().read_to_string().ok()?;
    Some((
        response.status().as_u16(),
        serde_json::from_str(&text).unwrap_or(Value::String(text)),
    ))
}

/// A page's socket.
pub struct Page(tungstenite::WebSocket<std::net::TcpStream>);

impl Page {
    pub fn open(server: &Server) -> Self {
        let host = server.url.trim_start_matches("http://");
        let socket = std::net::TcpStream::connect(host).unwrap();
        socket
            .set_read_timeout(Some(std::time::Duration::from_secs(10)))
            .unwrap();
        let (ws, _) = tungstenite::client(format!("ws://{host}/api/v1/live"), socket).unwrap();
        Self(ws)
    }

    /// The next message of this kind; none when the socket ended or nothing came for ten seconds.
    pub fn next(&mut self, kind: &str) -> Option<Value> {
        loop {
            let message = self.0.read().ok()?;
            let Ok(text) = message.to_text() else {
                continue;
            };
            let Ok(value) = serde_json::from_str::<Value>(text) else {
                continue;
            };
            if value["kind"] == kind {
                return Some(value);
            }
        }
    }

    /// The next picture of all printers.
    pub fn picture(&mut self) -> Option<Value> {
        self.next("printers").map(|v| v["printers"].clone())
    }

    pub fn say(&mut self, message: &Value) {
        self.0
            .send(tungstenite::Message::text(message.to_string()))
            .unwrap();
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// What the command line says to its input.
pub fn run(args: &[&str], input: &str) -> Output {
    let mut child = Command::new(env!("CARGO_BIN_EXE_wattotherm"))
        .args(args)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child
        .stdin
        .take()
        .unwrap()
        .write_all(input.as_bytes())
        .unwrap();
    child.wait_with_output().unwrap()
}
