//! How large a drawing is made, and where it lies.

use super::Wishes;
use super::line::commented;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{BedSize, Code, Location, Problem, Problems, Remedy};
use tinkite_base::quantity::plain;
use tinkite_job::Zero;
use tinkite_machine::Machine;

/// Distance from the machine's zero corner at which a starter job lies, mm: room for run-up.
const MARGIN: f64 = 10.0;

/// What decided how large a drawing is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SizeBy {
    /// It is as it was drawn.
    Drawing,
    /// Somebody said it.
    Wish,
    /// It was too large for the bed.
    Bed,
}

/// A drawing's size, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct BegunSize {
    /// The file, as the job names it.
    pub file: String,
    /// Width and height as it was drawn.
    pub drawn: (f64, f64),
    /// Width and height as the job makes it.
    pub made: (f64, f64),
    /// What decided it.
    pub by: SizeBy,
}

/// How large a drawing is made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Made {
    /// Of its true size.
    pub(super) scale: f64,
    /// What decided it.
    pub(super) by: SizeBy,
}

/// The size that was wished for, the drawn one, or the largest that lies on the bed with room for run-up where that was
/// asked for or nobody chose the drawn one; `between` of its width keeps its size.
pub(super) fn made(
    own: Rect,
    between: f64,
    (wishes, unchosen): (&Wishes, bool),
    machine: &Machine,
) -> Made {
    let wished = wishes.width.map(|width| width / own.width());
    let wished = wished.or(wishes.height.map(|height| height / own.height()));
    if let Some(scale) = wished.filter(|scale| scale.is_finite() && *scale > 0.0) {
        return Made { scale, by: SizeBy::Wish };
    }
    let room = |bed: f64, size: f64| (bed - 2.0 * MARGIN) / size.max(1e-9);
    let across = room(machine.bed.width - between, own.width() - between);
    let scale = across.min(room(machine.bed.depth, own.height()));
    // A drawing of the bed's own size is meant to fill it.
    if is_within_bed(own, machine) || scale <= 0.0 || !(wishes.fit || unchosen) {
        Made { scale: 1.0, by: SizeBy::Drawing }
    } else {
        Made { scale, by: SizeBy::Bed }
    }
}

fn is_within_bed(own: Rect, machine: &Machine) -> bool {
    let bed = &machine.bed;
    own.width() <= bed.width + 2e-3 && own.height() <= bed.depth + 2e-3
}

/// What is told of drawings that are made smaller because of the bed, and of such as do not lie on it.
pub(super) fn sizes(sizes: &[BegunSize], whole: Rect, machine: &Machine, file: &str) -> Problems {
    let mut told = Problems::new();
    let size =
        |(width, height): (f64, f64)| format!("{} x {} mm", plain(width, 2), plain(height, 2));
    let bed = size((machine.bed.width, machine.bed.depth));
    let fitted: Vec<&BegunSize> = sizes.iter().filter(|one| one.by == SizeBy::Bed).collect();
    if let Some(first) = fitted.first() {
        let message = format!(
            "made {}, so that it lies on the bed ({bed}): {} as it was drawn",
            size(first.made),
            size(first.drawn)
        );
        let problem = Problem::warning(Code::ChangedSize, message, "say the size that you want")
            .with_remedy(Remedy::SizeOrPlace);
        told.push(problem.at(Location::file(&first.file)));
    } else if !is_within_bed(whole, machine) {
        let problem = too_large(whole, machine);
        told.push(problem.at(Location::file(file)));
    }
    told
}

/// A drawing that is kept at its size and does not lie on the bed.
fn too_large(whole: Rect, machine: &Machine) -> Problem {
    let bed = &machine.bed;
    let over = [("wide", whole.width() - bed.width), ("deep", whole.height() - bed.depth)];
    let over: Vec<String> = over
        .iter()
        .filter(|(_, by)| *by > 2e-3)
        .map(|(side, by)| format!("{} mm too {side}", plain(*by, 2)))
        .collect();
    let turned = whole.height() <= bed.width && whole.width() <= bed.depth;
    let message = format!(
        "{} x {} mm, as it was drawn, do not lie on the bed of {} x {} mm: {}",
        plain(whole.width(), 2),
        plain(whole.height(), 2),
        plain(bed.width, 2),
        plain(bed.depth, 2),
        over.join(", ")
    );
    let help = match turned {
        true => "turned by a quarter they do: turn = \"90 deg\" in [[artwork]]",
        false => "turned by a quarter they do not either; make it smaller, or take another machine",
    };
    Problem::warning(Code::NoRoom, message, help)
        .with_remedy(Remedy::LargerBed(BedSize::new(whole.width(), whole.height())))
}

/// Where the lower left corner lies that nobody has placed, mm from the front left corner of the bed: where a rotary
/// reaches as well, so that the job needs no other place when it is held in it.
fn usual(extents: Rect, machine: &Machine) -> Point {
    let margin = |room: f64, size: f64| ((room - size) / 2.0).clamp(0.0, MARGIN);
    let bed = &machine.bed;
    let mut at =
        Point::new(margin(bed.width, extents.width()), margin(bed.depth, extents.height()));
    let Some((rotary, (low, high))) = machine.rotary.and_then(|r| Some((r, r.reach?))) else {
        return at;
    };
    let across = (rotary.along == b'X') != machine.pointing.exchanged;
    let (along, size, room) = match across {
        true => (&mut at.x, extents.width(), bed.width),
        false => (&mut at.y, extents.height(), bed.depth),
    };
    let within = low + margin(high - low, size);
    if size <= high - low && within + size <= room {
        *along = along.max(within);
    }
    at
}

/// A job that would leave the bed is not begun.
pub(super) fn fits(extents: Rect, machine: &Machine, at: Option<Point>) -> Result<(), Problem> {
    let at = at.unwrap_or_else(|| usual(extents, machine));
    let end = at + Vec2::new(extents.width(), extents.height());
    let bed = &machine.bed;
    // Sizes are written in thousandths.
    let over = [-at.x, -at.y, end.x - bed.width, end.y - bed.depth].into_iter().fold(0.0, f64::max);
    if over <= 2e-3 {
        return Ok(());
    }
    let message = format!(
        "{} x {} mm from {} mm from the left and {} mm from the front would leave the bed by {} mm",
        plain(extents.width(), 2),
        plain(extents.height(), 2),
        plain(at.x, 2),
        plain(at.y, 2),
        plain(over, 2)
    );
    Err(Problem::error(Code::NoRoom, message, "make it smaller, or move it")
        .with_remedy(Remedy::SizeOrPlace))
}

pub(super) fn place(extents: Option<Rect>, machine: &Machine, wishes: &Wishes) -> String {
    let Some(extents) = extents else { return String::new() };
    let bed = &machine.bed;
    // Places in a job are on the machine's own axes. What counts from the stock or the head begins there.
    let (zero, at) = match wishes.zero {
        Zero::Bed => {
            let at = wishes.at.unwrap_or_else(|| usual(extents, machine));
            (None, Some(at.to_vec2() - bed.origin_offset()))
        }
        Zero::Stock => {
            (Some("where the operator sets it on the stock"), wishes.at.map(Point::to_vec2))
        }
        Zero::Head => (Some("where the head stands then"), wishes.at.map(Point::to_vec2)),
    };
    let (width, height) = (plain(extents.width(), 2), plain(extents.height(), 2));
    let corner = format!("the lower left corner of the drawing, {width} x {height} mm");
    let mut out = "\n[place]\n".to_string();
    // What lies at the zero itself needs no place.
    let at = at.filter(|at| zero.is_none() || at.hypot() > 0.0);
    if let Some(where_it_is) = zero {
        let zero = format!("zero = \"{}\"", wishes.zero.name());
        out += &match at {
            Some(_) => commented(&zero, where_it_is),
            None => commented(&zero, &format!("{where_it_is}: {corner}")),
        };
    }
    if let Some(at) = at {
        let at = machine.pointing.to_machine(at);
        let at = format!("at = [\"{} mm\", \"{} mm\"]", plain(at.x + 0.0, 3), plain(at.y + 0.0, 3));
        out += &commented(&at, &corner);
    }
    out
}
