//! Holds packed sheets against a general packing search:
//! `cargo run --release -p tinkite-bench --bin packing -- TINKITE FOLDER SHEETS SECONDS`.
//!
//! SHEETS is how many, or which, as in `8..12`. Writes each with its job into the folder, lets the program TINKITE plan
//! it, and searches for so many seconds itself. `bench-laser.machine.toml` has to lie in the folder.

use rayon::prelude::*;
use std::io::Write;
use std::path::Path;
use std::process::Command;
use std::time::{Duration, Instant};
use tinkite_bench::packing::{WIDTH, area, drawing, job, mixture, search_for};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [tool, folder, sheets, seconds] = &args[..] else {
        return Err("say the program, a folder, how many sheets, and for how many seconds".into());
    };
    let (first, after) = sheets.split_once("..").unwrap_or(("0", sheets));
    let sheets = first.parse::<u64>()?..after.parse::<u64>()?;
    let seconds: u64 = seconds.parse()?;
    let mut ours = Vec::new();
    for number in sheets.clone() {
        let kinds = mixture(number);
        for (n, kind) in kinds.iter().enumerate() {
            std::fs::write(Path::new(folder).join(format!("{n}.svg")), drawing(kind))?;
        }
        std::fs::write(Path::new(folder).join("a.kite.toml"), job(&kinds))?;
        let begun = Instant::now();
        let ran = Command::new(tool).args(["plan", "a.kite.toml"]).current_dir(folder).output()?;
        let took = begun.elapsed();
        let told = String::from_utf8_lossy(&ran.stderr).replace(['│', '\n'], " ");
        let told = told.split_whitespace().collect::<Vec<_>>().join(" ");
        let depth: Option<f64> = told
            .split(" mm of the stock's depth are used")
            .next()
            .and_then(|before| before.rsplit(' ').next())
            .and_then(|depth| depth.parse().ok());
        let one = told.contains("laid by outline") && !told.contains("this is sheet");
        ours.push((kinds, depth.filter(|_| one).ok_or(told)?, took));
    }
    let theirs: Vec<f64> = ours
        .par_iter()
        .enumerate()
        .map(|(n, (kinds, ..))| {
            search_for(kinds, Duration::from_secs(seconds), 7 + sheets.start + n as u64)
        })
        .collect();
    let mut out = std::io::stdout().lock();
    writeln!(out, "sheet parts   ours: depth, filled, time   searched: depth, filled   ratio")?;
    let mut ratios = Vec::new();
    for (n, ((kinds, depth, took), other)) in sheets.zip(ours.iter().zip(theirs)) {
        let filled = |depth: f64| 100.0 * area(kinds) / (WIDTH * depth);
        let count: usize = kinds.iter().map(|kind| kind.count).sum();
        let ratio = other / depth;
        ratios.push(ratio);
        writeln!(
            out,
            "{n:5} {count:5}   {depth:7.1} mm {:5.1} % {:5.2} s   {other:7.1} mm {:5.1} %   {ratio:.3}",
            filled(*depth),
            took.as_secs_f64(),
            filled(other)
        )?;
    }
    ratios.sort_by(f64::total_cmp);
    let mean = ratios.iter().sum::<f64>() / ratios.len() as f64;
    writeln!(out, "ratio of densities: least {:.3}, mean {mean:.3}", ratios[0])?;
    Ok(())
}
