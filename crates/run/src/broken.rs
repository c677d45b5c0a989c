//! A run that broke off, and where in its program it is taken up again.

use crate::between::{Stretch, Walk};
use crate::locator::Located;
use crate::position::Position;
use std::io::{self, BufRead};
use thiserror::Error;
use tinkite_machine::Dialect;
use tinkite_reader::{Axes, Place, Standing};
use tinkite_wire::Connected;

/// How a machine stood when a program began.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ReportedStanding {
    /// Where the axes stood: X, Y, Z (mm), A, B, C (degrees).
    pub at: Axes,
    /// Where the program's zero lay.
    pub offset: Axes,
    /// What of the offset was a `G92`, mm: a reset forgets it.
    pub shift: [f64; 3],
}

impl From<ReportedStanding> for Standing {
    fn from(stance: ReportedStanding) -> Self {
        Self { at: stance.at, offset: stance.offset }
    }
}

impl ReportedStanding {
    /// How a machine stands that has said what it is, as far as it says; `turning` is the axis that its
    /// fourth number means (3 to 5). Programs count from G54 until they say otherwise.
    #[must_use]
    pub fn of(connected: &Connected, turning: usize) -> Self {
        let mut at: Axes = [0.0; 6];
        let mut offset: Axes = [0.0; 6];
        at[..3].copy_from_slice(&connected.position.unwrap_or_default());
        offset[..3].copy_from_slice(&connected.work_offset(Some("G54")).unwrap_or_default());
        at[turning] = connected.turn.unwrap_or_default();
        Self { at, offset, shift: connected.offsets.get("G92").copied().unwrap_or_default() }
    }

    /// Whether a program burns on the spot where one burnt that began so, when it begins now: the zero is where
    /// it was, and for one that counts from the head (`from_head`) the head stands where it stood. `in_place`:
    /// somebody answers for the machine's position, which the controller cannot know.
    ///
    /// # Errors
    /// A zero that has changed, a head that stands elsewhere, and a position that is not known.
    pub fn is_same_spot(
        &self,
        connected: &Connected,
        now: &Self,
        from_head: bool,
        in_place: bool,
    ) -> Result<(), BrokenError> {
        self.has_same_zero(now)?;
        let left = [self.at[0], self.at[1]];
        let stands = [now.at[0], now.at[1]];
        if from_head && (0..2).any(|n| (left[n] - stands[n]).abs() > SAME) {
            return Err(BrokenError::HeadMoved { left, now: stands });
        }
        match connected.position {
            _ if in_place || homes(connected) => Ok(()),
            _ if connected.restarted => Err(BrokenError::WasOff),
            None => Err(BrokenError::NotTold),
            Some(_) => Ok(()),
        }
    }

    /// The zero must be where it was: a `G92` that a reset has forgotten is set again, any other
    /// difference is somebody's doing.
    fn has_same_zero(&self, now: &Self) -> Result<(), BrokenError> {
        let (then, now) = (self.lasting(), now.lasting());
        let same = (0..3).all(|n| (then[n] - now[n]).abs() <= SAME);
        if same { Ok(()) } else { Err(BrokenError::ZeroMoved { then, now }) }
    }

    /// The offset that lasts.
    fn lasting(&self) -> [f64; 3] {
        [0, 1, 2].map(|n| self.offset[n] - self.shift[n])
    }
}

/// Where a run is said to have ended.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Marked {
    /// At the program's end.
    End,
    /// Here.
    Here(Place),
    /// At one of several places.
    Between(Place, Place),
    /// The controller may know; also after a sender that died.
    Asking,
    /// Position or power were lost.
    Lost,
}

/// Which end of an uncertain stretch a rest begins with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Choice {
    /// Where the head was seen last: the stretch may be burnt twice.
    LastSeen,
    /// Behind the last line that was sent: the stretch may be left out.
    LastSent,
}

/// A run that broke off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Broken {
    /// How the machine stood when it began.
    pub began: ReportedStanding,
    /// Where it is said to have ended.
    pub marked: Marked,
    /// The furthest place at which the head was seen.
    pub seen: Place,
    /// No line behind this one was sent.
    pub sent: u32,
    /// Where the head was seen last, machine axes.
    pub position: Option<Position>,
}

/// Why a run is not gone on with.
#[derive(Debug, Error)]
pub enum BrokenError {
    /// It was run to its end.
    #[error("it was run to its end: nothing is left of it")]
    NothingLeft,
    /// Its position was lost, and the controller does not find its zero by itself.
    #[error("its position was lost, and this controller does not find its own zero again ($22)")]
    NoZero,
    /// The zero is another one.
    #[error("the zero was at {} mm on the machine's axes and is at {}", words(.then), words(.now))]
    ZeroMoved {
        /// Where it lay, mm.
        then: [f64; 3],
        /// Where it lies, mm.
        now: [f64; 3],
    },
    /// The controller was off.
    #[error("the controller has been off since, so that its position is lost")]
    WasOff,
    /// The controller stands at its zero, as one does that has been off.
    #[error(
        "the controller says that the head stands at X 0 Y 0 Z 0, as one does that has been off, and the head was seen elsewhere"
    )]
    AtZero,
    /// The head stands elsewhere.
    #[error("the head was left at X {:.2} Y {:.2} and stands at X {:.2} Y {:.2}", .left[0], .left[1], .now[0], .now[1])]
    HeadMoved {
        /// Where it was left, mm.
        left: [f64; 2],
        /// Where it stands, mm.
        now: [f64; 2],
    },
    /// The controller does not say where the head stands.
    #[error("the controller does not say where the head stands")]
    NotTold,
    /// The place is not certain, and nothing was chosen.
    #[error(
        "how far it came is not certain: the head was seen in line {} last, and no line behind {} was sent; {:.1} mm of burning and {:.1} s of beam lie between", .from.line, .to.line.saturating_sub(1), .stretch.burn, .stretch.seconds + .stretch.stands_lit
    )]
    Uncertain {
        /// The earlier end.
        from: Place,
        /// The later one.
        to: Place,
        /// What is burnt between.
        stretch: Stretch,
    },
    /// The program cannot be read.
    #[error("its program cannot be read: {0}")]
    Unreadable(#[from] io::Error),
}

fn words(at: &[f64; 3]) -> String {
    format!("X {:.3} Y {:.3} Z {:.3}", at[0], at[1], at[2])
}

/// Positions nearer than this are the same, mm.
const SAME: f64 = 0.02;

/// Where a rest begins, or between which places it may.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Certainty {
    Certain(Place),
    Uncertain(Place, Place),
}

impl Broken {
    /// What was walked then.
    #[must_use]
    pub fn walk(&self, dialect: Dialect) -> Walk {
        Walk { dialect, began: self.began.into() }
    }

    /// The stretch of which nobody knows whether it was burnt, as far as can be told without the
    /// controller.
    #[must_use]
    pub fn uncertain(&self) -> (Place, Place) {
        match self.marked {
            Marked::Between(from, to) => (from, to),
            Marked::Here(place) => (place, place),
            _ => (self.seen, Place::before(self.sent + 1)),
        }
    }

    /// Where the program is taken up again, on a machine that has said how it stands. `in_place`:
    /// somebody answers for its position, which the controller cannot know.
    ///
    /// # Errors
    /// A zero that has changed, a position that is not known, and an uncertain place without a choice, unless nothing is
    /// burnt between its ends.
    pub fn place<B: BufRead>(
        &self,
        program: impl Fn() -> B,
        dialect: Dialect,
        connected: &Connected,
        now: &ReportedStanding,
        choice: Option<Choice>,
        in_place: bool,
    ) -> Result<Place, BrokenError> {
        self.began.has_same_zero(now)?;
        let trusted = in_place || homes(connected);
        let certainty = match self.marked {
            Marked::End => return Err(BrokenError::NothingLeft),
            Marked::Here(place) => {
                self.still_there(connected, now, trusted)?;
                Certainty::Certain(place)
            }
            Marked::Between(from, to) => {
                self.still_there(connected, now, trusted)?;
                Certainty::Uncertain(from, to)
            }
            // Whoever brought its zero back has moved the head.
            Marked::Asking if !connected.restarted && !in_place => {
                // A board that started anew without a word says that it stands at its zero.
                let anew = connected.position == Some([0.0; 3]) && self.has_moved();
                if anew && !trusted {
                    return Err(BrokenError::AtZero);
                }
                self.question_of(program(), dialect, connected, now)?
            }
            Marked::Asking | Marked::Lost => {
                if !trusted {
                    return Err(BrokenError::NoZero);
                }
                let (from, to) = self.uncertain();
                Certainty::Uncertain(from, to)
            }
        };
        match (certainty, choice) {
            (Certainty::Certain(place), _) => Ok(place),
            (Certainty::Uncertain(from, _), Some(Choice::LastSeen)) => Ok(from),
            (Certainty::Uncertain(_, to), Some(Choice::LastSent)) => Ok(to),
            (Certainty::Uncertain(from, to), None) => {
                let stretch = self.walk(dialect).stretch(program(), from, to)?;
                if stretch.is_dark() {
                    return Ok(from);
                }
                Err(BrokenError::Uncertain { from, to, stretch })
            }
        }
    }

    /// It was seen elsewhere than at the controller's zero.
    fn has_moved(&self) -> bool {
        self.position.is_some_and(|at| at[..3].iter().flatten().any(|at| *at != 0.0))
    }

    /// The head must be where it was left, or the controller know its place by itself.
    fn still_there(
        &self,
        connected: &Connected,
        now: &ReportedStanding,
        trusted: bool,
    ) -> Result<(), BrokenError> {
        if trusted {
            return Ok(());
        }
        if connected.restarted {
            return Err(BrokenError::WasOff);
        }
        let (Some([Some(x), Some(y), ..]), Some(_)) = (self.position, connected.position) else {
            return Err(BrokenError::NotTold);
        };
        let (left, now) = ([x, y], [now.at[0], now.at[1]]);
        let moved = (0..2).any(|n| (left[n] - now[n]).abs() > SAME);
        if moved { Err(BrokenError::HeadMoved { left, now }) } else { Ok(()) }
    }

    /// A head that ran on with what it had: where it stands now.
    fn question_of(
        &self,
        program: impl BufRead,
        dialect: Dialect,
        connected: &Connected,
        now: &ReportedStanding,
    ) -> Result<Certainty, BrokenError> {
        let (seen, bound) = (self.seen, Place::before(self.sent + 1));
        if connected.position.is_none() {
            return Ok(Certainty::Uncertain(seen, bound));
        }
        let mut position = now.at.map(Some);
        for turn in &mut position[3..] {
            *turn = connected.turn.and(*turn);
        }
        let found = self.walk(dialect).find(program, seen, self.sent, &position)?;
        Ok(match found {
            Located::Here(place) => Certainty::Certain(place),
            Located::Between(from, to) => Certainty::Uncertain(from, to),
            Located::Nowhere => Certainty::Uncertain(seen, bound),
        })
    }
}

/// Whether the controller finds its zero by itself: it is locked until it has.
fn homes(connected: &Connected) -> bool {
    connected.settings.get(&22).is_some_and(|value| *value != 0.0)
}
