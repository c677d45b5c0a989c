//! Programs cut into files: each is a whole program by itself, no larger than it may be, and
//! together they burn what the one program burns.

use proptest::prelude::*;
use std::fmt::Write as _;
use std::io;
use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::program::measure::Measure;
use tinkite_core::program::{Comments, Pages, Program};
use tinkite_core::{Choice, artwork, compile};

const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");

/// Files in memory.
#[derive(Default)]
struct Files(Vec<Vec<u8>>);

impl Pages for Files {
    fn put(&mut self, bytes: &[u8]) -> io::Result<()> {
        if self.0.is_empty() {
            self.0.push(Vec::new());
        }
        self.0.last_mut().unwrap().extend_from_slice(bytes);
        Ok(())
    }

    fn turn(&mut self) -> io::Result<()> {
        self.0.push(Vec::new());
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[derive(Debug, Clone)]
struct Random {
    shapes: Vec<(u8, f64, f64, f64)>,
    largest: u64,
    own: (u8, u8),
    zero: &'static str,
    dialect: &'static str,
    comments: bool,
    crlf: bool,
    air: bool,
    slow: bool,
}

fn randoms() -> impl Strategy<Value = Random> {
    // A curve reaches two of its radii and a little more below its beginning, and stays on the page.
    let shape = (0u8..3, 10.0..140.0f64, 10.0..140.0f64, 1.0..8.0f64);
    (
        proptest::collection::vec(shape, 1..60),
        4000u64..9000,
        (0u8..20, 0u8..60),
        prop::sample::select(vec!["bed", "head", "stock"]),
        prop::sample::select(vec!["grbl", "ngc", "reprap"]),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
        any::<bool>(),
    )
        .prop_map(|(shapes, largest, own, zero, dialect, comments, crlf, air, slow)| Random {
            shapes,
            largest,
            own,
            zero,
            dialect,
            comments,
            crlf,
            air,
            slow,
        })
}

fn drawing(shapes: &[(u8, f64, f64, f64)]) -> String {
    let mut svg = String::from(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="160mm" height="160mm" viewBox="0 0 160 160" fill="none" stroke="red"><path d="M1 1h2"/>"#,
    );
    for (kind, x, y, r) in shapes {
        let _ = match kind {
            0 => write!(svg, "<circle cx='{x}' cy='{y}' r='{r}'/>"),
            1 => write!(svg, "<path d='M{x} {y}l{r} {r}l{r} -{r}'/>"),
            _ => write!(svg, "<path d='M{x} {y}q{r} 3 4 {r}t{r} 1' stroke='blue'/>"),
        };
    }
    svg + "</svg>"
}

/// The programs of a job in files of at most `largest`, and in one; and how it is read.
fn written(random: &Random, largest: bool) -> Result<(Files, machine::Machine), String> {
    let mut profile = MACHINE.replace("\"grbl\"", &format!("\"{}\"", random.dialect));
    if random.dialect == "reprap" {
        profile = profile
            .replace("full    = 1000", "full    = 255\nlevels = 256")
            .replace("floor   = 10 ", "floor   = 2 ")
            .replace("follows-speed = true", "follows-speed = false")
            .replace("as = \"rapid\"", "as = \"feed\"\nspeed = \"150 mm/s\"");
    }
    let list = |n: u8| format!("[{}]", "\"G4 P0\", ".repeat(n.into()));
    let _ = write!(
        profile,
        "\n[program]\nopening = {}\nclosing = {}\nline-ends = \"{}\"\n",
        list(random.own.0),
        list(random.own.1),
        if random.crlf { "crlf" } else { "lf" }
    );
    if largest {
        let _ = writeln!(profile, "largest = \"{} bytes\"", random.largest);
    }
    let machine = machine::read("m", &profile).unwrap_or_else(|p| panic!("{p:#?}"));
    let ramp = if random.slow { "ramp = { slow = \"60 %\" }" } else { "" };
    let text = format!(
        "tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n[place]\nzero = \"{}\"\n[[step]]\ntake = {{ colour = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\nair = {}\n{ramp}\n[[step]]\ntake = {{ colour = \"blue\" }}\nmake = \"score\"\nspeed = \"60 mm/s\"\npower = \"30 %\"\n",
        random.zero, random.air
    );
    let job = job::read("job", &text, machine.clone()).unwrap_or_else(|p| panic!("{p:#?}"));
    let mut job = job;
    if !random.shapes.iter().any(|(kind, ..)| *kind > 1) {
        job.steps.truncate(1);
    }
    let art = artwork::read("a.svg", drawing(&random.shapes).as_bytes(), &Default::default());
    let compiled =
        compile(art.unwrap(), &job, &Choice::default()).map_err(|p| format!("{p:#?}"))?;
    let comments = if random.comments { Comments::Full } else { Comments::None };
    let mut files = Files::default();
    let done = Program::new(compiled.within).write_pages(comments, &mut files);
    done.map(|()| (files, machine)).map_err(|error| error.to_string())
}

/// Burnt length, and the rectangle burnt, of a program by itself. It begins and ends dark.
fn read(text: &[u8], machine: &machine::Machine, from: [f64; 2]) -> (f64, [f64; 2]) {
    let lines: Vec<&[u8]> = text.split(|b| *b == b'\n').collect();
    let first_move =
        lines.iter().position(|line| line.starts_with(b"G0") || line.starts_with(b"G1"));
    let off = lines.iter().position(|line| line.starts_with(b"M5") || line.starts_with(b"M107"));
    assert!(off < first_move, "it moves before the beam is off");
    let mut measure = Measure::new("p", Some(machine), None);
    let mut at = [from[0], from[1], 0.0, 0.0, 0.0, 0.0];
    at[2..].fill(0.0);
    measure = measure.standing(at, &[[0.0; 6]]);
    lines.iter().for_each(|line| measure.line(line));
    let stands = measure.stands();
    let report = measure.finish();
    let told: Vec<&str> = report.problems.iter().map(|p| p.code.text()).collect();
    let lit = ["lit-start", "lit-travel", "lit-at-end", "lit-pause", "dwell-lit", "lit-lift"];
    assert!(!told.iter().any(|code| lit.contains(code)), "{told:?}");
    assert!(report.beam_off_at_end);
    (report.burn, [stands[0], stands[1]])
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(60) })]

    #[test]
    fn files_are_whole_programs_within_their_size(random in randoms()) {
        let (whole, machine) = written(&random, false).unwrap();
        prop_assert_eq!(whole.0.len(), 1);
        let (all, ended) = read(&whole.0[0], &machine, [0.0; 2]);
        match written(&random, true) {
            // The lines of the profile's own and the head of a file take what there is.
            Err(told) => prop_assert!(told.contains("largest in [program]"), "{told}"),
            Ok((files, machine)) => {
                let mut burnt = 0.0;
                let mut at = [0.0; 2];
                for file in &files.0 {
                    prop_assert!(file.len() as u64 <= random.largest, "{} of {}", file.len(), random.largest);
                    let (burn, stands) = read(file, &machine, at);
                    burnt += burn;
                    at = stands;
                }
                prop_assert!((burnt - all).abs() < 0.01, "{burnt} {all}");
                let away = (at[0] - ended[0]).hypot(at[1] - ended[1]);
                prop_assert!(away < 1e-6, "ends at {at:?} and not at {ended:?}");
                prop_assert!(files.0.len() > 1 || whole.0[0].len() as u64 + 700 > files.0[0].len() as u64);
                if (whole.0[0].len() as u64) < random.largest / 2 {
                    prop_assert_eq!(files.0.len(), 1, "it fits into one");
                }
            }
        }
    }
}
