//! `tinkite run`: streams a job or a program to the controller, and watches.

mod beginning;
mod drive;
mod ended;
mod mailbox;
mod news;
mod placed;
mod program;
mod recorder;
mod shared;
mod watch;

use crate::args::{self, Run};
use crate::beam;
use crate::console::Console;
use crate::door;
use crate::link;
use crate::log::{self, Began, Entry, Kind, Log};
use crate::refusal::{Refusal, Sources};
use crate::stopping::Stopping;
use crate::{burnt, png};
use beginning::{Beginning, Rest};
use drive::News;
use ended::Ended;
use program::ProgramFile;
use recorder::Recorder;
use std::path::Path;
use std::time::Duration;
use tinkite_core::job::Machine;
use tinkite_core::job::machine::Dialect;
use tinkite_core::picture::{self, Canvas, Left, LeftMark, Words};
use tinkite_core::problem::{Code, Problem};
use tinkite_core::program::Place;
use tinkite_core::quantity::{clock, plain};
use tinkite_run::{BrokenError, Choice, Marked, Stance, Walk, Whereabouts};
use tinkite_wire::{
    Connected, Dark, Failure, Miscount, Outcome, State, alarm_meaning, error_meaning,
};
use watch::Watcher;

pub(super) fn run(args: &Run, console: &Console) -> Result<(), Refusal> {
    run_for(args, None, console)
}

/// The same, stopped after some time at the latest.
pub(super) fn run_for(
    args: &Run,
    most: Option<Duration>,
    console: &Console,
) -> Result<(), Refusal> {
    if let Some(path) = &args.picture {
        png::kind_of(path)?;
    }
    let Set { mut program, beginning, log, template, name } = set_out(args, console)?;
    let stopping =
        Stopping::watch().map_err(|e| Refusal::Usage(format!("Ctrl-C cannot be watched: {e}")))?;
    let stopping = stopping.or_after(most);
    let mut link = match link::open(&name, &program.machine, program.diameter) {
        Ok(link) => link,
        Err(refusal) => {
            watch::never_begun(&refusal, console);
            return Err(refusal);
        }
    };
    let mut watcher = Watcher::new(&program, &beginning, &name, console);
    let mut recorder = Recorder::new(log, template);
    let (shown, written) = (News::new(), News::new());
    let driven = std::thread::scope(|scope| {
        scope.spawn(|| recorder.record(&written, &shown));
        let (link, program) = (link.as_mut(), &mut program);
        let driving =
            scope.spawn(|| drive::drive(link, program, &beginning, &stopping, &[&shown, &written]));
        watcher.watch(&shown);
        driving.join()
    });
    let broke = || Refusal::Link("the link's thread broke down: LOOK AT THE MACHINE".into());
    let ended = driven.unwrap_or_else(|_| Err(broke()))?;
    if ended.outcome == Outcome::Done && matches!(ended.dark, Dark::Asked | Dark::Unknown) {
        console.complain(&format!("warning: the program has run{}", beam::words(ended.dark)));
    }
    let (how, why) = ended.how();
    let number = recorder.end(&ended, how, why).unwrap_or_else(|error| {
        let why = error.why();
        console.complain(&format!("warning: the log does not know how this run ended: {why}"));
        None
    });
    // How the run ended counts for more than whether anybody heard of it.
    let heard = watcher.end(&ended, number);
    let reported = match link.rig() {
        Some(rig) if heard.is_ok() => report_rig(rig, &program.machine, args, console),
        None => picture(&program, &beginning, &ended, args, console),
        _ => Ok(()),
    };
    let rest = number
        .filter(|_| how != "done")
        .map_or(String::new(), |number| format!("; tinkite run --go-on {number} finishes it"));
    conclude(ended, &watcher, &program.machine, &rest)?;
    heard.and(reported)
}

/// Everything that is ready before the link opens.
struct Set {
    program: ProgramFile,
    beginning: Beginning,
    log: Option<Log>,
    template: Began,
    /// The link's.
    name: String,
}

/// Finds the program, and where in it the run begins.
fn set_out(args: &Run, console: &Console) -> Result<Set, Refusal> {
    let earlier = args.go_on.or(args.again);
    let log = || Log::look_into(&log::path(args.log.path.as_deref())?);
    let (program, beginning, kind, entry) = match earlier {
        Some(run) => {
            let log = log()?;
            let entry = log.entry(run)?;
            let program = ProgramFile::remembered(&log, &entry, console)?;
            let beginning = match args.go_on {
                Some(_) => rest_of(args, &log, &entry, &program, console)?,
                None => Beginning::Start,
            };
            let kind = if args.go_on.is_some() { Kind::GoOn } else { Kind::Again };
            (program, beginning, kind, Some(entry))
        }
        None => {
            let path = args.file.as_deref().unwrap_or(Path::new(""));
            let program = ProgramFile::prepare(args, path, console)?;
            match args.from_line {
                Some(line) => (program, Beginning::Line(line), Kind::FromLine, None),
                None => (program, Beginning::Start, Kind::Run, None),
            }
        }
    };
    let asked = args.to.as_deref().or(entry.as_ref().map(|entry| entry.began.link.as_str()));
    let name = link::name(asked, &program.machine)?;
    constant_power(args, &program, &name, console)?;
    // What a simulation in this process did is gone with it.
    let logged = args.log.path.is_some() || !name.starts_with("rig:");
    let log = logged.then(|| Log::open(&log::path(args.log.path.as_deref())?)).transpose();
    let log = match log {
        Ok(log) => log,
        Err(Refusal::Usage(why)) if earlier.is_none() && args.log.path.is_none() => {
            console.complain(&format!(
                "warning: {why}: this run cannot be gone on with when it breaks off"
            ));
            None
        }
        Err(refusal) => return Err(refusal),
    };
    let template = Began {
        kind,
        after: entry.as_ref().map(|entry| entry.id),
        began_ms: jiff::Timestamp::now().as_millisecond(),
        job: program.name.clone(),
        lines: program.report.lines,
        machine: program.machine_name.clone(),
        profile: program.profile.clone(),
        link: name.clone(),
        diameter: program.diameter,
        zero: program.zero.map(|zero| zero.name().to_string()),
        steps: Vec::new(),
        planned_seconds: program.report.seconds,
        standing: Stance { at: [0.0; 6], offset: [0.0; 6], shift: [0.0; 3] },
        note: args.note.clone(),
    };
    Ok(Set { program, beginning, log, template, name })
}

/// A beam of constant power burns on where the head stands: that is accepted, or not run on a machine.
fn constant_power(
    args: &Run,
    program: &ProgramFile,
    link: &str,
    console: &Console,
) -> Result<(), Refusal> {
    let (Some(line), false) = (program.report.constant, link.starts_with("rig:")) else {
        return Ok(());
    };
    let danger = "burns with constant power (M3, M106): where the head stands when lines stop coming, it burns on";
    if program.machine.beam.constant_accepted || args.accept.contains(&args::Danger::ConstantPower)
    {
        console.say(&format!(
            "the program {danger}; STAY BESIDE IT, with your hand at the machine's switch"
        ));
        return Ok(());
    }
    let message = format!("{}: line {line} {danger}", program.name);
    let help = "use power that follows the speed (follows-speed = true) where the controller has M4; else --accept constant-power, or constant = \"accepted\" in [beam] of the profile, say that somebody stays beside it";
    let problem = Problem::error(Code::ConstantPower, message, help);
    Err(Refusal::Problems(problem.into(), Sources::new()))
}

/// What is left of an earlier run, as far as can be told before the controller was asked.
fn rest_of(
    args: &Run,
    log: &Log,
    entry: &Entry,
    program: &ProgramFile,
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
        let now = ProgramFile::prepare(args, path, console)?;
        unchanged(log, entry, &now)?;
    }
    let choice = args.from.map(|from| match from {
        args::From::LastSeen => Choice::LastSeen,
        args::From::LastSent => Choice::LastSent,
    });
    let broken = entry.broken();
    let rest = Rest { run: entry.id, broken, choice, in_place: args.in_place };
    if broken.marked == Marked::End {
        return Err(rest.refusal(&BrokenError::NothingLeft));
    }
    if let (Marked::Between(..) | Marked::Lost, None) = (broken.marked, choice) {
        let walk = broken.walk(program.machine.dialect);
        let (from, to) = broken.uncertain();
        if let Some(path) = &args.picture {
            let written = png::write(path, args.writing, || remains(program, &walk, from, to))?;
            console.say(&written.words());
        }
        let stretch = walk.stretch(program.reader(), from, to);
        let stretch = stretch.map_err(|error| Refusal::unreadable(&program.name, &error))?;
        return Err(rest.refusal(&BrokenError::Uncertain { from, to, stretch }));
    }
    Ok(Beginning::Rest(Box::new(rest)))
}

/// A job or program that was named beside the run must be what was run then.
fn unchanged(log: &Log, entry: &Entry, now: &ProgramFile) -> Result<(), Refusal> {
    let mut first = entry.clone();
    while let (Kind::GoOn, Some(before)) = (first.began.kind, first.began.after) {
        first = log.entry(Some(before))?;
    }
    let (sha256, _) = log::digest(&mut now.reader().into_inner())
        .map_err(|error| Refusal::unreadable(&now.name, &error))?;
    let changed = if now.profile != first.began.profile {
        "the machine's profile has"
    } else if sha256 != first.sha256 {
        "the program has"
    } else {
        return Ok(());
    };
    Err(Refusal::Usage(format!(
        "{changed} changed since run {}: its rest does not belong to {} as it is now; leave the name out to finish what was begun",
        first.id, now.name
    )))
}

/// What is burnt, what may be, and what is left.
fn remains(program: &ProgramFile, walk: &Walk, from: Place, to: Place) -> String {
    let mut marks = Vec::new();
    let mut lengths = [0.0; 3];
    // What was read twice is read a third time; a program that cannot be read shows nothing.
    let _ = walk.parts(program.reader(), from, to, |way, shares| {
        for (n, ((a, b), left)) in shares.into_iter().zip(Left::ALL).enumerate() {
            if b > a {
                lengths[n] += way.length() * (b - a);
                marks.extend(LeftMark::of(way, a, b, left));
            }
        }
    });
    let words = Words {
        title: "What is burnt and what is left",
        subtitle: "dark: burnt; red: may be burnt; pale: left",
    };
    let facts = ["burnt", "may be burnt", "left"].into_iter().zip(lengths);
    let facts =
        facts.filter(|(_, mm)| *mm > 0.0).map(|(what, mm)| format!("{} mm {what}", plain(mm, 1)));
    picture::left(&marks, &program.machine, &words, facts.collect(), Canvas::default())
}

/// After a run on a machine: what is burnt and what is left. Of a rest that was not begun: what was
/// known of the run before.
fn picture(
    program: &ProgramFile,
    beginning: &Beginning,
    ended: &Ended,
    args: &Run,
    console: &Console,
) -> Result<(), Refusal> {
    let Some(path) = &args.picture else { return Ok(()) };
    let dialect = program.machine.dialect;
    let (walk, (from, to)) = match (ended.standing, beginning) {
        (Some(standing), _) => {
            let places = match ended.halt.whereabouts {
                Whereabouts::End => (Place::before(u32::MAX), Place::before(u32::MAX)),
                Whereabouts::Here(place) => (place, place),
                Whereabouts::Between(from, to) => (from, to),
                Whereabouts::Asking | Whereabouts::Lost => {
                    (ended.halt.seen, Place::before(ended.sent + 1))
                }
            };
            (Walk { dialect, began: standing.into() }, places)
        }
        (None, Beginning::Rest(rest)) => (rest.broken.walk(dialect), rest.broken.uncertain()),
        (None, _) => return Ok(()),
    };
    let written = png::write(path, args.writing, || remains(program, &walk, from, to))?;
    console.say(&written.words());
    Ok(())
}

fn report_rig(
    rig: &tinkite_rig::Rig,
    machine: &Machine,
    args: &Run,
    console: &Console,
) -> Result<(), Refusal> {
    if !console.json {
        console.result(&burnt::words(rig.record()))?;
    }
    if let Some(path) = &args.picture {
        let written = png::write(path, args.writing, || {
            burnt::picture(rig.record(), machine, "What the beam did")
        })?;
        console.say(&written.words());
    }
    Ok(())
}

/// Turns how it ended into what the call returns.
fn conclude(
    ended: Ended,
    watcher: &Watcher<'_>,
    machine: &Machine,
    rest: &str,
) -> Result<(), Refusal> {
    let beam = beam::words(ended.dark);
    let place = format!("{}{beam}{rest}", watcher.place(&ended));
    let Ended { outcome, trouble, .. } = ended;
    match (trouble, outcome) {
        (Some(Refusal::Usage(why)), _) => Err(Refusal::Usage(format!("{why}{beam}"))),
        (Some(Refusal::Link(why)), _) => Err(Refusal::Link(format!("{why}{beam}"))),
        (Some(refusal), _) => Err(refusal),
        (None, Outcome::Done) => Ok(()),
        (None, Outcome::Stopped) => Err(Refusal::Stopped(format!("stopped {place}"))),
        (None, Outcome::Failed(failure)) => {
            let advice = match &failure {
                Failure::Refused { complaint, .. } => meaning(complaint.code, error_meaning),
                Failure::Alarm(complaint) => meaning(complaint.code, alarm_meaning),
                Failure::ShiftForgotten(_) => {
                    "; set the zero again, with G10 L20, which lasts".into()
                }
                Failure::NotThere { .. } => {
                    "; lines were lost on the link, or steps by the motors: look at the stock"
                        .into()
                }
                Failure::Astray(_) => "; look at the cable, and at the stock".into(),
                Failure::Miscounted(Miscount::Lost(_)) => {
                    "; what was sent may have run or not: look at the cable, and at the stock"
                        .into()
                }
                Failure::Miscounted(Miscount::Surplus) => {
                    "; lines may be missing: look at the cable, and at the stock".into()
                }
                Failure::NoAnswer => format!(
                    "; check that it is on, and speaks the {} dialect",
                    machine.dialect.name()
                ),
                Failure::Unknown { .. } => "; the board was told to stop".into(),
                Failure::Halted(_) => "; switch it off and on again, and home it".into(),
                Failure::BadLink => "; look at the cable, and try a slower baud rate".into(),
                Failure::NotReady(state) => format!("; {}", cure(*state)),
                Failure::Closed | Failure::Silent => {
                    "; look at the machine: what it had already received it may still run".into()
                }
                Failure::Restarted => "; its position is lost, home it".into(),
            };
            Err(Refusal::Link(format!("{failure}{advice}; {place}")))
        }
    }
}

/// What to do about a controller that cannot begin.
fn cure(state: State) -> &'static str {
    match state {
        State::Alarm => "home it, or unlock it when its position is known",
        State::Door => "close its door and let it go on",
        State::Sleep => "wake it: reset it at the machine",
        State::Check => "it only checks lines: leave the check mode ($C)",
        State::Hold { .. } => "something holds it: let it go on, or reset it at the machine",
        State::Run | State::Jog | State::Home => {
            "it still moves: wait until it stands, or stop it at the machine"
        }
        State::Idle => "try again",
    }
}

/// What a numbered complaint means, in brackets.
fn meaning(code: Option<u16>, of: fn(u16) -> &'static str) -> String {
    code.map_or(String::new(), |code| format!(" ({})", of(code)))
}

/// Settings of the controller that would make the program burn otherwise than planned.
fn mismatch(connected: &Connected, machine: &Machine) -> Option<String> {
    let full = connected.settings.get(&30);
    if let Some(full) = full.filter(|full| (*full - machine.beam.full).abs() > 0.5) {
        return Some(format!(
            "the controller's full power is S{full} ($30) and the profile's is S{}: every power would be wrong; set one to the other",
            machine.beam.full
        ));
    }
    let constant = connected.settings.get(&32).is_some_and(|value| *value == 0.0);
    (machine.beam.follows_speed && constant).then(|| {
        "the controller is not in laser mode ($32=0) and the profile says follows-speed = true: the beam would burn at full power in corners; set $32=1, or follows-speed = false".to_string()
    })
}

/// What would have been held against the profile and is not told by the controller.
fn untold(connected: &Connected, machine: &Machine) -> Option<String> {
    let wanted = [(30, true), (32, machine.beam.follows_speed)];
    let missing: Vec<String> = wanted
        .into_iter()
        .filter(|(key, matters)| *matters && !connected.settings.contains_key(key))
        .map(|(key, _)| format!("${key}"))
        .collect();
    (machine.dialect == Dialect::Grbl && !missing.is_empty()).then(|| {
        format!(
            "this controller does not tell {}: full power and laser mode are taken from the profile, unchecked",
            missing.join(" and ")
        )
    })
}

/// Shows problems and refuses when one of them is an error.
fn refuse_if_wrong(
    problems: &tinkite_core::problem::Problems,
    console: &Console,
) -> Result<(), Refusal> {
    door::show(problems, &Sources::new(), console);
    if problems.refuse() { Err(Refusal::Reported) } else { Ok(()) }
}

/// How long it took, in words.
fn duration(seconds: f64) -> String {
    clock(seconds)
}
