//! Temperature reports: every heater that a printer names.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::command::MOST_TOOLS;

/// A heater of a printer.
#[derive(
    Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(tag = "kind", content = "number", rename_all = "snake_case")]
pub enum Heater {
    /// A nozzle, counted from 0.
    Tool(u8),
    /// The bed.
    Bed,
    /// The chamber.
    Chamber,
}

impl Heater {
    /// The heater in a sentence; `tools` is how many nozzles the printer has.
    #[must_use]
    pub fn says(self, tools: usize) -> String {
        match self {
            Self::Tool(_) if tools < 2 => "the nozzle".into(),
            Self::Tool(n) => format!("nozzle {}", u32::from(n) + 1),
            Self::Bed => "the bed".into(),
            Self::Chamber => "the chamber".into(),
        }
    }

    /// The command that sets its target [°C].
    #[must_use]
    pub fn target(self, tools: usize, target_c: f64) -> String {
        let s = wattotherm_measure::text::plain(target_c, 1);
        match self {
            Self::Tool(_) if tools < 2 => format!("M104 S{s}"),
            Self::Tool(n) => format!("M104 T{n} S{s}"),
            Self::Bed => format!("M140 S{s}"),
            Self::Chamber => format!("M141 S{s}"),
        }
    }
}

/// One heater of a report.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Channel {
    /// Measured [°C].
    pub at_c: f64,
    /// Target [°C].
    pub target_c: f64,
    /// Output as the printer counts it, usually 0 to 127; none where it isn't reported.
    pub output: Option<f64>,
}

impl Channel {
    /// Part of full power, 0 to 1, for boards that count to 127. Common practice, no published source.
    #[must_use]
    pub fn duty(&self) -> Option<f64> {
        self.output.map(|o| (o / 127.0).clamp(0.0, 1.0))
    }

    /// Whether it is heated or asked to be: output without a target is heat too.
    #[must_use]
    pub fn heats(&self) -> bool {
        self.target_c > 0.0 || self.output.is_some_and(|o| o > 0.0)
    }
}

/// A temperature report, e.g. `T:205.1 /210.0 B:60.0 /60.0 @:87 B@:30 UP:12.25`, or with more nozzles
/// `T:205.1 /210.0 B:60.0 /60.0 T0:205.1 /210.0 T1:24.0 /0.0 @:87 B@:30 @0:87 @1:0`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Temperatures {
    /// Nozzles in order, at least one.
    pub tools: Vec<Channel>,
    /// The bed, where it is reported.
    pub bed: Option<Channel>,
    /// The chamber, where it is reported.
    pub chamber: Option<Channel>,
    /// Seconds by the printer's own clock, where it says so.
    pub uptime_s: Option<f64>,
}

impl Temperatures {
    /// The first nozzle.
    #[must_use]
    pub fn nozzle(&self) -> Channel {
        self.tools.first().copied().unwrap_or_default()
    }

    /// Every heater of the report.
    pub fn each(&self) -> impl Iterator<Item = (Heater, &Channel)> {
        let tools = self.tools.iter().zip(0_u8..);
        tools
            .map(|(c, n)| (Heater::Tool(n), c))
            .chain(self.bed.iter().map(|c| (Heater::Bed, c)))
            .chain(self.chamber.iter().map(|c| (Heater::Chamber, c)))
    }

    /// One heater.
    #[must_use]
    pub fn of(&self, heater: Heater) -> Option<&Channel> {
        match heater {
            Heater::Tool(n) => self.tools.get(usize::from(n)),
            Heater::Bed => self.bed.as_ref(),
            Heater::Chamber => self.chamber.as_ref(),
        }
    }

    /// Whether any heater is heated or asked to be.
    #[must_use]
    pub fn heats(&self) -> bool {
        self.each().any(|(_, c)| c.heats())
    }
}

/// Temperatures that a sensor's table can hold [°C].
const RANGE_C: std::ops::RangeInclusive<f64> = -300.0..=1_500.0;

/// Which value a name of a report stands for.
enum Name {
    Active,
    Of(Heater),
    OutputActive,
    Output(Heater),
    Uptime,
}

fn name_of(name: &str) -> Option<Name> {
    let numbered = |text: &str| {
        text.parse::<u8>()
            .ok()
            .filter(|n| usize::from(*n) < MOST_TOOLS)
    };
    Some(match name {
        "T" => Name::Active,
        "B" => Name::Of(Heater::Bed),
        "C" => Name::Of(Heater::Chamber),
        "@" => Name::OutputActive,
        "B@" => Name::Output(Heater::Bed),
        "C@" => Name::Output(Heater::Chamber),
        "UP" => Name::Uptime,
        _ => {
            if let Some(n) = name.strip_prefix('T') {
                Name::Of(Heater::Tool(numbered(n)?))
            } else {
                Name::Output(Heater::Tool(numbered(name.strip_prefix('@')?)?))
            }
        }
    })
}

/// Reads the temperatures in a line, if it is a report.
///
/// A value that is no number, or a nozzle that is left out between two others, makes the whole line no
/// report: half a report was damaged on the way. Domain: −300 to 1500 °C, at most eight nozzles.
#[must_use]
pub fn read_temperatures(line: &str) -> Option<Temperatures> {
    let mut active: Option<Channel> = None;
    let mut tools: [Option<Channel>; MOST_TOOLS] = [None; MOST_TOOLS];
    let (mut bed, mut chamber) = (None, None);
    let mut active_output = None;
    let mut outputs: Vec<(Heater, f64)> = Vec::new();
    let mut uptime_s = None;
    let spaced = line.replace('/', " /");
    let mut words = spaced.split_whitespace().peekable();
    while let Some(word) = words.next() {
        let Some((name, value)) = word.split_once(':') else {
            continue;
        };
        let Some(name) = name_of(name) else {
            continue;
        };
        let value = super::reply::plain_number(value)?;
        let slot = match name {
            Name::Active => &mut active,
            Name::Of(Heater::Tool(n)) => &mut tools[usize::from(n)],
            Name::Of(Heater::Bed) => &mut bed,
            Name::Of(Heater::Chamber) => &mut chamber,
            Name::OutputActive => {
                active_output = Some(value);
                continue;
            }
            Name::Output(h) => {
                outputs.push((h, value));
                continue;
            }
            Name::Uptime => {
                uptime_s = Some(value);
                continue;
            }
        };
        let target = words.next_if(|w| w.starts_with('/'))?;
        let target_c = super::reply::plain_number(&target[1..])?;
        if !RANGE_C.contains(&value) || !RANGE_C.contains(&target_c) {
            return None;
        }
        slot.get_or_insert(Channel {
            at_c: value,
            target_c,
            output: None,
        });
    }
    let count = tools.iter().rposition(Option::is_some).map_or(0, |n| n + 1);
    let mut tools: Vec<Channel> = tools.into_iter().take(count).collect::<Option<_>>()?;
    if tools.is_empty() {
        tools.push(active?);
    }
    if let Some(output) = active_output {
        // The output without a number is the active nozzle's: the one that reads the same.
        let active = active.unwrap_or(tools[0]);
        let same = |t: &Channel| {
            (t.at_c - active.at_c).abs() < 1e-9 && (t.target_c - active.target_c).abs() < 1e-9
        };
        let at = tools.iter().position(same).unwrap_or(0);
        tools[at].output = Some(output);
    }
    let mut out = Temperatures {
        tools,
        bed,
        chamber,
        uptime_s,
    };
    for (heater, output) in outputs {
        let channel = match heater {
            Heater::Tool(n) => out.tools.get_mut(usize::from(n)),
            Heater::Bed => out.bed.as_mut(),
            Heater::Chamber => out.chamber.as_mut(),
        };
        match channel {
            Some(c) => c.output = Some(output),
            None if output <= 0.0 => {}
            // A heater that is driven and shows no temperature: such a report can't be trusted.
            None => return None,
        }
    }
    Some(out)
}
