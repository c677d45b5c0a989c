//! `tinkite photo`: a photo of the bed, flat and true to size.

use crate::args::Photo;
use crate::console::Console;
use crate::defaults;
use crate::door;
use serde::Serialize;
use std::path::PathBuf;
use tinkite_core::geometry::{Point, Rect};
use tinkite_core::machine::Machine;
use tinkite_core::photo::FlatPhoto;
use tinkite_core::picture::{self, Canvas};
use tinkite_core::problem::Problems;
use tinkite_core::quantity::plain;
use tinkite_files::kind::{self, FileKind};
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::png;
use tinkite_report::table::table;
use tinkite_report::{micron, problems_json};

#[derive(Debug, Serialize)]
struct PhotoJson {
    file: String,
    machine: String,
    /// How far each known place lies from where the flat photo shows it; `None` where there are only four.
    worst_mm: Option<f64>,
    coarsest_mm_per_pixel: f64,
    /// The coefficient of the lens.
    lens: f64,
    places: Vec<PlaceJson>,
    picture: Option<String>,
    problems: Vec<tinkite_report::ProblemJson>,
}

#[derive(Debug, Serialize)]
struct PlaceJson {
    photo_px: [f64; 2],
    bed_mm: [f64; 2],
    off_mm: Option<f64>,
}

/// A photo with what is known of it.
struct Known {
    path: PathBuf,
    corners: Vec<Point>,
    found: Vec<Point>,
    machine: Machine,
}

pub(super) fn run(args: &Photo, console: &Console) -> Result<(), Refusal> {
    if let Some(path) = &args.output {
        png::kind_of(path)?;
    }
    let mut known = known_places(args)?;
    let (flat, _, corners) =
        load::flat_photo(&known.path, &known.corners, &known.found, &known.machine)?;
    known.corners = corners;
    let problems = Problems::from(flat.problem());
    let written = match &args.output {
        None => None,
        Some(path) => {
            let on_bed: Vec<Point> = known.found.iter().map(|p| known.machine.on_bed(*p)).collect();
            let window = args.window.map(|[x0, y0, x1, y1]| {
                let corner = |x, y| known.machine.on_bed(Point::new(x, y));
                Rect::from_points(corner(x0, y0), corner(x1, y1))
            });
            let canvas = Canvas { width: args.size.0, height: args.size.1 };
            let sheet = || picture::photo_sheet(&flat, &known.machine, &on_bed, window, canvas);
            Some(png::write(path, args.writing.into(), sheet)?)
        }
    };
    if console.json {
        let picture = written.map(|written| written.path.display().to_string());
        return console.json(&json(&known, &flat, picture, &problems));
    }
    console.result(&text(&known, &flat))?;
    if args.places.is_empty() && args.marks.is_empty() {
        door::show(&problems, &Sources::new(), console);
    }
    match written {
        Some(written) => door::wrote(&written, &Problems::new(), &Sources::new(), console),
        None => Ok(()),
    }
}

/// What is known, from the call or from a job.
fn known_places(args: &Photo) -> Result<Known, Refusal> {
    let mut sources = Sources::new();
    if kind::is(&args.picture, FileKind::Job)? {
        if !args.places.is_empty() || !args.marks.is_empty() {
            let why =
                "the job says the places of its photo; --place and --mark are for a photo alone";
            return Err(Refusal::Usage(why.into()));
        }
        let loaded = load::job(&args.picture, args.machine.as_deref(), &[])?;
        let Some(photo) = loaded.job.photo else {
            return Err(Refusal::Usage(format!("{} has no [photo]", args.picture.display())));
        };
        let path = load::folder_of(&args.picture).join(&photo.file);
        let machine = loaded.job.machine;
        return Ok(Known { path, corners: photo.corners, found: photo.found, machine });
    }
    let Some(machine) = defaults::machine(args.machine.as_ref())? else {
        return Err(Refusal::Usage(
            "it is laid on the bed of a machine, so say --machine NAME".into(),
        ));
    };
    if !args.marks.is_empty() {
        let machine = load::typed_machine(&machine, &args.picture, &mut sources)?;
        let found = args.marks.iter().map(|[x, y]| Point::new(*x, *y)).collect();
        return Ok(Known { path: args.picture.clone(), corners: Vec::new(), found, machine });
    }
    if args.places.len() < 4 {
        return Err(Refusal::Usage(format!(
            "{} places are known, and four are the least: --place \"112,1290 = 0,0\", pixels on the photo and mm on the machine's axes, once for each",
            args.places.len()
        )));
    }
    let machine = load::typed_machine(&machine, &args.picture, &mut sources)?;
    let corners = args.places.iter().map(|[x, y, ..]| Point::new(*x, *y)).collect();
    let found = args.places.iter().map(|[.., x, y]| Point::new(*x, *y)).collect();
    Ok(Known { path: args.picture.clone(), corners, found, machine })
}

fn json(
    known: &Known,
    flat: &FlatPhoto,
    picture: Option<String>,
    problems: &Problems,
) -> PhotoJson {
    let places = known.corners.iter().zip(&known.found).enumerate();
    PhotoJson {
        file: known.path.display().to_string(),
        machine: known.machine.name.clone(),
        worst_mm: flat.trueness.worst().map(micron),
        coarsest_mm_per_pixel: micron(flat.trueness.coarsest),
        lens: flat.lens.k,
        places: places
            .map(|(n, (on_photo, on_bed))| PlaceJson {
                photo_px: [on_photo.x, on_photo.y],
                bed_mm: [micron(on_bed.x), micron(on_bed.y)],
                off_mm: flat.trueness.off.get(n).copied().map(micron),
            })
            .collect(),
        picture,
        problems: problems_json(problems),
    }
}

fn text(known: &Known, flat: &FlatPhoto) -> String {
    let number = |v: f64| plain(v, 2);
    let rows = known.corners.iter().zip(&known.found).enumerate().map(|(n, (photo, bed))| {
        let off = flat.trueness.off.get(n).map_or(String::new(), |off| number(*off));
        vec![
            (n + 1).to_string(),
            number(photo.x),
            number(photo.y),
            number(bed.x),
            number(bed.y),
            off,
        ]
    });
    let header = ["place", "photo px", "down", "X mm", "Y mm", "off mm"];
    let pair = |p: &Point, unit: &str| match unit {
        "" => format!("[{}, {}]", number(p.x), number(p.y)),
        _ => format!("[\"{} {unit}\", \"{} {unit}\"]", number(p.x), number(p.y)),
    };
    let list = |points: &[Point], unit| {
        points.iter().map(|p| pair(p, unit)).collect::<Vec<_>>().join(", ")
    };
    format!(
        "{} on {}: {}\n\n{}\n\nfor a job:\n\n[photo]\nfile    = \"{}\"\ncorners = [{}]\nfound   = [{}]",
        known.path.display(),
        known.machine.name,
        flat.words(),
        table(&header, rows.collect::<Vec<_>>(), &[0, 1, 2, 3, 4, 5]),
        flat.name,
        list(&known.corners, ""),
        list(&known.found, "mm")
    )
}
