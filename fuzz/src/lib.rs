//! What the fuzz targets do with their bytes.

use tinkite_core::artwork::{self, layers::layers, trouble};
use tinkite_core::job;
use tinkite_core::machine;
use tinkite_core::program::measure::{Explainer, Measure};
use tinkite_core::program::{Comments, Program};
use tinkite_core::{Choice, Wishes, compile, starter};

/// Curves and lines this near to what was drawn, mm: coarse, so that more inputs are tried.
const TOLERANCE: f64 = 0.05;

/// Lets through what libraries throw and the core catches; everything else is a find.
fn watch() {
    static ONCE: std::sync::Once = std::sync::Once::new();
    ONCE.call_once(|| {
        let abort = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            if !tinkite_core::shield::is_shielded() {
                abort(info);
            }
        }));
    });
}

/// Reads artwork, measures it and looks for trouble.
pub fn artwork(bytes: &[u8]) {
    watch();
    let Ok(art) = artwork::read("fuzzed", bytes, &Default::default()) else { return };
    let far = art.shapes.len() > 2000;
    if far {
        return;
    }
    let _ = layers(&art, TOLERANCE);
    let _ = trouble(&art, TOLERANCE);
    if !art.format.is_solid()
        && let Ok(machine) = machine::read("m", MACHINE)
    {
        let _ = starter(&[("fuzzed".to_string(), art)], &machine, "m", &Wishes::default());
    }
}

/// Reads a job file and runs it on a small drawing.
pub fn job(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let Ok(machine) = machine::read("m", MACHINE) else { return };
    let Ok(job) = job::read("fuzzed.kite.toml", text, machine) else { return };
    let copies = &job.placement.copies;
    if copies.columns * copies.rows > 20 || copies.count.is_some_and(|n| n > 20) {
        return;
    }
    let Ok(art) = artwork::read("a.svg", DRAWING.as_bytes(), &Default::default()) else { return };
    let artworks = vec![art; job.artworks.len().min(3)];
    let letters = &artwork::NoLetters;
    let given = tinkite_core::layout::Given { artworks, letters, table: None };
    let Ok(compiled) = compile(given, &job, &Choice::default()) else { return };
    if compiled.within.planned().totals.moves > 200_000 {
        return;
    }
    let mut out = Vec::new();
    assert!(Program::new(compiled.within).write(Comments::Full, &mut out).is_ok());
    let mut measure = Measure::new("a.nc", Some(&job.machine), None);
    if job.placement.zero != tinkite_core::job::Zero::Bed || job.round.is_some() {
        measure = measure.anywhere();
    }
    out.split(|byte| *byte == b'\n').for_each(|line| measure.line(line));
    let report = measure.finish();
    // No error that the job's own checks did not tell.
    assert!(!report.problems.refuse(), "{:?}", report.problems);
}

/// Reads a machine profile, and makes a program for it when it is one.
pub fn profile(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let Ok(machine) = machine::read("fuzzed.machine.toml", text) else { return };
    let round = if machine.rotary.is_some() { ROUND } else { "" };
    let Ok(job) = job::read("a.kite.toml", &JOB.replace("ROUND", round), machine) else { return };
    let Ok(art) = artwork::read("a.svg", DRAWING.as_bytes(), &Default::default()) else { return };
    let Ok(compiled) = compile(art, &job, &Choice::default()) else { return };
    // A slow machine and a fine spot can make very many moves of a ramp.
    if compiled.within.planned().totals.moves > 200_000 {
        return;
    }
    let mut out = Vec::new();
    let program = Program::new(compiled.within);
    assert!(program.write(Comments::Full, &mut out).is_ok());
    let text = String::from_utf8_lossy(&out);
    assert!(!text.contains("NaN") && !text.contains("inf\n"), "{text}");
    let mut measure = Measure::new("a.nc", Some(&job.machine), None);
    text.lines().for_each(|line| measure.line(line.as_bytes()));
    let report = measure.finish();
    assert!(report.beam_off_at_end && report.seconds.is_finite(), "{text}");
}

/// Reads any bytes as a machine program: measured, held against a machine, explained.
pub fn program(bytes: &[u8]) {
    let Ok(machine) = machine::read("m", MACHINE) else { return };
    let mut measure = Measure::new("fuzzed.nc", Some(&machine), Some(50.0));
    let mut alone = Measure::new("fuzzed.nc", None, None);
    let mut explainer = Explainer::new(None);
    for line in bytes.split(|byte| *byte == b'\n') {
        measure.line(line);
        alone.line(line);
        let _ = explainer.line(line);
    }
    let (measured, alone) = (measure.finish(), alone.finish());
    assert!(measured.seconds >= 0.0 && !measured.burn.is_nan() && !alone.seconds.is_nan());
}

const JOB: &str = r##"tinkite = 1
machine = "m"
ROUND
[[artwork]]
file = "a.svg"
[place]
zero = "stock"
[[step]]
take = { fill = "#1a1a1a" }
make = "engrave"
speed = "50 mm/s"
power = "20 %"
lines = { spacing = "2 mm" }
[[step]]
take = { stroke = "red" }
make = "cut"
speed = "10 mm/s"
power = "20 %"
ramp = { slow = "15 %" }
pierce = { power = "20 %", dwell = "0.1 s" }
"##;

const ROUND: &str =
    "[rotary]\nhold = \"chuck\"\nprofile = [[\"0 mm\", \"60 mm\"], [\"45 mm\", \"70 mm\"]]\n";

const MACHINE: &str = include_str!("../../demo/bench-laser.machine.toml");

const DRAWING: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30" fill="none">
<rect id="r" x="2" y="2" width="36" height="26" stroke="#ff0000"/><circle id="c" cx="12" cy="15" r="5" fill="#1a1a1a"/>
<path id="p" d="M20 10 C25 5 30 25 35 15" stroke="#0000ff"/><path id="q" d="M20 20 H30 V25 H20 Z" fill="#1a1a1a" stroke="#ff0000"/></svg>"##;
