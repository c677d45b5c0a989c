//! What the beam burnt, held against what the program says: each stretch once.

use super::program::{Drawn, Path};
use tinkite_core::program::Place;
use tinkite_rig::Record;
use tinkite_run::{Choice, Walk};

/// Stretches may be twice or left out by this much where the place was certain, mm.
const WITHIN: f64 = 0.02;
/// A mark may lie beside its path by this much, mm: chords of arcs and rounding.
const BESIDE: f64 = 0.03;

/// Where the operator took the risk: straight pieces.
#[derive(Debug, Default)]
pub(super) struct Allowed {
    twice: Vec<([f64; 2], [f64; 2])>,
    missing: Vec<([f64; 2], [f64; 2])>,
}

impl Allowed {
    /// The stretch between two places of a program, by what was chosen.
    pub(super) fn add(
        &mut self,
        walk: &Walk,
        program: &str,
        from: Place,
        to: Place,
        choice: Choice,
    ) {
        let list = match choice {
            Choice::LastSeen => &mut self.twice,
            Choice::LastSent => &mut self.missing,
        };
        // What is streamed is text in memory.
        let _ = walk.parts(program.as_bytes(), from, to, |way, [_, (a, b), _]| {
            let parts = 40;
            let zero = walk.began.offset;
            let at = |n: u32| {
                let at = way.at(a + (b - a) * f64::from(n) / f64::from(parts));
                [at[0] - zero[0], at[1] - zero[1]]
            };
            if b > a {
                list.extend((0..parts).map(|n| (at(n), at(n + 1))));
            }
        });
    }
}

/// A program's paths, each with what was burnt of it.
pub(super) struct Truth<'d> {
    paths: Vec<Covered<'d>>,
}

struct Covered<'d> {
    path: &'d Path,
    /// mm from its start of each of its points.
    lengths: Vec<f64>,
    /// Burnt stretches, mm from its start.
    burnt: Vec<(f64, f64)>,
}

fn distance(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

impl<'d> Truth<'d> {
    pub(super) fn of(drawn: &'d Drawn) -> Self {
        let covered = |path: &'d Path| {
            let mut lengths = vec![0.0];
            for pair in path.points.windows(2) {
                lengths.push(lengths[lengths.len() - 1] + distance(pair[0], pair[1]));
            }
            Covered { path, lengths, burnt: Vec::new() }
        };
        Self { paths: drawn.paths.iter().map(covered).collect() }
    }

    /// Holds a record against the program.
    ///
    /// # Errors
    /// What is burnt elsewhere, with another power, twice, or not at all.
    pub(super) fn check(
        mut self,
        record: &Record,
        offset: [f64; 2],
        allowed: &Allowed,
    ) -> Result<(), String> {
        for mark in &record.marks {
            let [from, to] = [mark.from, mark.to].map(|p| [p[0] - offset[0], p[1] - offset[1]]);
            self.take(from, to, mark.s)?;
        }
        self.paths.iter_mut().try_for_each(|covered| covered.check(allowed))
    }

    /// Gives a mark to the path on which it lies: the one on which it lies best.
    fn take(&mut self, from: [f64; 2], to: [f64; 2], s: f64) -> Result<(), String> {
        let middle = [(from[0] + to[0]) / 2.0, (from[1] + to[1]) / 2.0];
        let mut best: Option<(usize, f64, f64, f64)> = None;
        for (n, covered) in self.paths.iter().enumerate() {
            let ((a, off_a), (b, off_b), (_, off_m)) =
                (covered.nearest(from), covered.nearest(to), covered.nearest(middle));
            let off = off_a.max(off_b).max(off_m);
            if best.is_none_or(|(_, _, _, least)| off < least - 1e-6) {
                best = Some((n, a.min(b), a.max(b), off));
            }
        }
        let Some((n, a, b, _)) = best.filter(|(.., off)| *off <= BESIDE) else {
            if distance(from, to) < WITHIN {
                return Ok(());
            }
            return Err(format!(
                "burnt where the program does not: from {from:.3?} to {to:.3?}, {:.3} mm from the nearest path",
                best.map_or(f64::NAN, |(.., off)| off)
            ));
        };
        let covered = &mut self.paths[n];
        if (covered.path.s - s).abs() > 0.5 && b - a > WITHIN {
            return Err(format!(
                "burnt with S{s} instead of S{}: {from:.3?} to {to:.3?}",
                covered.path.s
            ));
        }
        covered.burnt.push((a, b));
        Ok(())
    }
}

impl Covered<'_> {
    /// The place (mm from the start) nearest to a point, and how far away it is.
    fn nearest(&self, p: [f64; 2]) -> (f64, f64) {
        let mut best = (0.0, f64::INFINITY);
        for (n, pair) in self.path.points.windows(2).enumerate() {
            let [a, b] = [pair[0], pair[1]];
            let length = distance(a, b);
            let along = ((p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1]))
                / (length * length).max(1e-12);
            let share = along.clamp(0.0, 1.0);
            let at = [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share];
            let off = distance(at, p);
            if off < best.1 {
                best = (self.lengths[n] + length * share, off);
            }
        }
        best
    }

    fn at(&self, place: f64) -> [f64; 2] {
        let n =
            self.lengths.partition_point(|length| *length < place).clamp(1, self.lengths.len() - 1);
        let (low, high) = (self.lengths[n - 1], self.lengths[n]);
        let share = ((place - low) / (high - low).max(1e-12)).clamp(0.0, 1.0);
        let [a, b] = [self.path.points[n - 1], self.path.points[n]];
        [a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share]
    }

    /// Whether a stretch is covered by what was allowed, but for its ends.
    fn is_allowed(&self, (a, b): (f64, f64), list: &[([f64; 2], [f64; 2])]) -> bool {
        let near = |p: [f64; 2]| {
            list.iter().any(|(from, to)| {
                let length = distance(*from, *to);
                let share = ((p[0] - from[0]) * (to[0] - from[0])
                    + (p[1] - from[1]) * (to[1] - from[1]))
                    / (length * length).max(1e-12);
                let share = share.clamp(0.0, 1.0);
                let at = [from[0] + (to[0] - from[0]) * share, from[1] + (to[1] - from[1]) * share];
                distance(at, p) <= BESIDE + WITHIN
            })
        };
        let (a, b) = (a + WITHIN, b - WITHIN);
        (0..=20).all(|n| near(self.at(a + (b - a).max(0.0) * f64::from(n) / 20.0)))
    }

    fn check(&mut self, allowed: &Allowed) -> Result<(), String> {
        let whole = self.lengths[self.lengths.len() - 1];
        self.burnt.sort_by(|x, y| x.0.total_cmp(&y.0));
        let mut reached = 0.0_f64;
        let mut burnt = std::mem::take(&mut self.burnt);
        burnt.push((whole, whole));
        for (a, b) in burnt {
            if a - reached > WITHIN && !self.is_allowed((reached, a), &allowed.missing) {
                return Err(format!(
                    "left out: {:.3} mm from {:.3?} to {:.3?}",
                    a - reached,
                    self.at(reached),
                    self.at(a)
                ));
            }
            let twice = reached.min(b) - a;
            if twice > WITHIN && !self.is_allowed((a, reached.min(b)), &allowed.twice) {
                return Err(format!(
                    "burnt twice: {twice:.3} mm from {:.3?} to {:.3?}",
                    self.at(a),
                    self.at(reached.min(b))
                ));
            }
            reached = reached.max(b);
        }
        Ok(())
    }
}
