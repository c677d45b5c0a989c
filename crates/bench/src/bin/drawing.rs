//! Writes a synthetic drawing, its job and its machine into a folder, for measuring whole calls:
//! `cargo run --release -p tinkite-bench --bin drawing -- 10000 FOLDER`, or `plate 0.0001 FOLDER`
//! for an engraved plate with that line spacing in mm, or `work FOLDER` for parts to cut, a star to
//! engrave with rings and shoulders, and a picture of 3,000 × 2,000 pixels.

use std::path::Path;
use tinkite_bench::{
    confetti, confetti_dxf, confetti_job, confetti_pdf, hall, parts, parts_job, picture,
    picture_job, plate, plate_job, star, star_jobs,
};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let words: Vec<&str> = args.iter().map(String::as_str).collect();
    let (folder, files): (&str, Vec<(&str, String)>) = match words[..] {
        ["work", folder] => {
            std::fs::create_dir_all(folder)?;
            std::fs::write(Path::new(folder).join("picture.bmp"), picture(3000, 2000))?;
            let mut files = vec![
                ("parts.svg", parts(100)),
                ("parts.kite.toml", parts_job()),
                ("star.svg", star(2000)),
                ("picture.kite.toml", picture_job()),
            ];
            files.extend(star_jobs());
            (folder, files)
        }
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
                "say a number of paths and a folder; plate, a spacing and a folder; or work and a folder"
                    .into()
            );
        }
    };
    std::fs::create_dir_all(folder)?;
    for (name, text) in files.into_iter().chain([("hall.machine.toml", hall().to_string())]) {
        std::fs::write(Path::new(folder).join(name), text)?;
    }
    Ok(())
}
