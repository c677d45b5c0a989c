//! Stock of any outline: nothing is burnt beside it.

use super::{SLACK, refusal};
use crate::plan::Planned;
use crate::segment::Act;
use std::collections::BTreeMap;
use tinkite_base::geometry::inside::Inside;
use tinkite_base::geometry::{Point, region};
use tinkite_base::problem::{Code, Problem, Problems, count, few};
use tinkite_base::quantity::plain;
use tinkite_machine::source::Level;

/// Arcs are held as chords this near to them, mm.
const FINE: f64 = 0.0005;

/// Places that are marked in a picture.
const MOST_SPOTS: usize = 200;

/// Holds every lit segment (from the program's zero) against the outline (mm in the job's field).
pub(super) fn hold(planned: &Planned, outline: &Inside, problems: &mut Problems) {
    let job = planned.job();
    let segments = planned.segments();
    let field = job.field();
    let area = Inside::new(region::grow(outline.rings(), SLACK + FINE, FINE));
    let mut spots: Vec<Point> = Vec::new();
    let mut each: BTreeMap<usize, usize> = BTreeMap::new();
    // Where the head stands, and whether what is burnt there lies beside the stock already.
    let mut stands = None;
    let mut beside = false;
    let mut found = |step: usize, left: Option<Point>| {
        if let (Some(left), false) = (left, beside) {
            *each.entry(step).or_default() += 1;
            if spots.len() < MOST_SPOTS {
                spots.push(left);
            }
        }
        beside = left.is_some();
    };
    let walked = segments.walk(|segment| {
        match segment.act {
            Act::Move(way) => {
                let (from, piece) = segments.piece(&way);
                let (from, piece) = (from + field.zero, piece.shifted(field.zero));
                let lit = way.level != Level::DARK;
                let left = if lit { area.left_at(from, &piece, FINE) } else { None };
                found(segment.of.step, left);
                stands = Some(piece.end());
            }
            Act::Dwell(_, level) if level != Level::DARK => {
                let at = stands.unwrap_or(field.zero.to_point());
                found(segment.of.step, (!area.holds(at)).then_some(at));
            }
            _ => {}
        }
        Ok::<(), Problem>(())
    });
    if let Err(problem) = walked {
        problems.push(problem);
    }
    let Some(first) = spots.first() else { return };
    let at = field.pointing.to_machine(*first - field.zero.to_point());
    let names: Vec<String> =
        each.keys().map(|step| format!("\"{}\"", job.steps[*step].name)).collect();
    let message = format!(
        "the job leaves the stock's outline in {}, first at X {} Y {} mm (steps {})",
        count(each.values().sum(), "place"),
        plain(at.x, 2),
        plain(at.y, 2),
        few(&names, 6)
    );
    let help = "move it, or lay it with pack in [place]; draw shows where the stock lies";
    problems.push(refusal(job, Code::OffStock, &message, help).seen_at(spots).naming(names));
}
