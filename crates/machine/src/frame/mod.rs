//! The frame: from the plane of a job to the words that the controller is told.
//!
//! Flat or rotary is decided here and nowhere else. A point of the plane, mm from the program's
//! zero, becomes two positions: those of the axes that carry it.

mod field;
mod round;
mod surface;

pub use field::Field;
pub use round::{Hold, Keep, Round};
pub use surface::Surface;

use crate::{Axis, FeedMode, Machine, Pointing, Rotary};
use tinkite_base::geometry::{Piece, Point, Rect, Vec2};
use tinkite_base::quantity::{LengthUnit, plain};

/// How the surface of a round object becomes words.
#[derive(Debug, Clone, PartialEq)]
struct Turning {
    surface: Surface,
    /// What the rotary's axis is told for one radian of the object.
    per_radian: f64,
    /// What it reads when the top of the object is under the beam.
    top: f64,
    rule: FeedMode,
    /// Whether feeds on mixed moves count the linear axis alone (RS-274/NGC, section 3.5.1).
    linear_only: bool,
}

/// What the program's two axes are and how the plane becomes their positions.
#[derive(Debug, Clone, PartialEq)]
pub struct Frame {
    /// The letters of its words: the first and the second.
    letters: [u8; 2],
    pointing: Pointing,
    axes: [Axis; 2],
    turning: Option<Turning>,
    arcs: bool,
    tolerance: f64,
}

impl Frame {
    /// The frame of a job in `field` on `machine`, with `round` in its rotary; drawn curves are kept within
    /// `tolerance` mm.
    #[must_use]
    pub fn new(machine: &Machine, field: &Field, round: Option<&Round>, tolerance: f64) -> Self {
        match (round, &machine.rotary) {
            (Some(round), Some(device)) => {
                Self { tolerance, ..Self::on_rotary(machine, field, round, device) }
            }
            _ => Self { arcs: machine.text.arcs, tolerance, ..Self::flat(machine) },
        }
    }

    /// The frame of a machine's flat bed.
    #[must_use]
    pub fn flat(machine: &Machine) -> Self {
        Self {
            letters: [b'X', b'Y'],
            pointing: machine.pointing,
            axes: [machine.x, machine.y],
            turning: None,
            arcs: true,
            tolerance: 0.01,
        }
    }

    fn on_rotary(machine: &Machine, field: &Field, round: &Round, device: &Rotary) -> Self {
        let along = if device.along == b'Y' { machine.y } else { machine.x };
        let driven = match round.hold {
            Hold::Chuck => 1.0,
            // The surfaces run together: one turn of the object is so many of the roller.
            Hold::Rollers => round.diameter() / device.roller.unwrap_or(round.diameter()),
        };
        let sign = if device.reversed { -1.0 } else { 1.0 };
        let turning = Turning {
            surface: Surface::new(round, field),
            per_radian: sign * driven * device.turn() / std::f64::consts::TAU,
            // As the axis says it, whichever way it turns and whatever it drives.
            top: round.top * device.turn() / std::f64::consts::TAU,
            rule: device.feed,
            linear_only: machine.dialect == crate::Dialect::Ngc && device.per_turn.is_none(),
        };
        Self {
            letters: [device.along, device.letter],
            pointing: field.pointing,
            axes: [along, device.axis],
            turning: Some(turning),
            arcs: false,
            tolerance: 0.01,
        }
    }

    /// The letters of the two positions.
    #[must_use]
    pub fn letters(&self) -> [u8; 2] {
        self.letters
    }

    /// The positions of the axes at a point of the plane: mm, or degrees.
    #[must_use]
    pub fn words(&self, p: Point) -> [f64; 2] {
        let Some(turning) = &self.turning else {
            let at = self.pointing.to_machine(p.to_vec2());
            return [at.x, at.y];
        };
        let (along, angle) = turning.surface.place(p);
        let along = if self.pointing.x_reversed { -along } else { along };
        [along, turning.top + angle * turning.per_radian]
    }

    /// The point of the plane at which the axes stand so.
    #[must_use]
    pub fn point(&self, [a, b]: [f64; 2]) -> Point {
        let Some(turning) = &self.turning else {
            return self.pointing.to_plane(Vec2::new(a, b)).to_point();
        };
        let along = if self.pointing.x_reversed { -a } else { a };
        turning.surface.point(along, (b - turning.top) / turning.per_radian)
    }

    /// Whether arcs may be written as arcs.
    #[must_use]
    pub fn keeps_arcs(&self) -> bool {
        self.arcs
    }

    /// Whether an arc to the left of the plane is one to the right for the controller.
    #[must_use]
    pub fn mirrors(&self) -> bool {
        self.pointing.mirrors()
    }

    /// The round surface, where the job is turned.
    #[must_use]
    pub fn surface(&self) -> Option<&Surface> {
        self.turning.as_ref().map(|turning| &turning.surface)
    }

    /// What its axes can do, in the order of their letters.
    #[must_use]
    pub fn axes(&self) -> &[Axis; 2] {
        &self.axes
    }

    /// How long a piece really is on the stock, mm.
    #[must_use]
    pub fn length(&self, from: Point, piece: &Piece) -> f64 {
        match &self.turning {
            Some(turning) if !turning.surface.is_even() => turning.surface.way(from, piece.end()),
            _ => piece.length(from),
        }
    }

    /// The highest speed (mm/s) and acceleration (mm/s²) on the stock in a direction of the plane,
    /// at the program's zero.
    #[must_use]
    pub fn limits(&self, direction: Vec2) -> (f64, f64) {
        self.limits_at(Point::ZERO, direction)
    }

    /// The same at a point of the plane: round a thin place the surface is slower.
    #[must_use]
    pub fn limits_at(&self, at: Point, direction: Vec2) -> (f64, f64) {
        let (a, b) = (self.words(at), self.words(at + direction));
        let limit = |of: fn(&Axis) -> f64| {
            (0..2)
                .map(|n| of(&self.axes[n]) / (b[n] - a[n]).abs().max(1e-12))
                .fold(f64::INFINITY, f64::min)
        };
        (limit(|axis| axis.top_speed), limit(|axis| axis.acceleration))
    }

    /// How the feed of a move is written.
    #[must_use]
    pub fn feed_mode(&self) -> FeedMode {
        self.turning.as_ref().map_or(FeedMode::WorkedOut, |turning| turning.rule)
    }

    /// The F word of a move between two points at a speed on the stock, mm/s: mm/min on a flat bed;
    /// else by the controller's own rule, or in turns of the move per minute.
    #[must_use]
    pub fn feed(&self, from: Point, to: Point, speed: f64) -> f64 {
        let Some(turning) = &self.turning else { return speed * 60.0 };
        let (a, b) = (self.words(from), self.words(to));
        let seconds = (turning.surface.way(from, to) / speed).max(1e-9);
        let (along, around) = ((b[0] - a[0]).abs(), (b[1] - a[1]).abs());
        let counted = match turning.rule {
            FeedMode::InverseTime => 1.0,
            FeedMode::WorkedOut if turning.linear_only && along > 0.0 => along,
            FeedMode::WorkedOut => along.hypot(around),
        };
        60.0 * counted / seconds
    }

    /// How fast the controller runs a straight move between two positions whose F word says
    /// `feed`, in its own lengths per second; `length` is that of the move.
    #[must_use]
    pub fn speed(
        &self,
        from: [f64; 2],
        to: [f64; 2],
        length: impl FnOnce() -> f64,
        feed: f64,
    ) -> f64 {
        let Some(turning) = &self.turning else { return feed / 60.0 };
        let along = (to[0] - from[0]).abs();
        match turning.rule {
            FeedMode::InverseTime => length() * feed / 60.0,
            FeedMode::WorkedOut if turning.linear_only && along > 0.0 => {
                length() / along * feed / 60.0
            }
            FeedMode::WorkedOut => feed / 60.0,
        }
    }

    /// Cuts a piece so that each part is a line that the controller can follow, and that strays
    /// from the piece by no more than the job's tolerance; what it can follow anyway stays whole.
    ///
    /// # Errors
    /// Whatever `each` returns. It gets where on the piece each part ends, from 0 to 1.
    pub fn parts<E>(
        &self,
        from: Point,
        piece: &Piece,
        mut each: impl FnMut(f64) -> Result<(), E>,
    ) -> Result<(), E> {
        let chords = match piece {
            Piece::Arc { centre, sweep, .. } if !self.arcs => {
                let radius = from.distance(*centre).max(1e-9);
                let cosine = (1.0 - self.tolerance / 2.0 / radius).clamp(-1.0, 1.0);
                (sweep.abs() / (2.0 * cosine.acos()).max(1e-3)).ceil().clamp(1.0, 100_000.0)
            }
            _ => 1.0,
        };
        let bent = self.surface().filter(|surface| !surface.is_even());
        let Some(surface) = bent else {
            return (1..=chords as usize).try_for_each(|n| each(n as f64 / chords));
        };
        let at = |t: f64| piece.point_at(from, t);
        let mut ends: Vec<f64> = (1..=chords as usize).map(|n| n as f64 / chords).collect();
        // Where the slope of the object changes a part ends.
        let mut breaks = Vec::new();
        let mut begin = 0.0;
        for end in &ends {
            let (a, b) = (at(begin).x, at(*end).x);
            let crossed = surface.breaks().map(|x| (x - a) / (b - a));
            let inside = crossed.filter(|t| (1e-6..1.0 - 1e-6).contains(t));
            breaks.extend(inside.map(|t| begin + (end - begin) * t));
            begin = *end;
        }
        ends.extend(breaks);
        ends.sort_by(f64::total_cmp);
        let mut low = 0.0;
        for end in ends {
            // How often a part must be halved follows from how far its middle strays.
            let mut open = vec![end];
            while let Some(high) = open.pop() {
                if high - low > 1e-6
                    && self.strays(at(low), at(high), &|t| at(low + (high - low) * t))
                    && open.len() < 24
                {
                    open.extend([high, f64::midpoint(low, high)]);
                    continue;
                }
                each(high)?;
                low = high;
            }
        }
        Ok(())
    }

    /// Whether turning evenly from one point to another leaves the wanted way between them.
    fn strays(&self, from: Point, to: Point, wanted: &impl Fn(f64) -> Point) -> bool {
        let (a, b) = (self.words(from), self.words(to));
        [0.25, 0.5, 0.75].into_iter().any(|t| {
            let really = self.point([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]);
            // Along the way it may be early or late; only beside it counts, and this is more.
            really.distance(wanted(t)) > self.tolerance / 2.0
        })
    }

    /// The positions of the axes over a rectangle of the plane, in words: `X 0 to 12 mm, A -90 to 90
    /// deg`.
    #[must_use]
    pub fn span(&self, plane: Rect, places: usize, unit: LengthUnit) -> String {
        let r = self.rect(plane);
        let [a, b] = self.letters.map(|letter| letter as char);
        let n = |v: f64| unit.number(v, places);
        let x = format!("{a} {} to {}", n(r.x0), n(r.x1));
        if matches!(b, 'A' | 'B' | 'C') {
            let (least, most) = (plain(r.y0, places), plain(r.y1, places));
            format!("{x} {}, {b} {least} to {most} deg", unit.symbol())
        } else {
            format!("{x}, {b} {} to {} {}", n(r.y0), n(r.y1), unit.symbol())
        }
    }

    /// The rectangle round the positions of a rectangle of the plane.
    #[must_use]
    pub fn rect(&self, plane: Rect) -> Rect {
        let corner = |x, y| {
            let [a, b] = self.words(Point::new(x, y));
            Point::new(a, b)
        };
        let (first, last) = (corner(plane.x0, plane.y0), corner(plane.x1, plane.y1));
        let other = Rect::from_points(corner(plane.x0, plane.y1), corner(plane.x1, plane.y0));
        Rect::from_points(first, last).union(other)
    }
}
