//! `tinkite swatch read`: the picture of a burnt sheet becomes figures.

use crate::args::SwatchRead;
use crate::console::Console;
use serde::Serialize;
use std::sync::Arc;
use tinkite_core::artwork::{self, Bitmap};
use tinkite_core::job::swatch::{Swatch, SwatchKind};
use tinkite_core::job::{ToneCurve, tone_curve};
use tinkite_core::picture;
use tinkite_core::problem::{Code, Location, Problem};
use tinkite_core::quantity::{PowerSetpoint, parse_power, plain};
use tinkite_core::scan::{self, MOST_PIXELS, Scan};
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_files::source;
use tinkite_report::micron;
use tinkite_report::png;
use tinkite_report::table::table;

#[derive(Debug, Serialize)]
struct ReadJson {
    file: String,
    /// By how many degrees the picture is turned clockwise.
    turned_deg: u32,
    mirrored: bool,
    pixels_per_mm: f64,
    /// Light of the darkest corner as a share of the brightest, in percent.
    light_percent: f64,
    squares: Vec<SquareJson>,
    /// The square nearest to the darkness that was asked for.
    nearest: Option<String>,
    /// Darkness and power in percent.
    tone_percent: Option<Vec<[f64; 2]>>,
}

#[derive(Debug, Serialize)]
struct SquareJson {
    name: String,
    /// What was varied, as the sheet says it.
    values: Vec<String>,
    darkness_percent: Option<f64>,
    uneven_percent: Option<f64>,
    edge_percent: Option<f64>,
}

/// A sheet with what was read of it.
pub(super) struct Read {
    pub(super) swatch: Swatch,
    pub(super) scan: Scan,
    pub(super) curve: Option<ToneCurve>,
}

pub(super) fn run(args: &SwatchRead, console: &Console) -> Result<(), Refusal> {
    if let Some(path) = &args.output {
        png::kind_of(path)?;
    }
    let wanted = args.darkness.as_deref().map(darkness).transpose()?;
    let read = of(args, console)?;
    let near = wanted.and_then(|wanted| nearest(&read.scan, wanted));
    if let Some(path) = &args.output {
        let title = format!("{} on {}", args.job.display(), args.picture.display());
        let written = png::write(path, args.writing.into(), || {
            picture::sheet_chart(&read.swatch, &read.scan, near, read.curve.as_ref(), &title)
        })?;
        if !console.json {
            console.result(&written.words())?;
        }
    }
    if console.json {
        return console.json(&json(args, &read, near));
    }
    console.result(&text(&read, near, wanted))
}

/// Reads job and picture.
fn of(args: &SwatchRead, console: &Console) -> Result<Read, Refusal> {
    let loaded = load::job(&args.job, None, &[])?;
    let Some(swatch) = loaded.job.swatch.clone() else {
        return Err(Refusal::Usage(format!(
            "{} is no test sheet: it has no [swatch]",
            args.job.display()
        )));
    };
    let picture = picture_of(args)?;
    let shown = args.picture.display().to_string();
    let scan = scan::read(&swatch, &picture).map_err(|problem| {
        Refusal::Problems(problem.at(Location::file(&shown)).into(), Sources::new())
    })?;
    let curve = match swatch.kind {
        SwatchKind::Greys => {
            let beam = &loaded.job.machine.beam;
            let share = |value: &String| {
                let asked = parse_power(value.trim_matches('"')).ok()?;
                tinkite_core::source::share(beam, asked).ok().map(|power| power.0)
            };
            let pairs: Vec<(f64, f64)> = swatch
                .cells
                .iter()
                .zip(&scan.cells)
                .filter_map(|(cell, found)| Some((share(cell.values.first()?)?, (*found)?.mean)))
                .collect();
            match tone_curve(&pairs) {
                Ok(curve) => Some(curve),
                Err(why) => {
                    console.say(&format!("no tone curve: {why}"));
                    None
                }
            }
        }
        _ => None,
    };
    Ok(Read { swatch, scan, curve })
}

fn picture_of(args: &SwatchRead) -> Result<Arc<Bitmap>, Refusal> {
    let shown = args.picture.display().to_string();
    let bytes = source::bytes(&args.picture, artwork::LARGEST_FILE)?;
    let refuse = |what: String, help: &str| {
        let problem = Problem::error(Code::Scan, what, help).at(Location::file(&shown));
        Refusal::Problems(problem.into(), Sources::new())
    };
    // Before anything is decoded: a huge picture would fill the memory.
    if let Some((width, height)) = artwork::bitmap_size(&bytes)
        && u64::from(width) * u64::from(height) > MOST_PIXELS
    {
        return Err(refuse(
            format!(
                "the picture has {width} x {height} pixels, and a sheet needs no more than 60 million"
            ),
            "scan it with 200 to 600 dpi",
        ));
    }
    let art = artwork::read(&shown, &bytes, &load::plain_reading())
        .map_err(|problems| Refusal::Problems(problems, Sources::new()))?;
    let bitmap = art.images.first().and_then(|image| image.bitmap.clone());
    match bitmap {
        Some(bitmap) if art.format.is_bitmap() => Ok(bitmap),
        _ => Err(refuse(
            format!("this is {}, and no scan or photo", art.format.name()),
            "name a PNG, JPEG, BMP, GIF or TIFF",
        )),
    }
}

/// A share of black: `60 %`.
fn darkness(text: &str) -> Result<f64, Refusal> {
    match parse_power(text) {
        Ok(PowerSetpoint::Share(share)) if (0.0..=1.0).contains(&share) => Ok(share),
        _ => Err(Refusal::Usage(format!(
            "--darkness \"{text}\" is no darkness: write for example \"60 %\""
        ))),
    }
}

fn nearest(scan: &Scan, wanted: f64) -> Option<usize> {
    let off = |n: &usize| scan.cells[*n].map_or(f64::INFINITY, |found| (found.mean - wanted).abs());
    (0..scan.cells.len())
        .filter(|n| scan.cells[*n].is_some())
        .min_by(|a, b| off(a).total_cmp(&off(b)))
}

fn json(args: &SwatchRead, read: &Read, near: Option<usize>) -> ReadJson {
    let percent = |share: f64| micron(share * 100.0);
    let square =
        |(cell, found): (&tinkite_core::job::swatch::Cell, &Option<scan::Darkness>)| SquareJson {
            name: cell.name.clone(),
            values: cell.values.iter().map(|value| value.trim_matches('"').to_string()).collect(),
            darkness_percent: found.map(|found| percent(found.mean)),
            uneven_percent: found.map(|found| percent(found.uneven)),
            edge_percent: found.map(|found| percent(found.edge)),
        };
    let scan = &read.scan;
    ReadJson {
        file: args.picture.display().to_string(),
        turned_deg: scan.quarters * 90,
        mirrored: scan.mirrored,
        pixels_per_mm: micron(scan.pixels_per_mm),
        light_percent: percent(scan.evenness),
        squares: read.swatch.cells.iter().zip(&scan.cells).map(square).collect(),
        nearest: near.map(|n| read.swatch.cells[n].name.clone()),
        tone_percent: read
            .curve
            .as_ref()
            .map(|curve| curve.0.iter().map(|(d, p)| [percent(*d), percent(*p)]).collect()),
    }
}

fn text(read: &Read, near: Option<usize>, wanted: Option<f64>) -> String {
    let scan = &read.scan;
    let mut lines = vec![format!(
        "{} squares read at {} pixels to the mm; the light of the darkest corner is {} % of the brightest",
        scan.cells.iter().flatten().count(),
        plain(scan.pixels_per_mm, 1),
        plain(scan.evenness * 100.0, 0)
    )];
    match (scan.mirrored, scan.quarters) {
        (true, _) => lines.push("the picture is mirrored; it is read all the same".into()),
        (false, 0) => {}
        (false, quarters) => {
            lines.push(format!(
                "the picture is turned by {} deg; it is read all the same",
                quarters * 90
            ));
        }
    }
    lines.push(String::new());
    let percent = |share: f64| plain(share * 100.0, 1);
    let mut header: Vec<String> = vec!["square".into()];
    header.extend(read.swatch.varied.iter().map(|one| one.title()));
    header.extend(["darkness %", "uneven %", "char at its edge %"].map(String::from));
    let row = |(cell, found): (&tinkite_core::job::swatch::Cell, &Option<scan::Darkness>)| {
        let mut row = vec![cell.name.clone()];
        // The unit stands in the heading.
        row.extend(cell.values.iter().map(|value| {
            value.trim_matches('"').split(' ').next().unwrap_or_default().to_string()
        }));
        row.extend(match found {
            Some(found) => {
                [percent(found.mean), percent(found.uneven), percent(found.edge.max(0.0))]
            }
            None => ["blank".into(), String::new(), String::new()],
        });
        row
    };
    let rows = read.swatch.cells.iter().zip(&scan.cells).map(row).collect();
    let header: Vec<&str> = header.iter().map(String::as_str).collect();
    let numbers: Vec<usize> = (1..header.len()).collect();
    lines.push(table(&header, rows, &numbers));
    if let (Some(near), Some(wanted)) = (near, wanted) {
        let cell = &read.swatch.cells[near];
        let found = scan.cells[near].map_or(0.0, |found| found.mean);
        lines.push(String::new());
        lines.push(format!(
            "nearest to {} %: {} with {} %, burnt with {}",
            plain(wanted * 100.0, 1),
            cell.name,
            percent(found),
            read.swatch
                .varied
                .iter()
                .zip(&cell.values)
                .map(|(one, value)| format!("{} {}", one.key, value.trim_matches('"')))
                .collect::<Vec<_>>()
                .join(", ")
        ));
    }
    if let Some(curve) = &read.curve {
        lines.push(String::new());
        lines.push(format!("tone = {}", curve.toml()));
        lines.push("in image = { … } of a step it makes greys as dark as they are meant".into());
    }
    lines.join("\n")
}

/// The tone curve that a picture of a wedge gives, as TOML.
pub(super) fn tone_of(
    job: &std::path::Path,
    picture: &std::path::Path,
    console: &Console,
) -> Result<String, Refusal> {
    let args = SwatchRead {
        job: job.to_path_buf(),
        picture: picture.to_path_buf(),
        darkness: None,
        output: None,
        writing: crate::args::Writing::default(),
    };
    let read = of(&args, console)?;
    let curve = read.curve.ok_or_else(|| {
        Refusal::Usage(format!("{} gives no tone curve: its kind is not greys", job.display()))
    })?;
    Ok(curve.toml())
}
