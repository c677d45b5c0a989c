//! The storm: a session, a link and a rig that misbehaves, in virtual time. A program is run, and gone
//! on with as often as it breaks off; then what the beam burnt is held against what the program says.

mod attempt;
mod program;
mod tally;
mod truth;

pub use tally::Tally;

use attempt::{Attempt, attempt};
use program::Drawn;
use std::fmt;
use tinkite_core::machine;
use tinkite_core::machine::Machine;
use tinkite_core::program::{Place, rest};
use tinkite_rig::{Banner, Fault, FaultSite, Protocol, Rig, Setup, Trouble, Ways};
use tinkite_run::{Broken, BrokenError, Choice, Marked, ReportedStanding, Whereabouts};
use tinkite_wire::{Dark, Failure, Outcome, State};
use truth::{Allowed, Truth};

/// Numbers from a seed.
#[derive(Debug, Clone)]
pub struct Dice(u64);

impl Dice {
    /// The same numbers for the same seed; neighbouring seeds do not begin alike.
    #[must_use]
    pub fn new(seed: u64) -> Self {
        Self((seed ^ 0xd1b5_4a32_d192_ed03).wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    /// A number below `sides`.
    pub fn below(&mut self, sides: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) % sides.max(1)
    }

    /// A number between two.
    pub fn between(&mut self, low: f64, high: f64) -> f64 {
        low + (high - low) * self.below(1 << 20) as f64 / f64::from(1_u32 << 20)
    }

    /// True one time in `sides`.
    pub fn one_in(&mut self, sides: u64) -> bool {
        self.below(sides) == 0
    }
}

/// What was broken.
#[derive(Debug, Clone, PartialEq)]
pub struct Broke {
    /// The seed that shows it.
    pub seed: u64,
    /// What was wrong.
    pub what: String,
}

impl fmt::Display for Broke {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "seed {}: {}", self.seed, self.what)
    }
}

/// A run is gone on with so often at most.
const ATTEMPTS: usize = 30;

/// The machine of a seed.
fn machine_of(printer: bool) -> Result<Machine, String> {
    let (name, text) = if printer {
        ("printer-laser", include_str!("../../../../demo/printer-laser.machine.toml"))
    } else {
        ("bench-laser", include_str!("../../../../demo/bench-laser.machine.toml"))
    };
    machine::read(name, text).map_err(|problems| format!("{problems:?}"))
}

/// Runs one seed; what came of it, or what was broken.
///
/// # Errors
/// What was broken.
pub fn run(seed: u64) -> Result<Tally, Broke> {
    run_and_tell(seed, &mut |_| {})
}

/// The same; every session is told in words.
///
/// # Errors
/// What was broken.
pub fn run_and_tell(seed: u64, tell: &mut dyn FnMut(String)) -> Result<Tally, Broke> {
    storm(seed, tell).map_err(|what| Broke { seed, what })
}

fn storm(seed: u64, tell: &mut dyn FnMut(String)) -> Result<Tally, String> {
    let mut dice = Dice::new(seed);
    let printer = dice.one_in(4);
    let machine = machine_of(printer)?;
    let drawn = Drawn::new(&mut dice, printer);
    let setup = setup(&mut dice, printer, &machine);
    let full = setup.full;
    tell(format!("{setup:?}\n{}", drawn.text));
    let mut rig = Rig::new(setup);
    // A machine that has been switched on, homed and is ready.
    let _ = rig.take_output();
    rig.misbehave(trouble(&mut dice, seed));
    let mut tally = Tally::default();
    let mut allowed = Allowed::default();
    // What is streamed now, and what was known of the run that it finishes.
    let mut program = drawn.text.clone();
    let mut broken: Option<Broken> = None;
    let mut in_place = false;
    let mut began: Vec<f64> = Vec::new();
    for tried in 0..ATTEMPTS {
        tally.attempts += 1;
        let choice = if dice.one_in(2) { Choice::LastSeen } else { Choice::LastSent };
        let whole = program.clone();
        let mut chosen: Option<(Place, Place, Choice)> = None;
        let stop_at = dice.one_in(6).then(|| rig.now() + dice.between(0.0, 15.0));
        let take_up = |connected: &tinkite_wire::Connected, now: &ReportedStanding| {
            let Some(broken) = &broken else { return Ok(None) };
            if in_place && connected.restarted {
                return Err("it was off again since its zero was brought back".into());
            }
            let reader = || whole.as_bytes();
            let place = match broken.place(reader, machine.dialect, connected, now, None, in_place)
            {
                Ok(place) => place,
                Err(BrokenError::Uncertain { from, to, .. }) => {
                    chosen = Some((from, to, choice));
                    broken
                        .place(reader, machine.dialect, connected, now, Some(choice), in_place)
                        .map_err(|error| error.to_string())?
                }
                Err(error) => return Err(error.to_string()),
            };
            let mut out = Vec::new();
            rest(reader(), place, broken.began.into(), (*now).into(), &machine, &mut out)
                .map_err(|error| error.to_string())?;
            String::from_utf8(out).map(Some).map_err(|error| error.to_string())
        };
        let done = attempt(&mut rig, &machine, &program, take_up, stop_at, broken.is_some());
        let done = match done {
            Ok(done) => done,
            // A feed that was changed on the cable into a crawl.
            Err(_) if is_unprovable(&rig, printer, &began) => {
                tally.unprovable += 1;
                tally.end(&rig);
                return Ok(tally);
            }
            Err(never) => return Err(never),
        };
        tally.count(&done, &rig);
        tell(format!(
            "session {tried} to {:.3} s: {:?}, {:?}, {:?}, sent {}, refused {:?}, mishaps {:?}, slip {:?}, chosen {chosen:?}",
            rig.now(),
            done.outcome,
            done.dark,
            done.halt,
            done.sent,
            done.refused,
            rig.mishaps_so_far(),
            rig.record().slip
        ));
        tell(done.streamed.clone().unwrap_or_default());
        // A zero that seems to have moved is nothing to go on with: honest, and the end of it.
        if done.refused.as_ref().is_some_and(|why| why.starts_with("the zero was")) {
            tally.given_up += 1;
            tally.end(&rig);
            return Ok(tally);
        }
        check_dark(&done, &rig)?;
        began.extend(done.began_at);
        let Attempt { outcome, streamed, stance, halt, sent, refused, .. } = done;
        if let Some((from, to, choice)) = chosen.filter(|_| streamed.is_some()) {
            let walk = broken.as_ref().map(|broken| broken.walk(machine.dialect));
            if let Some(walk) = walk {
                allowed.add(&walk, &whole, from, to, choice);
                tally.uncertain += 1;
            }
        } else if broken.is_some() && streamed.is_some() {
            tally.certain += 1;
        }
        if let (Some(text), Some(stance)) = (streamed, stance) {
            in_place = false;
            if outcome == Outcome::Done {
                let unseen = is_unprovable(&rig, printer, &began);
                if unseen {
                    tally.unprovable += 1;
                } else {
                    Truth::of(&drawn).check(rig.record(), rig.setup().offset, &allowed)?;
                }
                tally.end(&rig);
                return Ok(tally);
            }
            program = text;
            broken = Some(Broken {
                began: stance,
                marked: marked(halt.whereabouts),
                seen: halt.seen,
                sent,
                position: halt.position,
            });
        }
        in_place |= operator(&mut rig, &outcome, refused.as_deref(), full);
        if tried + 1 == ATTEMPTS {
            return Err(format!("it never ends: {outcome:?}, {refused:?}"));
        }
    }
    Err("it never ends".into())
}

fn marked(whereabouts: Whereabouts) -> Marked {
    match whereabouts {
        Whereabouts::End => Marked::End,
        Whereabouts::Here(place) => Marked::Here(place),
        Whereabouts::Between(from, to) => Marked::Between(from, to),
        Whereabouts::Asking => Marked::Asking,
        Whereabouts::Lost => Marked::Lost,
    }
}

/// What a person at the machine does about how it ended. Whether he answers for its position.
fn operator(rig: &mut Rig, outcome: &Outcome, refused: Option<&str>, full: f64) -> bool {
    let quiet = |rig: &mut Rig| {
        let until = rig.now() + 1.0;
        rig.advance(until);
        let _ = rig.take_output();
        let _ = rig.has_closed();
    };
    quiet(rig);
    let lost = matches!(
        outcome,
        Outcome::Failed(
            Failure::Silent
                | Failure::NoAnswer
                | Failure::NotReady(_)
                | Failure::Halted(_)
                | Failure::Alarm(_)
                | Failure::Restarted
                | Failure::NotThere { .. }
                | Failure::Miscounted(_)
        )
    ) || refused.is_some()
        || rig.record().slip != [0.0; 2];
    if !lost {
        return false;
    }
    if matches!(
        outcome,
        Outcome::Failed(Failure::NotReady(State::Run | State::Hold { .. } | State::Door))
    ) {
        let until = rig.now() + 5.0;
        rig.advance(until);
    }
    // Off and on again, settings put right, the zero brought back to where it was; once more when
    // something happens meanwhile.
    loop {
        let mishaps = rig.mishaps_so_far().len();
        rig.power_cycle();
        rig.set_full(full);
        if rig.setup().homes {
            rig.home_now();
        } else {
            rig.zero_by_hand();
        }
        quiet(rig);
        if rig.mishaps_so_far().len() == mishaps {
            return true;
        }
    }
}

/// Nothing is claimed of the beam but what is so.
fn check_dark(done: &Attempt, rig: &Rig) -> Result<(), String> {
    if done.dark == Dark::Confirmed && done.lit_at_end {
        return Err(format!("\"the beam is off\" while it is lit: {:?}", done.outcome));
    }
    let record = rig.record();
    // What puts a printer out is said again and again, whether its buffer has room or not.
    let printer = rig.setup().protocol == Protocol::Reprap;
    if record.overrun_bytes > 0
        && !printer
        && !rig.mishaps_so_far().iter().any(|(_, fault, _)| spoils(*fault))
    {
        return Err("the receive buffer ran over on a good cable".into());
    }
    Ok(())
}

/// Whether something happened that no sender can know of: a line without a checksum that was changed
/// into another one, or twice so that its checksum is right again; a line that ran over the buffer, or
/// that a board refused while what came behind it ran on; a board without banner and homing that starts
/// anew in the moment in which its first line comes.
fn is_unprovable(rig: &Rig, printer: bool, began: &[f64]) -> bool {
    let mishaps = rig.mishaps_so_far();
    let mut spoilt =
        mishaps.iter().filter(|(_, fault, way)| *way == FaultSite::There && spoils(*fault));
    let cable = if printer {
        let times: Vec<f64> = spoilt.map(|(at, ..)| *at).collect();
        times.windows(2).any(|pair| pair[1] - pair[0] < 0.1)
    } else {
        spoilt.next().is_some()
    };
    let refused = mishaps.iter().any(|(_, fault, _)| *fault == Fault::Error);
    let setup = rig.setup();
    let mute = setup.ways.banner == Banner::Silent && !setup.homes && !printer;
    let anew = |fault: Fault| matches!(fault, Fault::Power | Fault::Settings | Fault::Reset);
    let unheard = mute
        && mishaps.iter().any(|(at, fault, _)| {
            anew(*fault) && began.iter().any(|began| (at - began).abs() < 0.5)
        });
    cable || unheard || (!printer && rig.record().overrun_bytes > 0) || refused
}

/// Whether a fault spoils what is counted.
fn spoils(fault: Fault) -> bool {
    matches!(fault, Fault::Drop | Fault::Change | Fault::Double | Fault::DoubleOk)
}

fn setup(dice: &mut Dice, printer: bool, machine: &Machine) -> Setup {
    let ways = Ways {
        banner: match dice.below(4) {
            0 => Banner::Vendor,
            1 => Banner::Silent,
            _ => Banner::Usual,
        },
        tells_room: !dice.one_in(4),
        work_position: dice.one_in(4),
        words: dice.one_in(4),
        no_build: dice.one_in(6),
    };
    let plain = Setup {
        homes: dice.one_in(2),
        offset: if dice.one_in(2) { [5.0, 3.0] } else { [0.0; 2] },
        lines_per_second: dice.one_in(4).then(|| dice.between(50.0, 500.0)),
        bytes_per_second: dice.one_in(2).then_some(11_520.0),
        full: machine.beam.full,
        ways,
        ..Setup::default()
    };
    if printer {
        Setup { protocol: Protocol::Reprap, laser_mode: false, homes: false, ..plain }
    } else {
        plain
    }
}

/// What goes wrong.
fn trouble(dice: &mut Dice, seed: u64) -> Trouble {
    let all: Vec<Fault> = Fault::all().collect();
    let mut some: Vec<Fault> = all.iter().copied().filter(|_| dice.one_in(4)).collect();
    if some.is_empty() {
        some.push(all[dice.below(all.len() as u64) as usize]);
    }
    // A cable without a checksum may change a digit unseen: only one that loses and doubles is a fair
    // one in the grbl interface, and also there what it spoils may look like another line.
    let most = 1 + dice.below(4) as u32;
    Trouble::new(seed, some)
        .at_most(most)
        .as_often_as(200 + dice.below(4000), dice.between(0.5, 8.0))
}
