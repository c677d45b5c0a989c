//! What the fuzz targets do with their bytes.

use tinkite_core::artwork::{self, Format, layers::layers, trouble};
use tinkite_core::job::{self, machine, starter};
use tinkite_core::{Choice, compile};

/// Curves and lines this near to what was drawn, mm: coarse, so that more inputs are tried.
const TOLERANCE: f64 = 0.05;

/// Lets through what libraries throw and the core catches; everything else is a find.
fn watch() {
    static ONCE: std::sync::Once = std::sync::Once::new();
    ONCE.call_once(|| {
        let abort = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |info| {
            if !tinkite_core::shield::shielded() {
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
    if art.format != Format::Stl
        && let Ok(machine) = machine::read("m", MACHINE)
    {
        let _ = starter(&[("fuzzed".to_string(), art)], &machine, "m");
    }
}

/// Reads a job file and runs it on a small drawing.
pub fn job(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    let Ok(machine) = machine::read("m", MACHINE) else { return };
    let Ok(job) = job::read("fuzzed.kite.toml", text, machine) else { return };
    let copies = job.placement.copies;
    if copies.columns * copies.rows > 20 || copies.count.is_some_and(|n| n > 20) {
        return;
    }
    let Ok(art) = artwork::read("a.svg", DRAWING.as_bytes(), &Default::default()) else { return };
    let artworks = vec![art; job.artworks.len().min(3)];
    let fonts = &artwork::NoFonts;
    let given = tinkite_core::layout::Given { artworks, fonts };
    let _ = compile(given, &job, &Choice::default());
}

const MACHINE: &str = include_str!("../../crates/cli/demo/bench-laser.machine.toml");

const DRAWING: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="30mm" viewBox="0 0 40 30" fill="none">
<rect id="r" x="2" y="2" width="36" height="26" stroke="#ff0000"/><circle id="c" cx="12" cy="15" r="5" fill="#1a1a1a"/>
<path id="p" d="M20 10 C25 5 30 25 35 15" stroke="#0000ff"/><path id="q" d="M20 20 H30 V25 H20 Z" fill="#1a1a1a" stroke="#ff0000"/></svg>"##;
