//! `wattotherm path`, `bands` and `bores`: tool paths from the command line.

use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Write as _};
use std::path::{Path, PathBuf};

use serde_json::{Value, json};
use wattotherm_measure::text::duration_s;
use wattotherm_toolpath::{
    Bead, Limits, NewBore, Survey, SurveyOptions, Wanted, apply_edits, change_by_height,
    check_change, compare_bores, estimate_bore, read_wanted, survey,
};

use crate::{Failure, print};

/// Threads beside the one that follows the path.
const HELPERS: usize = 1;

fn open(file: &Path) -> Result<File, Failure> {
    File::open(file).map_err(|e| format!("{}: {e}", file.display()).into())
}

/// The printer's limits, from a JSON file or the usual ones.
fn limits(file: Option<&Path>) -> Result<Limits, Failure> {
    let Some(file) = file else {
        return Ok(Limits::default());
    };
    let wrong = |e: &dyn std::fmt::Display| format!("{}: {e}", file.display());
    let text = std::fs::read_to_string(file).map_err(|e| wrong(&e))?;
    let limits: Limits = serde_json::from_str(&text).map_err(|e| wrong(&e))?;
    Ok(limits.checked().map_err(|e| wrong(&e))?)
}

/// How far a long file is read, on the terminal; nothing where nobody looks.
struct Progress {
    size: u64,
    shown: u64,
    terminal: bool,
}

impl Progress {
    fn of(file: &Path) -> Self {
        use std::io::IsTerminal as _;
        Self {
            size: std::fs::metadata(file).map_or(0, |m| m.len()).max(1),
            shown: 0,
            terminal: std::io::stderr().is_terminal(),
        }
    }

    fn read(&mut self, bytes: u64) -> bool {
        let percent = bytes * 100 / self.size;
        if self.terminal && self.size > 32 << 20 && percent > self.shown {
            self.shown = percent;
            let end = if percent >= 100 { "\n" } else { "" };
            let _ = write!(std::io::stderr(), "\r{percent} % read; Ctrl+C stops{end}");
        }
        true
    }
}

fn look(file: &Path, limits: &Limits) -> Result<Survey, Failure> {
    let options = SurveyOptions {
        limits: limits.clone(),
        heating: None,
        cores: HELPERS,
    };
    let mut progress = Progress::of(file);
    Ok(survey(open(file)?, &options, |n| progress.read(n))?)
}

fn binds_json(s: &Survey) -> Value {
    let b = &s.binds;
    json!({
        "commanded": b.commanded_s, "acceleration": b.acceleration_s, "corner": b.corner_s,
        "axis": b.axis_s, "flow": b.flow_s, "dwell": s.dwell_s, "heating": s.heating_s,
    })
}

fn path_json(s: &Survey) -> Value {
    let [printing, travel, wiping, retracting, feeding] = s.kinds_s;
    json!({
        "seconds": s.seconds,
        "filament_mm": s.filament_mm,
        "commanded_filament_mm": s.commanded_filament_mm,
        "volume_mm3": s.volume_mm3,
        "printed_mm": s.printed_mm,
        "travel_mm": s.travel_mm,
        "top_flow_mm3_s": s.top_flow_mm3_s,
        "retractions": s.retractions,
        "retraction_kinds": s.retraction_kinds,
        "bounds": s.bounds,
        "moves_bounds": s.moves_bounds,
        "layers": s.layers,
        "prime": s.prime,
        "before_s": s.before_s,
        "binds": binds_json(s),
        "kinds": {
            "printing": printing, "travel": travel, "wiping": wiping,
            "retracting": retracting, "feeding": feeding,
        },
        "unknown_heating": s.unknown_heating,
        "pauses": s.pauses,
        "nozzle_c": s.nozzle_c,
        "bed_c": s.bed_c,
        "tools": s.tools,
        "moves": s.moves,
        "lines": s.reading.lines,
        "kept_lines": s.reading.kept,
        "diagnostics": s.reading.diagnostics,
        "wrong_lines": s.reading.wrong,
    })
}

fn path_text(s: &Survey) -> String {
    let mut out = String::new();
    let mut line = |text: String| {
        out.push_str(&text);
        out.push('\n');
    };
    line(format!(
        "Time            {} ({:.2} s)",
        duration_s(s.seconds),
        s.seconds
    ));
    let parts = [
        ("commanded speed", s.binds.commanded_s),
        ("acceleration", s.binds.acceleration_s),
        ("corners", s.binds.corner_s),
        ("an axis", s.binds.axis_s),
        ("flow", s.binds.flow_s),
        ("dwell", s.dwell_s),
    ];
    for (name, seconds) in parts.iter().filter(|(_, s)| *s > 0.0) {
        let percent = 100.0 * seconds / s.seconds.max(1e-9);
        line(format!(
            "  bound by      {name}: {} ({percent:.0} %)",
            duration_s(*seconds)
        ));
    }
    if s.unknown_heating > 0 {
        line(format!(
            "  without       heating: {} waits whose time isn’t known",
            s.unknown_heating
        ));
    }
    line(format!(
        "Filament        {:.1} mm, {:.1} mm³; the moves ask for {:.2} mm³/s at most",
        s.filament_mm, s.volume_mm3, s.top_flow_mm3_s
    ));
    let objects = s.layers.last().map_or(0, |l| l.object + 1);
    let top = s.layers.iter().map(|l| l.z_mm).fold(0.0, f64::max);
    line(format!(
        "Layers          {} up to {top:.2} mm{}",
        s.layers.len(),
        if objects > 1 {
            format!(", {objects} parts one after the other")
        } else {
            String::new()
        }
    ));
    line(format!("Retractions     {}", s.retractions));
    for k in s.retraction_kinds.iter().take(5) {
        line(format!(
            "  {:>6} of     {:.2} mm at {:.0} mm/s, hop {:.2} mm{}",
            k.count,
            k.distance_mm,
            k.speed_mm_s,
            k.hop_mm,
            if k.own {
                ", the board’s own"
            } else if k.wiped {
                ", wiping"
            } else {
                ""
            }
        ));
    }
    if let Some(b) = s.bounds {
        line(format!(
            "Beads within    X {:.2} to {:.2}, Y {:.2} to {:.2}, Z {:.2} to {:.2} mm",
            b.x_mm[0], b.x_mm[1], b.y_mm[0], b.y_mm[1], b.z_mm[0], b.z_mm[1]
        ));
    }
    for d in s.reading.diagnostics.iter().take(20) {
        line(format!(
            "Line {}, column {}: {}",
            d.line, d.column, d.message
        ));
    }
    out.pop();
    out
}

/// `wattotherm path`.
pub fn path(file: &Path, limits_file: Option<&Path>, as_json: bool) -> Result<(), Failure> {
    let s = look(file, &limits(limits_file)?)?;
    if as_json {
        print(&serde_json::to_string_pretty(&path_json(&s))?)
    } else {
        print(&path_text(&s))
    }
}

/// What `wattotherm bands` is asked for.
pub struct BandsWanted {
    pub file: PathBuf,
    pub set: String,
    pub every_mm: f64,
    pub from_mm: f64,
    pub profile_flow: f64,
    pub ceiling_c: f64,
    pub out: PathBuf,
}

/// `wattotherm bands`.
pub fn bands(asked: &BandsWanted) -> Result<(), Failure> {
    let (kind, values) = read_wanted(&asked.set)?;
    let wanted = Wanted {
        kind,
        values,
        every_mm: asked.every_mm,
        from_mm: asked.from_mm,
        profile_flow: asked.profile_flow,
        ceiling_c: asked.ceiling_c,
    };
    let mut progress = Progress::of(&asked.file);
    let changed = change_by_height(open(&asked.file)?, &wanted, HELPERS, |n| progress.read(n))?;
    let same = std::fs::canonicalize(&asked.out)
        .is_ok_and(|o| std::fs::canonicalize(&asked.file).is_ok_and(|f| f == o));
    if same {
        return Err(
            "The changed file needs a name of its own: the one you have stays as it is.".into(),
        );
    }
    let wrong = |e: &dyn std::fmt::Display| format!("{}: {e}", asked.out.display());
    let out = File::create(&asked.out).map_err(|e| wrong(&e))?;
    apply_edits(
        open(&asked.file)?,
        &changed.edits,
        BufWriter::new(out),
        |_| true,
    )
    .map_err(|e| wrong(&e))?;
    if let Err(e) = check_change(open(&asked.file)?, open(&asked.out)?, &wanted, HELPERS) {
        // OK because the reason is told either way.
        let _ = std::fs::remove_file(&asked.out);
        return Err(format!(
            "The changed file was read again and is not what it should be; it is taken away. {e}"
        )
        .into());
    }
    let table = &changed.table;
    let mut text = format!(
        "{} by height, part {:.2} mm high\n",
        table.kind.what(),
        table.top_mm
    );
    let _ = writeln!(
        text,
        "{:>10} {:>10} {:>12} {:>12}",
        "from mm", "to mm", "shown", "effective"
    );
    for b in &table.bands {
        let _ = writeln!(
            text,
            "{:>10.2} {:>10.2} {:>12} {:>12}",
            b.from_mm, b.to_mm, b.value, b.effective
        );
    }
    match table.base {
        Some(base) => {
            let _ = write!(
                text,
                "elsewhere {base}{} as in the file; ",
                table.kind.unit()
            );
        }
        None if table.stays => text.push_str(
            "what it was isn’t said in the file: the last value stays until the printer is told another; ",
        ),
        None => text.push_str("elsewhere as in the file; "),
    }
    let _ = write!(
        text,
        "{} places changed, read again: all else is the same",
        table.edits
    );
    print(&text)
}

/// What `wattotherm bores` is asked for.
pub struct BoresWanted {
    pub a: PathBuf,
    pub b: Option<PathBuf>,
    pub limits: Option<PathBuf>,
    pub new: Option<NewBore>,
    pub as_json: bool,
}

/// `wattotherm bores`.
pub fn bores(asked: &BoresWanted) -> Result<(), Failure> {
    let limits = limits(asked.limits.as_deref())?;
    let filament_mm2 = limits.filament_mm2();
    let a = look(&asked.a, &limits)?;
    if let Some(file) = &asked.b {
        let b = look(file, &limits)?;
        let got = compare_bores(&a, &b, filament_mm2);
        if asked.as_json {
            return print(&serde_json::to_string_pretty(&got)?);
        }
        let mut text = String::new();
        for (name, f, s) in [("first", &got.a, &a), ("second", &got.b, &b)] {
            let flow = 100.0 * s.binds.flow_s / s.seconds.max(1e-9);
            let _ = writeln!(
                text,
                "{name:<8} {:>12}, {} layers, {:.1} cm³, {flow:.0} % of the time bound by flow",
                duration_s(f.seconds),
                f.layers,
                f.volume_mm3 / 1e3
            );
        }
        let (by, how) = if got.saved_s < 0.0 {
            (-got.saved_s, "takes longer by")
        } else {
            (got.saved_s, "saves")
        };
        let percent = got.saved_percent.abs();
        let _ = write!(
            text,
            "The second {how} {} ({percent:.1} %).",
            duration_s(by)
        );
        return print(&text);
    }
    let Some(new) = &asked.new else {
        return Err("Name a second file, or the other bore’s --width and --height.".into());
    };
    let bead =
        Bead::of(&a, filament_mm2).ok_or("The file lays no bead: there is nothing to compare.")?;
    let options = SurveyOptions {
        limits,
        heating: None,
        cores: HELPERS,
    };
    let got = estimate_bore(open(&asked.a)?, &options, bead, new, |_| true)?;
    if asked.as_json {
        return print(&serde_json::to_string_pretty(&got)?);
    }
    print(&format!(
        "now      {}, {} layers, beads {:.2} × {:.2} mm, {:.0} % bound by flow\n\
         then     {}, {} layers, beads {:.2} × {:.2} mm, {:.0} % bound by flow\n\
         saves    {:.1} %. An estimate: note the clock when it is printed.",
        duration_s(got.now_s),
        got.layers_now,
        bead.width_mm,
        bead.height_mm,
        got.flow_bound_now_percent,
        duration_s(got.then_s),
        got.layers_then,
        new.width_mm,
        new.height_mm,
        got.flow_bound_then_percent,
        got.saved_percent
    ))
}
