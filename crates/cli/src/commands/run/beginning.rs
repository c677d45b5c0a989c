//! Where in its program a run begins: at the start, at a line, or where an earlier run broke off.

use super::program::ProgramFile;
use crate::args::Choice;
use crate::log::{Entry, Marked, StandingEntry};
use crate::refusal::Refusal;
use tinkite_core::program::Place;
use tinkite_core::quantity::{clock, plain};
use tinkite_run::{Found, Walk};
use tinkite_wire::Connected;

/// Where a run begins.
#[derive(Debug)]
pub(super) enum Beginning {
    Start,
    Line(u32),
    /// With what is left of an earlier run.
    Rest(Box<Rest>),
}

/// What is left of an earlier run.
#[derive(Debug)]
pub(super) struct Rest {
    pub(super) entry: Entry,
    /// Which end of an uncertain stretch was chosen.
    pub(super) from: Option<Choice>,
    /// Somebody answers for the machine's position.
    pub(super) in_place: bool,
}

/// Positions nearer than this are the same, mm.
const SAME: f64 = 0.02;

/// Where the rest begins, or between which places it may.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Certainty {
    Certain(Place),
    Uncertain(Place, Place),
}

impl Rest {
    /// How the machine stood when the earlier run began.
    pub(super) fn began(&self) -> StandingEntry {
        self.entry.began.standing
    }

    /// What was walked then.
    pub(super) fn walk(&self, program: &ProgramFile) -> Walk {
        Walk { dialect: program.machine.dialect, began: self.began().into() }
    }

    /// The stretch of which nobody knows whether it was burnt, as far as the log alone can tell.
    pub(super) fn uncertain(&self) -> (Place, Place) {
        match self.entry.marked {
            Marked::Between(from, to) => (from, to),
            _ => (self.entry.reached.seen, Place::before(self.entry.reached.sent + 1)),
        }
    }

    /// Where the program is taken up again, on a machine that has said how it stands.
    ///
    /// # Errors
    /// A zero that has changed, a position that is not known, and an uncertain place without a choice.
    pub(super) fn place(
        &self,
        program: &ProgramFile,
        connected: &Connected,
        now: &StandingEntry,
    ) -> Result<Place, Refusal> {
        self.same_zero(now)?;
        let trusted = self.in_place || homes(connected);
        let certainty = match self.entry.marked {
            Marked::End => return Err(self.nothing_left()),
            Marked::Here(place) => {
                self.still_there(connected, now, trusted)?;
                Certainty::Certain(place)
            }
            Marked::Between(from, to) => {
                self.still_there(connected, now, trusted)?;
                Certainty::Uncertain(from, to)
            }
            Marked::Asking if !connected.restarted => self.asked(program, connected, now)?,
            Marked::Asking | Marked::Lost => {
                if !trusted {
                    return Err(Refusal::Link(format!(
                        "run {} lost its position, and this controller does not find its own zero again ($22): bring the machine's zero back to where it was, then say --in-place",
                        self.entry.id
                    )));
                }
                let (from, to) = self.uncertain();
                Certainty::Uncertain(from, to)
            }
        };
        match (certainty, self.from) {
            (Certainty::Certain(place), _) => Ok(place),
            (Certainty::Uncertain(from, _), Some(Choice::LastSeen)) => Ok(from),
            (Certainty::Uncertain(_, to), Some(Choice::LastSent)) => Ok(to),
            (Certainty::Uncertain(from, to), None) => Err(self.undecided(program, from, to)),
        }
    }

    /// Why nothing is gone on with.
    pub(super) fn nothing_left(&self) -> Refusal {
        Refusal::Usage(format!(
            "run {0} was run to its end: nothing is left of it; --again {0} runs it once more",
            self.entry.id
        ))
    }

    /// What is told of an uncertain stretch, with the choice.
    pub(super) fn undecided(&self, program: &ProgramFile, from: Place, to: Place) -> Refusal {
        let stretch = self.walk(program).stretch(program.reader(), from, to).unwrap_or_default();
        let run = self.entry.id;
        Refusal::Link(format!(
            "how far run {run} came is not certain: the head was seen in line {} last, and no line behind {} was sent; {} mm of burning between, {} of beam. Choose: --from last-seen may burn that much twice, --from last-sent may leave that much out; --picture FILE draws it",
            from.line,
            to.line.saturating_sub(1),
            plain(stretch.burn, 1),
            clock(stretch.seconds)
        ))
    }

    /// The zero must be where it was: a `G92` that a reset has forgotten is set again, any other
    /// difference is somebody's doing.
    fn same_zero(&self, now: &StandingEntry) -> Result<(), Refusal> {
        let lasting = |s: &StandingEntry| [0, 1, 2].map(|n| s.offset[n] - s.shift[n]);
        let (then, now) = (lasting(&self.began()), lasting(now));
        if (0..3).all(|n| (then[n] - now[n]).abs() <= SAME) {
            return Ok(());
        }
        let words = |at: [f64; 3]| {
            format!("X {} Y {} Z {}", plain(at[0], 3), plain(at[1], 3), plain(at[2], 3))
        };
        Err(Refusal::Link(format!(
            "the zero has moved since run {}: it was at {} mm on the machine's axes and is at {}; set it back, or run the job anew",
            self.entry.id,
            words(then),
            words(now)
        )))
    }

    /// The head must be where it was left, or the controller know its place by itself.
    fn still_there(
        &self,
        connected: &Connected,
        now: &StandingEntry,
        trusted: bool,
    ) -> Result<(), Refusal> {
        if trusted {
            return Ok(());
        }
        let left = self.entry.reached.position.unwrap_or_default();
        let moved = (0..2).any(|n| left[n].is_some_and(|left| (left - now.at[n]).abs() > SAME));
        if connected.position.is_some() && !connected.restarted && !moved {
            return Ok(());
        }
        let said = |at: [Option<f64>; 2]| match at {
            [Some(x), Some(y)] => format!("X {} Y {}", plain(x, 2), plain(y, 2)),
            _ => "an unknown place".into(),
        };
        let why = if connected.restarted {
            "the controller has been off since, so that its position is lost".to_string()
        } else {
            format!(
                "the head was left at {} and stands at {}",
                said([left[0], left[1]]),
                said([0, 1].map(|n| connected.position.map(|_| now.at[n])))
            )
        };
        Err(Refusal::Link(format!(
            "{why}; when its position is right all the same (it was driven by its own motors, or homed), say --in-place"
        )))
    }

    /// A head that ran on with what it had: where it stands now.
    fn asked(
        &self,
        program: &ProgramFile,
        connected: &Connected,
        now: &StandingEntry,
    ) -> Result<Certainty, Refusal> {
        let (seen, bound) = self.uncertain();
        if connected.position.is_none() {
            return Ok(Certainty::Uncertain(seen, bound));
        }
        let last = bound.line.saturating_sub(1);
        let mut position = now.at.map(Some);
        // Axes that the program does not turn need not be told.
        for n in 3..6 {
            position[n] = connected.turn.and(position[n]);
        }
        let unreadable = |error: std::io::Error| Refusal::unreadable(&program.name, &error);
        let found =
            self.walk(program).find(program.reader(), seen, last, &position).map_err(unreadable)?;
        Ok(match found {
            Found::Here(place) => Certainty::Certain(place),
            Found::Between(from, to) => Certainty::Uncertain(from, to),
            Found::Nowhere => Certainty::Uncertain(seen, bound),
        })
    }
}

/// Whether the controller finds its zero by itself: it is locked until it has.
fn homes(connected: &Connected) -> bool {
    connected.settings.get(&22).is_some_and(|value| *value != 0.0)
}
