//! The law of a rest: what is burnt before a place and what its rest burns are together what the whole
//! program burns. Programs are random and use whatever the standard lets them leave unsaid.

use super::*;
use proptest::prelude::*;

const STILL: Standing = Standing { at: [0.0; 6], offset: [0.0; 6] };

fn machine() -> Machine {
    let text = include_str!("../../../../demo/bench-laser.machine.toml");
    tinkite_machine::read("bench-laser", text).unwrap()
}

/// What is burnt: from, to, S and speed of each motion, an arc as eight chords.
fn burnt(program: &str, dialect: Dialect, began: Standing) -> Vec<([f64; 3], [f64; 3], f64, f64)> {
    let mut trail = Trail::new(dialect, began.at, began.offset);
    let lines = program.lines();
    let ways = lines.flat_map(|line| trail.line(line.as_bytes()).motions);
    let lit = ways.filter(|way| way.s > 0.0 && way.length() > 1e-9);
    lit.flat_map(|way| chords(&way, 0.0)).collect()
}

fn chords(way: &LineMotion, share: f64) -> Vec<([f64; 3], [f64; 3], f64, f64)> {
    let parts = if matches!(way.piece, Piece::Arc { .. }) { 8 } else { 1 };
    let at = |n: usize| {
        let at = way.at(share + (1.0 - share) * n as f64 / f64::from(parts as u8));
        [at[0], at[1], at[3]]
    };
    (0..parts).map(|n| (at(n), at(n + 1), way.s, way.speed)).collect()
}

fn same(a: &[([f64; 3], [f64; 3], f64, f64)], b: &[([f64; 3], [f64; 3], f64, f64)]) -> bool {
    let near = |p: [f64; 3], q: [f64; 3]| (0..3).all(|n| (p[n] - q[n]).abs() < 3e-3);
    a.len() == b.len()
        && a.iter().zip(b).all(|(a, b)| {
            near(a.0, b.0)
                && near(a.1, b.1)
                && a.2 == b.2
                && (a.3 == b.3 || (a.3 / b.3 - 1.0).abs() < 0.02)
        })
}

/// A line of a program: as terse as can be.
fn line() -> impl Strategy<Value = String> {
    let n = || (0_i32..2000).prop_map(|n| format!("{:.2}", f64::from(n) / 100.0));
    let s = || prop_oneof![2 => Just(String::new()), 2 => (1_u32..1000).prop_map(|s| format!("S{s}")), 1 => Just("S0".into())];
    let f =
        || prop_oneof![3 => Just(String::new()), 1 => (60_u32..6000).prop_map(|f| format!("F{f}"))];
    let g =
        |codes: &'static [&'static str]| proptest::sample::select(codes).prop_map(str::to_string);
    prop_oneof![
        8 => (g(&["", "", "G1", "G0"]), n(), n(), f(), s()).prop_map(|(g, x, y, f, s)| format!("{g}X{x}Y{y}{f}{s}")),
        2 => (g(&["", "G1"]), n(), s()).prop_map(|(g, x, s)| format!("{g}X{x}{s}")),
        3 => (g(&["G2", "G3"]), 1_u32..200, s()).prop_map(|(g, r, s)| format!("{g}I{}J0{s}", f64::from(r) / 20.0)),
        2 => g(&["M3", "M4", "M4", "M5"]),
        1 => g(&["M8", "M9", "M7", "G54", "M42P1S255", "(a part)", "", "G4P0.2"]),
        1 => g(&["G90", "G91", "G21", "G20"]),
        1 => s(),
        1 => f(),
    ]
}

proptest! {
    #[test]
    fn before_and_rest_are_together_the_whole(
        lines in proptest::collection::vec(line(), 1..40),
        cut in any::<prop::sample::Index>(),
        share in prop_oneof![Just(0.0), 0.01..0.99_f64],
        from in (0.0..200.0_f64, 0.0..200.0_f64),
    ) {
        let program = format!("G21G90M4S0\nG1F1000\n{}\nM5S0\nM2\n", lines.join("\n"));
        let count = program.lines().count();
        let number = cut.index(count) + 1;
        let mut trail = Trail::new(Dialect::Grbl, [0.0; 6], [0.0; 6]);
        let mut before = Vec::new();
        let mut share_of = 0.0;
        for (n, line) in program.lines().enumerate().take(number) {
            let ways = trail.line(line.as_bytes()).motions;
            for way in ways {
                let last = n + 1 == number;
                if last {
                    share_of = share;
                }
                if !last && way.s > 0.0 && way.length() > 1e-9 {
                    before.extend(chords(&way, 0.0));
                }
            }
        }
        let place = Place { line: number as u32, way: 0, share: share_of };
        let now = Standing { at: [from.0, from.1, 0.0, 0.0, 0.0, 0.0], offset: [0.0; 6] };
        let mut out = Vec::new();
        let machine = machine();
        let resumed = rest(program.as_bytes(), place, STILL, now, &machine, &mut out).unwrap();
        let out = String::from_utf8(out).unwrap();
        let mut whole = burnt(&program, Dialect::Grbl, STILL).split_off(before.len());
        // The motion that was cut is left from the place on.
        if share_of > 0.0 {
            let mut trail = Trail::new(Dialect::Grbl, [0.0; 6], [0.0; 6]);
            let ways = program.lines().take(number).map(|line| trail.line(line.as_bytes()));
            let cut = ways.last().unwrap().motions[0];
            if cut.s > 0.0 && cut.length() > 1e-9 {
                let parts = chords(&cut, 0.0).len();
                whole.splice(..parts, chords(&cut, share_of));
            }
        }
        let left = burnt(&out, Dialect::Grbl, now);
        prop_assert!(same(&left, &whole), "{program}\n---\n{out}\n{left:?}\n{whole:?}");
        prop_assert_eq!(resumed.next as usize, number + 1);
        let behind = program.lines().count() - number;
        prop_assert_eq!(out.lines().count(), resumed.head as usize + behind);
        // Nothing is lit before the head is there.
        let mut trail = Trail::new(Dialect::Grbl, now.at, now.offset);
        let head: Vec<LineMotion> = out
            .lines()
            .take(resumed.head as usize)
            .flat_map(|line| trail.line(line.as_bytes()).motions)
            .collect();
        prop_assert!(head.iter().filter(|way| way.s > 0.0).count() <= 1);
    }
}
