//! Command line of Wattotherm.

use std::io::{Read as _, Write as _};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Parser, Subcommand};
use wattotherm_diagnosis::{Facts, SHIPPED, diagnose, everything_known, judgement};
use wattotherm_job::Context;
use wattotherm_job::stations::{all_stations, station_named};
use wattotherm_server::{
    App, Stopped, connect_demo, fill_with_demo, job_schema_json, listen, now, openapi_json,
};
use wattotherm_store::{FolderLock, JobFile, OpenOptions, Store};
use wattotherm_toolpath::NewBore;

mod eyes;
mod path;
mod piece;
mod twin;

/// Bench companion for recalibrating FDM printers.
#[derive(Parser)]
#[command(name = "wattotherm", version)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the application.
    Serve {
        /// Folder of the data file; the user's data folder unless given.
        #[arg(long)]
        data: Option<PathBuf>,
        /// Address to listen on; port 0 takes a free one.
        #[arg(long, default_value = "127.0.0.1:4870")]
        listen: SocketAddr,
    },
    /// Serve fresh invented data from a temporary folder.
    Demo {
        /// Address to listen on; port 0 takes a free one.
        #[arg(long, default_value = "127.0.0.1:4870")]
        listen: SocketAddr,
    },
    /// Evaluate readings from standard input and print the finding as JSON.
    Evaluate {
        /// Station, e.g. drive, sensor, heater_loop; an unknown one prints them all.
        station: String,
    },
    /// Rank the causes of what was seen, from JSON on standard input, and say what to do next.
    Diagnose {
        /// Print the names of all causes, observations, actions and replacements instead.
        #[arg(long)]
        list: bool,
        /// Print the judgement behind it instead: weights, likelihoods, minutes.
        #[arg(long, conflicts_with = "list")]
        judgement: bool,
    },
    /// Print a job as JSON.
    Export {
        /// Number of the job.
        job: i64,
        /// Folder of the data file.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Take a job file in.
    Import {
        /// The file.
        file: PathBuf,
        /// Folder of the data file.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Look the data through: the database, and every file beside it against its name.
    Check {
        /// Folder of the data file.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Read a tool path: how long it takes, what binds it, layers, retractions, what it covers.
    Path {
        /// The file.
        file: PathBuf,
        /// The printer's limits as JSON: accelerations, top speeds, corners, volumetric limit.
        #[arg(long)]
        limits: Option<PathBuf>,
        /// Print JSON.
        #[arg(long)]
        json: bool,
    },
    /// Change a setting by height in a tool path; all else stays byte for byte.
    Bands {
        /// The file.
        file: PathBuf,
        /// What to set, e.g. flow=1.15:1.40:0.05; an unknown name prints them all.
        #[arg(long)]
        set: String,
        /// Height of a band [mm].
        #[arg(long, default_value_t = 10.0)]
        every: f64,
        /// Where the first band begins [mm].
        #[arg(long, default_value_t = 0.0)]
        from: f64,
        /// Flow that the profile has already: the override multiplies it.
        #[arg(long, default_value_t = 1.0)]
        profile_flow: f64,
        /// Highest temperature that may be set [°C]: that of a lined hot end unless you know yours.
        #[arg(long, default_value_t = 240.0)]
        ceiling: f64,
        /// File to write.
        #[arg(short, long)]
        output: PathBuf,
    },
    /// Compare a part sliced for two bores, or estimate one file for another bore.
    Bores {
        /// The file as it is printed now.
        a: PathBuf,
        /// The same part for the other bore.
        b: Option<PathBuf>,
        /// The printer's limits as JSON.
        #[arg(long)]
        limits: Option<PathBuf>,
        /// Width of the other bore's beads [mm], for an estimate.
        #[arg(long, requires = "height", conflicts_with = "b")]
        width: Option<f64>,
        /// Height of its layers [mm].
        #[arg(long, requires = "width")]
        height: Option<f64>,
        /// Its top speed of printing [mm/s].
        #[arg(long, requires = "width")]
        speed: Option<f64>,
        /// Its volumetric limit [mm³/s].
        #[arg(long, requires = "width")]
        flow_limit: Option<f64>,
        /// Print JSON.
        #[arg(long)]
        json: bool,
    },
    /// Make a test piece for a printer, as G-code or STL, and say what it takes and proves.
    Piece {
        /// Its name; `list` prints them all.
        name: String,
        /// The printer as JSON: plate, bore, temperatures, limits; a common small one unless said.
        #[arg(long)]
        printer: Option<PathBuf>,
        /// Values of the piece, key=value each.
        #[arg(long, num_args = 1..)]
        set: Vec<String>,
        /// File to write: `.gcode`, or `.stl` for a slicer of your own.
        #[arg(short, long)]
        output: Option<PathBuf>,
    },
    /// Run a simulated printer that speaks the line protocol, for practice and tests.
    Twin {
        /// Address to listen on; port 0 takes a free one.
        #[arg(long)]
        listen: Option<SocketAddr>,
        /// Open a pseudo-terminal that looks like a serial port.
        #[arg(long)]
        pty: bool,
        /// How many times faster than the wall clock it lives; `free` for as fast as it can.
        #[arg(long, default_value = "1")]
        speed: String,
        /// A fault, named as often as wanted; `--fault list` prints them.
        #[arg(long)]
        fault: Vec<String>,
        /// Spread of its parts and noise.
        #[arg(long, default_value_t = 1)]
        seed: u64,
        /// Hot end: light, standard or heavy.
        #[arg(long, default_value = "standard")]
        kind: String,
        /// File in which its stored settings outlive it, as a board's memory does.
        #[arg(long)]
        memory: Option<PathBuf>,
        /// Address where eyes say what they see of its last print, for practice and tests; port 0 takes a free one.
        #[arg(long)]
        eyes: Option<SocketAddr>,
        /// Its drive sits on the hot end: no tube.
        #[arg(long)]
        direct: bool,
        /// Nozzles on its head: 1 or 2.
        #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u8).range(1..=2))]
        nozzles: u8,
    },
    /// Print the API's description.
    Openapi,
    /// Print the JSON Schema of the job file.
    Schema,
}

type Failure = Box<dyn std::error::Error>;

fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_max_level(log_level())
        .init();
    match run(Cli::parse().command) {
        Ok(()) => ExitCode::SUCCESS,
        Err(e) => {
            let _ = writeln!(std::io::stderr(), "{e}");
            ExitCode::FAILURE
        }
    }
}

/// What is logged: the level that `WATTOTHERM_LOG` names, or warnings and worse.
fn log_level() -> tracing_subscriber::filter::LevelFilter {
    std::env::var("WATTOTHERM_LOG")
        .ok()
        .and_then(|l| l.parse().ok())
        .unwrap_or(tracing_subscriber::filter::LevelFilter::WARN)
}

fn run(command: Command) -> Result<(), Failure> {
    match command {
        Command::Serve { data, listen } => serve(&data_file(data)?, listen, false),
        Command::Demo { listen } => {
            let folder = tempfile::tempdir()?;
            serve(&folder.path().join("wattotherm.sqlite"), listen, true)
        }
        Command::Evaluate { station } => evaluate_input(&station),
        Command::Diagnose { list: true, .. } => {
            print(&serde_json::to_string_pretty(&everything_known(&SHIPPED))?)
        }
        Command::Diagnose {
            judgement: true, ..
        } => print(&serde_json::to_string_pretty(&judgement(&SHIPPED))?),
        Command::Diagnose { .. } => diagnose_input(),
        Command::Export { job, data } => {
            let store = Store::open(&data_file(data)?, OpenOptions::default())?;
            print(&serde_json::to_string_pretty(&store.export(job)?)?)
        }
        Command::Check { data } => check(&data_file(data)?),
        Command::Import { file, data } => {
            let text =
                std::fs::read_to_string(&file).map_err(|e| format!("{}: {e}", file.display()))?;
            let job = JobFile::parse(&text).map_err(|e| format!("{}: {e}", file.display()))?;
            let mut store = Store::open(&data_file(data)?, OpenOptions::default())?;
            let id = store.import(&job, &now())?;
            print(&format!("Imported as job {id}."))
        }
        Command::Path { file, limits, json } => path::path(&file, limits.as_deref(), json),
        Command::Bands {
            file,
            set,
            every,
            from,
            profile_flow,
            ceiling,
            output,
        } => path::bands(&path::BandsWanted {
            file,
            set,
            every_mm: every,
            from_mm: from,
            profile_flow,
            ceiling_c: ceiling,
            out: output,
        }),
        Command::Bores {
            a,
            b,
            limits,
            width,
            height,
            speed,
            flow_limit,
            json,
        } => path::bores(&path::BoresWanted {
            a,
            b,
            limits,
            new: width.zip(height).map(|(width_mm, height_mm)| NewBore {
                width_mm,
                height_mm,
                speed_mm_s: speed,
                flow_limit_mm3_s: flow_limit,
            }),
            as_json: json,
        }),
        Command::Piece {
            name,
            printer,
            set,
            output,
        } => piece::run(&piece::PieceWanted {
            name,
            printer,
            set,
            out: output,
        }),
        Command::Twin {
            listen,
            pty,
            speed,
            fault,
            seed,
            kind,
            memory,
            eyes,
            direct,
            nozzles,
        } => twin::run(&twin::Wanted {
            listen,
            pty,
            speed,
            faults: fault,
            seed,
            kind,
            memory,
            eyes,
            direct,
            nozzles,
        }),
        Command::Openapi => print(&openapi_json()),
        Command::Schema => print(&job_schema_json()),
    }
}

fn print(text: &str) -> Result<(), Failure> {
    Ok(writeln!(std::io::stdout(), "{text}")?)
}

fn data_file(folder: Option<PathBuf>) -> Result<PathBuf, Failure> {
    let folder = match folder {
        Some(f) => f,
        None => directories::ProjectDirs::from("", "", "wattotherm")
            .map(|d| d.data_dir().to_owned())
            .ok_or("There is no home folder to keep data in. Name a folder with --data.")?,
    };
    std::fs::create_dir_all(&folder)
        .map_err(|e| format!("The data folder {} can’t be made: {e}", folder.display()))?;
    Ok(folder.join("wattotherm.sqlite"))
}

fn diagnose_input() -> Result<(), Failure> {
    let mut text = String::new();
    std::io::stdin().take(1 << 20).read_to_string(&mut text)?;
    let facts: Facts = serde_json::from_str(&text)?;
    let diagnosis =
        diagnose(&SHIPPED, &facts).map_err(|e| format!("{}: {}", e.field, e.message))?;
    print(&serde_json::to_string_pretty(&diagnosis)?)
}

fn evaluate_input(station: &str) -> Result<(), Failure> {
    #[derive(serde::Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Input {
        readings: serde_json::Value,
        #[serde(default)]
        context: Context,
    }
    let known: Vec<&str> = all_stations().iter().map(|s| s.id()).collect();
    let station = station_named(station).ok_or_else(|| {
        let known = known.join(", ");
        format!("There is no station “{station}”. Stations are {known}.")
    })?;
    let mut text = String::new();
    std::io::stdin().take(1 << 20).read_to_string(&mut text)?;
    let value: serde_json::Value = serde_json::from_str(&text)?;
    // Either {"readings": …, "context": …} or the bare readings.
    let input = if value.get("readings").is_some() {
        serde_json::from_value(value)?
    } else {
        Input {
            readings: value,
            context: Context::default(),
        }
    };
    let finding = station.evaluate(&input.readings, &input.context)?;
    print(&serde_json::to_string_pretty(&finding)?)
}

fn check(file: &Path) -> Result<(), Failure> {
    if !file.exists() {
        return Err(format!("There is no data file {}.", file.display()).into());
    }
    let store = Store::open(file, OpenOptions::default())?;
    store.check_whole()?;
    let damaged = store.damaged_files()?;
    if damaged.is_empty() {
        return print("The data is whole.");
    }
    Err(format!(
        "{} of the files beside the data file are missing or damaged; put them back from a copy of the folder: {}",
        damaged.len(),
        damaged.join(", ")
    )
    .into())
}

fn serve(file: &Path, address: SocketAddr, demo: bool) -> Result<(), Failure> {
    let folder = file.parent().unwrap_or(Path::new("."));
    let _lock = FolderLock::take(folder)?;
    let mut store = Store::open(file, OpenOptions::default())?;
    if demo {
        fill_with_demo(&mut store)?;
    }
    // Tidying is no reason not to serve.
    if let Err(e) = store.sweep_files() {
        tracing::warn!(error = %e, "files that nothing names were not let go");
    }
    if !address.ip().is_loopback() {
        let _ = writeln!(
            std::io::stderr(),
            "WARNING: {address} is reached from beyond this computer, and there is no sign-in: whoever reaches it can read and change everything here. Printers are not connected. Use --listen 127.0.0.1 unless you know why not."
        );
    }
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()?;
    runtime.block_on(async move {
        let app = App::new(store)?;
        // Before anything is switched on: a signal that comes early must not end the process unheard.
        let stopped = Stopped::listen()?;
        let bound = listen(address)
            .await
            .map_err(|e| format!("{address} can’t be listened on: {e}"))?;
        print(&format!("Wattotherm listens on http://{}", bound.address))?;
        if demo && let Err(e) = connect_demo(&app).await {
            app.end().await;
            return Err(e);
        }
        bound.run(app, stopped.wait()).await;
        Ok(())
    })
}
