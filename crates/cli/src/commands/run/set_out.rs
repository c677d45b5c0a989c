//! Everything that is ready before a link opens: the program, where in it the run begins, the log.

use super::{program, series};
use crate::args::{self, Run};
use crate::console::Console;
use crate::door::Doubts;
use std::path::Path;
use tinkite_core::geometry::Point;
use tinkite_core::problem::{Code, Problem};
use tinkite_files::log;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link as link;
use tinkite_link::Stand;
use tinkite_log::{Began, Log, RunEntry, RunKind};
use tinkite_operate::run::beginning::{Beginning, Rest, refusal};
use tinkite_operate::run::program::ProgramFile;
use tinkite_operate::run::remains::remains;
use tinkite_operate::run::unchanged::unchanged;
use tinkite_operate::stopping::Stopping;
use tinkite_operate::{place, rehearsal};
use tinkite_report::png;
use tinkite_run::{BrokenError, Choice, Marked, ReportedStanding};

/// Everything that is ready before the link opens.
pub(super) struct Set {
    pub(super) program: ProgramFile,
    pub(super) beginning: Beginning,
    pub(super) log: Option<Log>,
    /// What the log will say of it, as far as is known.
    pub(super) template: Began,
    /// The link's.
    pub(super) name: String,
    /// Whether somebody wants it to stop, from now on.
    pub(super) stopping: Stopping,
    /// How a simulated machine stands.
    pub(super) stand: Stand,
}

/// Finds the program, and where in it the run begins. `stopping`: what watches for Ctrl-C already.
pub(super) fn set_out(
    args: &Run,
    stopping: Option<Stopping>,
    doubts: &mut Doubts,
    console: &Console,
) -> Result<Set, Refusal> {
    if let Some(path) = &args.picture {
        png::kind_of(path)?;
    }
    let on_a_spot = args.go_on.is_some() || args.again.is_some() && !args.part.is_whole();
    if args.in_place && !on_a_spot {
        return Err(Refusal::Usage(
            "--in-place answers for the place of an earlier run: it goes with --go-on, or with --again and --set".into(),
        ));
    }
    let earlier = args.go_on.or(args.again);
    let log = || Ok::<_, Refusal>(Log::look_into(&log::path(args.log.path.as_deref())?)?);
    let (program, beginning, kind, entry) = match earlier {
        Some(run) => {
            let log = log()?;
            let entry = log.entry(run)?;
            let (program, beginning) = if args.go_on.is_some() {
                let whole = program::recall(&log, &entry, doubts, console)?;
                let beginning = rest_of(args, (&log, &entry), &whole, doubts, console)?;
                (whole, beginning)
            } else if args.part.is_whole() {
                (program::recall(&log, &entry, doubts, console)?, Beginning::Start)
            } else {
                series::next(args, &log, &entry, doubts, console)?
            };
            let kind = if args.go_on.is_some() { RunKind::GoOn } else { RunKind::Again };
            (program, beginning, kind, Some(entry))
        }
        None => {
            let path = args.file.as_deref().unwrap_or(Path::new(""));
            let program = program::prepare(args, path, doubts, console)?;
            match args.from_line {
                Some(line) => (program, Beginning::Line(line), RunKind::FromLine, None),
                None => (program, Beginning::Start, RunKind::Run, None),
            }
        }
    };
    let asked = args.to.as_deref().or(entry.as_ref().map(|entry| entry.began.link.as_str()));
    let name = link::name(asked, &program.about.machine)?;
    let stand = rehearse(args, &program, (&name, &beginning), console)?;
    constant_power(args, &program, &name, console)?;
    // From here on something may have to be stopped in order.
    let stopping = stopping.map_or_else(Stopping::watch, Ok)?;
    // What a simulation in this process did is gone with it.
    let logged = args.log.path.is_some() || !link::is_simulated(&name);
    let log = logged
        .then(|| Ok::<_, Refusal>(Log::open(&log::path(args.log.path.as_deref())?)?))
        .transpose();
    let log = match log {
        Ok(log) => log,
        Err(refusal) => match refusal.words() {
            Some(why) if earlier.is_none() && args.log.path.is_none() => {
                console.complain(&format!(
                    "warning: {why}: this run cannot be gone on with when it breaks off"
                ));
                None
            }
            _ => return Err(refusal),
        },
    };
    // The log may have kept us waiting.
    if stopping.is_wanted() {
        return Err(Refusal::Stopped("stopped before anything was sent".into()));
    }
    let template = Began {
        kind,
        after: entry.as_ref().map(|entry| entry.id),
        began_ms: jiff::Timestamp::now().as_millisecond(),
        job: program.about.name.clone(),
        lines: program.report.lines,
        machine: program.about.machine_name.clone(),
        profile: program.about.profile.clone(),
        made: program.about.made.clone(),
        link: name.clone(),
        material: program.about.material.clone(),
        diameter: program.about.diameter,
        zero: program.about.zero.map(|zero| zero.name().to_string()),
        steps: Vec::new(),
        planned_seconds: program.report.seconds,
        standing: ReportedStanding { at: [0.0; 6], offset: [0.0; 6], shift: [0.0; 3] },
        note: args.note.clone(),
    };
    Ok(Set { program, beginning, log, template, name, stopping, stand })
}

/// How the simulated machine stands for this program; a real one stands as it does.
fn rehearse(
    args: &Run,
    program: &ProgramFile,
    (link, beginning): (&str, &Beginning),
    console: &Console,
) -> Result<Stand, Refusal> {
    let about = &program.about;
    let said = [("--head", args.head), ("--zero", args.zero)];
    if !link::is_simulated(link) {
        if let Some((option, _)) = said.iter().find(|(_, place)| place.is_some()) {
            return Err(Refusal::Usage(format!(
                "{option} is for the simulated machine (--to rig:); on a real one: tinkite head go, tinkite head zero"
            )));
        }
        return Ok(Stand::default());
    }
    for (option, [x, y]) in said.iter().filter_map(|(option, place)| Some((option, (*place)?))) {
        if let Some(beside) = place::beside(&about.machine, Point::new(x, y)) {
            return Err(Refusal::Usage(format!("{option} {x},{y} is {beside} of the bed")));
        }
    }
    // What goes on or turns stands where it stood, or lies along an axis.
    let placed = matches!(beginning, Beginning::Start) && about.diameter.is_none();
    let extents = program.report.extents.filter(|_| placed);
    let point = |place: [f64; 2]| Point::new(place[0], place[1]);
    let said = (args.head.map(point), args.zero.map(point));
    let (stand, told) = rehearsal::stand(&about.machine, (about.zero, extents), said);
    told.iter().for_each(|told| console.say(told));
    Ok(stand)
}

/// A beam of constant power burns on where the head stands: that is accepted, or not run on a machine.
fn constant_power(
    args: &Run,
    program: &ProgramFile,
    link: &str,
    console: &Console,
) -> Result<(), Refusal> {
    let (Some(line), false) = (program.report.constant, link::is_simulated(link)) else {
        return Ok(());
    };
    let danger = "burns with constant power (M3, M106): where the head stands when lines stop coming, it burns on";
    if program.about.machine.beam.constant_accepted
        || args.accept.contains(&args::Danger::ConstantPower)
    {
        console.say(&format!(
            "the program {danger}; STAY BESIDE IT, with your hand at the machine's switch"
        ));
        return Ok(());
    }
    let message = format!("{}: line {line} {danger}", program.about.name);
    let help = "use power that follows the speed (follows-speed = true) where the controller has M4; else --accept constant-power, or constant = \"accepted\" in [beam] of the profile, say that somebody stays beside it";
    let problem = Problem::error(Code::ConstantPower, message, help);
    Err(Refusal::Problems(problem.into(), Sources::new()))
}

/// What is left of an earlier run, as far as can be told before the controller was asked.
fn rest_of(
    args: &Run,
    (log, entry): (&Log, &RunEntry),
    program: &ProgramFile,
    doubts: &mut Doubts,
    console: &Console,
) -> Result<Beginning, Refusal> {
    if let Some(next) = entry.followed_by.last() {
        return Err(Refusal::Usage(format!(
            "run {} was gone on with by run {next}: go on with that",
            entry.id
        )));
    }
    // Its own process may still be at it.
    drop(log.hold(entry.id)?);
    if let Some(path) = &args.file {
        let now = program::prepare(args, path, doubts, console)?;
        let why = format!(
            "its rest does not belong to {} as it is now; leave the name out to finish what was begun",
            now.about.name
        );
        unchanged(log, entry, &now, &why)?;
    }
    let choice = args.from.map(|from| match from {
        args::From::LastSeen => Choice::LastSeen,
        args::From::LastSent => Choice::LastSent,
    });
    let broken = entry.broken();
    let rest = Rest { run: entry.id, broken, choice, in_place: args.in_place };
    if broken.marked == Marked::End {
        return Err(refusal(rest.run, &BrokenError::NothingLeft));
    }
    if let (Marked::Between(..) | Marked::Lost, None) = (broken.marked, choice) {
        let walk = broken.walk(program.about.machine.dialect);
        let (from, to) = broken.uncertain();
        if let Some(path) = &args.picture {
            let written =
                png::write(path, args.writing.into(), || remains(program, &walk, from, to))?;
            console.say(&written.words());
        }
        let stretch = walk.stretch(program.reader(), from, to);
        let stretch = stretch.map_err(|error| Refusal::unreadable(&program.about.name, &error))?;
        if !stretch.is_dark() {
            return Err(refusal(rest.run, &BrokenError::Uncertain { from, to, stretch }));
        }
    }
    Ok(Beginning::Rest(Box::new(rest)))
}
