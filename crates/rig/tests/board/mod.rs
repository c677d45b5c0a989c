//! How long a board of the public `grbl` interface (1.1) takes for a program, written from its public
//! description and sharing nothing with the planner or the rig: it knows text and numbers only.
//!
//! Arcs become chords, corners follow junction deviation with the acceleration that the axes have in
//! the direction of the corner, and whenever a move begins the whole queue is planned anew so that
//! the head can stop at the end of it.

use std::collections::BTreeMap;

/// What a board is set to. Lengths in mm, seconds.
pub(crate) struct Board {
    /// `$110` to `$112`, a second.
    pub(crate) top: [f64; 3],
    /// `$120` to `$122`.
    pub(crate) acceleration: [f64; 3],
    /// `$11`.
    pub(crate) deviation: f64,
    /// `$12`.
    pub(crate) arc: f64,
    /// Moves in the queue, the one that runs among them.
    pub(crate) places: usize,
}

#[derive(Clone, Copy)]
struct Move {
    unit: [f64; 3],
    length: f64,
    nominal: f64,
    acceleration: f64,
    /// Squared speed that the corner before it allows.
    corner: f64,
}

impl Board {
    /// Most of `of` in a direction, where each axis has its own.
    fn along(of: &[f64; 3], unit: [f64; 3]) -> f64 {
        let each = (0..3).filter(|n| unit[*n] != 0.0).map(|n| of[n] / unit[n].abs());
        each.fold(f64::INFINITY, f64::min)
    }

    fn corner(&self, before: &Move, after: &Move) -> f64 {
        let cos: f64 = -(0..3).map(|n| before.unit[n] * after.unit[n]).sum::<f64>();
        let nominal = before.nominal.min(after.nominal).powi(2);
        if cos > 0.999_999 {
            return 0.0;
        }
        if cos < -0.999_999 {
            return nominal;
        }
        let turn = [0, 1, 2].map(|n| after.unit[n] - before.unit[n]);
        let size = turn.iter().map(|c| c * c).sum::<f64>().sqrt();
        let acceleration = Self::along(&self.acceleration, turn.map(|c| c / size));
        let sin = (0.5 * (1.0 - cos)).sqrt();
        nominal.min(acceleration * self.deviation * sin / (1.0 - sin))
    }

    /// How long moves without a halt between them take.
    fn run(&self, moves: &[Move]) -> f64 {
        let (mut entry, mut seconds) = (0.0_f64, 0.0);
        for (at, now) in moves.iter().enumerate() {
            // Backwards from a stop at the end of the queue to the end of this move.
            let mut exit = 0.0_f64;
            let end = moves.len().min(at + self.places);
            for next in moves[at + 1..end].iter().rev() {
                exit = next.corner.min(exit + 2.0 * next.acceleration * next.length);
            }
            let (a, top) = (now.acceleration, now.nominal.powi(2));
            let exit = exit.min(entry + 2.0 * a * now.length).min(top);
            let peak = top.min((entry + exit) / 2.0 + a * now.length);
            let ramps = (2.0 * peak - entry - exit) / (2.0 * a);
            let changes = (2.0 * peak.sqrt() - entry.sqrt() - exit.sqrt()) / a;
            seconds += changes + (now.length - ramps).max(0.0) / peak.sqrt();
            entry = exit;
        }
        seconds
    }

    /// How long a program takes, from its first line to standstill.
    pub(crate) fn seconds(&self, program: &str) -> f64 {
        let mut seconds = 0.0;
        let mut queue: Vec<Move> = Vec::new();
        let mut at = [0.0_f64; 3];
        let (mut motion, mut feed) = (0, 0.0);
        // Modal words that a board waits for when they change: it stands before it takes them.
        let mut held: BTreeMap<&str, i64> = BTreeMap::new();
        for line in program.lines() {
            let words = words(line);
            let value = |letter: char| words.iter().rev().find(|w| w.0 == letter).map(|w| w.1);
            let whole =
                |letter: char| words.iter().filter(move |w| w.0 == letter).map(|w| w.1 as i64);
            for code in whole('M') {
                let group = match code {
                    3..=5 => "beam",
                    7..=9 => "air",
                    _ => "flow",
                };
                if held.insert(group, code) != Some(code) {
                    seconds += self.run(&std::mem::take(&mut queue));
                }
            }
            if whole('G').any(|code| code == 4) {
                seconds += self.run(&std::mem::take(&mut queue)) + value('P').unwrap();
                continue;
            }
            motion = whole('G').find(|code| (0..=3).contains(code)).unwrap_or(motion);
            feed = value('F').map_or(feed, |f| f / 60.0);
            let mut to = at;
            for (n, letter) in ['X', 'Y', 'Z'].into_iter().enumerate() {
                to[n] = value(letter).unwrap_or(at[n]);
            }
            if to == at && motion < 2 || !words.iter().any(|w| "XYZIJ".contains(w.0)) {
                continue;
            }
            let asked = if motion == 0 { f64::INFINITY } else { feed };
            let offset = [value('I').unwrap_or(0.0), value('J').unwrap_or(0.0)];
            for point in self.points(at, to, motion, offset) {
                let way = [0, 1, 2].map(|n| point[n] - at[n]);
                let length = way.iter().map(|c| c * c).sum::<f64>().sqrt();
                if length == 0.0 {
                    continue;
                }
                let unit = way.map(|c| c / length);
                let nominal = asked.min(Self::along(&self.top, unit));
                let acceleration = Self::along(&self.acceleration, unit);
                let mut new = Move { unit, length, nominal, acceleration, corner: 0.0 };
                new.corner = queue.last().map_or(0.0, |before| self.corner(before, &new));
                queue.push(new);
                at = point;
            }
        }
        seconds + self.run(&queue)
    }

    /// The ends of the straight moves of a line or an arc.
    fn points(&self, from: [f64; 3], to: [f64; 3], motion: i64, offset: [f64; 2]) -> Vec<[f64; 3]> {
        if motion < 2 {
            return vec![to];
        }
        let centre = [from[0] + offset[0], from[1] + offset[1]];
        let (r0, r1) = (offset.map(|c| -c), [to[0] - centre[0], to[1] - centre[1]]);
        let radius = r0[0].hypot(r0[1]);
        let mut turn = (r0[0] * r1[1] - r0[1] * r1[0]).atan2(r0[0] * r1[0] + r0[1] * r1[1]);
        let full = std::f64::consts::TAU;
        if motion == 2 && turn >= -5e-7 {
            turn -= full;
        } else if motion == 3 && turn <= 5e-7 {
            turn += full;
        }
        let chord = (self.arc * (2.0 * radius - self.arc)).sqrt();
        let count = (0.5 * turn * radius).abs() / chord;
        let count = count.floor().max(1.0) as usize;
        let mut points: Vec<[f64; 3]> = (1..count)
            .map(|n| {
                let (sin, cos) = (turn * n as f64 / count as f64).sin_cos();
                [
                    centre[0] + r0[0] * cos - r0[1] * sin,
                    centre[1] + r0[0] * sin + r0[1] * cos,
                    from[2],
                ]
            })
            .collect();
        points.push(to);
        points
    }
}

/// Letters and numbers of a line; comments are left out.
fn words(line: &str) -> Vec<(char, f64)> {
    let mut words = Vec::new();
    let mut rest = line.split([';', '(']).next().unwrap_or("");
    while let Some(at) = rest.find(|c: char| c.is_ascii_uppercase()) {
        let number = &rest[at + 1..];
        let end = number.find(|c: char| !"+-.0123456789".contains(c)).unwrap_or(number.len());
        words.push((rest[at..].chars().next().unwrap(), number[..end].parse().unwrap()));
        rest = &number[end..];
    }
    words
}
