//! `tinkite draw`.

use crate::args::{Draw, ShowArg};
use crate::console::Console;
use crate::defaults;
use crate::door;
use crate::watch::{self, WatchResult};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;
use tinkite_core::ColourBy;
use tinkite_core::artwork::Artwork;
use tinkite_core::geometry::Rect;
use tinkite_core::picture::{self, BurntMark, Canvas, Look, Show, Words};
use tinkite_core::problem::{Code, Location, Problem, Problems};
use tinkite_core::program::measure::{Measure, span};
use tinkite_core::quantity::{LengthUnit, clock, plain};
use tinkite_files::config;
use tinkite_files::kind::{self, FileKind};
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::look::Looked;
use tinkite_report::{gif, png, sheet};

pub(super) fn run(args: &Draw, console: &Console) -> Result<(), Refusal> {
    if !args.watch {
        return once(args, console).map(|_| ());
    }
    if !is_job(&args.job.job) {
        return Err(Refusal::Usage("--watch is for jobs".into()));
    }
    let mut args = args.clone();
    let jobs = [args.job.job.clone()];
    let content = |path: &Path| {
        std::fs::read(path).ok().map(|bytes| tinkite_core::checksum::checksum(&bytes))
    };
    let mut own: Option<String> = None;
    let result = args.output.clone();
    watch::again_and_again(&jobs, Some(&result), console, || {
        let there = content(&args.output);
        if own.is_some() && there.is_some() && there != own {
            let shown = args.output.display();
            let why = format!("{shown} is no longer the picture that was drawn: move it away");
            return Err(Refusal::Usage(why));
        }
        let outcome = once(&args, console)?;
        // From now on the picture that is there is its own.
        args.writing.force = true;
        own = content(&args.output);
        Ok(outcome)
    })
}

/// Draws it once; says what of.
fn once(args: &Draw, console: &Console) -> Result<WatchResult, Refusal> {
    let sheet = png::is_sheet(&args.output) && !args.trouble;
    let plays = png::is_playback(&args.output) && !args.trouble;
    let whole_job = is_job(&args.job.job) && !args.trouble && args.show.is_none();
    if !plays && !sheet {
        png::kind_of(&args.output).map_err(|refusal| match refusal {
            Refusal::Usage(why) if whole_job => Refusal::Usage(format!(
                "{why}; of a whole job also a .gif that plays it, or a .html for the machine"
            )),
            other => other,
        })?;
    }
    let canvas = Canvas { width: args.size.0, height: args.size.1 };
    if args.trouble {
        return trouble(args, canvas, console).map(|()| WatchResult::default());
    }
    if args.names {
        return names(args, canvas, console).map(|()| WatchResult::default());
    }
    if plays && args.show.is_some() {
        return Err(Refusal::Usage("a playback shows steps; --show is for .svg and .png".into()));
    }
    if sheet && (args.show.is_some() || args.window.is_some()) {
        let why = "a sheet shows the whole job by steps; --show and --window are for .svg and .png";
        return Err(Refusal::Usage(why.into()));
    }
    if !is_job(&args.job.job) {
        return program(args, canvas, console).map(|()| WatchResult::default());
    }
    let mut made = load::make(&args.job.call()?)?;
    load::lay_photo(&mut made)?;
    made.compiled.colour_by = match args.colour_by {
        config::ColourBy::Steps => ColourBy::Steps,
        config::ColourBy::Drawing => ColourBy::Drawing,
    };
    let outcome = WatchResult::of(&made);
    if sheet {
        let written = sheet::write(&args.output, args.writing.into(), &made)?;
        let problems = load::locate(made.compiled.problems, &made.sources);
        return door::wrote(&written, &problems, &made.sources, console).map(|()| outcome);
    }
    if let Some(show @ (ShowArg::Depth | ShowArg::Tones)) = args.show {
        return result(args, show, made, canvas, console).map(|()| outcome);
    }
    let show = args.show.and_then(|show| match show {
        ShowArg::Power => Some(Show::Power),
        ShowArg::Speed => Some(Show::Speed),
        ShowArg::Order => Some(Show::Order),
        ShowArg::Time => Some(Show::Time),
        ShowArg::Depth | ShowArg::Tones => None,
    });
    let window = args.window.map(|[x0, y0, x1, y1]| Rect::new(x0, y0, x1, y1));
    if let Some(window) = window {
        let problem = beyond(window, &made);
        made.compiled.problems.extend(problem.map(Problems::from).unwrap_or_default());
    }
    let look = Look { canvas, show, window };
    let written = if plays {
        gif::write(&args.output, args.writing.into(), &made, &look, args.play, &|text| {
            console.say(text)
        })?
    } else {
        png::write(&args.output, args.writing.into(), || {
            picture::job(&made.compiled, &made.job, &look)
        })?
    };
    let problems = load::locate(made.compiled.problems, &made.sources);
    door::wrote(&written, &problems, &made.sources, console).map(|()| outcome)
}

/// A window in which nothing of the job lies shows an empty picture: that is told.
fn beyond(window: Rect, made: &load::Made) -> Option<Problem> {
    let flat = made.job.round.is_none();
    let burnt = made.compiled.within.planned().totals.burnt.filter(|_| flat)?;
    let burnt = made.job.frame().rect(burnt);
    let shown = Rect::new(
        window.x0.min(window.x1),
        window.y0.min(window.y1),
        window.x0.max(window.x1),
        window.y0.max(window.y1),
    );
    if shown.overlaps(burnt) {
        return None;
    }
    let message = "the window shows nothing of the job, which lies elsewhere";
    let at = |p: f64| plain(p, 1);
    let help = format!(
        "it lies from {}, {} to {}, {} mm on the machine's axes",
        at(burnt.x0),
        at(burnt.y0),
        at(burnt.x1),
        at(burnt.y1)
    );
    let problem = Problem::warning(Code::Nothing, message, help);
    Some(problem.at(Location::file(&made.job.file)))
}

/// What a job leaves behind: the finished surface of its reliefs, or its pictures as they will look.
fn result(
    args: &Draw,
    show: ShowArg,
    made: load::Made,
    canvas: Canvas,
    console: &Console,
) -> Result<(), Refusal> {
    let missing = |why: &str| Refusal::Usage(why.into());
    let written = match show {
        ShowArg::Depth => {
            let svg = picture::surface(&made.compiled, &made.job, canvas).ok_or_else(|| {
                missing("--show depth is for jobs with a relief, and no step of this one that is made has one")
            })?;
            png::write(&args.output, args.writing.into(), || svg)?
        }
        _ => {
            let scaled = picture::tones(&made.compiled, &made.job, canvas).ok_or_else(|| {
                missing("--show tones is for jobs that engrave bitmaps by image, and no step of this one that is made does")
            })?;
            png::write_scaled(&args.output, args.writing.into(), &scaled, canvas)?
        }
    };
    let problems = load::locate(made.compiled.problems, &made.sources);
    door::wrote(&written, &problems, &made.sources, console)
}

/// Whether a file is a job by its name; anything else is a program.
fn is_job(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending == "toml")
}

/// The picture of a machine program from anywhere.
fn program(args: &Draw, canvas: Canvas, console: &Console) -> Result<(), Refusal> {
    kind::refuse(&args.job.job, FileKind::Program)?;
    let name = args.job.job.display().to_string();
    let refuse = |what: &str| Err(Refusal::Usage(format!("{name} is a program: {what}")));
    if args.show.is_some() || args.window.is_some() || png::is_playback(&args.output) {
        return refuse("--show, --window and playback are for jobs");
    }
    if !args.job.part.is_whole() {
        return refuse("--only, --skip, --sheet and --set are for jobs");
    }
    let Some(machine) = defaults::machine(args.job.machine.as_ref())? else {
        return refuse("it is drawn on the bed of a machine, so say --machine NAME");
    };
    let mut sources = Sources::new();
    let machine = load::typed_machine(&machine, &args.job.job, &mut sources)?;
    let file = File::open(&args.job.job).map_err(|error| Refusal::unreadable(&name, &error))?;
    let mut measure = Measure::new(&name, Some(&machine), None);
    let mut marks: Vec<BurntMark> = Vec::new();
    tinkite_operate::run::lines::each_line(&name, &mut BufReader::new(file), |line| {
        measure.line_with(line, &mut |stroke| {
            if stroke.s > 0.0 {
                let mut from = stroke.from;
                stroke.piece.flatten(from, CHORD, |to| {
                    marks.push(BurntMark { from, to, s: stroke.s });
                    from = to;
                });
            }
        });
    })?;
    let report = measure.finish();
    // One that would ruin something is drawn all the same: that is when a picture is needed.
    if report.extents.is_none() {
        return Err(Refusal::Problems(report.problems, sources));
    }
    let mut facts = vec![
        format!("{} mm burnt", plain(report.burn, 1)),
        format!("{} mm of travel", plain(report.travel, 1)),
        format!("about {} on this machine", clock(report.seconds)),
    ];
    facts.extend(report.burn_extents.map(|r| span(r, LengthUnit::Millimetre)));
    facts.extend(report.s.map(|(low, high)| format!("S{} to S{}", plain(low, 1), plain(high, 1))));
    let title = args.job.job.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let words = Words { title: &title, subtitle: "a machine program; darker is stronger" };
    let written = png::write(&args.output, args.writing.into(), || {
        picture::burnt(&marks, &machine, &words, facts, canvas)
    })?;
    door::wrote(&written, &report.problems, &sources, console)?;
    if report.problems.refuse() { Err(Refusal::Reported) } else { Ok(()) }
}

/// Chords of drawn arcs are this near to them, mm.
const CHORD: f64 = 0.05;

/// A drawing that is drawn by itself.
fn drawing(args: &Draw) -> Result<Artwork, Refusal> {
    if !args.job.part.is_whole() {
        let name = args.job.job.display();
        return Err(Refusal::Usage(format!(
            "{name} is a drawing: --only, --skip, --sheet and --set are for jobs"
        )));
    }
    load::drawing(&args.job.job, &load::plain_reading())
}

/// The picture of what its shapes are called, of a job or of a drawing alone; of a refused job as well.
fn names(args: &Draw, canvas: Canvas, console: &Console) -> Result<(), Refusal> {
    let svg = if kind::is(&args.job.job, FileKind::Drawing)? {
        picture::drawing_names(&drawing(args)?, canvas)
    } else {
        let (job, sheet, ..) = load::survey_sheet(&args.job.call()?)?;
        picture::job_names(&sheet, &job, canvas)
    };
    let written = png::write(&args.output, args.writing.into(), || svg)?;
    door::wrote(&written, &Problems::new(), &Sources::new(), console)
}

/// The picture of what is wrong, of a job or of a drawing alone. It is drawn for a refused job as
/// well: that is when it is needed.
fn trouble(args: &Draw, canvas: Canvas, console: &Console) -> Result<(), Refusal> {
    let (svg, problems, sources): (String, Problems, Sources) =
        if kind::is(&args.job.job, FileKind::Drawing)? {
            let artwork = drawing(args)?;
            let looked = Looked::at(&artwork);
            let doubts = looked.doubts().clone();
            (picture::drawing_trouble(&artwork, &doubts, canvas), doubts, Sources::new())
        } else {
            let (job, sheet, problems, sources) = load::survey_sheet(&args.job.call()?)?;
            (picture::job_trouble(&sheet, &job, &problems, canvas), problems, sources)
        };
    let written = png::write(&args.output, args.writing.into(), || svg)?;
    door::wrote(&written, &problems, &sources, console)?;
    if problems.refuse() { Err(Refusal::Reported) } else { Ok(()) }
}
