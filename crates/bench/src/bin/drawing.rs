//! Writes a synthetic drawing, its job and its machine into a folder, for measuring whole calls:
//! `cargo run --release -p tinkite-bench --bin drawing -- 10000 FOLDER`, or `plate 0.0001 FOLDER`
//! for an engraved plate with that line spacing in mm.

use std::path::Path;
use tinkite_bench::{confetti, confetti_dxf, confetti_job, confetti_pdf, hall, plate, plate_job};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = args.iter().map(String::as_str).collect();
    let (folder, files) = match words[..] {
        ["plate", spacing, folder] => (
            folder,
            vec![
                ("plate.svg", plate().to_string()),
                ("plate.kite.toml", plate_job(spacing.parse()?)),
            ],
        ),
        [paths, folder] => (
            folder,
            vec![
                ("confetti.svg", confetti(paths.parse()?)),
                ("confetti.dxf", confetti_dxf(paths.parse()?, false)),
                ("confetti-loose.dxf", confetti_dxf(paths.parse()?, true)),
                ("confetti.pdf", confetti_pdf(paths.parse()?)),
                ("confetti.kite.toml", confetti_job().to_string()),
            ],
        ),
        _ => {
            return Err(
                "say a number of paths and a folder, or plate, a spacing and a folder".into()
            );
        }
    };
    std::fs::create_dir_all(folder)?;
    for (name, text) in files.into_iter().chain([("hall.machine.toml", hall().to_string())]) {
        std::fs::write(Path::new(folder).join(name), text)?;
    }
    Ok(())
}
