//! `tinkite demo`: everything once, on the workshop's own sail panel.

use crate::args::{Begin, Check, Demo, Draw, Emit, JobArgs, LogFile, Look, Read, Run, Writing};
use crate::console::Console;
use std::io::Write;
use std::net::TcpListener;
use std::path::{Path, PathBuf};
use std::sync::atomic::AtomicBool;
use std::time::Duration;
use tinkite_files::output::{Output, free_name};
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_files::shipped;
use tinkite_rig::Rig;
use tinkite_rig::shell::{Pace, serve_tcp};

/// Nothing is overwritten.
const CAREFUL: Writing = Writing { force: false, number: false };

pub(super) fn run(args: &Demo, console: &Console) -> Result<(), Refusal> {
    if console.json {
        return Err(Refusal::Usage("demo is for people; its commands have --json each".into()));
    }
    let folder = folder(args)?;
    let at = |name: &str| folder.join(name);
    let files = [
        ("sail-panel.svg", shipped::DRAWING),
        ("sail-panel.kite.toml", shipped::JOB),
        ("bench-laser.machine.toml", shipped::MACHINE),
    ];
    let files = files.map(|(name, text)| (name, text.as_bytes()));
    for (name, bytes) in files.iter().chain(&shipped::MORE) {
        Output::create(&at(name), CAREFUL.into())?.write(|out| out.write_all(bytes))?;
    }
    console.result(&format!(
        "a drawing, its job, a machine profile and drawings of every other kind are in {}",
        folder.display()
    ))?;

    let job = JobArgs::whole(at("sail-panel.kite.toml"), None);
    let shown = |path: &Path| path.display().to_string();

    title(console, "What is in the drawing", &format!("look {}", shown(&at("sail-panel.svg"))))?;
    super::look::run(
        &Look { files: vec![at("sail-panel.svg")], measure: None, shapes: false, page: 1 },
        console,
    )?;

    title(
        console,
        "A job to start from",
        &format!("begin {} -o {}", shown(&at("sail-panel.svg")), shown(&at("started.kite.toml"))),
    )?;
    let begin = Begin {
        files: vec![at("sail-panel.svg")],
        output: Some(at("started.kite.toml")),
        machine: "bench-laser".into(),
        writing: CAREFUL,
        ..Begin::default()
    };
    super::begin::run(&begin, console)?;

    title(
        console,
        "Is anything wrong with the workshop's job",
        &format!("check {}", shown(&job.job)),
    )?;
    super::check::run(
        &Check {
            job: Some(job.job.clone()),
            machine: None,
            set: Vec::new(),
            sheet: None,
            explain: None,
        },
        console,
    )?;

    title(console, "What will be done", &format!("plan {}", shown(&job.job)))?;
    super::plan::once(&job.call()?, console).map(|_| ())?;

    title(
        console,
        "A picture of it",
        &format!("draw {} -o {}", shown(&job.job), shown(&at("sail-panel.png"))),
    )?;
    let draw = Draw {
        job: job.clone(),
        output: at("sail-panel.png"),
        size: (1280, 800),
        trouble: false,
        names: false,
        show: None,
        colour_by: tinkite_files::config::ColourBy::Steps,
        window: None,
        watch: false,
        play: 12.0,
        writing: CAREFUL,
    };
    super::draw::run(&draw, console)?;

    title(console, "The machine program", &format!("emit {}", shown(&job.job)))?;
    let emit = Emit { job: job.clone(), output: None, terse: false, writing: CAREFUL };
    super::emit::run(&emit, console)?;
    title(
        console,
        "The program, read back and checked against the machine",
        &format!("read {} --machine bench-laser", shown(&at("sail-panel.nc"))),
    )?;
    super::read::run(
        &Read {
            program: at("sail-panel.nc"),
            machine: Some("bench-laser".into()),
            zero: None,
            diameter: None,
            explain: false,
        },
        console,
    )?;

    title(
        console,
        "A run on the simulated controller",
        &format!("run {} --to rig: --picture {}", shown(&job.job), shown(&at("burnt.png"))),
    )?;
    let link = Some("rig:".to_string());
    let plain = Run { plain: true, ..Run::of(Some(job.job.clone()), link) };
    let run = Run { picture: Some(at("burnt.png")), ..plain };
    super::run::run(&run, console)?;
    broken_off(&job.job, &at("runs.sqlite"), console)?;

    console.result(&format!(
        "\neverything is in {}: open sail-panel.png and burnt.png, change sail-panel.kite.toml, and try again",
        folder.display()
    ))
}

/// A run that is broken off on purpose, and finished.
fn broken_off(job: &Path, log: &Path, console: &Console) -> Result<(), Refusal> {
    console.result(&format!(
        "\n--- A run that breaks off half way, and is finished: nothing twice, nothing left out\n    (on the simulated controller behind a socket, {}-fold; the log is {})\n",
        PACE,
        log.display()
    ))?;
    let failed = |error: std::io::Error| Refusal::Link(format!("the rig's link failed: {error}"));
    let listener = TcpListener::bind("127.0.0.1:0").map_err(failed)?;
    let link = format!("tcp:{}", listener.local_addr().map_err(failed)?);
    let machine = tinkite_files::load::machine("bench-laser", Path::new(""), &mut Sources::new())?;
    let mut rig = Rig::new(tinkite_link::setup(&machine, None));
    let serving = std::thread::spawn(move || -> std::io::Result<Rig> {
        for _ in 0..2 {
            let (stream, _) = listener.accept()?;
            serve_tcp(&mut rig, stream, Pace::Times(PACE), &AtomicBool::new(false))?;
        }
        Ok(rig)
    });
    let log = LogFile { path: Some(log.to_path_buf()) };
    let first = Run { log: log.clone(), ..Run::of(Some(job.to_path_buf()), Some(link.clone())) };
    match super::run::run_for(&first, Some(HALF_WAY), console) {
        Err(Refusal::Stopped(how)) => console.result(&how)?,
        other => return other,
    }
    // Whoever only looks on is not asked how it went.
    let note = Some("the demo".to_string());
    let rest = Run { go_on: Some(None), log, note, ..Run::of(None, Some(link)) };
    super::run::run(&rest, console)?;
    match serving.join() {
        Ok(Ok(rig)) => console.result(&tinkite_report::burnt::words(rig.record())),
        Ok(Err(error)) => Err(failed(error)),
        Err(_) => Err(Refusal::Link("the rig broke down".into())),
    }
}

/// How many times as fast as real the broken run goes, and after how long it is broken off.
const PACE: f64 = 40.0;
const HALF_WAY: Duration = Duration::from_millis(1800);

fn title(console: &Console, what: &str, command: &str) -> Result<(), Refusal> {
    console.result(&format!("\n--- {what}\n    $ tinkite {command}\n"))
}

/// The folder: the one that was named, if it is empty, or the next free one.
fn folder(args: &Demo) -> Result<PathBuf, Refusal> {
    let folder = match &args.dir {
        Some(dir) => {
            let taken = dir.is_file()
                || std::fs::read_dir(dir).is_ok_and(|mut entries| entries.next().is_some());
            if taken {
                return Err(Refusal::Usage(format!(
                    "{} is not empty; name a new folder",
                    dir.display()
                )));
            }
            dir.clone()
        }
        None => free_name(Path::new("tinkite-demo"))?,
    };
    std::fs::create_dir_all(&folder)
        .map_err(|error| Refusal::output(folder.display().to_string(), error))?;
    Ok(folder)
}
