//! Laws of toolpaths on random sheets: parts with holes and islands, cut and engraved with random
//! settings. Everything is asked of the moves that the machine will run.

use proptest::prelude::*;
use std::fmt::Write as _;
use tinkite_core::geometry::region::Polygon;
use tinkite_core::geometry::{Contour, Point, fit};
use tinkite_core::job::{self, Job};
use tinkite_core::machine;
use tinkite_core::mapping::Purpose;
use tinkite_core::problem::Problem;
use tinkite_core::segment::Act;
use tinkite_core::{Choice, Compiled, artwork, compile};

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");

/// One part in its cell of 40 × 40 mm: kind of outline, its size, and how many holes are nested in
/// one another.
type Part = (u8, f64, usize);

fn outline(kind: u8, x: f64, y: f64, size: f64, id: &str) -> String {
    let paint = format!("id='{id}' stroke='red'");
    match kind % 3 {
        0 => format!("<circle cx='{x}' cy='{y}' r='{size}' {paint}/>"),
        1 => format!(
            "<rect x='{}' y='{}' width='{}' height='{}' rx='{}' {paint}/>",
            x - size,
            y - size,
            2.0 * size,
            2.0 * size,
            size / 4.0
        ),
        _ => {
            let mut d = String::new();
            for n in 0..12 {
                let angle = f64::from(n) * std::f64::consts::TAU / 12.0;
                let r = if n % 2 == 0 { size } else { size * 0.82 };
                let (px, py) = (x + r * angle.cos(), y + r * angle.sin());
                let _ = write!(d, "{}{px} {py}", if n == 0 { "M" } else { "L" });
            }
            format!("<path d='{d}Z' {paint}/>")
        }
    }
}

/// A sheet of parts; every outline in drawing order, with its depth.
fn sheet(parts: &[Part]) -> (String, Vec<usize>) {
    let mut svg = String::from(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="160mm" viewBox="0 0 200 160" fill="none">"#,
    );
    let mut depths = Vec::new();
    for (n, (kind, size, nested)) in parts.iter().enumerate() {
        let (x, y) = (25.0 + (n % 4) as f64 * 45.0, 25.0 + (n / 4) as f64 * 45.0);
        for depth in 0..=*nested {
            let size = size * 0.62_f64.powi(depth as i32);
            svg += &outline(kind + depth as u8, x, y, size, &format!("p{n}-{depth}"));
            depths.push(depth);
        }
    }
    (svg + "</svg>", depths)
}

#[derive(Debug, Clone)]
struct Settings {
    kerf: f64,
    lead: Option<(f64, bool)>,
    overlap: f64,
    bridges: Option<(u8, f64)>,
    passes: u8,
    slow: Option<f64>,
    ends: Option<(f64, f64)>,
    order: &'static str,
}

fn settings() -> impl Strategy<Value = Settings> {
    let orders = prop::sample::select(vec!["holes-first", "part-by-part", "upwards"]);
    (
        0.0..0.6f64,
        prop::option::of((0.3..3.0f64, any::<bool>())),
        prop_oneof![Just(0.0), 0.1..2.0f64],
        prop::option::of((1u8..5, 0.2..1.0f64)),
        1u8..3,
        prop::option::of(5.0..89.0f64),
        prop::option::of((5.0..89.0f64, 0.2..6.0f64)),
        orders,
    )
        .prop_map(|(kerf, lead, overlap, bridges, passes, slow, ends, order)| Settings {
            kerf,
            lead,
            overlap,
            bridges,
            passes,
            slow,
            ends,
            order,
        })
}

fn job_of(settings: &Settings) -> Job {
    let mut text = String::from(
        "tinkite = 1\nmachine = \"m\"\n[[artwork]]\nfile = \"a.svg\"\n[place]\nat = [\"30 mm\", \"30 mm\"]\n[[step]]\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"40 mm/s\"\npower = \"50 %\"\n",
    );
    let _ = write!(
        text,
        "kerf = \"{} mm\"\noverlap = \"{} mm\"\npasses = {}\norder = \"{}\"\n",
        settings.kerf, settings.overlap, settings.passes, settings.order
    );
    if let Some((length, arc)) = settings.lead {
        let shape = if arc { "arc" } else { "straight" };
        let _ = writeln!(text, "lead-in = {{ length = \"{length} mm\", shape = \"{shape}\" }}");
    }
    if let Some((count, width)) = settings.bridges {
        let _ = writeln!(
            text,
            "bridges = {{ count = {count}, width = \"{width} mm\", smallest = \"12 mm\" }}"
        );
    }
    let mut ramp = Vec::new();
    ramp.extend(settings.slow.map(|slow| format!("slow = \"{slow} %\"")));
    ramp.extend(
        settings.ends.map(|(power, over)| {
            format!("start = {{ from = \"{power} %\", over = \"{over} mm\" }}")
        }),
    );
    if !ramp.is_empty() {
        let _ = writeln!(text, "ramp = {{ {} }}", ramp.join(", "));
    }
    let machine = machine::read("m", MACHINE).unwrap();
    job::read("job", &text, machine).unwrap_or_else(|p| panic!("{p:#?}\n{text}"))
}

/// The drawn outlines as they lie on the bed.
fn drawn(svg: &str, compiled: &Compiled) -> Vec<Contour> {
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let all: Vec<Contour> =
        art.shapes.iter().flat_map(|shape| fit::contours(&shape.path, 0.001)).collect();
    let own = all.iter().map(Contour::bounds).reduce(|a, b| a.union(b)).unwrap();
    let by = compiled.artwork_extents.origin() - own.origin();
    all.iter().map(|contour| contour.shifted(by)).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_cut_keeps_the_laws(
        parts in prop::collection::vec((0u8..6, 8.0..18.0f64, 0usize..3), 1..9),
        settings in settings(),
    ) {
        let (svg, depths) = sheet(&parts);
        let job = job_of(&settings);
        let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
        let compiled = match compile(art, &job, &Choice::default()) {
            Ok(compiled) => compiled,
            // Slow together with the start of a ramp may come above the ceiling or below the floor.
            Err(problems) => {
                let fair = problems.iter().filter(|p| p.severity == tinkite_core::problem::Severity::Error)
                    .all(|p| ["over-ceiling", "below-floor", "bridge-room"].contains(&p.code.text()));
                prop_assert!(fair, "{problems:#?}");
                return Ok(());
            }
        };
        let outlines = drawn(&svg, &compiled);
        prop_assert_eq!(outlines.len(), depths.len());
        // Whose outline each path is, in running order, from what it runs along.
        let ceiling = job.machine.beam.full * job.machine.beam.ceiling.0;
        let reach = settings.kerf / 2.0 + 0.02;
        let lead = settings.lead.map_or(0.0, |(length, _)| length);
        let mut order: Vec<usize> = Vec::new();
        let mut burnt = vec![0.0; outlines.len()];
        let mut failed: Option<String> = None;
        let segments = compiled.within.planned().segments();
        let mut before = None;
        let walked: Result<(), Problem> = segments.walk(|segment| {
            let Act::Move(way) = segment.act else { return Ok(()) };
            if before.replace(segment.of) != Some(segment.of) {
                order.push(usize::MAX);
            }
            let s = way.level.s();
            if way.purpose != Purpose::Burn {
                if s != 0.0 {
                    failed = Some(format!("S{s} on a dark move"));
                }
                return Ok(());
            }
            let (from, piece) = segments.piece(&way);
            let length = piece.length(from);
            if !(0.0..=ceiling + 1e-9).contains(&s) || !length.is_finite() {
                failed = Some(format!("S{s} over {length} mm"));
            }
            let middle = piece.point_at(from, 0.5);
            let (nearest, distance) = outlines
                .iter()
                .map(|o| o.at(o.nearest(middle)).0.distance(middle))
                .enumerate()
                .min_by(|a, b| a.1.total_cmp(&b.1))
                .unwrap();
            if distance > reach + lead {
                failed = Some(format!("{middle:?} is {distance} mm from any outline"));
            }
            if distance <= reach {
                burnt[nearest] += length;
                if let Some(last) = order.last_mut().filter(|last| **last == usize::MAX) {
                    *last = nearest;
                }
            } else if distance <= reach + lead && !in_scrap(&outlines, &depths, middle) {
                failed = Some(format!("a lead runs through a part at {middle:?}"));
            }
            Ok(())
        });
        prop_assert!(walked.is_ok());
        prop_assert!(failed.is_none(), "{}", failed.unwrap());
        // Every outline is burnt, all of it but its bridges, as often as was asked for.
        for (n, outline) in outlines.iter().enumerate() {
            let bridged = settings
                .bridges
                .map_or(0.0, |(count, width)| f64::from(count) * (width + settings.kerf));
            let slack = 2.0 * std::f64::consts::PI * settings.kerf + 0.1;
            let once = burnt[n] / f64::from(settings.passes);
            prop_assert!(once >= outline.length() - bridged - slack, "{n}: {once} of {}", outline.length());
        }
        // What lies inside comes first.
        let seen = |n: usize| order.iter().position(|o| *o == n);
        let mut root = 0;
        for (n, depth) in depths.iter().enumerate() {
            if *depth == 0 {
                root = n;
            } else {
                prop_assert!(seen(n) < seen(n - 1), "{n} of {root}: {order:?}");
            }
        }
    }
}

/// Whether a point lies in scrap: outside every part, or in a hole.
fn in_scrap(outlines: &[Contour], depths: &[usize], p: Point) -> bool {
    let round = outlines
        .iter()
        .zip(depths)
        .filter(|(outline, _)| Polygon::new(outline.flatten(0.001)).contains(p));
    round.count() % 2 == 0
}

/// The same sheet with its outlines filled, to be engraved.
fn filled(svg: &str) -> String {
    svg.replace("stroke='red'", "fill='black'")
}

fn engraving(fill: &str) -> Job {
    let text = format!(
        "tinkite = 1\nmachine = \"m\"\n[[artwork]]\nfile = \"a.svg\"\n[place]\nat = [\"60 mm\", \"60 mm\"]\n[[step]]\ntake = {{ fill = \"black\" }}\nmake = \"engrave\"\nspeed = \"40 mm/s\"\npower = \"50 %\"\noverlaps = \"even-odd\"\n{fill}\n"
    );
    let machine = machine::read("m", MACHINE).unwrap();
    job::read("job", &text, machine).unwrap_or_else(|p| panic!("{p:#?}\n{text}"))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn engraving_covers_its_area_and_nothing_else(
        parts in prop::collection::vec((0u8..6, 8.0..18.0f64, 0usize..3), 1..5),
        angle in 0.0..180.0f64,
        how in 0u8..4,
    ) {
        let spacing = 0.13;
        let lines = format!("lines = {{ spacing = \"{spacing} mm\", angle = \"{angle} deg\"");
        let fill = match how {
            0 => format!("{lines} }}"),
            1 => format!("{lines}, islands = \"one-by-one\" }}"),
            2 => format!("{lines} }}\nshoulder = {{ over = \"1 mm\", from = \"10 %\" }}"),
            _ => format!("rings = {{ spacing = \"{spacing} mm\" }}"),
        };
        let (svg, depths) = sheet(&parts);
        let svg = filled(&svg);
        let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
        let compiled = compile(art, &engraving(&fill), &Choice::default()).unwrap();
        let outlines = drawn(&svg, &compiled);
        let polygons: Vec<Polygon> =
            outlines.iter().map(|outline| Polygon::new(outline.flatten(0.001))).collect();
        let area: f64 = polygons
            .iter()
            .zip(&depths)
            .map(|(polygon, depth)| if depth % 2 == 0 { polygon.area() } else { -polygon.area() })
            .sum();
        let mut length = 0.0;
        let mut astray: Option<Point> = None;
        let segments = compiled.within.planned().segments();
        let walked: Result<(), Problem> = segments.walk(|segment| {
            if let Act::Move(way) = segment.act
                && way.level.is_lit()
            {
                let (from, piece) = segments.piece(&way);
                length += piece.length(from);
                let p = piece.point_at(from, 0.5);
                let inside = polygons.iter().filter(|polygon| polygon.contains(p)).count() % 2 == 1;
                let near = || outlines.iter().any(|o| o.at(o.nearest(p)).0.distance(p) < 0.02);
                if !inside && !near() {
                    astray = Some(p);
                }
            }
            Ok(())
        });
        prop_assert!(walked.is_ok());
        prop_assert!(astray.is_none(), "{astray:?} lies outside what is filled");
        // Rings that meet in the middle leave, or share, up to half a spacing there.
        let slack = if how == 3 { 0.03 } else { 0.01 };
        prop_assert!((length * spacing / area - 1.0).abs() < slack, "{} of {area}", length * spacing);
    }
}
