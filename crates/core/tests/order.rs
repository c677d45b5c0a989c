//! Order: rules that are kept by every sequence, and travel held against all sequences of few paths.

use proptest::prelude::*;
use std::fmt::Write as _;
use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, artwork, compile};

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");

/// The program of red lines, scored in an order.
fn program(body: &str, order: &str) -> String {
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="200mm" viewBox="0 0 200 200" fill="none" stroke="red">{body}</svg>"#
    );
    let text = format!(
        "tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n[[step]]\ntake = {{ colour = \"red\" }}\nmake = \"score\"\nspeed = \"20 mm/s\"\npower = \"40 %\"\norder = {order}\n"
    );
    let machine = machine::read("m", MACHINE).unwrap();
    let job = job::read("job", &text, machine).unwrap_or_else(|p| panic!("{p:#?}"));
    let art = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let compiled = compile(art, &job, &Choice::default()).unwrap_or_else(|p| panic!("{p:#?}"));
    let mut out = Vec::new();
    Program::new(compiled.within).write(Comments::None, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

/// Travel moves of a program: from where, to where.
fn travels(program: &str) -> Vec<[(f64, f64); 2]> {
    let (mut at, mut motion, mut all) = ((0.0, 0.0), "G0".to_string(), Vec::new());
    for line in program.lines() {
        let number = |letter: char| {
            let rest = line.split_once(letter)?.1;
            let end = rest.find(|c: char| !"-.0123456789".contains(c)).unwrap_or(rest.len());
            rest[..end].parse::<f64>().ok()
        };
        if let Some(word) = line.get(..2).filter(|word| ["G0", "G1", "G2", "G3"].contains(word)) {
            motion = word.to_string();
        }
        let to = (number('X').unwrap_or(at.0), number('Y').unwrap_or(at.1));
        if to != at {
            if motion == "G0" {
                all.push([at, to]);
            }
            at = to;
        }
    }
    all
}

fn far(a: (f64, f64), b: (f64, f64)) -> f64 {
    (a.0 - b.0).hypot(a.1 - b.1)
}

/// The shortest way to run all of `lines`, each from either end, from the zero.
fn shortest(lines: &[[(f64, f64); 2]], at: (f64, f64), gone: f64, best: &mut f64) {
    if lines.is_empty() {
        *best = best.min(gone);
        return;
    }
    for n in 0..lines.len() {
        let mut rest = lines.to_vec();
        let [a, b] = rest.swap_remove(n);
        for (from, to) in [(a, b), (b, a)] {
            let way = gone + far(at, from);
            if way < *best {
                shortest(&rest, to, way, best);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(40) })]

    /// Of all sequences of a few open lines none is shorter than the one that is found.
    #[test]
    fn few_lines_are_run_in_the_shortest_order(ends in proptest::collection::vec((0u8..190, 0u8..190, 1i8..10, -9i8..10), 2..7)) {
        let mut body = String::new();
        let lines: Vec<[(f64, f64); 2]> = ends.iter().map(|(x, y, dx, dy)| {
            let (x, y) = (f64::from(*x), f64::from(*y));
            let (tx, ty) = (x + f64::from(*dx), (y + f64::from(*dy)).max(0.0));
            let _ = write!(body, "<path d='M{x} {y}L{tx} {ty}'/>");
            [(x, 200.0 - y), (tx, 200.0 - ty)]
        }).collect();
        let text = program(&body, "\"nearest\"");
        // The last move is the way home.
        let ways = travels(&text);
        let home = ways.last().filter(|way| way[1] == (0.0, 0.0)).map_or(0.0, |way| far(way[0], way[1]));
        let travel: f64 = ways.iter().map(|way| far(way[0], way[1])).sum::<f64>() - home;
        let mut best = f64::MAX;
        shortest(&lines, (0.0, 0.0), 0.0, &mut best);
        prop_assert!(travel >= best - 0.01, "{travel} is shorter than the shortest, {best}");
        prop_assert!(travel <= best + 0.01, "{travel}, and the shortest is {best}\n{text}");
    }

    /// Squares in squares, anywhere: whatever lies inside comes first, and parts stay together where
    /// that was asked for.
    #[test]
    fn inside_first_and_part_by_part_are_kept(parts in proptest::collection::vec((0u8..4, 0u8..4, 1u8..5), 1..9)) {
        let mut cells = std::collections::BTreeMap::new();
        for (column, row, depth) in parts {
            cells.insert((column, row), depth);
        }
        let mut body = String::new();
        for ((column, row), depth) in &cells {
            let (x, y) = (f64::from(*column) * 50.0 + 25.0, f64::from(*row) * 50.0 + 25.0);
            for ring in 1..=*depth {
                let r = f64::from(ring) * 4.0;
                let _ = write!(body, "<rect x='{}' y='{}' width='{}' height='{}'/>", x - r, y - r, 2.0 * r, 2.0 * r);
            }
        }
        for order in ["holes-first", "part-by-part"] {
            let text = program(&body, &format!("\"{order}\""));
            // Where each path begins says which cell and which ring it is.
            let begun: Vec<((u8, u8), u8)> = travels(&text).iter().filter(|way| way[1] != (0.0, 0.0)).map(|way| {
                let (x, y) = (way[1].0, 200.0 - way[1].1);
                let cell = ((x / 50.0) as u8, (y / 50.0) as u8);
                let (dx, dy) = (x - f64::from(cell.0) * 50.0 - 25.0, y - f64::from(cell.1) * 50.0 - 25.0);
                (cell, (dx.abs().max(dy.abs()) / 4.0).round() as u8)
            }).collect();
            prop_assert_eq!(begun.len(), cells.values().map(|depth| *depth as usize).sum::<usize>());
            for (cell, depth) in &cells {
                let rings: Vec<u8> = begun.iter().filter(|(c, _)| c == cell).map(|(_, ring)| *ring).collect();
                prop_assert_eq!(rings, (1..=*depth).collect::<Vec<_>>(), "{}", order);
                if order == "part-by-part" {
                    let first = begun.iter().position(|(c, _)| c == cell).unwrap();
                    prop_assert!(begun[first..first + *depth as usize].iter().all(|(c, _)| c == cell));
                }
            }
        }
    }

    /// Towards an edge: parts nearer to the opposite one first.
    #[test]
    fn parts_follow_each_other_towards_the_edge_that_is_asked_for(places in proptest::collection::vec((0u8..38, 0u8..38), 1..20)) {
        let mut body = String::new();
        for (x, y) in &places {
            let _ = write!(body, "<path d='M{} {}h2'/>", x * 5, y * 5);
        }
        for (word, across, away) in
            [("upwards", 0.0, 1.0), ("downwards", 0.0, -1.0), ("rightwards", 1.0, 0.0), ("leftwards", -1.0, 0.0)]
        {
            let text = program(&body, &format!("\"{word}\""));
            let ways = travels(&text);
            let begun = ways.iter().filter(|way| way[1] != (0.0, 0.0));
            // A line of 2 mm may begin at either end: its middle is what counts across.
            let at: Vec<f64> = begun.map(|way| across * (way[1].0 / 5.0).floor() * 5.0 + away * way[1].1).collect();
            prop_assert!(at.windows(2).all(|pair| pair[0] <= pair[1] + 1e-9), "{word}: {at:?}");
        }
    }
}

#[test]
fn ids_that_are_listed_go_first_and_in_that_order() {
    let body: String = (0..6)
        .map(|n| format!("<path id='p{n}' d='M{} {}h5'/>", 10 + n * 30, 10 + (n * 70) % 180))
        .collect();
    let text = program(&body, "[\"p4\", \"p1\", \"p5\"]");
    let begun: Vec<usize> = travels(&text)
        .iter()
        .filter(|way| way[1] != (0.0, 0.0))
        .map(|way| ((way[1].0 - 5.0) / 30.0) as usize)
        .collect();
    assert_eq!(begun[..3], [4, 1, 5]);
    let mut rest = begun[3..].to_vec();
    rest.sort_unstable();
    assert_eq!(rest, [0, 2, 3]);
}
