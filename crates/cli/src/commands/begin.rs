//! `tinkite begin`.

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
use tinkite_core::{Started, starter};
use tinkite_files::books;
use tinkite_files::load;
use tinkite_files::machines;
use tinkite_files::output::Output;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::BegunJson;

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
    let wishes = Wishes {
        width: args.width,
        height: args.height,
        fit: args.fit,
        at: args.at.map(|[x, y]| Point::new(x, y)),
        material: args.material.clone(),
        thickness: args.thickness,
        shelf: if args.material.is_some() { books::shelf(&folder)? } else { Shelf::default() },
        steps: args.steps.map(usize::from),
    };
    if drawings.len() > 1 && (wishes.width.is_some() || wishes.height.is_some()) {
        return Err(Refusal::Usage(
            "--width and --height are for one drawing; several keep their sizes to each other"
                .into(),
        ));
    }
    let Started { text, sizes, mut problems } =
        starter(&drawings, &machine, &args.machine, &wishes)
            .map_err(|problems| Refusal::Problems(problems, Sources::new()))?;
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
    if console.json {
        return console.json(&BegunJson::of(&written.path, &sizes, &problems));
    }
    door::wrote(&written, &problems, &Sources::new(), console)?;
    console.say("next: read it, change it, then tinkite plan");
    Ok(())
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
