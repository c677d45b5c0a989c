//! Where in a program the head is, by the position that the controller reports.
//!
//! The head goes along the program once and never back, so of all places that lie where it is the first
//! one ahead counts. What the controller has answered bounds it, too: only so many motions as its
//! planner holds are taken and not yet run.

use crate::position::Position;
use std::collections::VecDeque;
use tinkite_base::geometry::Piece;
use tinkite_reader::{LineMotion, Place, Ways};

/// A position may lie beside the program's path by this much, mm: half a step of a coarse motor, and the
/// chords of an arc.
const BESIDE: f64 = 0.05;
/// Paths that are farther away than the nearest by more than this are not meant, mm.
const NEARER: f64 = 0.02;
/// Places nearer to each other along the path are the same place, mm.
const SAME: f64 = 0.02;
/// The most answers that may have come too often without being noticed yet, or belong to lines that were
/// refused.
const MISCOUNTED: usize = 4;
/// How far from the line that is counted the one that runs may be.
const NOTICED: u32 = 1;
/// The most lines that are kept, however long no position is told.
const MOST_LINES: usize = 1 << 14;

/// A line that was sent.
#[derive(Debug)]
struct Line {
    number: u32,
    motions: Vec<LineMotion>,
    /// The head stands before it is done.
    stands: bool,
    /// With the beam on.
    lit: bool,
}

/// The places where a head may be that stands at a position.
#[derive(Debug, Clone, PartialEq)]
pub enum Located {
    /// Here, and nowhere else.
    Here(Place),
    /// At one of several places: the first and the last.
    Between(Place, Place),
    /// Nowhere on what was sent.
    Nowhere,
}

/// Follows the head through the lines that were sent.
#[derive(Debug)]
pub struct Locator {
    lines: VecDeque<Line>,
    /// The furthest place at which the head was seen, twice or by what came later: a position may be
    /// spoilt on the cable.
    seen: Place,
    /// Where it seemed to be by the last position.
    last: Place,
    /// The controller's planner was said to hold less than the head had still to run: it counts
    /// otherwise.
    counts_otherwise: bool,
}

impl Locator {
    /// A program that begins with `line`, before anything of it is done.
    #[must_use]
    pub fn new(line: u32) -> Self {
        Self::from(Place::before(line))
    }

    /// A head that was seen at a place; what comes before need not be told.
    #[must_use]
    pub fn from(seen: Place) -> Self {
        Self { lines: VecDeque::new(), seen, last: seen, counts_otherwise: false }
    }

    /// A line goes out.
    pub fn sent(&mut self, number: u32, ways: Ways) {
        let stands = ways.seconds > 0.0;
        if ways.motions.is_empty() && !stands {
            return;
        }
        if self.lines.len() >= MOST_LINES {
            self.lines.pop_front();
        }
        let motions = ways.motions.into_iter().filter(|way| way.length() > 0.0).collect();
        self.lines.push_back(Line { number, motions, stands, lit: ways.lit_seconds > 0.0 });
    }

    /// The furthest place at which the head was seen.
    #[must_use]
    pub fn seen(&self) -> Place {
        self.seen
    }

    /// The head was seen at `position`. `taken` is the last line that was answered, `planned` how many
    /// motions the controller still has in its planner, where that is known.
    ///
    /// Whether it lies on the program's path.
    pub fn see(&mut self, position: &Position, taken: u32, planned: Option<usize>) -> bool {
        let mut places = self.places(position, self.first(taken, planned));
        if places.is_empty() && planned.is_some() {
            places = self.places(position, self.seen);
            self.counts_otherwise |= !places.is_empty();
        }
        let Some((place, _)) = places.first() else { return false };
        let before = std::mem::replace(&mut self.last, *place);
        self.move_on(if before < *place { before } else { *place });
        true
    }

    fn move_on(&mut self, place: Place) {
        if place > self.seen {
            self.seen = place;
        }
        while self.lines.front().is_some_and(|line| line.number < self.seen.line) {
            self.lines.pop_front();
        }
    }

    /// Where the head can be that stands at `position`, from where it was seen last to the end of
    /// `last`, the last line that can be running.
    #[must_use]
    pub fn find(
        &self,
        position: &Position,
        taken: u32,
        planned: Option<usize>,
        last: u32,
    ) -> Located {
        let mut places = self.places(position, self.first(taken, planned));
        if places.is_empty() {
            places = self.places(position, self.seen);
        }
        // Behind a dwell that may have run is a place, though nothing behind it has.
        let dwelt = |place: &Place| {
            let lit = |line: &Line| line.lit && line.number <= last;
            self.lines.iter().any(|line| lit(line) && *place == Place::before(line.number + 1))
        };
        places.retain(|(first, _)| first.line <= last || dwelt(first));
        match places.as_slice() {
            [] => Located::Nowhere,
            [(_, best)] => Located::Here(*best),
            [(first, _), .., (_, last)] => {
                let counted = planned.and_then(|planned| self.count_back(taken, planned));
                let near = |off: u32| {
                    places.iter().filter(move |(_, best)| {
                        counted.is_some_and(|at| best.line.abs_diff(at) <= off)
                    })
                };
                // One answer more or less may not have been noticed yet.
                match (near(NOTICED).next(), near(2 * NOTICED + 1).count()) {
                    (Some((_, best)), 1) => Located::Here(*best),
                    _ => Located::Between(*first, *last),
                }
            }
        }
    }

    /// The line that runs, by the motions that are in the planner; `None` where arcs are among them, of
    /// which a controller makes more than one.
    fn count_back(&self, taken: u32, planned: usize) -> Option<u32> {
        if self.counts_otherwise || planned == 0 {
            return None;
        }
        let mut left = planned;
        for line in self.lines.iter().rev().skip_while(|line| line.number > taken) {
            let arc = |way: &LineMotion| matches!(way.piece, Piece::Arc { .. });
            if line.motions.iter().any(arc) {
                return None;
            }
            if left <= line.motions.len() {
                return Some(line.number);
            }
            left -= line.motions.len();
        }
        None
    }

    /// The earliest place where the head can be: behind it lie all motions that are in the planner.
    fn first(&self, taken: u32, planned: Option<usize>) -> Place {
        let Some(planned) = planned.filter(|_| !self.counts_otherwise) else { return self.seen };
        let mut left = planned + MISCOUNTED;
        // An arc is many motions there: it may be one of them or all. The line that was answered last
        // is in the planner at least in part when anything is.
        for line in self.lines.iter().rev().skip_while(|line| line.number > taken) {
            if left <= line.motions.len() {
                return self.seen.later(Place::before(line.number));
            }
            left -= line.motions.len();
        }
        self.seen
    }

    /// Runs of places where the path comes near the position, from `first` on: each with its beginning
    /// and its best.
    fn places(&self, position: &Position, first: Place) -> Vec<(Place, Place)> {
        // Nearest place of each motion that comes near enough, with its way from the one before.
        let mut near: Vec<(Place, f64, f64)> = Vec::new();
        let mut along = 0.0;
        for line in self.lines.iter().skip_while(|line| line.number < first.line) {
            if line.stands {
                // Before and behind a dwell are two places, though they are the same point. How much of one has burnt
                // nobody sees, so that the place behind it counts as soon as it may have begun.
                let here =
                    near.last().filter(|_| line.lit && along <= SAME).map(|(_, away, _)| *away);
                along = f64::INFINITY;
                if let Some(away) = here {
                    near.push((Place::before(line.number + 1), away, along));
                    along = 0.0;
                }
            }
            for (n, way) in line.motions.iter().enumerate() {
                let length = way.length();
                let (mut share, mut away) = way.nearest(position);
                let here = (line.number, n) == (first.line, first.way);
                if here && share < first.share {
                    // It has not gone back: the number was rounded.
                    share = first.share;
                    away = way.away(share, position);
                }
                let place = Place { line: line.number, way: n, share };
                if away <= BESIDE && place >= first {
                    near.push((place, away, along + length * share));
                    along = length * (1.0 - share);
                } else {
                    along += length;
                }
            }
        }
        let best = near.iter().map(|(_, away, _)| *away).fold(f64::INFINITY, f64::min);
        let mut runs: Vec<(Place, Place, f64)> = Vec::new();
        for (place, away, along) in near {
            let goes_on = along <= SAME && !runs.is_empty();
            match runs.last_mut() {
                Some((_, nearest, least)) if goes_on => {
                    if away < *least {
                        (*nearest, *least) = (place, away);
                    }
                }
                _ => runs.push((place, place, away)),
            }
        }
        runs.into_iter()
            .filter(|(_, _, away)| *away <= best + NEARER)
            .map(|(first, nearest, _)| (first, nearest))
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_machine::Dialect;
    use tinkite_reader::Trail;

    fn sent(program: &str) -> Locator {
        let mut locator = Locator::new(1);
        let mut trail = Trail::new(Dialect::Grbl, [0.0; 6], [0.0; 6]);
        for (n, line) in program.lines().enumerate() {
            locator.sent(n as u32 + 1, trail.line(line.as_bytes()));
        }
        locator
    }

    fn at(x: f64, y: f64) -> Position {
        [Some(x), Some(y), Some(0.0), None, None, None]
    }

    #[test]
    fn how_far_a_dwell_with_the_beam_on_came_is_not_certain() {
        let program = "G90M3\nG0X10Y10\nG1X20S9F600\nG4P0.5\nY20\n";
        let find = |program: &str, last| sent(program).find(&at(20.0, 10.0), last, None, last);
        let between = Located::Between(Place { line: 3, way: 0, share: 1.0 }, Place::before(5));
        // The dwell has begun, or not; and what comes behind it was sent as well.
        assert_eq!(find(program, 4), between);
        assert_eq!(find(program, 5), between);
        // It cannot have begun.
        assert!(matches!(find(program, 3), Located::Here(place) if place.line == 3));
        // With the beam off nothing is lost if it is made twice.
        assert!(
            matches!(find(&program.replace("M3", "M4"), 4), Located::Here(place) if place.line == 3)
        );
        // Elsewhere the head stands in no dwell.
        let found = sent(program).find(&at(20.0, 12.0), 5, None, 5);
        assert!(matches!(found, Located::Here(place) if place.line == 5), "{found:?}");
    }

    const SQUARE: &str = "G90M4\nG0X10Y10\nG1X20S9F600\nY20\nX10\nY10\nX20\nY20\nX10\nY10\nG0X0Y0";

    #[test]
    fn the_head_is_followed_once_round_and_round_again() {
        let mut locator = sent(SQUARE);
        for (x, y, line, share) in [
            (5.0, 5.0, 2, 0.5),
            (12.0, 10.0, 3, 0.2),
            (20.0, 13.0, 4, 0.3),
            (15.0, 20.0, 5, 0.5),
            (10.0, 12.0, 6, 0.8),
            (12.0, 10.0, 7, 0.2),
            (10.0, 15.0, 10, 0.5),
            (1.0, 1.0, 11, 0.9),
        ] {
            assert!(locator.see(&at(x, y), 11, None));
            assert!(locator.see(&at(x, y), 11, None));
            let seen = locator.seen();
            assert_eq!(seen.line, line);
            assert!((seen.share - share).abs() < 1e-9);
        }
    }

    #[test]
    fn a_position_that_was_spoilt_once_moves_nothing() {
        let mut locator = sent(SQUARE);
        for (x, y) in [(5.0, 5.0), (10.0, 15.0), (6.0, 6.0), (7.0, 7.0)] {
            locator.see(&at(x, y), 11, None);
        }
        assert_eq!(locator.seen().line, 2);
        assert!(!locator.see(&at(70.0, 7.0), 11, None));
    }

    #[test]
    fn what_the_planner_holds_tells_one_lap_from_the_next() {
        let locator = sent(SQUARE);
        // On the first side: the first or the second lap.
        let found = locator.find(&at(15.0, 10.0), 11, None, 11);
        assert!(matches!(found, Located::Between(a, b) if (a.line, b.line) == (3, 7)), "{found:?}");
        // Five motions in the planner: the second.
        let found = locator.find(&at(15.0, 10.0), 11, Some(5), 11);
        assert!(matches!(found, Located::Here(place) if place.line == 7), "{found:?}");
        // Seven: between the two, and neither is near enough.
        let found = locator.find(&at(15.0, 10.0), 11, Some(7), 11);
        assert!(matches!(found, Located::Between(..)), "{found:?}");
        // Nothing behind the sixth line was taken: the first.
        let found = locator.find(&at(15.0, 10.0), 6, None, 6);
        assert!(matches!(found, Located::Here(place) if place.line == 3), "{found:?}");
        assert_eq!(locator.find(&at(15.0, 15.0), 11, None, 11), Located::Nowhere);
    }

    #[test]
    fn the_nearest_of_lines_side_by_side_is_meant_and_a_corner_is_one_place() {
        let locator = sent("G90M4\nG1X50S9F600\nY0.1\nX0\nY0.2\nX50");
        let found = locator.find(&at(25.0, 0.11), 6, None, 6);
        assert!(matches!(found, Located::Here(place) if place.line == 4), "{found:?}");
        let found = locator.find(&at(50.0, 0.0), 6, None, 6);
        assert!(matches!(found, Located::Here(place) if place.line <= 3), "{found:?}");
    }

    #[test]
    fn a_count_of_the_planner_passes_over_what_was_not_answered_and_stops_at_an_arc() {
        // Two laps of four sides; lines 11 and later have gone out and were not answered.
        let locator = sent(SQUARE);
        let find = |taken, planned| locator.find(&at(15.0, 10.0), taken, Some(planned), 11);
        // Of ten lines that were answered four motions wait: line 7 runs.
        assert!(matches!(find(10, 4), Located::Here(place) if place.line == 7));
        // Of nine, seven wait: line 3 does, and the second lap has not been begun.
        assert!(matches!(find(9, 7), Located::Here(place) if place.line == 3));
        // How many motions an arc is only the controller knows.
        let arc = SQUARE.replacen("X10\nY10", "X10\nG2X10Y10I0J-5\nG1", 1);
        let found = sent(&arc).find(&at(15.0, 10.0), 12, Some(8), 12);
        assert!(matches!(found, Located::Between(..)), "{found:?}");
    }

    #[test]
    fn what_the_planner_no_longer_holds_is_behind_the_head() {
        // One motion waits, and at most four answers came too often: the first lap is over.
        let mut locator = sent(SQUARE);
        for x in [14.0, 15.0, 16.0] {
            assert!(locator.see(&at(x, 10.0), 11, Some(1)));
        }
        assert_eq!(locator.seen().line, 7);
        // With all of it in the planner it may be the first.
        let mut locator = sent(SQUARE);
        for x in [14.0, 15.0, 16.0] {
            assert!(locator.see(&at(x, 10.0), 11, Some(10)));
        }
        assert_eq!(locator.seen().line, 3);
    }

    #[test]
    fn a_head_is_beside_the_path_from_so_far_on_and_no_nearer() {
        let locator = sent("G90M4\nG1X50S9F600");
        for (beside, here) in [(BESIDE * 0.9, true), (BESIDE * 1.1, false)] {
            let found = locator.find(&at(25.0, beside), 2, None, 2);
            assert_eq!(matches!(found, Located::Here(_)), here, "{beside} {found:?}");
            assert_eq!(sent("G90M4\nG1X50S9F600").see(&at(25.0, beside), 2, None), here);
        }
    }

    #[test]
    fn a_board_that_counts_otherwise_is_followed_by_positions_alone() {
        let mut locator = sent("G90M4\nG1X50S9F600\nY10\nX0\nY20\nX50\nY30\nX0\nG0X50Y0\nG1X35");
        // It says that nothing waits while the head is on the first of nine.
        for x in [10.0, 20.0, 30.0] {
            assert!(locator.see(&at(x, 0.0), 10, Some(0)));
        }
        assert_eq!(locator.seen(), Place { line: 2, way: 0, share: 0.4 });
        // By what it says the last line would run.
        let found = locator.find(&at(40.0, 0.0), 10, Some(1), 10);
        assert!(matches!(found, Located::Between(a, b) if (a.line, b.line) == (2, 10)));
    }
}
