//! `tinkite run`: streams a job or a program to the controller, and watches.

mod afterwards;
mod card;
mod checklist;
mod dots;
mod keys;
mod next_piece;
mod pieces;
mod program;
mod remains;
mod screen;
mod series;
mod set_out;
mod unfinished;
mod watch;

use crate::args::Run;
use crate::console::Console;
use crate::door::Doubts;
use crate::voice;
pub(super) use keys::forget_typed;
pub(super) use screen::RawKeys;
use set_out::{Set, set_out};
use std::io::{self, IsTerminal};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::clock;
use tinkite_files::refusal::Refusal;
use tinkite_link as link;
use tinkite_operate::beam;
use tinkite_operate::run::drive::{self, News};
use tinkite_operate::run::ended::Ended;
use tinkite_operate::run::hand::Hand;
use tinkite_operate::run::recorder::Recorder;
use tinkite_operate::stopping::Stopping;
use tinkite_report::{burnt, png};
use tinkite_run::Whereabouts;
use tinkite_wire::{Dark, Failure, Miscount, Outcome, State, alarm_meaning, error_meaning};
use watch::Watcher;

pub(super) fn run(args: &Run, console: &Console) -> Result<(), Refusal> {
    match &args.card {
        Some(folder) => card::copy(args, folder, console),
        None => run_for(args, None, console),
    }
}

/// Whether somebody at a terminal says that the job is to be run now.
pub(super) fn wants_to_go_on(console: &Console) -> bool {
    let terminal = io::stdin().is_terminal() && io::stderr().is_terminal();
    terminal && !console.json && !console.quiet && afterwards::run_now(console)
}

/// The same, stopped after some time at the latest.
pub(super) fn run_for(
    args: &Run,
    most: Option<Duration>,
    console: &Console,
) -> Result<(), Refusal> {
    let args = &unfinished::ask(args, console).inspect_err(|refusal| refused(refusal, console))?;
    if pieces::are_several(args) {
        return pieces::run(args, console);
    }
    let mut ready = |set: &Set| {
        checklist::confirm(&set.program.about.machine, &set.name, args, console)?;
        Ok(())
    };
    let doubts = &mut Doubts::default();
    let turn = Turn { ready: &mut ready, doubts, stopping: None, asks_how: true };
    let over = once(args, turn, most, console);
    // Nothing is left that has to be stopped: Ctrl-C ends whatever still waits.
    over.stopping.let_go();
    hear_out(console);
    over.result
}

/// One run of one program, among others or alone.
struct Turn<'t> {
    /// Asks what has to be asked when everything is ready, before the link opens.
    ready: &'t mut dyn FnMut(&Set) -> Result<(), Refusal>,
    /// What was told already.
    doubts: &'t mut Doubts,
    /// What watches for Ctrl-C already.
    stopping: Option<Stopping>,
    /// Whether somebody is asked how it went.
    asks_how: bool,
}

/// What is known behind it.
struct Over {
    /// How it went.
    result: Result<(), Refusal>,
    /// Its number in the log, where something of it was sent and it is in it.
    run: Option<i64>,
    /// Whether somebody wants it to stop.
    stopping: Stopping,
}

/// Runs a program. Whoever reads the events gets one `end`, however it comes.
fn once(args: &Run, turn: Turn<'_>, most: Option<Duration>, console: &Console) -> Over {
    let screen = has_screen(args, console);
    let Turn { ready, doubts, stopping, asks_how } = turn;
    let known = stopping.clone().unwrap_or_default();
    let set = set_out(args, stopping, doubts, console).and_then(|set| {
        ready(&set)?;
        Ok(set)
    });
    // A pipe that nobody reads holds up no machine.
    let background = &if screen { *console } else { console.in_background() };
    let stopping = set.as_ref().map_or(known, |set| set.stopping.clone());
    let mut said = Said::default();
    let result =
        set.and_then(|set| stream(args, set, (most, screen, asks_how), &mut said, background));
    if let (Err(refusal), false) = (&result, said.end) {
        refused(refusal, background);
    }
    Over { result, run: said.run, stopping }
}

/// Waits until everything that was said is written. How the run ended counts for more than whether anybody heard of it.
fn hear_out(console: &Console) {
    if let Err(error) = voice::drain()
        && error.kind() != io::ErrorKind::BrokenPipe
    {
        let unheard = Refusal::output("standard output", error);
        console.complain(&format!("warning: {}", unheard.why()));
    }
}

/// Whether somebody at a terminal sees the run on the whole screen, and has a hand on it.
fn has_screen(args: &Run, console: &Console) -> bool {
    let wanted = !args.plain && !console.json && !console.quiet;
    wanted && io::stdin().is_terminal() && io::stderr().is_terminal()
}

/// Ends a run of which nothing was sent, for whoever reads its events.
pub(super) fn refused(refusal: &Refusal, console: &Console) {
    watch::never_begun(refusal, Dark::Untouched, console);
}

/// What was said of how a run ended.
#[derive(Debug, Default)]
struct Said {
    /// That it ended.
    end: bool,
    /// Its number in the log.
    run: Option<i64>,
}

fn stream(
    args: &Run,
    set: Set,
    (most, screen, asks_how): (Option<Duration>, bool, bool),
    said: &mut Said,
    console: &Console,
) -> Result<(), Refusal> {
    let Set { mut program, beginning, log, mut template, name, stopping, stand } = set;
    // Somebody may have laid something in first.
    template.began_ms = jiff::Timestamp::now().as_millisecond();
    let stopping = stopping.or_after(most);
    let about = &program.about;
    let mut link = link::open_standing(&name, &about.machine, about.diameter, stand)?;
    let keyboard = screen.then(|| RawKeys::begin().ok()).flatten();
    if keyboard.is_some() {
        let _ = keys::forget_typed();
    }
    let mut watcher = Watcher::new(&program, &beginning, &name, keyboard.is_some(), console);
    let (hand, over) = (Arc::new(Hand::default()), Arc::new(AtomicBool::new(false)));
    let mut recorder = Recorder::new(log, template);
    let (shown, written) = (Arc::new(News::default()), News::default());
    if watcher.has_screen() {
        // Nobody waits for this thread: a terminal that has gone never lets a reader go.
        let (hand, stopping, shown) = (Arc::clone(&hand), stopping.clone(), Arc::clone(&shown));
        let over = Arc::clone(&over);
        std::thread::spawn(move || keys::listen(&hand, &stopping, &shown, &over));
    }
    let driven = std::thread::scope(|scope| {
        scope.spawn(|| recorder.record(&written, &shown));
        let (link, program) = (link.as_mut(), &mut program);
        let driving = scope.spawn(|| {
            drive::drive(link, program, &beginning, &stopping, &hand, &[&shown, &written])
        });
        watcher.watch(&shown);
        over.store(true, Ordering::Relaxed);
        driving.join()
    });
    let with_screen = watcher.has_screen();
    watcher.close();
    drop(keyboard);
    let broke = || Refusal::Link("the link's thread broke down: LOOK AT THE MACHINE".into());
    let ended = driven.unwrap_or_else(|_| Err(broke()));
    let ended = ended.inspect_err(|refusal| {
        watch::never_begun(refusal, Dark::Unknown, console);
        said.end = true;
    })?;
    if ended.outcome == Outcome::Done && matches!(ended.dark, Dark::Asked | Dark::Unknown) {
        console.complain(&format!("warning: the program has run{}", beam::words(ended.dark)));
    }
    let (how, why) = ended.how();
    let number = recorder.end(&ended, how, why).unwrap_or_else(|error| {
        let why = error.why();
        console.complain(&format!("warning: the log does not know how this run ended: {why}"));
        None
    });
    watcher.end(&ended, number);
    *said = Said { end: true, run: number };
    if link.rig().is_none() && ended.dark != Dark::Untouched {
        afterwards::clear_air(&program.about.machine, &stopping, console);
    }
    if let (true, Some(number), None, Outcome::Done) =
        (with_screen && asks_how, number, &args.note, &ended.outcome)
        && let Some(words) = afterwards::how_it_went(&stopping, console)
        && let Err(error) = recorder.note(number, words)
    {
        console.complain(&format!("warning: this was not remembered: {}", error.why()));
    }
    let reported = match link.rig() {
        Some(rig) => report_rig(rig, &program.about.machine, args, console),
        None => remains::picture(&program, &beginning, &ended, args, console),
    };
    let rest = number
        .filter(|_| how != "done")
        .map_or(String::new(), |number| way_on(number, ended.halt.whereabouts));
    conclude(ended, &watcher, &program.about.machine, &rest)?;
    reported
}

/// How what is left of a run is finished, to follow another sentence.
fn way_on(run: i64, whereabouts: Whereabouts) -> String {
    match whereabouts {
        Whereabouts::Lost => format!(
            "; where the head stands is not known any more: home it, or bring its zero back to where it was and say --in-place, then tinkite run --go-on {run} says what is uncertain"
        ),
        _ => format!("; tinkite run --go-on {run} finishes it"),
    }
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
        let written = png::write(path, args.writing.into(), || {
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
    let refused = ended.is_refused();
    let Ended { outcome, trouble, .. } = ended;
    match (trouble, outcome) {
        (Some(Refusal::Usage(why)), _) if refused => {
            Err(Refusal::Usage(format!("{why}; nothing was sent{beam}")))
        }
        (Some(Refusal::Unfit(why)), _) => {
            Err(Refusal::Unfit(format!("{why}; nothing was sent{beam}")))
        }
        // A program that cannot be read on, in the middle of it.
        (Some(Refusal::Usage(why) | Refusal::Link(why)), _) => {
            Err(Refusal::Link(format!("{why}; {place}")))
        }
        (Some(refusal), _) => Err(refusal),
        (None, Outcome::Done) => Ok(()),
        (None, Outcome::Stopped) => Err(Refusal::Stopped(format!("stopped {place}"))),
        (None, Outcome::Failed(failure)) => {
            let advice = match &failure {
                Failure::Refused { complaint, .. } => meaning(complaint.code, error_meaning),
                Failure::Alarm(complaint) => meaning(complaint.code, alarm_meaning),
                Failure::ShiftForgotten(_) => {
                    "; set the zero again, with tinkite head zero, which lasts".into()
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

/// How long it took, in words.
fn duration(seconds: f64) -> String {
    clock(seconds)
}
