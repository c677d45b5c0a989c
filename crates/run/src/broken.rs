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

#[cfg(test)]
mod tests {
    use super::*;

    /// Line 4 travels to X 10 Y 10, line 5 burns 10 mm to the right, line 6 as much away; line 7 travels, line 8 burns.
    const PROGRAM: &str = "G21 G90\nM4 S0\nG1 F600\nG0 X10 Y10 S0\nG1 X20 S100\nY20\nG0 X40 Y20 S0\nG1 Y30 S100\nM5 S0\nM2\n";

    fn axes(x: f64, y: f64) -> Axes {
        [x, y, 0.0, 0.0, 0.0, 0.0]
    }

    fn standing(x: f64, y: f64) -> ReportedStanding {
        ReportedStanding { at: axes(x, y), offset: [0.0; 6], shift: [0.0; 3] }
    }

    /// It was left at X 20 Y 15: half of line 6.
    fn broken(marked: Marked) -> Broken {
        Broken {
            began: standing(0.0, 0.0),
            marked,
            seen: Place { line: 6, way: 0, share: 0.5 },
            sent: 8,
            position: Some(axes(20.0, 15.0).map(Some)),
        }
    }

    fn board(x: f64, y: f64) -> Connected {
        Connected { position: Some([x, y, 0.0]), ..Connected::default() }
    }

    fn homing(board: Connected) -> Connected {
        Connected { settings: [(22, 1.0)].into(), ..board }
    }

    fn place(
        broken: &Broken,
        board: &Connected,
        choice: Option<Choice>,
        in_place: bool,
    ) -> Result<Place, BrokenError> {
        let [x, y, _] = board.position.unwrap_or_default();
        let now = standing(x, y);
        broken.place(|| PROGRAM.as_bytes(), Dialect::Grbl, board, &now, choice, in_place)
    }

    /// The name of why.
    fn why(result: Result<Place, BrokenError>) -> String {
        match result {
            Ok(place) => format!("{place:?}"),
            Err(error) => {
                format!("{error:?}").split([' ', '(', '{']).next().unwrap_or_default().to_string()
            }
        }
    }

    const HERE: Place = Place { line: 6, way: 0, share: 0.5 };

    #[test]
    fn a_certain_place_is_gone_on_with_only_where_the_head_still_stands() {
        let here = broken(Marked::Here(HERE));
        let restarted = |board| Connected { restarted: true, ..board };
        assert_eq!(place(&here, &board(20.0, 15.0), None, false).unwrap(), HERE);
        assert_eq!(place(&here, &board(20.015, 14.985), None, false).unwrap(), HERE);
        assert_eq!(why(place(&here, &board(20.03, 15.0), None, false)), "HeadMoved");
        assert_eq!(why(place(&here, &board(20.0, 15.03), None, false)), "HeadMoved");
        assert_eq!(why(place(&here, &restarted(board(20.0, 15.0)), None, false)), "WasOff");
        assert_eq!(why(place(&here, &Connected::default(), None, false)), "NotTold");
        // Somebody answers for it, or it finds its zero by itself.
        let moved = restarted(board(3.0, 4.0));
        assert_eq!(place(&here, &moved, None, true).unwrap(), HERE);
        assert_eq!(place(&here, &homing(moved), None, false).unwrap(), HERE);
        let unsaid = Broken { position: None, ..here };
        assert_eq!(why(place(&unsaid, &board(20.0, 15.0), None, false)), "NotTold");
        assert_eq!(why(place(&broken(Marked::End), &board(40.0, 30.0), None, true)), "NothingLeft");
    }

    #[test]
    fn a_zero_that_has_moved_is_told_and_a_g92_is_no_move() {
        let here = broken(Marked::Here(HERE));
        let at = |offset: [f64; 3], shift: [f64; 3]| {
            let mut now = standing(20.0, 15.0);
            now.offset[..3].copy_from_slice(&offset);
            now.shift = shift;
            let found = here.place(
                || PROGRAM.as_bytes(),
                Dialect::Grbl,
                &board(20.0, 15.0),
                &now,
                None,
                true,
            );
            why(found)
        };
        assert_eq!(at([0.0, 0.0, 0.0], [0.0; 3]), why(Ok(HERE)));
        for axis in 0..3 {
            let mut offset = [0.0; 3];
            offset[axis] = 0.03;
            assert_eq!(at(offset, [0.0; 3]), "ZeroMoved");
            assert_eq!(at(offset, offset), why(Ok(HERE)), "what a G92 shifts is set again");
            offset[axis] = 0.015;
            assert_eq!(at(offset, [0.0; 3]), why(Ok(HERE)));
        }
        // The same zero, far from the machine's own.
        let mut far = here;
        far.began.offset = axes(50.0, 60.0);
        let mut now = standing(20.0, 15.0);
        now.offset = axes(50.0, 60.0);
        let stands = board(20.0, 15.0);
        let found = far.place(|| PROGRAM.as_bytes(), Dialect::Grbl, &stands, &now, None, false);
        assert_eq!(found.unwrap(), HERE);
    }

    #[test]
    fn an_uncertain_stretch_wants_a_choice_unless_nothing_burns_on_it() {
        let (from, to) = (Place::before(6), Place::before(7));
        let between = broken(Marked::Between(from, to));
        let stands = board(20.0, 15.0);
        let told = place(&between, &stands, None, false).unwrap_err();
        let BrokenError::Uncertain { stretch, .. } = told else { panic!("{told}") };
        // Line 6 is 10 mm at 10 mm/s.
        assert!((stretch.burn - 10.0).abs() < 1e-9 && (stretch.seconds - 1.0).abs() < 1e-9);
        let choose = |choice| place(&between, &stands, Some(choice), false).unwrap();
        assert_eq!((choose(Choice::LastSeen), choose(Choice::LastSent)), (from, to));
        assert_eq!(between.uncertain(), (from, to));
        // Line 7 travels.
        let dark = broken(Marked::Between(Place::before(7), Place::before(8)));
        assert_eq!(place(&dark, &stands, None, false).unwrap(), Place::before(7));
    }

    #[test]
    fn a_lost_position_needs_a_machine_that_finds_its_zero() {
        let lost = broken(Marked::Lost);
        assert_eq!(why(place(&lost, &board(20.0, 15.0), Some(Choice::LastSeen), false)), "NoZero");
        let homed = homing(board(0.0, 0.0));
        assert_eq!(why(place(&lost, &homed, None, false)), "Uncertain");
        let choose = |choice| place(&lost, &homed, Some(choice), false).unwrap();
        // From where it was seen to behind what was sent.
        assert_eq!(choose(Choice::LastSeen), lost.seen);
        assert_eq!(choose(Choice::LastSent), Place::before(9));
        assert_eq!(lost.uncertain(), (lost.seen, Place::before(9)));
    }

    #[test]
    fn a_head_that_ran_on_says_itself_how_far_it_came() {
        let asking = broken(Marked::Asking);
        // In the middle of line 8.
        let found = place(&asking, &board(40.0, 25.0), None, false).unwrap();
        assert_eq!((found.line, found.way), (8, 0));
        assert!((found.share - 0.5).abs() < 1e-6, "{found:?}");
        // Where no line leads nobody knows.
        assert_eq!(why(place(&asking, &board(33.0, 7.0), None, false)), "Uncertain");
        assert_eq!(why(place(&asking, &Connected::default(), None, false)), "Uncertain");
        // A board that was off says that it stands at its zero.
        assert_eq!(why(place(&asking, &board(0.0, 0.0), None, false)), "AtZero");
        let restarted = Connected { restarted: true, ..board(20.0, 15.0) };
        assert_eq!(why(place(&asking, &restarted, None, false)), "NoZero");
        // One that has never left its zero may stand there.
        let unmoved = Broken { position: Some([Some(0.0); 6]), ..asking };
        assert_eq!(why(place(&unmoved, &board(0.0, 0.0), None, false)), "Uncertain");
        // Without a place the stretch reaches behind what was sent.
        let told = place(&asking, &Connected::default(), None, false).unwrap_err();
        let BrokenError::Uncertain { from, to, .. } = told else { panic!("{told}") };
        assert_eq!((from, to), (asking.seen, Place::before(9)));
    }

    #[test]
    fn a_try_burns_on_the_same_spot_only_where_zero_and_head_are_the_same() {
        let then = standing(5.0, 6.0);
        let ask = |now: ReportedStanding, board: &Connected, from_head, in_place| {
            then.is_same_spot(board, &now, from_head, in_place).map_err(|error| {
                format!("{error:?}").split([' ', '(', '{']).next().unwrap_or_default().to_string()
            })
        };
        let stands = board(5.0, 6.0);
        assert_eq!(ask(standing(9.0, 9.0), &stands, false, false), Ok(()));
        assert_eq!(ask(standing(9.0, 9.0), &stands, true, false), Err("HeadMoved".into()));
        assert_eq!(ask(standing(5.0, 6.01), &stands, true, false), Ok(()));
        let restarted = Connected { restarted: true, ..stands.clone() };
        assert_eq!(ask(then, &restarted, true, false), Err("WasOff".into()));
        assert_eq!(ask(then, &restarted, true, true), Ok(()));
        assert_eq!(ask(then, &homing(restarted), true, false), Ok(()));
        assert_eq!(ask(then, &Connected::default(), true, false), Err("NotTold".into()));
        let mut moved = then;
        moved.offset[1] = 1.0;
        assert_eq!(ask(moved, &stands, false, true), Err("ZeroMoved".into()));
    }
}
