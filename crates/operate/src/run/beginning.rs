//! Where in its program a run begins: at the start, at a line, or where an earlier run broke off.

use super::program::ProgramFile;
use tinkite_core::program::Place;
use tinkite_core::quantity::{clock, plain};
use tinkite_files::refusal::Refusal;
use tinkite_run::{Broken, BrokenError, Choice, ReportedStanding, Stretch};
use tinkite_wire::Connected;

/// Where a run begins.
#[derive(Debug)]
pub enum Beginning {
    /// At the start of the program.
    Start,
    /// In this line of it, from 1.
    Line(u32),
    /// With what is left of an earlier run.
    Rest(Box<Rest>),
    /// At the start, on the spot where an earlier run burnt.
    SameSpot(Box<SameSpot>),
}

/// The spot where an earlier run burnt.
#[derive(Debug)]
pub struct SameSpot {
    /// Its number.
    pub run: i64,
    /// How the machine stood when it began.
    pub then: ReportedStanding,
    /// Whether it counted from the head.
    pub from_head: bool,
    /// Somebody answers for the machine's position.
    pub in_place: bool,
}

impl SameSpot {
    /// Whether a machine that has said how it stands burns there.
    ///
    /// # Errors
    /// A zero or a head that is elsewhere, and a position that is not known.
    pub fn check(&self, connected: &Connected, now: &ReportedStanding) -> Result<(), Refusal> {
        self.then.is_same_spot(connected, now, self.from_head, self.in_place).map_err(|error| {
            match error {
                BrokenError::HeadMoved { .. } => Refusal::Unfit(format!(
                    "run {}: {error}; the job counts from the head: drive it back there, tinkite head go",
                    self.run
                )),
                error => refusal(self.run, &error),
            }
        })
    }
}

/// What is left of an earlier run.
#[derive(Debug)]
pub struct Rest {
    /// Its number.
    pub run: i64,
    /// What the log knows of it.
    pub broken: Broken,
    /// Which end of an uncertain stretch was chosen.
    pub choice: Option<Choice>,
    /// Somebody answers for the machine's position.
    pub in_place: bool,
}

impl Rest {
    /// Where the program is taken up again, on a machine that has said how it stands.
    ///
    /// # Errors
    /// A zero that has changed, a position that is not known, and an uncertain place without a choice.
    pub fn place(
        &self,
        program: &ProgramFile,
        connected: &Connected,
        now: &ReportedStanding,
    ) -> Result<Place, Refusal> {
        let dialect = program.about.machine.dialect;
        self.broken
            .place(|| program.reader(), dialect, connected, now, self.choice, self.in_place)
            .map_err(|error| refusal(self.run, &error))
    }
}

/// Why a run is not gone on with, in words and with the way out.
pub fn refusal(run: i64, error: &BrokenError) -> Refusal {
    match error {
        BrokenError::NothingLeft => Refusal::Usage(format!(
            "run {run} was run to its end: nothing is left of it; --again {run} runs it once more"
        )),
        BrokenError::ZeroMoved { .. } => Refusal::Unfit(format!(
            "the zero has moved since run {run}: {error}; set it back, or run the job anew"
        )),
        BrokenError::NoZero => Refusal::Unfit(format!(
            "run {run}: {error}; bring the machine's zero back to where it was, then say --in-place"
        )),
        BrokenError::AtZero => Refusal::Unfit(format!(
            "run {run}: {error}. If the piece is finished, the program ended there and nothing is left of it; if not, bring the machine's zero back to where it was, then say --in-place"
        )),
        BrokenError::WasOff | BrokenError::HeadMoved { .. } | BrokenError::NotTold => {
            Refusal::Unfit(format!(
                "run {run}: {error}; when its position is right all the same (it was driven by its own motors, or homed), say --in-place"
            ))
        }
        BrokenError::Uncertain { from, to, stretch } => Refusal::Unfit(format!(
            "how far run {run} came is not certain: the head was seen in line {} last, and no line behind {} was sent; between them it burns {}. Choose: --from last-seen may burn that much twice, --from last-sent may leave that much out; --picture FILE draws it",
            from.line,
            to.line.saturating_sub(1),
            describe_stretch(stretch)
        )),
        BrokenError::Unreadable(error) => Refusal::unreadable(&program_of(run), error),
    }
}

/// What is burnt on a stretch, in words: in motion, standing still, or both.
fn describe_stretch(stretch: &Stretch) -> String {
    let moving = format!("{} mm in {}", plain(stretch.burn, 1), clock(stretch.seconds));
    let standing = format!("for {} s standing still", plain(stretch.stands_lit, 2));
    match (stretch.burn > 0.0, stretch.stands_lit > 0.0) {
        (_, false) => moving,
        (false, true) => standing,
        (true, true) => format!("{moving}, and {standing}"),
    }
}

fn program_of(run: i64) -> String {
    format!("the program of run {run}")
}
