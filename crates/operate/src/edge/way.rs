//! The way of the head round a job: on the bed, or on what the rotary turns.

use super::led::{self, Coordinates, Led, Light};
use crate::head::counts::counts_from;
use crate::head::moves::moves;
use crate::place::{beside, on_bed};
use tinkite_core::frame::Frame;
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::job::Zero;
use tinkite_core::machine::Dialect;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_wire::Connected;

/// What the job lies on.
pub enum Ground {
    /// The bed.
    Bed,
    /// What the rotary turns.
    Round(Frame),
}

/// A way whose every place was held against the bed.
pub struct EdgePath {
    machine: Machine,
    led: Vec<Led>,
    coordinates: Coordinates,
    shape: Shape,
    back: Vec<String>,
}

/// What the way goes round.
enum Shape {
    /// mm from the front left corner of the bed.
    Flat(Rect),
    /// From and to along the object, mm on the bed, and how far round it, mm.
    Round([f64; 2], f64),
}

impl EdgePath {
    /// The way along lines of a job, mm from its program's zero.
    ///
    /// # Errors
    /// What would leave the bed, and a controller that does not tell where it counts from.
    pub fn new(
        machine: &Machine,
        connected: &Connected,
        ground: &Ground,
        zero: Zero,
        lines: &[Vec<Point>],
        speed: Option<f64>,
    ) -> Result<Self, Refusal> {
        match ground {
            Ground::Bed => Self::flat(machine, connected, zero, lines, speed),
            Ground::Round(frame) => Self::round(machine, connected, frame, zero, lines, speed),
        }
    }

    fn flat(
        machine: &Machine,
        connected: &Connected,
        zero: Zero,
        lines: &[Vec<Point>],
        speed: Option<f64>,
    ) -> Result<Self, Refusal> {
        let (begin, from) = counts_from(machine, connected, zero)?;
        let lines: Vec<Vec<Point>> = lines
            .iter()
            .map(|line| line.iter().map(|point| begin + point.to_vec2()).collect())
            .collect();
        let all = || lines.iter().flatten().copied();
        let shape = bounds(all());
        refuse_beside(machine, shape)?;
        Ok(Self {
            machine: machine.clone(),
            led: lines.iter().map(|line| led::flat(machine, line, speed)).collect(),
            coordinates: Coordinates::Machine,
            shape: Shape::Flat(shape),
            back: moves(machine, &[from], speed),
        })
    }

    fn round(
        machine: &Machine,
        connected: &Connected,
        frame: &Frame,
        zero: Zero,
        lines: &[Vec<Point>],
        speed: Option<f64>,
    ) -> Result<Self, Refusal> {
        if machine.dialect == Dialect::Reprap {
            return Err(Refusal::Usage(
                "a board of this dialect does not tell where its axes are: it is not led round a job on the rotary; nothing was sent"
                    .into(),
            ));
        }
        let untold = || {
            Refusal::Link(
                "this controller does not tell where its axes are: nothing was sent".into(),
            )
        };
        let at = connected.position.ok_or_else(untold)?;
        let (letters, number) = (frame.letters(), usize::from(frame.letters()[0] == b'Y'));
        // The second axis is one that turns, or a linear one that stands in for it.
        let turned = match letters[1] {
            b'X' => at[0],
            b'Y' => at[1],
            _ => connected.turn.ok_or_else(untold)?,
        };
        let here = [at[number], turned];
        // A program counts from the zero that is in force, which need not be told for an axis that turns.
        let (coordinates, base, offset) = match zero {
            Zero::Head => (Coordinates::Machine, here, here[0]),
            Zero::Stock | Zero::Bed => {
                let offset = connected.work_offset(Some("G54")).ok_or_else(untold)?;
                if zero == Zero::Bed {
                    counts_from(machine, connected, zero)?;
                }
                (Coordinates::Program, [0.0; 2], offset[number])
            }
        };
        let along = |point: &Point| {
            let mut place = [at[0], at[1]];
            place[number] = frame.words(*point)[0] + offset;
            on_bed(machine, Point::new(place[0], place[1]))
        };
        let places = bounds(lines.iter().flatten().map(along));
        refuse_beside(machine, places)?;
        let ends = if letters[0] == b'Y' { [places.y0, places.y1] } else { [places.x0, places.x1] };
        if let Some((low, high)) = machine.rotary.and_then(|rotary| rotary.reach) {
            let beyond = [low - ends[0], ends[1] - high].into_iter().fold(0.0, f64::max);
            if beyond > 0.01 {
                return Err(Refusal::Usage(format!(
                    "from there the job would leave the reach of the rotary ({} to {} mm along it) by {} mm: nothing was sent",
                    plain(low, 2),
                    plain(high, 2),
                    plain(beyond, 2)
                )));
            }
        }
        let plane = bounds(lines.iter().flatten().copied());
        let names = letters.map(char::from);
        let feed = plain(60.0 * machine.slower_top_speed().min(100.0), 1);
        let back = format!(
            "$J=G90G21G53{}{}{}{}F{feed}",
            names[0],
            plain(here[0], 3),
            names[1],
            plain(here[1], 3)
        );
        Ok(Self {
            machine: machine.clone(),
            led: lines.iter().map(|line| led::round(machine, frame, base, line, speed)).collect(),
            coordinates,
            shape: Shape::Round(ends, plane.height()),
            back: vec![back],
        })
    }

    /// How long one round takes, s, with nothing for corners and for the ways between lines.
    pub fn seconds(&self) -> f64 {
        self.led.iter().map(led::seconds).sum()
    }

    /// The lines that lead the head, so many times.
    pub fn lines(&self, times: u32, light: Light) -> Vec<String> {
        led::lines(&self.machine, &self.led, times, self.coordinates, light)
    }

    /// The lines that bring it back to where it stood.
    pub fn back(&self) -> Vec<String> {
        self.back.clone()
    }

    /// How many places the head comes to in one round.
    pub fn places(&self) -> usize {
        self.led.iter().map(Vec::len).sum()
    }

    /// What it goes round, mm from the front left corner of the bed.
    pub fn on_bed(&self) -> Option<Rect> {
        if let Shape::Flat(bounds) = self.shape { Some(bounds) } else { None }
    }

    /// From where to where it goes along what the rotary turns, mm on the bed.
    pub fn along(&self) -> Option<[f64; 2]> {
        if let Shape::Round(ends, _) = self.shape { Some(ends) } else { None }
    }

    /// What it goes round, in words.
    pub fn words(&self) -> String {
        match self.shape {
            Shape::Flat(bounds) => format!(
                "{} x {} mm, from {} mm from the left and {} mm from the front of the bed",
                plain(bounds.width(), 2),
                plain(bounds.height(), 2),
                plain(bounds.x0, 2),
                plain(bounds.y0, 2)
            ),
            Shape::Round([from, to], height) => format!(
                "{} mm along what the rotary turns, from {} to {} mm on the bed, and {} mm round it",
                plain(to - from, 2),
                plain(from, 2),
                plain(to, 2),
                plain(height, 2)
            ),
        }
    }
}

/// The corners that lie beside the bed, told once with the farthest on each side.
fn refuse_beside(machine: &Machine, round: Rect) -> Result<(), Refusal> {
    let ends = [Point::new(round.x0, round.y0), Point::new(round.x1, round.y1)];
    let told: Vec<String> = ends.into_iter().filter_map(|end| beside(machine, end)).collect();
    if told.is_empty() {
        return Ok(());
    }
    Err(Refusal::Usage(format!(
        "from there the job would leave the bed, {}: nothing was sent",
        told.join(" and ")
    )))
}

fn bounds(points: impl Iterator<Item = Point>) -> Rect {
    points
        .map(|point| Rect::from_points(point, point))
        .reduce(|bounds, point| bounds.union(point))
        .unwrap_or_default()
}
