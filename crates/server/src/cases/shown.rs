//! What the page of a case shows.

use serde::Serialize;
use utoipa::ToSchema;
use wattotherm_diagnosis::{Answer, From, Outcome};
use wattotherm_printer::Part;
use wattotherm_store::{FaultCase, Printer};

use crate::found::FoundShown;

/// Something that was seen.
#[derive(Serialize, ToSchema)]
pub struct SeenShown {
    /// Which observation, by id.
    pub observation: &'static str,
    /// What it is, in a few words.
    pub says: String,
    /// The answer in words: yes, no, nobody could tell, or the number with its unit.
    pub answer: String,
    /// Where it comes from.
    pub from: From,
}

/// A question of a check.
#[derive(Serialize, ToSchema)]
pub struct Question {
    /// Which observation, by id.
    pub observation: &'static str,
    /// A yes in a few words.
    pub says: String,
    /// What is asked.
    pub asks: String,
    /// The answer so far, as it was told.
    pub answer: Option<Answer>,
    /// Unit in which the shop reads it; none where it is yes or no.
    pub unit: Option<&'static str>,
}

/// An action, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct StepShown {
    /// The action, by id.
    pub id: &'static str,
    /// What to do.
    pub does: String,
    /// How, and what to beware of.
    pub how: String,
    /// `check` or `remedy`.
    pub kind: &'static str,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// Where on the machine.
    pub at: Option<Part>,
    /// The same in words.
    pub at_label: Option<&'static str>,
    /// Whether it is done cold and unplugged.
    pub cold: bool,
    /// Whether the printer heats for it.
    pub heats: bool,
    /// Whether it can break a part.
    pub can_break: bool,
    /// One of its answers at most is a yes; then this says that none is.
    pub one_of: Option<&'static str>,
    /// `hold`, `watch`, `limit`, `reading` or `feed`, where the connected printer does it.
    pub printer: Option<&'static str>,
    /// How much it feeds then [mm].
    pub feed_mm: Option<u16>,
    /// What is asked.
    pub questions: Vec<Question>,
    /// Whether a job follows from it: it fits a part, or asks for a value.
    pub wants_job: bool,
    /// Milder rungs that weren't tried, in words.
    pub milder: Vec<String>,
    /// What it cost so far or would cost, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
}

/// Something that was tried.
#[derive(Serialize, ToSchema)]
pub struct TriedShown {
    /// The action, by id.
    pub action: &'static str,
    /// What was done.
    pub does: String,
    /// What it did.
    pub outcome: Outcome,
    /// The same in words.
    pub says: String,
    /// What else was said.
    pub reason: String,
    /// Whether a job follows from it: it fits a part, or asks for a value.
    pub wants_job: bool,
    /// What it cost, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
}

/// A cause, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct CauseShown {
    /// By id.
    pub id: &'static str,
    /// In words.
    pub label: &'static str,
    /// How likely it is, 0 to 1.
    pub p: f64,
    /// The same in a word.
    pub word: &'static str,
    /// What speaks for it.
    pub speaks: Vec<String>,
    /// What speaks against it.
    pub against: Vec<String>,
    /// How it is mended, with its minutes.
    pub remedy: String,
    /// The judged share of it among all causes, 0 to 1, and this shop's number of cases.
    pub learned: LearnedShown,
}

/// What the shop learned of a cause.
#[derive(Serialize, ToSchema)]
pub struct LearnedShown {
    /// The judged share among all causes, 0 to 1.
    pub judged: f64,
    /// Number of this shop's cases.
    pub cases: f64,
}

/// A rung of a ladder.
#[derive(Serialize, ToSchema)]
pub struct RungShown {
    /// The action, by id.
    pub id: &'static str,
    /// What to do.
    pub does: String,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// What it did; none where it wasn't tried.
    pub outcome: Option<Outcome>,
    /// Whether it can break a part.
    pub can_break: bool,
}

/// A ladder, as the page shows it.
#[derive(Serialize, ToSchema)]
pub struct LadderShown {
    /// By id.
    pub id: &'static str,
    /// What it is climbed for.
    pub title: &'static str,
    /// From mild to invasive.
    pub rungs: Vec<RungShown>,
    /// What tells after each rung.
    pub test: String,
    /// What to beware of.
    pub caution: String,
}

/// A way to mend the proven cause.
#[derive(Serialize, ToSchema)]
pub struct ChoiceShown {
    /// The action, by id.
    pub action: &'static str,
    /// What to do.
    pub does: String,
    /// Chance that it mends it, 0 to 1.
    pub chance: f64,
    /// Whether it was done before, and the fault came back.
    pub came_back: bool,
    /// Minutes of hands [min].
    pub minutes: f64,
    /// Expected minutes in the end [min].
    pub expected_min: f64,
    /// What it costs alone, as a number in the shop's money; none where no price is known.
    pub price: Option<f64>,
    /// What it is expected to cost in the end, as a number in the shop's money; none where no price is known.
    pub expected_price: Option<f64>,
    /// Whether a job follows from it: it fits a part, or asks for a value.
    pub wants_job: bool,
    /// The part that it fits, by the id of its replacement; none where it fits none.
    pub fits: Option<&'static str>,
    /// Name of that part.
    pub part: Option<&'static str>,
    /// What that part costs, as a number in the shop's money; none where nobody said.
    pub part_price: Option<f64>,
}

/// A cause that is proven, and what follows.
#[derive(Serialize, ToSchema)]
pub struct ProvenShown {
    /// By id.
    pub id: &'static str,
    /// In words.
    pub label: &'static str,
    /// Ways to mend it, the one expected to cost least first.
    pub choices: Vec<ChoiceShown>,
    /// What keeps it from coming back.
    pub prevents: Vec<&'static str>,
    /// Printers of the same kind of hot end and drive, which it may hit next.
    pub sisters: Vec<String>,
}

/// Two causes at once.
#[derive(Serialize, ToSchema)]
pub struct PairShown {
    /// The two, in words.
    pub labels: [&'static str; 2],
    /// How likely it is, 0 to 1.
    pub p: f64,
}

/// The page of a case.
#[derive(Serialize, ToSchema)]
pub struct CasePage {
    /// The case.
    pub case: FaultCase,
    /// Its printer.
    pub printer: Printer,
    /// Its job, where it has one that is open.
    pub open_job: Option<i64>,
    /// A part was swapped, as they say, and no job is open that measures what it shook.
    pub swapped_unmeasured: bool,
    /// What the sentence may mean, and nobody has said yet.
    pub proposals: Vec<ProposalShown>,
    /// What was seen.
    pub seen: Vec<SeenShown>,
    /// What was tried.
    pub tried: Vec<TriedShown>,
    /// What was passed over: the actions, with why.
    pub passed_over: Vec<PassedShown>,
    /// Parts that were touched not long ago, by name.
    pub replaced: Vec<&'static str>,
    /// Parts replaced after which it came back: what they don't explain.
    pub false_fixes: Vec<String>,
    /// What was found on the same job before.
    pub earlier: Vec<FoundShown>,
    /// The likeliest causes.
    pub causes: Vec<CauseShown>,
    /// Causes that are ruled out, each with what rules it out.
    pub ruled_out: Vec<String>,
    /// What to do next; none where nothing is left.
    pub next: Option<StepShown>,
    /// Why.
    pub why: String,
    /// Everything else that could be done, the checks first.
    pub others: Vec<StepShown>,
    /// Ladders for what is likely.
    pub ladders: Vec<LadderShown>,
    /// Expected minutes to the end [min].
    pub expected_minutes: f64,
    /// Expected money to the end, as a number in the shop's money; none where no price is known.
    pub expected_cost: Option<f64>,
    /// Two at once, where no single cause explains what was seen.
    pub two_at_once: Option<PairShown>,
    /// What the likeliest cause doesn't explain.
    pub unexplained: Vec<String>,
    /// The proven cause, and what follows.
    pub proven: Option<ProvenShown>,
    /// No cause is proven, and nothing is left that is worth doing.
    pub nothing_found: bool,
    /// What it was, in words, where the case ended so.
    pub cause: Option<&'static str>,
    /// What an hour of hands costs, as a number in the shop's money; none where nobody said.
    pub per_hour: Option<f64>,
}

/// What a sentence may mean.
#[derive(Serialize, ToSchema)]
pub struct ProposalShown {
    /// Which observation, by id.
    pub observation: &'static str,
    /// What is asked.
    pub asks: String,
    /// Words of the sentence that say so.
    pub because: String,
}

/// An action that was passed over.
#[derive(Serialize, ToSchema)]
pub struct PassedShown {
    /// The action, by id.
    pub action: String,
    /// What it would be.
    pub does: String,
    /// Why.
    pub reason: String,
}
