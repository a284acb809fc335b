//! Strip-and-fit sheets and the plain checks of every job. Common practice, no published source;
//! a maker's own sheet, where there is one, goes first.

mod around;
mod bed;
mod every_job;
mod hot_end;
mod path;
mod strip;
mod wires;

use std::borrow::Cow;

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_printer::{
    FilamentFacts, HotEndKind, NozzleMount, Part, Replacement, usual_print_c,
};

use crate::gate::Gate;
use crate::house::{OwnStep, RuleId, put_in};
use crate::{Caution, Context, SignalWord};

pub(crate) use every_job::PUT_BACK;
pub(crate) use hot_end::sock_is_off;
pub use strip::tools_of;

/// Steps that bring the machine into the state that those after them need.
pub(crate) const MAKES_SAFE: [&str; 3] = ["unplug", "cool_down", "bed_cold"];

/// One step.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Step {
    /// Name of the step within its list: a tick belongs to it, whatever place the step has.
    #[schema(value_type = String)]
    pub id: Cow<'static, str>,
    /// State the machine must be in.
    pub gate: Gate,
    /// The same on a chip; empty for any.
    pub gate_says: String,
    /// What to do.
    pub act: String,
    /// What proves it; may be empty.
    pub check: String,
    /// The usual mistake; may be empty.
    pub mistake: String,
    /// Caution at this step.
    pub caution: Option<Caution>,
    /// Whether it can be done while the machine heats or cools, ahead of its turn.
    pub any_time: bool,
    /// Whether its words are the shop's own.
    pub own: bool,
}

/// A list of steps.
#[derive(Clone, Debug, PartialEq, Serialize, ToSchema)]
pub struct Sheet {
    /// Name, e.g. "Strip and fit: tube".
    pub title: &'static str,
    /// Instruction as heading.
    pub heading: String,
    /// Steps in order.
    pub steps: Vec<Step>,
    /// Whether screws, clips and springs are counted out and in.
    pub counts: bool,
    /// Whether it ends with a cause written down.
    pub names_cause: bool,
    /// House rule that decides here.
    pub rule: Option<RuleId>,
    /// Caution of the whole list.
    pub caution: Option<Caution>,
    /// What to know besides.
    pub hints: Vec<String>,
    /// Tools and consumables to lay out before the first screw.
    pub tools: Vec<String>,
}

fn step(id: impl Into<Cow<'static, str>>, gate: Gate, act: &str, check: &str) -> Step {
    Step {
        id: id.into(),
        gate,
        gate_says: String::new(),
        act: act.into(),
        check: check.into(),
        mistake: String::new(),
        caution: None,
        any_time: false,
        own: false,
    }
}

impl Step {
    fn warned(mut self, signal: SignalWord, text: &str) -> Self {
        self.caution = Some(Caution::new(signal, text));
        self
    }

    fn any_time(mut self) -> Self {
        self.any_time = true;
        self
    }

    /// A step of the shop's own: done in the state that it finds.
    pub(crate) fn own(of: &OwnStep) -> Self {
        Self {
            own: true,
            ..step(of.id.clone(), Gate::Any, &of.act, &of.check)
        }
    }

    fn not(mut self, mistake: &str) -> Self {
        self.mistake = mistake.into();
        self
    }
}

fn list(title: &'static str, heading: &str, steps: Vec<Step>) -> Sheet {
    Sheet {
        title,
        heading: heading.into(),
        steps,
        counts: false,
        names_cause: false,
        rule: None,
        caution: None,
        hints: Vec::new(),
        tools: Vec::new(),
    }
}

impl Sheet {
    fn counted(mut self) -> Self {
        self.counts = true;
        self
    }

    fn by(mut self, rule: RuleId) -> Self {
        self.rule = Some(rule);
        self
    }

    fn with(mut self, tools: &[&str]) -> Self {
        self.tools.extend(tools.iter().map(|t| (*t).to_owned()));
        self
    }

    fn warned(mut self, signal: SignalWord, text: &str) -> Self {
        self.caution = Some(Caution::new(signal, text));
        self
    }
}

/// The list with this name: `intake`, `inspection`, `baseline`, `cause`, `power_up`, `first_heat`, `first_print`,
/// `hand_over`, or `fit.` and a replacement's id. An unknown name gives the steps of every job.
#[must_use]
pub fn sheet(name: &str, context: &Context) -> Sheet {
    let pen = context.house.pen;
    let mut s = written(name, context);
    s.heading = pen.text(&s.heading);
    for text in s.hints.iter_mut().chain(&mut s.tools) {
        *text = pen.text(text);
    }
    for step in &mut s.steps {
        step.act = pen.text(&step.act);
        step.check = pen.text(&step.check);
        step.mistake = pen.text(&step.mistake);
        step.gate_says = step.gate.says(pen);
    }
    // As the shop wrote them: its words are no templates.
    put_in(&mut s, name, &context.house.own_steps);
    s
}

/// The list as it stands here: quantities in braces.
fn written(name: &str, context: &Context) -> Sheet {
    match name {
        "intake" => every_job::intake(context),
        "inspection" => around::inspection(context),
        "baseline" => every_job::baseline(),
        "cause" => around::cause(context),
        "power_up" => every_job::power_up(context),
        "first_heat" => every_job::first_heat(context),
        "first_print" => every_job::first_print(context),
        "hand_over" => every_job::hand_over(context),
        _ => match name.strip_prefix("fit.").and_then(Replacement::from_id) {
            Some(r) => strip::merged(r, context),
            None => any_part(None, context),
        },
    }
}

/// The sheet of one part by itself, when `strip` are taken out and put in together.
fn of_part(r: Replacement, strip: &[Replacement], context: &Context) -> Sheet {
    match r.part() {
        Part::Nozzle if context.printer.mount == Some(NozzleMount::QuickChange) => {
            hot_end::nozzle_quick(context)
        }
        Part::Nozzle if crate::route::is_stripped(strip.iter().copied()) => {
            hot_end::nozzle_cold(context)
        }
        Part::Nozzle => hot_end::nozzle(context),
        Part::HeatBreak => hot_end::heat_break(r, context),
        Part::HeaterBlock => hot_end::block(context),
        Part::HotEndAssembly => hot_end::assembly(context),
        Part::SiliconeSock => hot_end::sock(context),
        Part::HeaterCartridge => wires::heater(context),
        Part::TemperatureSensor => wires::sensor(context),
        Part::HotEndFan => wires::hot_end_fan(context),
        Part::PartFan => wires::part_fan(context),
        Part::ControlBoard => wires::board(context),
        Part::Tube | Part::HotEndCoupler | Part::ExtruderCoupler => path::tube(r, context),
        Part::ExtruderDrive if r == Replacement::TubeToDirectDrive => path::to_direct(context),
        Part::ExtruderDrive | Part::ExtruderMotor => path::drive(r, context),
        Part::FilamentCutter => path::cutter(context),
        Part::BedSurface => bed::surface(context),
        Part::BedProbe => bed::probe(context),
        Part::Frame | Part::Bed => any_part(Some(r.part()), context),
    }
}

fn lined(context: &Context) -> bool {
    context.printer.hot_end == HotEndKind::Lined
        && !context.replaced.contains(&Replacement::HeatBreakToAllMetal)
}

fn school(context: &Context, rule: RuleId) -> &'static str {
    context.house.option(rule).id
}

/// Cold work that touches no wire: unplugged too, where the shop wants it so.
fn cold(context: &Context) -> Gate {
    match school(context, RuleId::PowerWhileWorking) {
        "all" => Gate::Unplugged,
        _ => Gate::Cold,
    }
}

/// What holds the block, for tools and steps.
pub(crate) fn holder(context: &Context) -> &'static str {
    match school(context, RuleId::BlockHeldBy) {
        "pliers" => "pliers for the block",
        "brace" => "brace for the block",
        _ => "second wrench for the block",
    }
}

/// The caution of whoever heats a liner to `at_c` [°C], by this shop's rule.
fn fumes(context: &Context, at_c: f64) -> Option<Caution> {
    let from_c = match school(context, RuleId::LinerFumes) {
        "c150" => 150.0,
        _ => 220.0,
    };
    (lined(context) && at_c >= from_c).then(|| {
        Caution::new(
            SignalWord::Warning,
            "Fumes of the liner. Ventilate, keep birds out of the room, and never heat it above the ceiling. No open flame on tube or joints.",
        )
    })
}

/// Where neither filament nor material is known [°C]: between the two commonest materials. Common practice.
pub(crate) const USUAL_C: f64 = 230.0;
/// Nothing is tightened colder [°C]: plastic in the thread reads as tight. Common practice.
const LEAST_TIGHT_C: f64 = 200.0;

/// What a filament is printed at [°C]: by its own value, or by what its material usually wants.
pub(crate) fn wanted_c(f: &FilamentFacts) -> Option<f64> {
    f.print_temp_c.or_else(|| usual_print_c(&f.material))
}

/// Hottest print planned [°C]: of this job's filaments, by what their material usually wants where one has no
/// temperature yet; none where nothing is known.
#[must_use]
pub fn hottest_print_c(context: &Context) -> Option<f64> {
    context
        .filaments
        .iter()
        .chain(&context.filament)
        .filter_map(wanted_c)
        .reduce(f64::max)
}

/// Temperature at which a nozzle of this printer is tightened [°C]: by the house rule, never above the
/// ceiling.
#[must_use]
pub fn tightening_c(context: &Context) -> f64 {
    let top = context.ceiling().ceiling_c;
    let wanted = match context.house.option(RuleId::HotTightening).id {
        "c220" => 220.0,
        "c230" => 230.0,
        "c235" => 235.0,
        _ => hottest_print_c(context).unwrap_or(USUAL_C),
    };
    wanted.max(LEAST_TIGHT_C).min(top)
}

fn any_part(part: Option<Part>, context: &Context) -> Sheet {
    let mut s = list(
        "Strip and fit",
        "Fit the new part after the maker’s own sheet.",
        vec![
            strip::raise_head(),
            strip::unload(),
            strip::unplug(),
            step(
                "compare",
                Gate::Cold,
                "Compare the new part with the old one: size, plugs, voltage.",
                "They match, or the difference is noted below.",
            ),
            step(
                "fit",
                cold(context),
                "Fit the part; screws evenly, first turns by hand.",
                "It sits without a step or a gap.",
            ),
            strip::tug(),
        ],
    )
    .counted();
    if let Some(p) = part {
        s.heading = format!(
            "Fit the new part ({}) after the maker’s own sheet.",
            p.label()
        );
    }
    s
}
