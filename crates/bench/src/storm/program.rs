//! Random programs whose burnt stretches never touch each other, so that each mark of the rig belongs
//! to one of them.

use super::Dice;
use std::fmt::Write as _;

/// A program, and what it burns.
#[derive(Debug, Clone)]
pub(super) struct Drawn {
    pub(super) text: String,
    /// Every burnt stretch as chords, from its start.
    pub(super) paths: Vec<Path>,
}

/// One burnt line or arc.
#[derive(Debug, Clone)]
pub(super) struct Path {
    pub(super) points: Vec<[f64; 2]>,
    pub(super) s: f64,
}

/// A square of the bed for each figure, mm.
const CELL: f64 = 14.0;

impl Drawn {
    /// A few figures of every kind of step.
    pub(super) fn new(dice: &mut Dice, printer: bool) -> Self {
        let mut pen = Pen {
            text: String::new(),
            paths: Vec::new(),
            printer,
            relative: !printer && dice.one_in(4),
            at: [0.0; 2],
            lit: 0.0,
        };
        pen.begin(dice);
        let figures = 1 + dice.below(6);
        for n in 0..figures {
            let corner = [10.0 + n as f64 % 5.0 * CELL, 10.0 + (n / 5) as f64 * CELL];
            match dice.below(4) {
                0 => pen.rows(dice, corner),
                1 => pen.square(dice, corner),
                2 => pen.arc(dice, corner),
                _ => pen.zigzag(dice, corner),
            }
            if dice.one_in(5) {
                pen.dark();
                let line = if printer { "G4P150" } else { "G4P0.15" };
                let _ = writeln!(pen.text, "{line}");
            }
        }
        pen.end();
        Self { text: pen.text, paths: pen.paths }
    }
}

struct Pen {
    text: String,
    paths: Vec<Path>,
    printer: bool,
    relative: bool,
    at: [f64; 2],
    lit: f64,
}

impl Pen {
    fn begin(&mut self, dice: &mut Dice) {
        let beam = match (self.printer, dice.one_in(4)) {
            (true, _) => "M107",
            (false, true) => "M3S0",
            (false, false) => "M4S0",
        };
        let _ = writeln!(self.text, "; random\nG21G90\n{beam}");
        if self.relative {
            // Absolute up to the first place, so that figures keep their cells.
            self.text.push_str("G0X10Y10\nG91\n");
            self.at = [10.0, 10.0];
        }
    }

    fn end(&mut self) {
        if self.printer {
            self.text.push_str("M107\n");
        } else {
            self.text.push_str("M5S0\nM2\n");
        }
    }

    fn words(&self, to: [f64; 2]) -> String {
        let from = if self.relative { self.at } else { [0.0; 2] };
        format!("X{:.3}Y{:.3}", to[0] - from[0], to[1] - from[1])
    }

    fn travel(&mut self, to: [f64; 2]) {
        self.light(0.0);
        let words = self.words(to);
        let more = if self.printer { "F9000" } else { "" };
        let _ = writeln!(self.text, "G0{words}{more}");
        self.at = to;
    }

    /// Printers light in lines of their own.
    fn light(&mut self, s: f64) {
        if self.printer && s != self.lit {
            let line = if s > 0.0 { format!("M106S{s}") } else { "M107".into() };
            let _ = writeln!(self.text, "{line}");
        }
        self.lit = s;
    }

    /// A constant beam must not stand lit.
    fn dark(&mut self) {
        self.light(0.0);
        if !self.printer {
            self.text.push_str("S0\n");
        }
    }

    fn line(&mut self, to: [f64; 2], s: f64, feed: Option<f64>) {
        self.light(s);
        let words = self.words(to);
        let power = if self.printer { String::new() } else { format!("S{s}") };
        let feed = feed.map_or(String::new(), |f| format!("F{f:.0}"));
        let _ = writeln!(self.text, "G1{words}{power}{feed}");
        if s > 0.0 {
            self.paths.push(Path { points: vec![self.at, to], s });
        }
        self.at = to;
    }

    fn power(&self, dice: &mut Dice) -> f64 {
        (20 + dice.below(if self.printer { 200 } else { 800 })) as f64
    }

    fn feed(dice: &mut Dice) -> f64 {
        dice.between(600.0, 9000.0).round()
    }

    /// Engraved rows, with dark ends, there and back.
    fn rows(&mut self, dice: &mut Dice, [x, y]: [f64; 2]) {
        let (s, feed) = (self.power(dice), Self::feed(dice));
        let rows = 2 + dice.below(8);
        let spacing = dice.between(0.15, 0.6);
        self.travel([x, y]);
        for row in 0..rows {
            let y = y + row as f64 * spacing;
            let mut ends = [x, x + 2.0, x + 9.0, x + 11.0];
            if row % 2 == 1 {
                ends.reverse();
            }
            self.line([ends[0], y], 0.0, Some(feed));
            self.line([ends[1], y], 0.0, None);
            self.line([ends[2], y], s, None);
            self.line([ends[3], y], 0.0, None);
        }
    }

    /// A closed line.
    fn square(&mut self, dice: &mut Dice, [x, y]: [f64; 2]) {
        let (s, feed) = (self.power(dice), Self::feed(dice));
        let side = dice.between(2.0, 10.0);
        self.travel([x, y]);
        for (dx, dy) in [(side, 0.0), (side, side), (0.0, side), (0.0, 0.0)] {
            self.line([x + dx, y + dy], s, Some(feed));
        }
    }

    /// A quarter to three quarters of a circle.
    fn arc(&mut self, dice: &mut Dice, [x, y]: [f64; 2]) {
        let (s, feed) = (self.power(dice), Self::feed(dice));
        let r = dice.between(1.0, 5.0);
        let centre = [x + 5.5, y + 5.5];
        let sweep = dice.between(1.5, 4.7);
        let on = |angle: f64| [centre[0] + r * angle.cos(), centre[1] + r * angle.sin()];
        let rounded = |p: [f64; 2]| p.map(|v| (v * 1000.0).round() / 1000.0);
        let (from, to) = (rounded(on(0.0)), rounded(on(sweep)));
        self.travel(from);
        self.light(s);
        let words = self.words(to);
        let power = if self.printer { String::new() } else { format!("S{s}") };
        let (i, j) = (centre[0] - from[0], centre[1] - from[1]);
        let _ = writeln!(self.text, "G3{words}I{i:.3}J{j:.3}{power}F{feed:.0}");
        let points = (0..=200).map(|n| on(sweep * f64::from(n) / 200.0)).collect();
        self.paths.push(Path { points, s });
        self.at = to;
    }

    /// Short lines, as text and drawings have them.
    fn zigzag(&mut self, dice: &mut Dice, [x, y]: [f64; 2]) {
        let (s, feed) = (self.power(dice), Self::feed(dice));
        let count = 5 + dice.below(30);
        self.travel([x, y]);
        for n in 1..=count {
            let to = [x + n as f64 * 0.3, y + (n % 2) as f64 * dice.between(0.5, 2.0)];
            self.line(to.map(|v| (v * 1000.0).round() / 1000.0), s, Some(feed));
        }
    }
}
