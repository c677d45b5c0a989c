//! How long jobs take: what is planned, against a board written apart and against the rig, on random
//! curves with pierces, lifts, kerf, leads, bridges and every kind of ramp.

use crate::board::Board;
use proptest::prelude::*;
use proptest::test_runner::FileFailurePersistence;
use std::fmt::Write as _;
use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::problem::Severity;
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, artwork, compile};
use tinkite_rig::{Rig, Setup};

const MACHINE: &str = r#"
tinkite = 1
name = "A fast board"
corner = "0.01 mm"
[bed]
width = "400 mm"
depth = "300 mm"
[axis.x]
top-speed = "500 mm/s"
acceleration = "3000 mm/s2"
[axis.y]
top-speed = "400 mm/s"
acceleration = "2000 mm/s2"
[axis.z]
top-speed = "20 mm/s"
acceleration = "150 mm/s2"
range = ["-10 mm", "20 mm"]
[travel]
as = "rapid"
CLEARANCE
[beam]
full = 1000
floor = 10
ceiling = "90 %"
width = "0.08 mm"
follows-speed = true
[air]
on = "M8"
off = "M9"
[link]
dialect = "grbl"
"#;

/// The machine's settings as a board says them.
const BOARD: Board = Board {
    top: [500.0, 400.0, 20.0],
    acceleration: [3000.0, 2000.0, 150.0],
    deviation: 0.01,
    arc: 0.002,
    places: 15,
};

#[derive(Debug, Clone)]
struct Random {
    /// Closed curves: where, how large, how the outline swings.
    curves: Vec<(f64, [f64; 8])>,
    speed: f64,
    kerf: f64,
    lead: Option<f64>,
    pierce: Option<f64>,
    clearance: bool,
    bridges: Option<u8>,
    passes: u8,
    slow: Option<f64>,
    ends: Option<(f64, f64)>,
}

fn randoms() -> impl Strategy<Value = Random> {
    let curve = (4.0..16.0f64, proptest::array::uniform8(0.4..1.6f64));
    (
        proptest::collection::vec(curve, 1..9),
        10.0..400.0f64,
        prop_oneof![Just(0.0), 0.05..0.5f64],
        prop::option::of(0.5..3.0f64),
        prop::option::of(0.05..0.5f64),
        any::<bool>(),
        prop::option::of(1u8..4),
        1u8..3,
        prop::option::of(20.0..95.0f64),
        prop::option::of((20.0..89.0f64, 0.5..6.0f64)),
    )
        .prop_map(
            |(curves, speed, kerf, lead, pierce, clearance, bridges, passes, slow, ends)| Random {
                curves,
                speed,
                kerf,
                lead,
                pierce,
                clearance,
                bridges,
                passes,
                slow,
                ends,
            },
        )
}

/// A sheet of smooth closed curves through eight points each, some with a corner.
fn drawing(curves: &[(f64, [f64; 8])]) -> String {
    let mut svg = String::from(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="240mm" height="120mm" viewBox="0 0 240 120" fill="none" stroke="red">"#,
    );
    for (n, (size, swings)) in curves.iter().enumerate() {
        let (x, y) = (30.0 + (n % 4) as f64 * 60.0, 30.0 + (n / 4) as f64 * 60.0);
        let at = |k: usize| {
            let angle = k as f64 * std::f64::consts::TAU / 8.0;
            let r = size * swings[k % 8];
            (x + r * angle.cos(), y + r * angle.sin())
        };
        let _ = write!(svg, "<path d='M{} {}", at(0).0, at(0).1);
        for k in 0..8 {
            let (before, from, to, after) = (at(k + 7), at(k), at(k + 1), at(k + 2));
            let handle = |a: (f64, f64), b: (f64, f64), share: f64| {
                ((b.0 - a.0) * share, (b.1 - a.1) * share)
            };
            let (out, back) = (handle(before, to, 1.0 / 6.0), handle(from, after, 1.0 / 6.0));
            // Every third curve has a corner where it begins.
            let back = if n % 3 == 2 && k == 7 { (0.0, 0.0) } else { back };
            let _ = write!(
                svg,
                " C{} {} {} {} {} {}",
                from.0 + out.0,
                from.1 + out.1,
                to.0 - back.0,
                to.1 - back.1,
                to.0,
                to.1
            );
        }
        svg += "Z'/>";
    }
    svg + "</svg>"
}

fn job_text(random: &Random) -> String {
    let mut text = format!(
        "tinkite = 1\nmachine = \"m\"\n[[artwork]]\nfile = \"a.svg\"\n[place]\nat = [\"40 mm\", \"40 mm\"]\n[[step]]\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"{} mm/s\"\npower = \"50 %\"\nkerf = \"{} mm\"\npasses = {}\n",
        random.speed, random.kerf, random.passes
    );
    if let Some(lead) = random.lead {
        let _ = writeln!(text, "lead-in = {{ length = \"{lead} mm\", shape = \"arc\" }}");
    }
    if let Some(dwell) = random.pierce {
        let _ = writeln!(text, "pierce = {{ power = \"40 %\", dwell = \"{dwell:.3} s\" }}");
    }
    if let Some(count) = random.bridges {
        let _ = writeln!(text, "bridges = {{ count = {count}, width = \"0.8 mm\" }}");
    }
    let mut ramp = Vec::new();
    ramp.extend(random.slow.map(|slow| format!("slow = \"{slow} %\"")));
    ramp.extend(random.ends.map(|(from, over)| {
        format!("start = {{ from = \"{from} %\", over = \"{over} mm\" }}, end = {{ to = \"{from} %\", over = \"{over} mm\" }}")
    }));
    if !ramp.is_empty() {
        let _ = writeln!(text, "ramp = {{ {} }}", ramp.join(", "));
    }
    text
}

/// How long the rig takes, s.
fn on_the_rig(program: &str) -> f64 {
    let mut rig = Rig::new(Setup {
        top_speed: [BOARD.top[0], BOARD.top[1], 360.0],
        acceleration: [BOARD.acceleration[0], BOARD.acceleration[1], 3600.0],
        focus: [BOARD.top[2], BOARD.acceleration[2]],
        corner: BOARD.deviation,
        ..Setup::default()
    });
    for line in program.lines() {
        rig.receive(format!("{line}\n").as_bytes());
        while rig.is_full() {
            rig.advance_to_next();
        }
    }
    while rig.advance_to_next() {}
    let said = String::from_utf8_lossy(&rig.take_output()).into_owned();
    assert!(!said.contains("error") && !said.contains("ALARM"), "{said}");
    assert!(!rig.beam_on());
    rig.now()
}

/// What is planned, and the program; nothing where the random settings are refused.
fn planned(random: &Random) -> Option<(f64, String)> {
    let clearance = if random.clearance { "clearance = \"2 mm\"" } else { "" };
    let machine = machine::read("m", &MACHINE.replace("CLEARANCE", clearance)).unwrap();
    let job = job::read("job", &job_text(random), machine).unwrap();
    let drawn = drawing(&random.curves);
    let art = artwork::read("a.svg", drawn.as_bytes(), &Default::default()).unwrap();
    match compile(art, &job, &Choice::default()) {
        Ok(compiled) => {
            let seconds = compiled.within.planned().totals.seconds();
            let mut text = Vec::new();
            Program::new(compiled.within).write(Comments::None, &mut text).unwrap();
            Some((seconds, String::from_utf8(text).unwrap()))
        }
        // Slow together with the start of a ramp may fall below the floor.
        Err(problems) => {
            let fair = |code: &str| ["below-floor", "over-ceiling", "bridge-room"].contains(&code);
            let errors = problems.iter().filter(|p| p.severity == Severity::Error);
            assert!(errors.map(|p| p.code.text()).all(fair), "{problems:#?}");
            None
        }
    }
}

fn config() -> ProptestConfig {
    let kept = FileFailurePersistence::Direct("tests/times.proptest-regressions");
    ProptestConfig { cases: 64, failure_persistence: Some(Box::new(kept)), ..Default::default() }
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn a_plan_a_board_written_apart_and_the_rig_take_the_same_time(random in randoms()) {
        let Some((plan, program)) = planned(&random) else { return Ok(()) };
        let (board, rig) = (BOARD.seconds(&program), on_the_rig(&program));
        if std::env::var_os("TIMES").is_some() {
            eprintln!("{:8.2} plan/board {:.5} plan/rig {:.5}  {:.0} mm/s", plan, plan / board, plan / rig, random.speed);
        }
        prop_assert!((plan / board - 1.0).abs() < 0.01, "plan {plan}, board {board}, rig {rig}");
        prop_assert!((plan / rig - 1.0).abs() < 0.01, "plan {plan}, board {board}, rig {rig}");
    }
}
