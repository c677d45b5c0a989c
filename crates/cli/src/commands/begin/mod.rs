//! `tinkite begin`.

mod ask;

use crate::args::Begin;
use crate::console::Console;
use crate::door;
use std::io::Write;
use std::path::{Path, PathBuf};
use tinkite_core::RENDER_DPI;
use tinkite_core::Wishes;
use tinkite_core::artwork::{Artwork, Reading, Render, Unread};
use tinkite_core::geometry::Point;
use tinkite_core::job::recipe::Shelf;
use tinkite_core::problem::{Code, Problems, Remedy};
use tinkite_core::quantity::{Length, parse};
use tinkite_core::{Deed, Said, Setting, SettingKey, Started, starter};
use tinkite_files::books;
use tinkite_files::call::JobCall;
use tinkite_files::load;
use tinkite_files::machines;
use tinkite_files::output::Output;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::{Begun, BegunJson};

pub(super) fn run(args: &Begin, console: &Console) -> Result<(), Refusal> {
    if args.files.iter().any(|file| file.as_os_str() == "-") {
        return Err(Refusal::Usage(
            "begin needs a drawing that the job can name; save it to a file".into(),
        ));
    }
    let beside = || args.files[0].with_extension("kite.toml");
    let path = args.output.clone().unwrap_or_else(beside);
    let to_stdout = path.as_os_str() == "-";
    let output = if to_stdout { None } else { Some(Output::create(&path, args.writing.into())?) };
    let how = load::plain_reading();
    let folder = load::folder_of(&path);
    let mut drawings = Vec::new();
    for file in &args.files {
        let artwork = render(file, load::drawing(file, &how)?)?;
        drawings.push((relative(file, &folder).display().to_string(), artwork));
    }
    let machine = load::typed_machine(&args.machine, &path, &mut Sources::new())?;
    let (material, thickness) = material(args);
    let mut wishes = Wishes {
        width: args.width,
        height: args.height,
        fit: args.fit,
        at: args.at.map(|[x, y]| Point::new(x, y)),
        thickness,
        shelf: if material.is_some() { books::shelf(&folder)? } else { Shelf::default() },
        material,
        steps: args.steps.map(usize::from),
        said: said(args),
        settings: settings(args),
        zero: args.zero,
    };
    if drawings.len() > 1 && (wishes.width.is_some() || wishes.height.is_some()) {
        return Err(Refusal::Usage(
            "--width and --height are for one drawing; several keep their sizes to each other"
                .into(),
        ));
    }
    let start = |wishes: &Wishes| {
        starter(&drawings, &machine, &args.machine, wishes)
            .map_err(|problems| Refusal::Problems(problems, Sources::new()))
    };
    let mut started = start(&wishes)?;
    if let Some(colour) = only_colour(&started)
        && output.is_some()
        && let Some(said) = ask::ask(colour, console)?
    {
        wishes.said = said;
        started = start(&wishes)?;
    }
    let Started { text, sizes, decisions, mut problems } = started;
    machines::name_larger(&mut problems, &folder);
    let problems: Problems = problems
        .into_iter()
        .map(|mut problem| {
            if matches!(problem.remedy, Some(Remedy::LargerBed(_))) {
                problem.help += "; --fit makes it smaller";
            }
            problem
        })
        .collect();
    let Some(output) = output else {
        console.result(&text)?;
        door::show(&problems, &Sources::new(), console);
        return Ok(());
    };
    let written = output.write(|out| out.write_all(text.as_bytes()))?;
    let time = seconds(&path, &drawings);
    if console.json {
        let begun = Begun { sizes: &sizes, decisions: &decisions, seconds: time };
        return console.json(&BegunJson::of(&written.path, &begun, &problems));
    }
    console.result(&written.words())?;
    let begun = Begun { sizes: &sizes, decisions: &decisions, seconds: time };
    console.result(&begun.text(&machine, console.colours_out(), console.unit))?;
    door::show(&problems, &Sources::new(), console);
    let shown = written.path.display();
    console.say(&format!(
        "next: tinkite plan {shown}, or the same call with --force and another word"
    ));
    Ok(())
}

/// Drawings of more shapes than this are planned when somebody asks for it: that takes longer than to begin them.
const QUICKLY_PLANNED: usize = 3000;

/// How long the job takes, where it plans.
fn seconds(job: &Path, drawings: &[(String, Artwork)]) -> Option<f64> {
    let shapes: usize = drawings.iter().map(|(_, artwork)| artwork.shapes.len()).sum();
    let bitmaps = drawings.iter().any(|(_, artwork)| !artwork.images.is_empty());
    if shapes > QUICKLY_PLANNED || bitmaps {
        return None;
    }
    let made = load::make(&JobCall::whole(job.to_path_buf(), None)).ok()?;
    Some(made.compiled.within.planned().totals.seconds())
}

/// The material and its thickness, also where both are said as one: `card 0.3 mm`.
fn material(args: &Begin) -> (Option<String>, Option<f64>) {
    let Some(material) = &args.material else { return (None, args.thickness) };
    let words: Vec<&str> = material.split_whitespace().collect();
    for from in 1..words.len() {
        if args.thickness.is_none()
            && let Ok(Length(mm)) = parse(&words[from..].join(" "))
            && mm > 0.0
        {
            return (Some(words[..from].join(" ")), Some(mm));
        }
    }
    (Some(material.clone()), args.thickness)
}

/// What is said of the drawing's parts.
fn said(args: &Begin) -> Vec<Said> {
    let all = [
        (Deed::Engrave, &args.engrave),
        (Deed::Score, &args.score),
        (Deed::Cut, &args.cut),
        (Deed::LeaveOut, &args.leave_out),
    ];
    let one = |(deed, whats): (Deed, &Vec<String>)| -> Vec<Said> {
        whats.iter().map(|what| Said { deed, what: what.clone() }).collect()
    };
    all.into_iter().flat_map(one).collect()
}

/// What is said of the steps.
fn settings(args: &Begin) -> Vec<Setting> {
    let all = [
        (SettingKey::Speed, &args.speed),
        (SettingKey::Power, &args.power),
        (SettingKey::Passes, &args.passes),
        (SettingKey::Recipe, &args.recipe),
    ];
    all.into_iter()
        .flat_map(|(key, values)| {
            let setting = move |(of, value): &(Option<String>, String)| Setting {
                key,
                of: of.clone(),
                value: value.clone(),
            };
            values.iter().map(setting)
        })
        .collect()
}

/// The colour of a drawing that has one colour of lines and nothing else, where nothing was said of it.
fn only_colour(started: &Started) -> Option<&str> {
    let [only] = started.decisions.as_slice() else { return None };
    let lines = only.make.is_some_and(|make| make != "engrave") && only.what.len() == 1;
    only.what.first().filter(|_| lines && !only.said).map(String::as_str)
}

/// The drawing with what masks, filters and the like change drawn as the page shows it, where there is such;
/// coarser when it is too large.
fn render(file: &Path, artwork: Artwork) -> Result<Artwork, Refusal> {
    if !artwork.faint.any() && artwork.unread.iter().all(|(unread, _)| *unread != Unread::Effect) {
        return Ok(artwork);
    }
    for coarser in [1, 2, 4] {
        let dpi = f64::from(RENDER_DPI / coarser);
        let how = Reading { render: Some(Render { dpi, takes: None }), ..load::plain_reading() };
        let drawn = load::drawing(file, &how)?;
        if drawn.problems.iter().all(|problem| problem.code != Code::HugeBitmap) {
            return Ok(drawn);
        }
    }
    Ok(artwork)
}

/// The drawing as the job must name it, whose paths count from the job's folder.
fn relative(file: &Path, folder: &Path) -> PathBuf {
    // An empty path is the folder we are in, which has no absolute form of its own.
    let absolute = |path: &Path| {
        std::path::absolute(Path::new(".").join(path)).unwrap_or_else(|_| path.to_path_buf())
    };
    let (file, folder) = (absolute(file), absolute(folder));
    let shared = file.components().zip(folder.components()).take_while(|(a, b)| a == b).count();
    let up = folder.components().skip(shared).map(|_| std::path::Component::ParentDir);
    up.chain(file.components().skip(shared)).collect()
}
