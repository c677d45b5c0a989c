//! A program's text as moves, read by a reader of the tests' own.

use super::Bench;

/// One move.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Move {
    pub(crate) from: [f64; 2],
    pub(crate) to: [f64; 2],
    pub(crate) height: f64,
    /// S while it runs; 0 with the beam off.
    pub(crate) s: f64,
    /// mm/s; none for a rapid.
    pub(crate) speed: Option<f64>,
    /// Radius and signed sweep of an arc.
    pub(crate) arc: Option<(f64, f64)>,
}

impl Move {
    pub(crate) fn length(&self) -> f64 {
        match self.arc {
            Some((radius, sweep)) => radius * sweep.abs(),
            None => (self.to[0] - self.from[0]).hypot(self.to[1] - self.from[1]),
        }
    }
}

impl Move {
    /// Points all along it, from its start to its end, no further apart than this, mm.
    pub(crate) fn points(&self, apart: f64) -> Vec<[f64; 2]> {
        let many = (self.length() / apart).ceil() as u32 + 1;
        let point = |n: u32| {
            let share = f64::from(n) / f64::from(many);
            let chord = [self.to[0] - self.from[0], self.to[1] - self.from[1]];
            let Some((radius, sweep)) = self.arc else {
                return [self.from[0] + share * chord[0], self.from[1] + share * chord[1]];
            };
            // The centre lies beside the chord's middle, to the left of a turn to the left.
            let (length, half) = (chord[0].hypot(chord[1]), sweep / 2.0);
            let beside = radius * half.cos() * sweep.signum();
            let centre = [
                self.from[0] + chord[0] / 2.0 - chord[1] / length * beside,
                self.from[1] + chord[1] / 2.0 + chord[0] / length * beside,
            ];
            let begun = (self.from[1] - centre[1]).atan2(self.from[0] - centre[0]);
            let at = begun + share * sweep;
            [centre[0] + radius * at.cos(), centre[1] + radius * at.sin()]
        };
        (0..=many).map(point).collect()
    }
}

/// What a program does.
#[derive(Debug, Default)]
pub(crate) struct Program {
    pub(crate) text: String,
    pub(crate) moves: Vec<Move>,
    /// Where the head stands, for how long, with which S (0: in the dark).
    pub(crate) dwells: Vec<([f64; 2], f64, f64)>,
}

impl Program {
    pub(crate) fn of(text: &str) -> Self {
        let mut program = Self { text: text.to_string(), ..Self::default() };
        let (mut at, mut height, mut s, mut feed, mut motion) = ([0.0; 2], 0.0, 0.0, 0.0, 0);
        let mut lit = false;
        for line in text.lines() {
            let line = line.split(';').next().unwrap();
            let (mut to, mut i, mut j, mut p, mut moved) = (at, 0.0, 0.0, 0.0, false);
            let mut dwell = false;
            let words = line.replace(' ', "");
            let starts: Vec<usize> =
                words.char_indices().filter(|(_, c)| c.is_alphabetic()).map(|(n, _)| n).collect();
            for (n, start) in starts.iter().enumerate() {
                let end = starts.get(n + 1).copied().unwrap_or(words.len());
                let value: f64 = words[start + 1..end].parse().unwrap();
                match words.as_bytes()[*start] {
                    b'G' if value == 4.0 => dwell = true,
                    b'G' if value < 4.0 => motion = value as u8,
                    b'M' if value == 3.0 || value == 4.0 => lit = true,
                    b'M' if value == 5.0 || value == 2.0 => lit = false,
                    b'X' => (to[0], moved) = (value, true),
                    b'Y' => (to[1], moved) = (value, true),
                    b'Z' => height = value,
                    b'I' => i = value,
                    b'J' => j = value,
                    b'P' => p = value,
                    b'S' => s = value,
                    b'F' => feed = value / 60.0,
                    _ => {}
                }
            }
            let now = if lit { s } else { 0.0 };
            if dwell {
                program.dwells.push((at, p, now));
            } else if moved {
                let arc = (motion >= 2).then(|| arc(at, to, [i, j], motion == 2));
                let speed = (motion > 0).then_some(feed);
                assert!(motion > 0 || now == 0.0, "lit travel: {line}");
                program.moves.push(Move { from: at, to, height, s: now, speed, arc });
                at = to;
            }
        }
        assert!(!lit, "the beam is on at the end");
        program
    }

    /// The program that a job of the bench emits.
    pub(crate) fn emitted(bench: &Bench, job: &str) -> Self {
        Self::of(&bench.ok(&["emit", job, "-o", "-"]))
    }

    pub(crate) fn burns(&self) -> impl Iterator<Item = &Move> {
        self.moves.iter().filter(|m| m.s > 0.0)
    }

    /// Burnt length, mm.
    pub(crate) fn burnt(&self) -> f64 {
        self.burns().map(Move::length).sum()
    }

    /// `[x0, y0, x1, y1]` of all ends of burnt moves.
    pub(crate) fn extents(&self) -> [f64; 4] {
        self.burns()
            .flat_map(|m| [m.from, m.to])
            .fold([f64::MAX, f64::MAX, f64::MIN, f64::MIN], |e, p| {
                [e[0].min(p[0]), e[1].min(p[1]), e[2].max(p[0]), e[3].max(p[1])]
            })
    }

    /// Burnt moves in runs without a gap or a change of height or speed: where each begins, where it ends and its length.
    pub(crate) fn runs(&self) -> Vec<Run> {
        let mut runs: Vec<Run> = Vec::new();
        let mut joined = false;
        for m in &self.moves {
            if m.s > 0.0 {
                let goes_on =
                    |run: &&mut Run| joined && run.height == m.height && Some(run.speed) == m.speed;
                match runs.last_mut().filter(goes_on) {
                    Some(run) => {
                        run.end = m.to;
                        run.length += m.length();
                        run.s.push(m.s);
                    }
                    None => runs.push(Run {
                        start: m.from,
                        end: m.to,
                        length: m.length(),
                        s: vec![m.s],
                        height: m.height,
                        speed: m.speed.unwrap(),
                    }),
                }
            }
            joined = m.s > 0.0;
        }
        runs
    }
}

/// Burnt without a gap.
#[derive(Debug, Clone)]
pub(crate) struct Run {
    pub(crate) start: [f64; 2],
    pub(crate) end: [f64; 2],
    pub(crate) length: f64,
    pub(crate) s: Vec<f64>,
    pub(crate) height: f64,
    pub(crate) speed: f64,
}

fn arc(from: [f64; 2], to: [f64; 2], ij: [f64; 2], clockwise: bool) -> (f64, f64) {
    let centre = [from[0] + ij[0], from[1] + ij[1]];
    let angle = |p: [f64; 2]| (p[1] - centre[1]).atan2(p[0] - centre[0]);
    let turn = (angle(to) - angle(from)).rem_euclid(std::f64::consts::TAU);
    let sweep = if clockwise { turn - std::f64::consts::TAU } else { turn };
    (ij[0].hypot(ij[1]), sweep)
}
