//! The rotary: which of the controller's axes turns, and by how much.

use super::axis::{Axes, Axis};
use super::link::Dialect;
use crate::section::Section;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, parse};

/// How the feed of a move that turns is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FeedMode {
    /// G93: every feed move says in which part of a minute it is done.
    InverseTime,
    /// G94: the feed is worked out for each move by the controller's own rule.
    WorkedOut,
}

/// A device that turns a round object under the beam.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rotary {
    /// The controller's word for it: `A`, `B` or `C` in degrees, or `X` or `Y` where it stands in
    /// for that axis.
    pub letter: u8,
    /// The linear axis that runs along the object: `X` or `Y`.
    pub along: u8,
    /// Millimetres that the axis it stands in for is told for one turn of chuck or roller; none for
    /// an axis in degrees.
    pub per_turn: Option<f64>,
    /// Diameter of the driving roller, mm, where it has one.
    pub roller: Option<f64>,
    /// Whether it turns the other way: a growing angle carries the surface towards the operator's
    /// side that is otherwise away.
    pub reversed: bool,
    /// What the axis can do: deg/s and deg/s² of chuck or roller, or mm/s and mm/s² of the axis it
    /// stands in for.
    pub axis: Axis,
    /// Between which places along the object the beam can reach it, mm from the bed's front left
    /// corner; none: all along the bed.
    pub reach: Option<(f64, f64)>,
    /// How feeds are written.
    pub feed: FeedMode,
}

impl Rotary {
    /// What the axis is told for one turn of chuck or roller: degrees or mm.
    #[must_use]
    pub fn turn(&self) -> f64 {
        self.per_turn.unwrap_or(360.0)
    }
}

/// Reads `[rotary]`.
pub(super) fn read(section: Section<'_, '_>, axes: &Axes, dialect: Dialect) -> Option<Rotary> {
    if !section.has("axis") {
        section.missing("axis", "axis = \"A\" (in degrees), or axis = \"Y\" with per-turn");
    }
    let letters = [("A", b'A'), ("B", b'B'), ("C", b'C'), ("X", b'X'), ("Y", b'Y')];
    let letter = section.choice("axis", &letters);
    let along = section.choice("along", &[("X", b'X'), ("Y", b'Y')]);
    let per_turn = per_turn(&section, letter);
    let roller = section.positive::<Length>("roller").map(|length| length.0);
    let reversed = section.flag("reversed").unwrap_or(false);
    let reach = section.point("reach", parse::<Length>).map(|r| (r.x, r.y));
    if reach.is_some_and(|(low, high)| low < 0.0 || high <= low) {
        let span = section.span_of("reach");
        section.out_of_range("reach", span, &section.written("reach"), "from zero or more upwards");
    }
    let default = if dialect == Dialect::Ngc { FeedMode::InverseTime } else { FeedMode::WorkedOut };
    let modes = [("inverse-time", FeedMode::InverseTime), ("per-minute", FeedMode::WorkedOut)];
    let feed = section.choice("feed", &modes);
    if feed == Some(FeedMode::InverseTime) && dialect == Dialect::Reprap {
        section.contradicts(
            "feed",
            "the reprap dialect has no inverse-time feed (G93)",
            "set feed = \"per-minute\"",
        );
    }
    let letter = letter?;
    let along_default = if letter == b'X' || letter == b'B' { b'Y' } else { b'X' };
    let along = along.unwrap_or(along_default);
    if along == letter {
        section.contradicts(
            "along",
            &format!(
                "the rotary stands in for {0}, so {0} cannot run along the object",
                letter as char
            ),
            "name the other axis",
        );
    }
    let axis = match letter {
        b'X' => Some(axes.x),
        b'Y' => Some(axes.y),
        turning => axes.turning[usize::from(turning - b'A')],
    };
    if axis.is_none() {
        let name = (letter as char).to_ascii_lowercase();
        let message =
            format!("the rotary is axis {}, and there is no [axis.{name}]", letter as char);
        let help = format!(
            "add [axis.{name}] with top-speed = \"180 deg/s\" and acceleration = \"900 deg/s2\""
        );
        section.report(Problem::error(Code::MissingKey, message, help), section.span_of("axis"));
    }
    section.finish();
    Some(Rotary {
        letter,
        along,
        per_turn: per_turn?,
        roller,
        reversed,
        axis: axis?,
        reach,
        feed: feed.unwrap_or(default),
    })
}

/// Millimetres per turn, as measured or from the motor's steps.
fn per_turn(section: &Section<'_, '_>, letter: Option<u8>) -> Option<Option<f64>> {
    let stands_in = matches!(letter, Some(b'X' | b'Y'));
    let measured = section.positive::<Length>("per-turn").map(|length| length.0);
    let of_turn = section.number("steps-per-turn");
    let of_mm = section.number("steps-per-mm");
    for (key, steps) in [("steps-per-turn", of_turn), ("steps-per-mm", of_mm)] {
        if steps.is_some_and(|n| !(1e-3..=1e9).contains(&n)) {
            section.out_of_range(key, section.span_of(key), &section.written(key), "above zero");
            return None;
        }
    }
    let by_steps = match (of_turn, of_mm) {
        (Some(turn), Some(mm)) => Some(turn / mm),
        (None, None) => None,
        (one, _) => {
            let key = if one.is_some() { "steps-per-mm" } else { "steps-per-turn" };
            section.missing(key, &format!("{key}, or measure per-turn instead of both"));
            return None;
        }
    };
    if measured.is_some() && by_steps.is_some() {
        section.contradicts(
            "per-turn",
            "per-turn is given twice, as a length and by steps",
            "keep one of them",
        );
    }
    let known = measured.or(by_steps);
    if stands_in && known.is_none() && !section.has("per-turn") {
        section.missing("per-turn", "per-turn = \"80 mm\", what the axis is told for one turn");
        return None;
    }
    if !stands_in && known.is_some() {
        section.contradicts(
            if measured.is_some() { "per-turn" } else { "steps-per-turn" },
            "a turning axis is told degrees, so it has no length of a turn",
            "take it out, or name the axis that the rotary stands in for",
        );
        return None;
    }
    Some(known)
}
