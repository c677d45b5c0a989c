//! One move as the text says it.

use crate::mapping::Purpose;
use std::f64::consts::TAU;
use tinkite_base::geometry::Vec2;
use tinkite_machine::motion::course::Circle;
use tinkite_machine::source::Level;

/// Thousandths of the controller's own unit (mm or degrees), the resolution of every position.
pub type Micron = i64;

/// Millimetres or degrees to whole thousandths, halves away from zero.
#[must_use]
pub fn microns(value: f64) -> Micron {
    (value * 1000.0).round() as Micron
}

/// An arc as the text says it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Arc {
    /// The centre, from the start (I and J).
    pub centre: [Micron; 2],
    /// Whether it runs clockwise in the controller's own axes (G2).
    pub clockwise: bool,
}

/// An F word: ten-thousandths, above zero.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Feed(u64);

/// Feeds from here on have one decimal, slower ones four: each is then true to half a thousandth.
const FAST: f64 = 100.0;

impl Feed {
    /// The F word for a feed; `None` where it would be zero or is no number a controller takes.
    #[must_use]
    pub fn new(feed: f64) -> Option<Self> {
        let unit = if feed < FAST { 1.0 } else { 1000.0 };
        let rounded = (feed * 10_000.0 / unit).round() * unit;
        (1.0..1e13).contains(&rounded).then_some(Self(rounded as u64))
    }

    /// What it says, per minute.
    #[must_use]
    pub fn value(self) -> f64 {
        self.0 as f64 / 10_000.0
    }

    /// The same in ten-thousandths.
    #[must_use]
    pub(crate) fn ten_thousandths(self) -> u64 {
        self.0
    }
}

/// One straight or circular move between two positions of the controller's axes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct AxisMove {
    /// What it is for.
    pub purpose: Purpose,
    /// Where it starts.
    pub from: [Micron; 2],
    /// Where it ends; never where it starts.
    pub to: [Micron; 2],
    /// How it bends.
    pub arc: Option<Arc>,
    /// The beam.
    pub level: Level,
    /// How fast; none: as fast as the axes can.
    pub feed: Option<Feed>,
}

impl AxisMove {
    /// Where it starts, in whole units.
    #[must_use]
    pub(crate) fn start_mm(&self) -> [f64; 2] {
        self.from.map(|a| a as f64 / 1000.0)
    }

    /// Where it ends, in whole units.
    #[must_use]
    pub fn to_mm(&self) -> [f64; 2] {
        self.to.map(|a| a as f64 / 1000.0)
    }

    /// The circle that it follows, from its rounded numbers.
    #[must_use]
    pub fn circle(&self) -> Option<Circle> {
        let arc = self.arc?;
        let [x, y] = [0, 1].map(|n| self.from[n] + arc.centre[n]);
        let sweep = sweep_between(self.from, self.to, [x, y], arc.clockwise);
        Some(Circle { centre: [x as f64 / 1000.0, y as f64 / 1000.0], sweep })
    }

    /// Its length as the controller counts it: mm and degrees alike.
    #[must_use]
    pub fn length(&self) -> f64 {
        match self.circle() {
            None => {
                let [x, y] = [0, 1].map(|n| (self.to[n] - self.from[n]) as f64 / 1000.0);
                x.hypot(y)
            }
            Some(circle) => {
                let [x, y] = self.arc.map_or([0, 0], |arc| arc.centre);
                (x as f64).hypot(y as f64) / 1000.0 * circle.sweep.abs()
            }
        }
    }

    /// The position at a share of it, from 0 to 1.
    #[must_use]
    pub fn at(&self, share: f64) -> [f64; 2] {
        let (from, to) = (self.start_mm(), self.to_mm());
        match self.circle() {
            None => [0, 1].map(|n| from[n] + (to[n] - from[n]) * share),
            Some(circle) => {
                let spoke = Vec2::new(from[0] - circle.centre[0], from[1] - circle.centre[1]);
                let (sin, cos) = (circle.sweep * share).sin_cos();
                [
                    circle.centre[0] + spoke.x * cos - spoke.y * sin,
                    circle.centre[1] + spoke.x * sin + spoke.y * cos,
                ]
            }
        }
    }

    /// The part of it between two shares of the whole, from where the last part really ended; none
    /// where rounding leaves nothing of it.
    #[must_use]
    pub fn part(&self, begins: [Micron; 2], shares: (f64, f64), level: Level) -> Option<Self> {
        let to = if shares.1 >= 1.0 { self.to } else { self.at(shares.1).map(microns) };
        if to == begins {
            return None;
        }
        let bent = self.arc.zip(self.circle()).and_then(|(whole, circle)| {
            let middle = [0, 1].map(|n| self.from[n] + whole.centre[n]);
            arc(begins, to, middle, circle.sweep * (shares.1 - shares.0))
        });
        Some(Self { from: begins, to, arc: bent, level, ..*self })
    }

    /// This move and the next as one, where the next goes straight on in every way alike.
    #[must_use]
    pub fn join(&self, next: &Self) -> Option<Self> {
        let alike = self.purpose == next.purpose
            && self.level == next.level
            && self.feed == next.feed
            && self.to == next.from
            && self.arc.is_none()
            && next.arc.is_none();
        if !alike {
            return None;
        }
        let [a, b] = [self, next].map(|way| [0, 1].map(|n| i128::from(way.to[n] - way.from[n])));
        let straight = a[0] * b[1] == a[1] * b[0] && a[0] * b[0] + a[1] * b[1] > 0;
        straight.then_some(Self { to: next.to, ..*self })
    }
}

/// How far an arc between rounded points turns, rad, with its sign.
fn sweep_between(from: [Micron; 2], to: [Micron; 2], centre: [Micron; 2], clockwise: bool) -> f64 {
    let spoke = |p: [Micron; 2]| Vec2::new((p[0] - centre[0]) as f64, (p[1] - centre[1]) as f64);
    let (a, b) = (spoke(from), spoke(to));
    let sign = if clockwise { -1.0 } else { 1.0 };
    let turn = a.cross(b).atan2(a.dot(b)) * sign;
    sign * if turn <= 0.0 { turn + TAU } else { turn }
}

/// An arc that was meant to turn by `sweep`, rad, between rounded points; `None` where rounding has
/// made another arc of it. A tiny one may come out with its ends the wrong way round, and would be
/// run as nearly a full circle: its chord is as good.
pub(super) fn arc(
    from: [Micron; 2],
    to: [Micron; 2],
    centre: [Micron; 2],
    sweep: f64,
) -> Option<Arc> {
    let radius = |p: [Micron; 2]| ((p[0] - centre[0]) as f64).hypot((p[1] - centre[1]) as f64);
    let clockwise = sweep < 0.0;
    // Ends and centre are each off by half a thousandth at most.
    let radii_agree = (radius(from) - radius(to)).abs() < 4.0;
    let turn = sweep_between(from, to, centre, clockwise);
    let same = (turn - sweep).abs() < 0.1 * sweep.abs() + 1e-6;
    let from_start = [centre[0] - from[0], centre[1] - from[1]];
    (radii_agree && same).then_some(Arc { centre: from_start, clockwise })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::FRAC_PI_2;

    #[test]
    fn an_arc_that_rounding_would_turn_round_is_no_arc() {
        assert!(arc([1000, 0], [0, 1000], [0, 0], FRAC_PI_2).is_some());
        assert!(arc([1000, 0], [0, -1000], [0, 0], -FRAC_PI_2).is_some());
        // Meant to go a little to the left over the top; rounded, it goes to the right.
        assert!(arc([0, 0], [1, 0], [0, -3], 0.3).is_none());
        // Rounded into a quarter more than it was.
        assert!(arc([1, 0], [0, 1], [0, 0], 0.9).is_none());
        assert!(arc([0, 0], [5, 5], [0, 0], 1.0).is_none());
    }

    fn quarter() -> AxisMove {
        AxisMove {
            purpose: Purpose::Burn,
            from: [1000, 0],
            to: [0, 1000],
            arc: arc([1000, 0], [0, 1000], [0, 0], FRAC_PI_2),
            level: Level::DARK,
            feed: Feed::new(600.0),
        }
    }

    #[test]
    fn parts_of_an_arc_follow_it() {
        let whole = quarter();
        assert!((whole.length() - FRAC_PI_2).abs() < 1e-12);
        let first = whole.part(whole.from, (0.0, 0.5), Level::DARK).unwrap();
        let second = whole.part(first.to, (0.5, 1.0), Level::DARK).unwrap();
        assert_eq!((first.to, second.to), ([707, 707], [0, 1000]));
        assert!((first.length() + second.length() - FRAC_PI_2).abs() < 2e-3);
        assert!(whole.part([0, 1000], (0.5, 1.0), Level::DARK).is_none());
    }

    #[test]
    fn only_what_goes_straight_on_is_joined() {
        let line = |from, to| AxisMove { from, to, arc: None, ..quarter() };
        let a = line([0, 0], [2000, 1000]);
        assert_eq!(a.join(&line([2000, 1000], [4000, 2000])), Some(line([0, 0], [4000, 2000])));
        assert_eq!(a.join(&line([2000, 1000], [4000, 2001])), None);
        assert_eq!(a.join(&line([2000, 1000], [0, 0])), None);
        assert_eq!(a.join(&quarter()), None);
    }

    #[test]
    fn feeds_are_true_to_half_a_thousandth_and_never_zero() {
        for feed in [0.03, 0.5, 7.77777, 99.9, 100.04, 1234.56, 60_000.0] {
            let said = Feed::new(feed).unwrap().value();
            assert!((said / feed - 1.0).abs() < 6e-4, "{feed} {said}");
        }
        assert_eq!(Feed::new(0.00004), None);
        assert_eq!(Feed::new(f64::NAN), None);
    }
}
