//! `wattotherm twin`: a simulated printer behind a port or a pseudo-terminal.

use std::io::Write as _;
use std::net::SocketAddr;
use std::path::PathBuf;

use wattotherm_twin::port::{Running, Speed};
use wattotherm_twin::{Build, Fault, Kind, Truth, Twin};

use crate::eyes;

/// What was asked for on the command line.
pub struct Wanted {
    pub listen: Option<SocketAddr>,
    pub pty: bool,
    pub speed: String,
    pub faults: Vec<String>,
    pub seed: u64,
    pub kind: String,
    pub memory: Option<PathBuf>,
    pub eyes: Option<SocketAddr>,
    pub direct: bool,
    pub nozzles: u8,
}

type Failure = Box<dyn std::error::Error>;

fn say(text: &str) -> Result<(), Failure> {
    Ok(writeln!(std::io::stdout(), "{text}")?)
}

/// Runs until it is ended.
pub fn run(wanted: &Wanted) -> Result<(), Failure> {
    if wanted.faults.iter().any(|f| f == "list") {
        let all: Vec<&str> = Fault::ALL.iter().map(|f| f.id()).collect();
        return say(&all.join("\n"));
    }
    let faults: Vec<Fault> = wanted
        .faults
        .iter()
        .map(|f| f.parse())
        .collect::<Result<_, _>>()?;
    let kind = match wanted.kind.as_str() {
        "light" => Kind::Light,
        "standard" => Kind::Standard,
        "heavy" => Kind::Heavy,
        other => {
            return Err(format!(
                "There is no hot end “{other}”. Hot ends are light, standard, heavy."
            )
            .into());
        }
    };
    let speed = match wanted.speed.as_str() {
        "free" => Speed::Free,
        s => Speed::Times(
            s.parse()
                .ok()
                .filter(|v: &f64| (0.1..=1_000.0).contains(v))
                .ok_or("A speed is 0.1 to 1000, or free.")?,
        ),
    };
    let mut twin = Twin::new(
        Build::new(kind, wanted.seed, faults).with_nozzles(wanted.nozzles),
        wanted.seed,
    );
    twin.truth = Truth::drawn(wanted.seed, !wanted.direct);
    let mut running = Running::new(twin, speed);
    if let Some(file) = &wanted.memory {
        running = running.remembering(file.clone());
    }
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()?;
    runtime.block_on(async move {
        if !wanted.pty && wanted.listen.is_none() {
            return Err("Say where it listens: --listen 127.0.0.1:4871, or --pty.".into());
        }
        let mut kept = None;
        if let Some(address) = wanted.eyes {
            let listener = tokio::net::TcpListener::bind(address)
                .await
                .map_err(|e| format!("{address} can’t be listened on: {e}"))?;
            say(&format!("Eyes on http://{}", listener.local_addr()?))?;
            tokio::spawn(eyes::serve(running.clone(), wanted.seed, listener));
        }
        if wanted.pty {
            let (name, stream) = running.pty()?;
            say(&format!("Simulated printer on {name}"))?;
            kept = Some(stream);
        }
        if let Some(address) = wanted.listen {
            let listener = tokio::net::TcpListener::bind(address)
                .await
                .map_err(|e| format!("{address} can’t be listened on: {e}"))?;
            say(&format!("Simulated printer on {}", listener.local_addr()?))?;
            running.serve_tcp(listener).await?;
        }
        tokio::signal::ctrl_c().await?;
        drop(kept);
        Ok(())
    })
}
