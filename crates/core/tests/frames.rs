//! Laws of places: whatever the origin, the axes, the zero, the rotary and the dialect, the text
//! does what was planned, and nothing leaves the bed. The text is read by a reader of the tests' own.
#![allow(clippy::indexing_slicing)] // helpers of tests

use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::fmt::Write as _;
use tinkite_core::geometry::Point;
use tinkite_core::job::{self, Job};
use tinkite_core::machine;
use tinkite_core::machine::Travel;
use tinkite_core::mapping::Purpose;
use tinkite_core::problem::Problems;
use tinkite_core::program::{Comments, Program};
use tinkite_core::segment::Act;
use tinkite_core::{Choice, artwork, compile};

/// A machine that a test can turn and twist.
#[derive(Debug, Clone)]
struct Plant {
    origin: &'static str,
    exchanged: bool,
    x_reversed: bool,
    y_reversed: bool,
    dialect: &'static str,
    rotary: String,
}

const BED: (f64, f64) = (300.0, 200.0);

impl Plant {
    fn profile(&self) -> String {
        let reprap = self.dialect == "reprap";
        let travel = if reprap { "[travel]\nas = \"feed\"\nspeed = \"90 mm/s\"\n" } else { "" };
        let Self { origin, exchanged, x_reversed, y_reversed, dialect, rotary } = self;
        let full = if reprap { 255 } else { 1000 };
        format!(
            "tinkite = 1\nname = \"Plant\"\n[bed]\nwidth = \"{} mm\"\ndepth = \"{} mm\"\norigin = \"{origin}\"\n[axis]\nexchanged = {exchanged}\n[axis.x]\ntop-speed = \"300 mm/s\"\nacceleration = \"2000 mm/s2\"\nreversed = {x_reversed}\n[axis.y]\ntop-speed = \"250 mm/s\"\nacceleration = \"1500 mm/s2\"\nreversed = {y_reversed}\n[axis.a]\ntop-speed = \"400 deg/s\"\nacceleration = \"2000 deg/s2\"\n{travel}[beam]\nfull = {full}\n{rotary}[link]\ndialect = \"{dialect}\"\n",
            BED.0, BED.1
        )
    }
}

/// One move as the text says it.
#[derive(Debug, Clone, Copy)]
struct ReadMove {
    from: [f64; 3],
    to: [f64; 3],
    motion: u8,
    centre: [f64; 2],
    feed: f64,
    inverse: bool,
    s: f64,
}

/// Reads a program in any of the dialects: X, Y (mm) and A (degrees).
fn read(text: &str) -> Vec<ReadMove> {
    let (mut at, mut feed, mut s, mut motion) = ([0.0; 3], 0.0, 0.0, 0_u8);
    let (mut relative, mut inverse, mut lit) = (false, false, false);
    let mut moves = Vec::new();
    for line in text.lines() {
        let line = line.split([';', '(', '%']).next().unwrap().replace(' ', "");
        let starts: Vec<usize> =
            line.char_indices().filter(|(_, c)| c.is_alphabetic()).map(|(n, _)| n).collect();
        let words = starts.iter().enumerate().map(|(n, start)| {
            let end = starts.get(n + 1).copied().unwrap_or(line.len());
            (line.as_bytes()[*start], line[start + 1..end].parse::<f64>().unwrap())
        });
        let (mut to, mut offset, mut moved, mut dwell) = (at, [0.0; 2], false, false);
        for (letter, value) in words {
            let mut axis = |n: usize| {
                to[n] = if relative { at[n] + value } else { value };
                moved = true;
            };
            match letter {
                b'X' => axis(0),
                b'Y' => axis(1),
                b'A' => axis(2),
                b'I' => offset[0] = value,
                b'J' => offset[1] = value,
                b'F' => feed = value,
                b'S' => s = value,
                b'G' => match value as u16 {
                    0..=3 => motion = value as u8,
                    4 => dwell = true,
                    90 => relative = false,
                    91 => relative = true,
                    93 => inverse = true,
                    94 => inverse = false,
                    _ => {}
                },
                b'M' => match value as u16 {
                    3 | 4 | 106 => lit = true,
                    5 | 107 => (lit, s) = (false, 0.0),
                    _ => {}
                },
                _ => {}
            }
        }
        if moved && !dwell {
            let centre = [at[0] + offset[0], at[1] + offset[1]];
            let s = if lit { s } else { 0.0 };
            moves.push(ReadMove { from: at, to, motion, centre, feed, inverse, s });
            at = to;
        }
    }
    assert!(!lit, "the beam is on at the end");
    moves
}

struct Made {
    job: Job,
    text: String,
    /// Where each planned move begins and ends, in the plane from the zero, whether it burns and
    /// how fast.
    planned: Vec<(Point, Point, bool, Option<f64>)>,
    extents: tinkite_core::geometry::Rect,
}

const DRAWING: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40" fill="none">
<rect x="0" y="0" width="60" height="40" rx="6" stroke="red"/><circle cx="20" cy="20" r="7.5" fill="black"/>
<path d="M30 10 L50 32 L52 8" stroke="red"/></svg>"#;

fn made(plant: &Plant, place: &str, more: &str) -> Result<Made, Problems> {
    let machine = machine::read("m", &plant.profile()).unwrap_or_else(|p| panic!("{p:?}"));
    let text = format!(
        "tinkite = 1\nmachine = \"m\"\n{more}[[artwork]]\nfile = \"a.svg\"\n[place]\n{place}\n[[step]]\ntake = {{ fill = \"black\" }}\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"25 %\"\nlines = {{ spacing = \"0.9 mm\", angle = \"20 deg\", run-up = \"2 mm\" }}\n[[step]]\ntake = {{ stroke = \"red\", kind = \"closed\" }}\nmake = \"cut\"\nspeed = \"30 mm/s\"\npower = \"70 %\"\nlead-in = \"1 mm\"\n[[step]]\ntake = {{ stroke = \"red\", kind = \"open\" }}\nmake = \"cut\"\nspeed = \"30 mm/s\"\npower = \"70 %\"\n"
    );
    let job = job::read("job", &text, machine)?;
    let art = artwork::read("a.svg", DRAWING.as_bytes(), &Default::default())?;
    let compiled = compile(art, &job, &Choice::default())?;
    let mut planned = Vec::new();
    let totals = &compiled.within.planned().totals;
    let extents = totals.worked.unwrap();
    let segments = compiled.within.planned().segments();
    let walked: Result<(), tinkite_core::problem::Problem> = segments.walk(|segment| {
        if let Act::Move(way) = segment.act {
            let (from, piece) = segments.piece(&way);
            let speed = match (way.purpose, job.machine.travel) {
                (Purpose::Travel, Travel::Rapid) => None,
                (Purpose::Travel, Travel::Feed(speed)) => Some(speed.0),
                _ => Some(job.steps[segment.of.step].speed().0),
            };
            planned.push((from, piece.end(), way.level.is_lit(), speed));
            assert!(!piece.end().x.is_nan());
        }
        Ok(())
    });
    walked.unwrap();
    let mut text = Vec::new();
    Program::new(compiled.within).write(Comments::Full, &mut text).unwrap();
    Ok(Made { job, text: String::from_utf8(text).unwrap(), planned, extents })
}

/// Where the origin lies on the bed, by the tests' own table.
fn origin(plant: &Plant) -> (f64, f64) {
    let (w, d) = BED;
    match plant.origin {
        "bottom-left" => (0.0, 0.0),
        "bottom-right" => (w, 0.0),
        "top-left" => (0.0, d),
        "top-right" => (w, d),
        _ => (w / 2.0, d / 2.0),
    }
}

/// From the program's X and Y to right and away.
fn plane(plant: &Plant, said: [f64; 3]) -> (f64, f64) {
    let x = if plant.x_reversed { -said[0] } else { said[0] };
    let y = if plant.y_reversed { -said[1] } else { said[1] };
    if plant.exchanged { (y, x) } else { (x, y) }
}

fn plants() -> impl Strategy<Value = Plant> {
    let origins = prop::sample::select(vec![
        "bottom-left",
        "bottom-right",
        "top-left",
        "top-right",
        "centre",
    ]);
    let dialects = prop::sample::select(vec!["grbl", "ngc", "reprap"]);
    (origins, any::<[bool; 3]>(), dialects).prop_map(|(origin, [e, x, y], dialect)| Plant {
        origin,
        exchanged: e,
        x_reversed: x,
        y_reversed: y,
        dialect,
        rotary: String::new(),
    })
}

const ANCHORS: [&str; 9] = [
    "bottom-left",
    "bottom",
    "bottom-right",
    "left",
    "centre",
    "right",
    "top-left",
    "top",
    "top-right",
];

proptest! {
    #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

    /// Every end that is planned stands in the text, in the machine's own words, within 0.001 mm,
    /// and what reaches over the bed's edge is refused with how far and on which side.
    #[test]
    fn the_text_says_what_was_planned_and_stays_on_the_bed(
        plant in plants(), anchor in 0..9_usize, zero in 0..3_usize,
        x in -40.0..340.0f64, y in -40.0..240.0f64,
    ) {
        let zero = ["bed", "stock", "head"][zero];
        // The place is said on the machine's axes: take it back from a place on the bed.
        let (ox, oy) = origin(&plant);
        let (right, away) = (x - ox, y - oy);
        let (mx, my) = if plant.exchanged { (away, right) } else { (right, away) };
        let sign = |reversed: bool| if reversed { -1.0 } else { 1.0 };
        let (mx, my) = (mx * sign(plant.x_reversed), my * sign(plant.y_reversed));
        let at = if zero == "bed" { format!("at = [\"{mx:.4} mm\", \"{my:.4} mm\"]\n") } else { String::new() };
        let place = format!("zero = \"{zero}\"\nanchor = \"{}\"\n{at}", ANCHORS[anchor]);
        match made(&plant, &place, "") {
            Err(problems) => {
                let told = problems.iter().find(|p| p.code.text() == "off-bed").unwrap();
                prop_assert!(zero == "bed", "{problems:?}");
                let (ax, ay) = ((anchor % 3) as f64 / 2.0, (anchor / 3) as f64 / 2.0);
                // The drawing alone, without run-up and leads, which reach 3 mm at most beyond it.
                let over = [
                    ("left", -(x - 60.0 * ax)), ("right", x + 60.0 * (1.0 - ax) - BED.0),
                    ("front", -(y - 40.0 * ay)), ("back", y + 40.0 * (1.0 - ay) - BED.1),
                ];
                prop_assert!(over.iter().any(|(_, by)| *by > -3.0), "{}", told.message);
                for (side, by) in over {
                    prop_assert!(by < 0.01 || told.message.contains(side), "{side}: {}", told.message);
                }
            }
            Ok(made) => {
                let said = read(&made.text);
                let mut ends = said.iter().map(|m| plane(&plant, m.to));
                let shift = if zero == "bed" { (ox, oy) } else { (0.0, 0.0) };
                for (_, end, ..) in &made.planned {
                    // Moves that rounding makes nothing of are not written.
                    let mut found = ends.clone().take(2);
                    let near = |p: (f64, f64)| (p.0 - end.x).abs() < 0.001 && (p.1 - end.y).abs() < 0.001;
                    match found.position(near) {
                        Some(n) => { ends.nth(n); }
                        None => prop_assert!(false, "{end:?} is not in the text\n{}", made.text),
                    }
                }
                if zero == "bed" {
                    for m in &said {
                        let (px, py) = plane(&plant, m.to);
                        let (bx, by) = (px + shift.0, py + shift.1);
                        prop_assert!((-0.002..=BED.0 + 0.002).contains(&bx), "{m:?}");
                        prop_assert!((-0.002..=BED.1 + 0.002).contains(&by), "{m:?}");
                    }
                }
                if zero == "head" {
                    let last = said.last().unwrap();
                    prop_assert!(last.to.iter().all(|v| v.abs() < 1e-9) && last.s == 0.0);
                    prop_assert!(made.text.contains("G91") && made.text.contains("G90"));
                }
                for m in &said {
                    prop_assert!(m.motion != 0 || m.s == 0.0, "lit travel: {m:?}");
                    // An arc turns the same way as drawn, mirrored with its axes or not: its middle
                    // is as far from both ends.
                    if m.motion >= 2 {
                        let far = |p: [f64; 3]| (p[0] - m.centre[0]).hypot(p[1] - m.centre[1]);
                        prop_assert!((far(m.from) - far(m.to)).abs() < 0.003, "{m:?}");
                    }
                }
                prop_assert!(made.extents.is_finite());
            }
        }
    }
}

/// A rotary and what is in it; what its axis is told for one radian of the object.
fn rotary(
    kind: usize,
    diameter: f64,
    reversed: bool,
    inverse: bool,
) -> (String, String, f64, bool) {
    let feed = if inverse { "feed = \"inverse-time\"\n" } else { "feed = \"per-minute\"\n" };
    let sign = if reversed { -1.0 } else { 1.0 };
    let (device, hold, per_radian, degrees) = match kind {
        0 => ("axis = \"A\"\n", "chuck", 360.0 / TAU, true),
        1 => ("axis = \"A\"\nroller = \"25 mm\"\n", "rollers", 360.0 / TAU * diameter / 25.0, true),
        2 => ("axis = \"Y\"\nper-turn = \"80 mm\"\n", "chuck", 80.0 / TAU, false),
        _ => (
            "axis = \"Y\"\nsteps-per-turn = 6400\nsteps-per-mm = 100\nroller = \"25 mm\"\n",
            "rollers",
            64.0 / TAU * diameter / 25.0,
            false,
        ),
    };
    let device = format!("[rotary]\n{device}reversed = {reversed}\n{feed}");
    (device, format!("hold = \"{hold}\"\n"), sign * per_radian, degrees)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 256, ..ProptestConfig::default() })]

    /// On every feed move the spot runs over the surface at the asked speed, within 1 %, by the
    /// controller's own rule for feeds; and every place is where it was planned.
    #[test]
    fn the_surface_runs_at_the_asked_speed(
        kind in 0..4_usize, diameter in 30.0..120.0f64, reversed in any::<bool>(),
        dialect in prop::sample::select(vec!["grbl", "ngc", "reprap"]),
        inverse in any::<bool>(), zero in prop::sample::select(vec!["bed", "stock", "head"]),
    ) {
        let inverse = inverse && dialect != "reprap";
        let (device, held, per_radian, degrees) = rotary(kind, diameter, reversed, inverse);
        let plant = Plant {
            origin: "bottom-left", exchanged: false, x_reversed: false, y_reversed: false,
            dialect, rotary: device,
        };
        let round = format!("[rotary]\n{held}diameter = \"{diameter:.4} mm\"\n");
        let diameter = format!("{diameter:.4}").parse::<f64>().unwrap();
        let at = if zero == "bed" { "at = [\"120 mm\", \"0 mm\"]" } else { "" };
        let place = format!("zero = \"{zero}\"\nanchor = \"centre\"\n{at}");
        let made = made(&plant, &place, &round).unwrap();
        let axis = if degrees { 2 } else { 1 };
        let surface = |p: [f64; 3]| (p[0], p[axis] / per_radian * diameter / 2.0);
        // Half a thousandth of a word, as long as it is on the surface.
        let rounded = 0.0005 * diameter / 2.0 / per_radian.abs() + 1e-4;
        let said = read(&made.text);
        let mut planned = made.planned.iter().peekable();
        for m in &said {
            let (from, to) = (surface(m.from), surface(m.to));
            // Find the planned move that ends here.
            let found = planned.by_ref().take(3).find(|(_, end, ..)| {
                (end.x - to.0).abs() < 0.001 && (end.y - to.1).abs() < rounded
            });
            let Some((_, _, burns, speed)) = found else {
                return Err(TestCaseError::fail(format!("{m:?} was not planned\n{}", made.text)));
            };
            prop_assert!(*burns == (m.s > 0.0));
            let Some(asked) = speed else { continue };
            let way = (to.0 - from.0).hypot(to.1 - from.1);
            let (along, around) = ((m.to[0] - m.from[0]).abs(), (m.to[axis] - m.from[axis]).abs());
            let seconds = match (m.inverse, dialect) {
                (true, _) => 60.0 / m.feed,
                // RS-274/NGC: the feed is that of the linear axes, or of the turn alone.
                (false, "ngc") if degrees && along > 0.0 => along / m.feed * 60.0,
                (false, _) => along.hypot(around) / m.feed * 60.0,
            };
            let really = way / seconds;
            prop_assert!((really / asked - 1.0).abs() < 0.01, "{really} instead of {asked}: {m:?}");
        }
        prop_assert!(said.len() + 3 >= made.planned.len());
    }

    /// On a cone or barrel a straight line of the plane stays where it was drawn on the surface.
    #[test]
    fn lines_stay_straight_on_a_barrel(
        d in proptest::collection::vec(40.0..70.0f64, 3..6), size in any::<bool>(),
        inverse in any::<bool>(),
    ) {
        let (device, held, per_radian, _) = rotary(0, 1.0, false, inverse);
        let plant = Plant {
            origin: "bottom-left", exchanged: false, x_reversed: false, y_reversed: false,
            dialect: "grbl", rotary: device,
        };
        let mut profile = String::new();
        let step = 90.0 / (d.len() - 1) as f64;
        for (n, d) in d.iter().enumerate() {
            let _ = write!(profile, "[\"{:.3} mm\", \"{d:.3} mm\"],", n as f64 * step);
        }
        let keep = if size { "size" } else { "angle" };
        let round = format!("[rotary]\n{held}profile = [{profile}]\nat = \"50 mm\"\nkeep = \"{keep}\"\n");
        let place = "anchor = \"left\"\nat = [\"60 mm\", \"0 mm\"]";
        // A steep profile is refused; that is told elsewhere.
        let Ok(made) = made(&plant, place, &round) else { return Ok(()) };
        let profile: Vec<(f64, f64)> = d.iter().enumerate()
            .map(|(n, d)| ((n as f64 * step * 1e3).round() / 1e3, (d * 1e3).round() / 1e3)).collect();
        for m in read(&made.text).iter().filter(|m| m.motion > 0) {
            let seconds = if m.inverse {
                60.0 / m.feed
            } else {
                (m.to[0] - m.from[0]).hypot(m.to[2] - m.from[2]) / m.feed * 60.0
            };
            // The way on the real surface, in small steps of the controller's even motion.
            let mut way = 0.0;
            let spot = |t: f64| {
                let x = m.from[0] + (m.to[0] - m.from[0]) * t - 50.0;
                let angle = (m.from[2] + (m.to[2] - m.from[2]) * t) / per_radian;
                let r = radius(&profile, x);
                [x, r * angle.cos(), r * angle.sin()]
            };
            for n in 0..64 {
                let (a, b) = (spot(f64::from(n) / 64.0), spot(f64::from(n + 1) / 64.0));
                way += a.iter().zip(&b).map(|(a, b)| (a - b).powi(2)).sum::<f64>().sqrt();
            }
            let speed = way / seconds;
            let asked = if (speed - 30.0).abs() < (speed - 100.0).abs() { 30.0 } else { 100.0 };
            // Very short moves are at the text's resolution.
            prop_assert!(way < 0.02 || (speed / asked - 1.0).abs() < 0.01, "{speed}: {m:?}");
        }
    }
}

fn radius(profile: &[(f64, f64)], x: f64) -> f64 {
    let after = profile.partition_point(|(at, _)| *at < x).clamp(1, profile.len() - 1);
    let ((x0, d0), (x1, d1)) = (profile[after - 1], profile[after]);
    (d0 + (d1 - d0) * ((x - x0) / (x1 - x0)).clamp(0.0, 1.0)) / 2.0
}

#[test]
fn a_circle_on_a_reversed_axis_is_still_the_same_circle() {
    // The rounded corner of the drawing's rectangle: its arcs bulge outwards on every machine.
    for (exchanged, x_reversed, y_reversed) in
        [(false, false, false), (true, false, false), (false, true, false), (true, true, true)]
    {
        let plant = Plant {
            origin: "centre",
            exchanged,
            x_reversed,
            y_reversed,
            dialect: "grbl",
            rotary: String::new(),
        };
        let made = made(&plant, "anchor = \"centre\"\nat = [\"0 mm\", \"0 mm\"]", "").unwrap();
        let mut corners = 0;
        for m in read(&made.text).iter().filter(|m| m.motion >= 2 && m.s > 600.0) {
            let r = (m.from[0] - m.centre[0]).hypot(m.from[1] - m.centre[1]);
            if (r - 6.0).abs() > 0.01 {
                continue;
            }
            corners += 1;
            // The middle of the arc, by its direction.
            let angle = |p: [f64; 3]| (p[1] - m.centre[1]).atan2(p[0] - m.centre[0]);
            let mut sweep = (angle(m.to) - angle(m.from)).rem_euclid(TAU);
            if m.motion == 2 {
                sweep -= TAU;
            }
            let middle = angle(m.from) + sweep / 2.0;
            let bulge = (m.centre[0] + 6.0 * middle.cos()).hypot(m.centre[1] + 6.0 * middle.sin());
            assert!(bulge > m.centre[0].hypot(m.centre[1]) && sweep.abs() < PI, "{plant:?} {m:?}");
        }
        assert!(corners >= 4, "{corners}");
        assert_eq!(made.job.field().pointing.exchanged, exchanged);
    }
}
