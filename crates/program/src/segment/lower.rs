//! Lowering: from instructions in the plane of the job to what is sent.
//!
//! Where power follows the speed the head really has, moves are planned as they are drawn, cut by
//! what that plan says, and planned again as they were cut; the levels come from the second plan,
//! which is the plan of what is sent. One round is enough: levels do not change how a move runs.

use super::axis_move::{self, AxisMove, Micron, microns};
use super::cut::{PowerLaw, Profile};
use super::{Act, Feed, Provenance, Segment, Segments, powers};
use crate::mapping::{Instruction, Move, Pace, Purpose};
use tinkite_base::geometry::Piece;
use tinkite_base::problem::Problem;
use tinkite_job::PassesBy;
use tinkite_machine::FeedMode;
use tinkite_machine::motion::block::{Block, PlannedBlock};
use tinkite_machine::motion::lift;
use tinkite_machine::motion::pacer::Pacer;
use tinkite_machine::motion::supply::LineBytes;
use tinkite_machine::source::Level;

/// A segment on its way; a move that burns does not have its level yet.
#[derive(Debug, Clone, Copy)]
struct Draft {
    segment: Segment,
    burn: Option<BurnDraft>,
}

/// How a move is to burn.
#[derive(Debug, Clone, Copy)]
struct BurnDraft {
    power: PowerLaw,
    /// Speed on the stock that is asked for, mm/s.
    speed: f64,
}

/// Hands on every segment of a job.
pub(super) fn lower<E: From<Problem>>(
    segments: &Segments,
    each: impl FnMut(Segment) -> Result<(), E>,
) -> Result<(), E> {
    // In inverse time each move has a feed of its own.
    let joins = segments.frame().feed_mode() == FeedMode::WorkedOut;
    let mut joiner = Joiner { held: None, joins, each };
    let mut rounder = Rounder::new(segments);
    if segments.placed.any_slow() {
        let mut stages = Stages::new(segments);
        segments.placed.walk(|instruction| {
            rounder.take(instruction, &mut |draft| stages.follow(draft, &mut joiner))
        })?;
        stages.finish(&mut joiner)?;
    } else {
        segments.placed.walk(|instruction| {
            rounder.take(instruction, &mut |draft| even(segments, draft, &mut joiner))
        })?;
    }
    joiner.finish()
}

/// A draft whose power does not depend on the speed.
fn even<E: From<Problem>>(
    segments: &Segments,
    draft: Draft,
    joiner: &mut Joiner<impl FnMut(Segment) -> Result<(), E>>,
) -> Result<(), E> {
    let (Some(burn), Act::Move(way)) = (draft.burn, draft.segment.act) else {
        return joiner.put(draft.segment);
    };
    let (of, power) = (draft.segment.of, burn.power);
    if power.ends[0] == power.ends[1] {
        let level = segments.level(of, power.at(0.0, 1.0))?;
        return joiner.put(Segment { of, act: Act::Move(AxisMove { level, ..way }) });
    }
    let machine = &segments.job.machine;
    let profile = Profile::new(&way, power, &[], 1.0, machine);
    parts(&way, &profile.ends(segments.level_share()), |part, middle| {
        let level = segments.level(of, power.at(middle, 1.0))?;
        let feed = Some(segments.feed(of, part.from, part.to, burn.speed)?);
        joiner.put(Segment { of, act: Act::Move(AxisMove { level, feed, ..part }) })
    })
}

/// The parts of a move, each with the share of the move at its middle.
fn parts<E>(
    way: &AxisMove,
    ends: &[f64],
    mut each: impl FnMut(AxisMove, f64) -> Result<(), E>,
) -> Result<(), E> {
    let (mut begin, mut from) = (0.0, way.from);
    for end in ends {
        if let Some(part) = way.part(from, (begin, *end), Level::DARK) {
            each(part, f64::midpoint(begin, *end))?;
            (begin, from) = (*end, part.to);
        }
    }
    Ok(())
}

/// The two plans of a job in which power follows the speed.
struct Stages<'s> {
    segments: &'s Segments,
    drawn: Pacer<Draft>,
    /// Parts with the power of their middle.
    cut: Pacer<Draft>,
}

impl<'s> Stages<'s> {
    fn new(segments: &'s Segments) -> Self {
        let machine = &segments.job.machine;
        Self { segments, drawn: Pacer::new(machine, None), cut: Pacer::new(machine, None) }
    }

    fn follow<E: From<Problem>>(
        &mut self,
        draft: Draft,
        joiner: &mut Joiner<impl FnMut(Segment) -> Result<(), E>>,
    ) -> Result<(), E> {
        let Self { segments, drawn, cut } = self;
        let each = &mut |draft: Draft, blocks: &[PlannedBlock]| {
            split(segments, draft, blocks, cut, joiner)
        };
        put(segments, drawn, draft, each)
    }

    fn finish<E: From<Problem>>(
        &mut self,
        joiner: &mut Joiner<impl FnMut(Segment) -> Result<(), E>>,
    ) -> Result<(), E> {
        let Self { segments, drawn, cut } = self;
        drawn.finish(&mut |draft, blocks| split(segments, draft, blocks, cut, joiner))?;
        cut.finish(&mut |draft, blocks| settle(segments, draft, blocks, joiner))
    }
}

/// Gives a draft to a plan.
fn put<E>(
    segments: &Segments,
    pacer: &mut Pacer<Draft>,
    draft: Draft,
    each: &mut impl FnMut(Draft, &[PlannedBlock]) -> Result<(), E>,
) -> Result<(), E> {
    match draft.segment.act {
        Act::Move(way) => {
            pacer.push(draft, LineBytes::default(), |each| segments.blocks(&way, each), each)
        }
        Act::Lift(from, to) => {
            let (from, to) = (from as f64 / 1000.0, to as f64 / 1000.0);
            let block = lift(from, to, f64::INFINITY, &segments.job.machine);
            let blocks = |each: &mut dyn FnMut(Block)| block.into_iter().for_each(each);
            pacer.push(draft, LineBytes::default(), blocks, each)
        }
        _ => pacer.halt(|_| draft, &LineBytes::default(), 0.0, each),
    }
}

/// Cuts what the first plan has settled and gives it to the second.
fn split<E: From<Problem>>(
    segments: &Segments,
    draft: Draft,
    blocks: &[PlannedBlock],
    cut: &mut Pacer<Draft>,
    joiner: &mut Joiner<impl FnMut(Segment) -> Result<(), E>>,
) -> Result<(), E> {
    let mut pass_on =
        |draft: Draft, blocks: &[PlannedBlock]| settle(segments, draft, blocks, joiner);
    let (Some(burn), Act::Move(way)) = (draft.burn, draft.segment.act) else {
        return put(segments, cut, draft, &mut pass_on);
    };
    let (of, power) = (draft.segment.of, burn.power);
    let speed = segments.speed(&way);
    let profile = Profile::new(&way, power, blocks, speed, &segments.job.machine);
    let ends = profile.ends(segments.level_share());
    parts(&way, &ends, |part, middle| {
        // The power that it would have at the asked speed is even in a part; its speed is not yet
        // known for certain.
        let asked = power.at(middle, 1.0);
        let own = PowerLaw { ends: [asked; 2], slow: power.slow };
        let feed = Some(segments.feed(of, part.from, part.to, burn.speed)?);
        let segment = Segment { of, act: Act::Move(AxisMove { feed, ..part }) };
        put(
            segments,
            cut,
            Draft { segment, burn: Some(BurnDraft { power: own, ..burn }) },
            &mut pass_on,
        )
    })
}

/// The level of a part follows from the speed at which it is run.
fn settle<E: From<Problem>>(
    segments: &Segments,
    draft: Draft,
    blocks: &[PlannedBlock],
    joiner: &mut Joiner<impl FnMut(Segment) -> Result<(), E>>,
) -> Result<(), E> {
    let (Some(burn), Act::Move(way)) = (draft.burn, draft.segment.act) else {
        return joiner.put(draft.segment);
    };
    let of = draft.segment.of;
    let asked = segments.speed(&way);
    let worked_out = segments.job.steps[of.step].ramp.slow.is_some();
    let (power, feed) = if worked_out && segments.follows(of.step) {
        following(segments, of, &way, burn, blocks)?
    } else {
        (burn.power.at(0.5, speed_in_middle(blocks) / asked), way.feed)
    };
    let level = segments.level(of, power)?;
    joiner.put(Segment { of, act: Act::Move(AxisMove { level, feed, ..way }) })
}

/// Power and feed of a part where the controller burns S · v / F: F is the highest speed that the
/// head reaches in it, and S makes the sum over its time the same as the law's,
/// p (slow + (1 − slow) v / asked).
fn following(
    segments: &Segments,
    of: Provenance,
    way: &AxisMove,
    BurnDraft { power, speed }: BurnDraft,
    blocks: &[PlannedBlock],
) -> Result<(f64, Option<Feed>), Problem> {
    let asked = segments.speed(way);
    let most = blocks.iter().map(|planned| planned.top_speed()).fold(0.0, f64::max).min(asked);
    let length: f64 = blocks.iter().map(|planned| planned.leg.length).sum();
    let seconds: f64 = blocks.iter().map(|planned| planned.seconds).sum();
    let feed = if most < asked * (1.0 - 1e-6) {
        Some(segments.feed(of, way.from, way.to, speed * most / asked)?)
    } else {
        way.feed
    };
    let told = segments.speed(&AxisMove { feed, ..*way });
    let even = power.at(0.5, 1.0);
    let at_standstill = power.slow * told * seconds / length;
    let with_speed = (1.0 - power.slow) * told / asked;
    // What was held against the ceiling, but for the rounding of F.
    Ok((even * (at_standstill + with_speed).min(powers::most_at_standstill(power.slow)), feed))
}

fn speed_in_middle(blocks: &[PlannedBlock]) -> f64 {
    let mut left: f64 = blocks.iter().map(|planned| planned.leg.length).sum::<f64>() / 2.0;
    for planned in blocks {
        if left <= planned.leg.length {
            return planned.speed_at(left);
        }
        left -= planned.leg.length;
    }
    0.0
}

/// Makes one segment of moves that go straight on in every way alike.
struct Joiner<F> {
    held: Option<Segment>,
    joins: bool,
    each: F,
}

impl<E, F: FnMut(Segment) -> Result<(), E>> Joiner<F> {
    fn put(&mut self, segment: Segment) -> Result<(), E> {
        if self.joins
            && let (Some(held), Act::Move(next)) = (&mut self.held, &segment.act)
            && let Act::Move(way) = &mut held.act
            && held.of == segment.of
            && let Some(joined) = way.join(next)
        {
            *way = joined;
            return Ok(());
        }
        match self.held.replace(segment) {
            Some(before) => (self.each)(before),
            None => Ok(()),
        }
    }

    fn finish(mut self) -> Result<(), E> {
        self.held.take().map_or(Ok(()), |last| (self.each)(last))
    }
}

/// Rounds instructions as the text does.
struct Rounder<'s> {
    segments: &'s Segments,
    of: Provenance,
    /// Where the axes stand, as it was said last.
    at: [Micron; 2],
    z: Micron,
    air: bool,
    follow: Option<bool>,
    frequency: Option<f64>,
    /// Whether feeds do not depend on the place, and the last speed (mm/s) with its feed.
    flat: bool,
    feed: (f64, Option<Feed>),
}

impl<'s> Rounder<'s> {
    fn new(segments: &'s Segments) -> Self {
        let at = segments.frame().words(tinkite_base::geometry::Point::ZERO).map(microns);
        Self {
            segments,
            of: Provenance::default(),
            at,
            z: 0,
            air: false,
            follow: None,
            frequency: None,
            flat: segments.frame().surface().is_none(),
            feed: (f64::NAN, None),
        }
    }

    fn take<E: From<Problem>>(
        &mut self,
        instruction: Instruction<'_>,
        each: &mut impl FnMut(Draft) -> Result<(), E>,
    ) -> Result<(), E> {
        let plain = |of, act| Draft { segment: Segment { of, act }, burn: None };
        match instruction {
            Instruction::Step(number) => self.step(number, each),
            Instruction::Pass(pass, _) => {
                self.of.pass = pass;
                Ok(())
            }
            Instruction::Part { number, .. } => {
                self.of.path = number;
                Ok(())
            }
            Instruction::Height { to, .. } => {
                let to = microns(to);
                if to == self.z {
                    return Ok(());
                }
                let from = std::mem::replace(&mut self.z, to);
                each(plain(self.of, Act::Lift(from, to)))
            }
            Instruction::Dwell(seconds, power) => {
                let level = match power {
                    Some(power) => self.segments.level(self.of, power.0)?,
                    None => Level::DARK,
                };
                match (seconds * 1000.0).round() {
                    0.0 => Ok(()),
                    ms => each(plain(self.of, Act::Dwell(ms as u32, level))),
                }
            }
            Instruction::Move(m) => self.one_move(&m, each),
        }
    }

    fn step<E: From<Problem>>(
        &mut self,
        number: usize,
        each: &mut impl FnMut(Draft) -> Result<(), E>,
    ) -> Result<(), E> {
        self.of = Provenance { step: number, path: 0, pass: 0 };
        let job = &self.segments.job;
        let step = &job.steps[number];
        if step.passes_by == PassesBy::Sheet {
            self.of.pass = 1;
        }
        let mut put = |of, act| each(Draft { segment: Segment { of, act }, burn: None });
        let follow = self.segments.follows(number);
        if self.follow.replace(follow) != Some(follow) {
            put(self.of, Act::Follow(follow))?;
        }
        if let Some(hertz) = step.frequency
            && self.frequency.replace(hertz) != Some(hertz)
        {
            put(self.of, Act::Frequency(hertz))?;
        }
        if job.machine.air.is_some() && step.air != self.air {
            self.air = step.air;
            put(self.of, Act::Air(step.air))?;
        }
        Ok(())
    }

    fn one_move<E: From<Problem>>(
        &mut self,
        m: &Move,
        each: &mut impl FnMut(Draft) -> Result<(), E>,
    ) -> Result<(), E> {
        let frame = self.segments.frame();
        let to = frame.words(m.piece.end()).map(microns);
        // Below the resolution of the text there is no move; an arc without a chord would even be
        // read as a full circle.
        if to == self.at {
            return Ok(());
        }
        let from = std::mem::replace(&mut self.at, to);
        let arc = match m.piece {
            Piece::Arc { centre, sweep, .. } => {
                let sweep = if frame.mirrors() { -sweep } else { sweep };
                axis_move::arc(from, to, frame.words(centre).map(microns), sweep)
            }
            Piece::Line { .. } => None,
        };
        let speed = match m.pace {
            Pace::Rapid => None,
            Pace::Feed(speed) => Some(speed.0),
        };
        let feed = match speed {
            None => None,
            // On a flat bed the feed follows from the speed alone.
            Some(speed) if self.flat && self.feed.0 == speed => self.feed.1,
            Some(speed) => Some(self.segments.feed(self.of, from, to, speed)?),
        };
        self.feed = (speed.unwrap_or(self.feed.0), feed.or(self.feed.1));
        let way = AxisMove { purpose: m.purpose, from, to, arc, level: Level::DARK, feed };
        let burn = speed.filter(|_| m.purpose == Purpose::Burn).map(|speed| {
            let power = PowerLaw { ends: m.power.map(|power| power.0), slow: m.slow };
            BurnDraft { power, speed }
        });
        each(Draft { segment: Segment { of: self.of, act: Act::Move(way) }, burn })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// S of each burning part of a line of 40 mm at 50 %; each has a feed.
    fn burnt(ramp: &str) -> Vec<f64> {
        let step = format!(
            "[[step]]\ntake = {{ stroke = \"red\" }}\nmake = \"score\"\nspeed = \"100 mm/s\"\npower = \"50 %\"\nramp = {ramp}\n"
        );
        let line = r#"<path d="M5 5h40" fill="none" stroke="red"/>"#;
        let segments = super::super::sample::segments(line, &step);
        let mut levels = Vec::new();
        let walked: Result<(), Problem> = segments.walk(|segment| {
            if let Act::Move(way) = segment.act
                && way.purpose == crate::mapping::Purpose::Burn
            {
                assert!(way.feed.is_some() && way.level.is_lit());
                levels.push(way.level.s());
            }
            Ok(())
        });
        assert!(walked.is_ok());
        levels
    }

    #[test]
    fn every_part_of_a_ramp_has_its_power_and_its_feed() {
        // From 10 % to 50 % over 5 mm, then even.
        let start = burnt("{ start = { from = \"10 %\", over = \"5 mm\" } }");
        assert!(start.len() > 10 && start[0] < 130.0 && start.is_sorted(), "{start:?}");
        assert_eq!(start.last(), Some(&500.0));
    }
}
