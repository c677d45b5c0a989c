//! Running through a timed job: every move with its S value.

use super::planner::Ran;
use super::totals::Totals;
use super::{Timed, lift_seconds, planned};
use crate::beam::ramp::{Along, Stretch};
use crate::job::Job;
use crate::mapping::{Instruction, Move, Pace, Purpose};
use crate::quantity::SValue;

/// What a controller does, one after the other.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Action<'a> {
    /// As placed, where it needs no S value: steps, passes, parts, heights.
    Plain(Instruction<'a>),
    /// The head stands still for so many seconds, with this S value (0: in the dark).
    Dwell(f64, SValue),
    /// The head moves with one S value (0: in the dark).
    Move(Move, SValue),
}

impl Timed {
    /// Whether power is worked out from the speed for a step of this number: then the controller
    /// must not do so as well.
    #[must_use]
    pub fn follows_speed_itself(&self, step: usize) -> bool {
        self.placed.is_slow(step)
    }

    /// Hands on everything a controller does, in running order, moves cut where S changes.
    ///
    /// # Errors
    /// Whatever `each` returns.
    pub fn walk<'p, E>(
        &'p self,
        mut each: impl FnMut(Action<'p>) -> Result<(), E>,
    ) -> Result<(), E> {
        let mut one = |instruction: Instruction<'p>, ran: Option<Ran>| match instruction {
            Instruction::Move(m) if m.purpose == Purpose::Burn => {
                self.cut(&m, ran.as_ref(), |stretch| {
                    let part = Move { from: stretch.from, piece: stretch.piece, ..m };
                    each(Action::Move(part, stretch.s))
                })
            }
            Instruction::Move(m) => each(Action::Move(m, SValue(0.0))),
            Instruction::Dwell(seconds, power) => {
                let s = power.map_or(0.0, |power| power.0 * self.machine.beam.full);
                each(Action::Dwell(seconds, SValue(s)))
            }
            _ => each(Action::Plain(instruction)),
        };
        if self.placed.any_slow() {
            planned(&self.placed, &self.machine, one)
        } else {
            self.placed.walk(|instruction| one(instruction, None))
        }
    }

    /// Cuts a burning move into stretches of one S value each.
    fn cut<E>(
        &self,
        m: &Move,
        ran: Option<&Ran>,
        each: impl FnMut(Stretch) -> Result<(), E>,
    ) -> Result<(), E> {
        Along::new(m, &self.machine.beam, ran).stretches(each)
    }

    /// Hands on every stretch as it will run: which step, the move, its S, its speeds and when it
    /// begins, s from the start.
    pub fn trace<'p>(&'p self, mut each: impl FnMut(Traced<'p>)) {
        let (mut step, mut now) = (0, 0.0);
        let walked: Result<(), std::convert::Infallible> =
            planned(&self.placed, &self.machine, |instruction, ran| {
                let seconds = match (instruction, ran) {
                    (Instruction::Step(number), _) => {
                        step = number;
                        0.0
                    }
                    (Instruction::Dwell(seconds, _), _) => seconds,
                    (Instruction::Height { from, to }, _) => lift_seconds(from, to, &self.machine),
                    (_, Some(ran)) => ran.seconds,
                    _ => 0.0,
                };
                each(Traced { step, instruction, ran, begins: now, seconds });
                now += seconds;
                Ok(())
            });
        let Ok(()) = walked;
    }

    /// S values along a traced move: stretches with their S.
    pub fn stretches(&self, traced: &Traced<'_>, mut each: impl FnMut(Stretch)) {
        if let Instruction::Move(m) = traced.instruction
            && m.purpose == Purpose::Burn
        {
            let Ok(()) = self.cut::<std::convert::Infallible>(&m, traced.ran.as_ref(), |stretch| {
                each(stretch);
                Ok(())
            });
        }
    }

    /// Lengths, times and energy.
    pub(super) fn summed(&self, job: &Job) -> Totals {
        let mut totals = Totals::new(job.steps.len());
        let beam = &self.machine.beam;
        let measured = beam.table.as_ref().is_some_and(|table| table.watts(1.0).is_some());
        let watts = |share: f64| beam.table.as_ref().and_then(|t| t.watts(share)).unwrap_or(0.0);
        // Neighbours mostly burn alike.
        let mut last = (f64::NAN, 0.0);
        let mut cached = |share: f64| {
            if last.0 != share {
                last = (share, watts(share));
            }
            last.1
        };
        self.trace(|traced| {
            let step = traced.step;
            totals.add_time(step, traced.seconds);
            match traced.instruction {
                // Passes over the sheet walk the same paths again.
                Instruction::Part { number, .. } => {
                    let paths = &mut totals.steps[step].paths;
                    *paths = (*paths).max(number);
                }
                Instruction::Dwell(seconds, Some(power)) => {
                    totals.steps[step].pierces += 1;
                    totals.add_s(step, power.0 * beam.full);
                    totals.add_energy(step, measured.then(|| cached(power.0) * seconds));
                }
                Instruction::Move(m) => {
                    let length = self.placed.frame().length(m.from, &m.piece);
                    totals.add_move(step, &m, length);
                    let Some(ran) = traced.ran else { return };
                    let own = self.follows_speed_itself(step) || !beam.follows_speed;
                    let mean = length / ran.seconds.max(1e-12);
                    let asked = match m.pace {
                        Pace::Feed(speed) => speed.0,
                        Pace::Rapid => mean,
                    };
                    if m.purpose == Purpose::Burn {
                        totals.add_burning(step, ran.seconds, length / asked);
                    }
                    self.stretches(&traced, |stretch| {
                        totals.add_s(step, stretch.s.0);
                        if !measured {
                            return;
                        }
                        let part = (stretch.place.1 - stretch.place.0) / m.length();
                        // A controller that follows the speed burns weaker where it is slower.
                        let share = stretch.s.0 / beam.full;
                        let share = if own { share } else { share * (mean / asked).min(1.0) };
                        totals.add_energy(step, Some(cached(share) * ran.seconds * part));
                    });
                }
                _ => {}
            }
        });
        totals
    }
}

/// One instruction as it runs.
#[derive(Debug, Clone, Copy)]
pub struct Traced<'a> {
    /// Which step of the job.
    pub step: usize,
    /// What is done.
    pub instruction: Instruction<'a>,
    /// The speeds of a move.
    pub ran: Option<Ran>,
    /// When it begins, s from the start.
    pub begins: f64,
    /// How long it takes, s.
    pub seconds: f64,
}
