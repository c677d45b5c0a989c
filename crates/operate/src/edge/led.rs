//! The lines that lead the head along a way: dark, or with the pointer lit.

use crate::head::moves::{GENTLE, word};
use crate::place::axes;
use tinkite_core::frame::Frame;
use tinkite_core::geometry::Point;
use tinkite_core::machine::Dialect;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;

/// A place for the head, in the controller's own words.
#[derive(Debug, Clone, PartialEq)]
pub struct Stop {
    /// `X12.5Y3`, `X12.5A90`.
    words: String,
    /// The feed there, mm/min, or what the controller counts in its place.
    feed: f64,
    /// How long it takes to come there at that feed, s.
    seconds: f64,
}

/// A way with its beginning: the head goes to the first place in any case dark.
pub type Led = Vec<Stop>;

/// Which coordinates the words are in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Coordinates {
    /// The machine's own axes.
    Machine,
    /// Those of the program: from its zero.
    Program,
}

/// What is lit while the head is led.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Light {
    /// Nothing.
    Dark,
    /// The pointer, with this S value: where the head stands the controller puts it out (M4).
    Pointer(f64),
}

/// The speed that is asked for, mm/s: gentle where nothing is said, and no faster than the axes can.
fn speed(machine: &Machine, asked: Option<f64>) -> f64 {
    asked.unwrap_or(GENTLE).min(machine.x.top_speed).min(machine.y.top_speed)
}

/// A way over places from the front left corner of the bed, mm.
pub fn flat(machine: &Machine, places: &[Point], asked: Option<f64>) -> Led {
    let speed = speed(machine, asked);
    let mut from = places.first().copied().unwrap_or_default();
    let stop = |place: &Point| {
        let at = axes(machine, *place);
        let seconds = std::mem::replace(&mut from, *place).distance(*place) / speed;
        let words = format!("X{}Y{}", word(at.x), word(at.y));
        Stop { words, feed: (60.0 * speed).max(1.0), seconds }
    };
    places.iter().map(stop).collect()
}

/// A way over points of an unrolled surface, mm from the program's zero; `base` is what is added to the
/// positions of the axes.
pub fn round(
    machine: &Machine,
    frame: &Frame,
    base: [f64; 2],
    points: &[Point],
    asked: Option<f64>,
) -> Led {
    let speed = asked.unwrap_or(GENTLE).min(machine.x.top_speed).min(machine.y.top_speed);
    let letters = frame.letters().map(char::from);
    let mut from = points.first().copied().unwrap_or_default();
    let stop = |point: &Point| {
        let before = std::mem::replace(&mut from, *point);
        let (a, b) = (frame.words(before), frame.words(*point));
        // A jog counts the way over all its axes alike, mm and degrees.
        let counted = (b[0] - a[0]).hypot(b[1] - a[1]);
        let seconds =
            frame.length(before, &tinkite_core::geometry::Piece::Line { to: *point }) / speed;
        let feed = if counted > 0.0 { 60.0 * counted / seconds } else { 60.0 * speed };
        let at = [0, 1].map(|n| format!("{}{}", letters[n], word(b[n] + base[n])));
        Stop { words: at.concat(), feed: feed.max(1.0), seconds }
    };
    points.iter().map(stop).collect()
}

/// How long the head is on the way from its first place to the last, s, with nothing for its corners.
pub fn seconds(led: &Led) -> f64 {
    led.iter().skip(1).map(|stop| stop.seconds).sum()
}

/// The lines for ways that are walked one after the other, `times` over.
pub fn lines(
    machine: &Machine,
    led: &[Led],
    times: u32,
    coordinates: Coordinates,
    light: Light,
) -> Vec<String> {
    let mut lines = Vec::new();
    if machine.dialect == Dialect::Reprap {
        lines.extend(["M107".to_string(), "G21".into(), "G90".into()]);
    }
    if let Light::Pointer(_) = light {
        lines.push("G21G90G94".into());
        lines.push("M5S0".into());
    }
    for _ in 0..times {
        for way in led {
            for (n, stop) in way.iter().enumerate() {
                lines.push(line(machine, stop, n == 0, coordinates, light));
                if n == 0
                    && let Light::Pointer(s) = light
                {
                    lines.push(format!("M4S{}", plain(s, 3)));
                }
            }
            if let Light::Pointer(_) = light {
                lines.push("M5S0".into());
            }
        }
    }
    lines
}

fn line(
    machine: &Machine,
    stop: &Stop,
    travels: bool,
    coordinates: Coordinates,
    light: Light,
) -> String {
    let Stop { words, feed, .. } = stop;
    let feed = plain(*feed, 1);
    if machine.dialect == Dialect::Reprap {
        let spaced: String = words
            .chars()
            .map(|c| if c.is_ascii_alphabetic() { format!(" {c}") } else { c.into() })
            .collect();
        return format!("G0{spaced} F{feed}");
    }
    let own = if coordinates == Coordinates::Machine { "G53" } else { "" };
    match (light, travels) {
        (Light::Dark, _) => format!("$J=G90G21{own}{words}F{feed}"),
        (Light::Pointer(_), true) => format!("{own}G0{words}"),
        (Light::Pointer(_), false) => format!("{own}G1{words}F{feed}"),
    }
}
