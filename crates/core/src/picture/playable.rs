//! A planned run, packed so that a page can play it.
//!
//! Every segment is a straight line, or a rest, of the head. Its numbers stand in columns of their own, as
//! differences, each a whole number of few bytes; what repeats is counted. A million segments are some 5 MB.

use crate::compile::Compiled;
use std::collections::HashMap;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_job::Job;
use tinkite_layout::LaidStock;
use tinkite_machine::Pointing;
use tinkite_program::mapping::Purpose;
use tinkite_program::plan::Traced;
use tinkite_program::segment::{Act, Provenance, Segments};
use tinkite_program::text::{Lines, write_numbered};

/// Places are whole multiples of this, mm.
pub const STEP_MM: f64 = 0.005;

/// Times are whole multiples of this, s.
pub const STEP_S: f64 = 1e-4;

/// Arcs become chords this near to them, mm.
const CHORD: f64 = 0.01;

/// How the beam is while the head moves or rests.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pen {
    /// Which step of the job, counted from 0.
    pub step: usize,
    /// S; none with the beam off.
    pub s: Option<f64>,
}

/// A part of the run: one pass over one path.
#[derive(Debug, Clone, PartialEq)]
pub struct PathPass {
    /// The first of its segments, counted from 0.
    pub begins: u32,
    /// What it belongs to.
    pub of: Provenance,
    /// What people call it.
    pub label: String,
    /// How deep below the surface it lies, mm.
    pub depth: f64,
}

/// Whole numbers, one for each segment.
#[derive(Debug, Clone, Default)]
struct Column {
    bytes: Vec<u8>,
    /// The last value, and how often it came.
    held: Option<(u64, u64)>,
}

impl Column {
    /// Adds a number.
    fn push(&mut self, value: i64) {
        // Small numbers of either sign become small ones without.
        let value = ((value << 1) ^ (value >> 63)) as u64;
        match &mut self.held {
            Some((held, times)) if *held == value => *times += 1,
            _ => {
                self.settle();
                self.held = Some((value, 1));
            }
        }
    }

    fn settle(&mut self) {
        let Some((value, times)) = self.held.take() else { return };
        self.number(value << 1 | u64::from(times > 1));
        if times > 1 {
            self.number(times - 2);
        }
    }

    /// Seven bits a byte, the lowest first; the eighth says that more follow.
    fn number(&mut self, mut value: u64) {
        while value >= 0x80 {
            self.bytes.push(value as u8 | 0x80);
            value >>= 7;
        }
        self.bytes.push(value as u8);
    }

    /// The packed numbers.
    fn finish(mut self) -> Vec<u8> {
        self.settle();
        self.bytes
    }
}

/// A run that can be played.
#[derive(Debug, Clone)]
pub struct Playable {
    /// How many segments there are.
    pub segments: u32,
    /// How far each goes to the right and away, in [`STEP_MM`]; how long it takes, in [`STEP_S`]; which pen it has;
    /// and how many lines of the program say it.
    pub columns: [Vec<u8>; 5],
    /// How the beam is.
    pub pens: Vec<Pen>,
    /// The parts in running order.
    pub parts: Vec<PathPass>,
    /// How many lines stand before the first segment.
    pub lines_before: u32,
    /// What can be reached, the stock, and what is worth showing, mm from the lower left corner of the field.
    pub field: Rect,
    /// The stock, where its size is known.
    pub stock: Option<LaidStock>,
    /// What of it is worth showing.
    pub shown: Rect,
    /// Where the program counts from, mm.
    pub zero: Vec2,
    /// Which way the machine's axes point.
    pub pointing: Pointing,
}

/// Packs what a job sends.
#[must_use]
pub fn playable(compiled: &Compiled, job: &Job) -> Playable {
    let planned = compiled.within.planned();
    let segments = planned.segments();
    let field = job.field();
    let totals = &planned.totals;
    let reach = totals.reached.map_or(Rect::ZERO, |r| r + field.zero);
    let shown = compiled.stock.as_ref().map_or(reach, |stock| stock.bounds.union(reach));
    write_numbered(segments, planned, |lines, lines_before| {
        let mut packer = Packer::new(segments, lines);
        planned.trace(|traced| packer.add(&traced));
        Playable {
            segments: packer.count,
            columns: packer.columns.map(Column::finish),
            pens: packer.pens,
            parts: packer.parts,
            lines_before,
            field: field.rect,
            stock: compiled.stock.clone(),
            shown: super::canvas::worth_showing(field.rect, shown),
            zero: field.zero,
            pointing: field.pointing,
        }
    })
}

struct Packer<'a, 'l> {
    segments: &'a Segments,
    lines: &'a mut Lines<'l>,
    columns: [Column; 5],
    count: u32,
    /// Where the head is and what the time is, as they were packed.
    at: (i64, i64),
    now: i64,
    pens: Vec<Pen>,
    known: HashMap<(usize, Option<u64>), usize>,
    parts: Vec<PathPass>,
}

impl<'a, 'l> Packer<'a, 'l> {
    fn new(segments: &'a Segments, lines: &'a mut Lines<'l>) -> Self {
        Self {
            segments,
            lines,
            columns: Default::default(),
            count: 0,
            at: (0, 0),
            now: 0,
            pens: Vec::new(),
            known: HashMap::new(),
            parts: Vec::new(),
        }
    }

    fn add(&mut self, traced: &Traced<'_>) {
        let of = traced.segment.of;
        if self.parts.last().is_none_or(|part| part.of != of) {
            let label = self.segments.label(of).to_string();
            let depth = self.segments.path(of).filter(|_| of.path > 0).map_or(0.0, |p| p.depth);
            self.parts.push(PathPass { begins: self.count, of, label, depth });
        }
        let mut lines = self.lines.of(&traced.segment);
        let dark = Pen { step: of.step, s: None };
        if traced.waits > 0.5 * STEP_S {
            self.put(None, traced.begins, dark, 0);
        }
        let ends = traced.begins + traced.seconds;
        match traced.segment.act {
            Act::Move(way) => {
                let lit = way.purpose == Purpose::Burn && way.level.is_lit();
                let s = lit.then(|| traced.meant_s(self.segments, &way));
                let pen = Pen { s, ..dark };
                let (from, piece) = self.segments.piece(&way);
                let mut chords: Vec<Point> = Vec::new();
                piece.flatten(from, CHORD, |p| chords.push(p));
                let whole = chords.len() as f64;
                for (n, to) in chords.iter().enumerate() {
                    let time = traced.begins + traced.seconds * (n + 1) as f64 / whole;
                    self.put(Some(*to), time, pen, std::mem::take(&mut lines));
                }
            }
            Act::Dwell(_, level) if level.is_lit() => {
                self.put(None, ends, Pen { s: Some(level.s()), ..dark }, lines);
            }
            _ => self.put(None, ends, dark, lines),
        }
    }

    /// Adds a segment to a place (mm from the program's zero) at a time (s from the start).
    fn put(&mut self, to: Option<Point>, time: f64, pen: Pen, lines: u32) {
        let at = to
            .map_or(self.at, |p| ((p.x / STEP_MM).round() as i64, (p.y / STEP_MM).round() as i64));
        let now = ((time / STEP_S).round() as i64).max(self.now);
        let pens = &mut self.pens;
        let pen = *self.known.entry((pen.step, pen.s.map(f64::to_bits))).or_insert_with(|| {
            pens.push(pen);
            pens.len() - 1
        });
        let values =
            [at.0 - self.at.0, at.1 - self.at.1, now - self.now, pen as i64, i64::from(lines)];
        self.columns.iter_mut().zip(values).for_each(|(column, value)| column.push(value));
        (self.at, self.now) = (at, now);
        self.count += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Written from the description of the format alone.
    fn unpack(bytes: &[u8]) -> Vec<i64> {
        let mut values = Vec::new();
        let mut bytes = bytes.iter();
        let mut number = || {
            let (mut value, mut shift) = (0_u64, 0);
            loop {
                let byte = bytes.next()?;
                value |= u64::from(byte & 0x7f) << shift;
                shift += 7;
                if byte & 0x80 == 0 {
                    return Some(value);
                }
            }
        };
        while let Some(token) = number() {
            let folded = token >> 1;
            let value = (folded >> 1) as i64 ^ -((folded & 1) as i64);
            let times = if token & 1 == 1 { number().unwrap() + 2 } else { 1 };
            values.extend(std::iter::repeat_n(value, times as usize));
        }
        values
    }

    #[test]
    fn columns_say_what_was_put_into_them() {
        let mut column = Column::default();
        let values: Vec<i64> = (0..400)
            .map(|n| if n % 7 < 4 { 3 } else { (n * 7919 % 1001 - 500) << (n % 20) })
            .chain([i64::from(i32::MAX), i64::from(i32::MIN), 0, 0, -1])
            .collect();
        values.iter().for_each(|value| column.push(*value));
        assert_eq!(unpack(&column.finish()), values);
        let mut same = Column::default();
        (0..1_000_000).for_each(|_| same.push(20));
        assert!(same.finish().len() < 6, "what repeats is counted");
        assert!(Column::default().finish().is_empty());
    }
}
