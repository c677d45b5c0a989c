//! What lies between two places of a program.

use crate::locator::{Located, Locator};
use crate::position::Position;
use std::io::{self, BufRead};
use tinkite_base::rs274::Evaluator;
use tinkite_machine::Dialect;
use tinkite_reader::{LineMotion, Place, Standing, Trail};

/// A program that was begun on a machine that stood so.
#[derive(Debug)]
pub struct Walk {
    /// How the program is spoken.
    pub dialect: Dialect,
    /// How the machine stood.
    pub began: Standing,
}

/// What lies between two places.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Stretch {
    /// Length with the beam on, mm and degrees alike.
    pub burn: f64,
    /// Seconds with the beam on while the head moves, at the program's feed.
    pub seconds: f64,
    /// Seconds with the beam on while the head stands.
    pub stands_lit: f64,
    /// For how long the head stands in the lines of both places and between them, lit or dark, s.
    pub stands: f64,
    /// A line of them sends the head where only the controller knows.
    pub lost: bool,
}

impl Stretch {
    /// Whether nothing is burnt on it, so that both of its ends are as good.
    #[must_use]
    pub fn is_dark(&self) -> bool {
        self.burn < NOTHING && self.stands == 0.0 && !self.lost
    }
}

/// Less than this is not burnt, mm.
const NOTHING: f64 = 1e-6;

impl Walk {
    /// Hands on every line with what it does.
    fn lines(
        &self,
        program: impl BufRead,
        mut each: impl FnMut(u32, tinkite_reader::Ways),
    ) -> io::Result<()> {
        let mut trail = Trail::new(self.dialect, self.began.at, self.began.offset);
        let mut evaluator = Evaluator::default();
        for (n, line) in program.split(b'\n').enumerate() {
            let line = line?;
            let plain = evaluator.line(&line).ok().flatten();
            each(n as u32 + 1, trail.line(plain.as_deref().unwrap_or(&line)));
        }
        Ok(())
    }

    /// Hands on everything that is burnt, with its line.
    ///
    /// # Errors
    /// A program that cannot be read.
    pub fn burns(
        &self,
        program: impl BufRead,
        mut each: impl FnMut(u32, &LineMotion),
    ) -> io::Result<()> {
        self.lines(program, |line, ways| {
            ways.motions.iter().filter(|way| way.s > 0.0).for_each(|way| each(line, way));
        })
    }

    /// Hands on what is burnt, as [`parts`](Self::parts), and every line.
    fn parts_of_lines(
        &self,
        program: impl BufRead,
        from: Place,
        to: Place,
        mut line_does: impl FnMut(u32, &tinkite_reader::Ways),
        mut each: impl FnMut(&LineMotion, [(f64, f64); 3]),
    ) -> io::Result<()> {
        self.lines(program, |line, ways| {
            line_does(line, &ways);
            for (n, way) in ways.motions.iter().enumerate().filter(|(_, way)| way.s > 0.0) {
                let share = |place: Place| match (place.line, place.way).cmp(&(line, n)) {
                    std::cmp::Ordering::Less => 0.0,
                    std::cmp::Ordering::Equal => place.share,
                    std::cmp::Ordering::Greater => 1.0,
                };
                let (a, b) = (share(from), share(to).max(share(from)));
                each(way, [(0.0, a), (a, b), (b, 1.0)]);
            }
        })
    }

    /// Hands on what is burnt: the motion and the shares of it that come before `from`, between the
    /// two, and behind `to`.
    ///
    /// # Errors
    /// A program that cannot be read.
    pub fn parts(
        &self,
        program: impl BufRead,
        from: Place,
        to: Place,
        each: impl FnMut(&LineMotion, [(f64, f64); 3]),
    ) -> io::Result<()> {
        self.parts_of_lines(program, from, to, |_, _| {}, each)
    }

    /// How much is burnt between two places.
    ///
    /// # Errors
    /// A program that cannot be read.
    pub fn stretch(&self, program: impl BufRead, from: Place, to: Place) -> io::Result<Stretch> {
        let mut stretch = Stretch::default();
        let (mut stands, mut stands_lit, mut lost) = (0.0, 0.0, false);
        let count = |line: u32, ways: &tinkite_reader::Ways| {
            if (from.line..=to.line).contains(&line) {
                stands += ways.seconds;
                // A place in a line that dwells is before the dwell.
                stands_lit += if line < to.line { ways.lit_seconds } else { 0.0 };
                lost |= ways.lost;
            }
        };
        self.parts_of_lines(program, from, to, count, |way, [_, (a, b), _]| {
            let length = way.length() * (b - a);
            stretch.burn += length;
            if way.speed > 0.0 && way.speed.is_finite() {
                stretch.seconds += length / way.speed;
            }
        })?;
        Ok(Stretch { stands, stands_lit, lost, ..stretch })
    }

    /// Where a head that stands at `position` can be, from where it was `seen` to the end of line
    /// `last`.
    ///
    /// # Errors
    /// A program that cannot be read.
    pub fn find(
        &self,
        program: impl BufRead,
        seen: Place,
        last: u32,
        position: &Position,
    ) -> io::Result<Located> {
        let mut locator = Locator::from(seen);
        self.lines(program, |line, ways| {
            if line >= seen.line && line <= last {
                locator.sent(line, ways);
            }
        })?;
        Ok(locator.find(position, last, None, last))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const PROGRAM: &str = "G21G90M4\nG0X10Y10\nG1X20S100F600\nY20\nG0X50\nG1X60\n";

    fn walk() -> Walk {
        let still = Standing { at: [0.0; 6], offset: [0.0; 6] };
        Walk { dialect: Dialect::Grbl, began: still }
    }

    fn at(line: u32, share: f64) -> Place {
        Place { line, way: 0, share }
    }

    #[test]
    fn a_stretch_is_what_burns_between_its_ends() {
        for (from, to, burn) in [
            (at(1, 0.0), Place::before(7), 30.0),
            (at(3, 0.5), at(4, 0.2), 7.0),
            (at(3, 0.2), at(3, 0.5), 3.0),
            (at(5, 0.0), at(5, 0.9), 0.0),
            (at(6, 0.5), at(3, 0.5), 0.0),
        ] {
            let stretch = walk().stretch(PROGRAM.as_bytes(), from, to).unwrap();
            assert!((stretch.burn - burn).abs() < 1e-9, "{stretch:?}");
            assert!((stretch.seconds - burn / 10.0).abs() < 1e-9, "{stretch:?}");
        }
    }

    #[test]
    fn a_stretch_says_for_how_long_the_head_stands_with_the_beam_on() {
        let program = "G21G90M3\nG1X20S100F600\nG4P0.4\nY20\nG4P0.2\nM5\nG4P9\n";
        for (from, to, lit) in [
            (at(2, 1.0), Place::before(4), 0.4),
            (at(2, 1.0), Place::before(3), 0.0),
            (at(2, 0.0), Place::before(8), 0.6),
            (at(4, 0.1), Place::before(6), 0.2),
        ] {
            let stretch = walk().stretch(program.as_bytes(), from, to).unwrap();
            assert!((stretch.stands_lit - lit).abs() < 1e-9, "{stretch:?}");
        }
    }

    #[test]
    fn a_stretch_is_dark_only_where_nothing_burns_stands_or_is_lost() {
        let dark = |program: &str, from, to| {
            walk().stretch(program.as_bytes(), from, to).unwrap().is_dark()
        };
        // From the end of one lit line to the start of the next, with travel between.
        assert!(dark(PROGRAM, at(4, 1.0), at(6, 0.0)));
        assert!(dark(PROGRAM, at(4, 1.0), Place::before(6)));
        assert!(!dark(PROGRAM, at(4, 0.99), at(6, 0.0)));
        assert!(!dark(PROGRAM, at(4, 1.0), at(6, 0.01)));
        let stands = PROGRAM.replace("G0X50", "G4P0.2\nG0X50");
        assert!(!dark(&stands, at(4, 1.0), at(7, 0.0)));
        let lost = PROGRAM.replace("G0X50", "G28\nG0X50");
        assert!(!dark(&lost, at(4, 1.0), at(7, 0.0)));
    }

    #[test]
    fn a_standing_head_is_found_on_what_may_have_been_sent() {
        let find = |seen, last, x, y| {
            let position = [Some(x), Some(y), None, None, None, None];
            walk().find(PROGRAM.as_bytes(), seen, last, &position).unwrap()
        };
        assert_eq!(find(at(2, 0.5), 5, 20.0, 15.0), Located::Here(at(4, 0.5)));
        assert_eq!(find(at(4, 0.6), 5, 20.0, 15.0), Located::Nowhere);
        assert_eq!(find(at(2, 0.5), 5, 55.0, 20.0), Located::Nowhere);
        assert_eq!(find(at(2, 0.5), 6, 55.0, 20.0), Located::Here(at(6, 0.5)));
    }
}
