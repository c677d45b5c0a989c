//! The look-ahead planner: how fast each corner can be taken when the whole program is known.
//!
//! Speeds at corners follow from three rules: a corner's own limit (junction deviation), what can
//! still be braked before the next limits (backward pass) and what can be reached from the limits
//! before (forward pass). Blocks are handed on as soon as nothing that may still come can change
//! them, so the exact answer for the whole program needs memory for a braking distance only.
//!
//! A controller that sees only so many moves ahead must be able to stop at the end of the last of
//! them. Where moves are short and the head is fast that, and not the corners, sets the speed.

use super::block::{Block, CornerSpeed, Leg, PlannedBlock, seconds};
use super::supply::{LineBytes, Supply};
use std::collections::VecDeque;

/// A block in the queue, with the highest speed (squared) at which it may be entered.
#[derive(Debug)]
struct Queued<T> {
    leg: Leg,
    entry_limit: f64,
    tag: T,
    /// The lines with which it is told to the controller.
    lines: LineBytes,
    /// When the controller has read them, s, once that is known.
    read: Option<f64>,
}

/// Less than this share of the time is waited on any link: a line's own time after each halt.
const WORTH_A_LOOK: f64 = 0.002;

/// Blocks are planned in batches of this many; a batch grows while nothing in it is settled.
const BATCH: usize = 512;

/// Plans blocks of one program, in order. `T` comes back with each block's speeds.
#[derive(Debug)]
pub struct Planner<T> {
    /// Junction deviation, mm.
    corner: f64,
    /// How many places the controller's queue has; none: it knows the whole program.
    look_ahead: Option<u32>,
    queue: VecDeque<Queued<T>>,
    /// Speed at the start of the queue: settled.
    entry: CornerSpeed,
    before: Option<Block>,
    stop_next: bool,
    batch: usize,
    /// How its lines reach the controller; none: as fast as they are wanted.
    supply: Option<Supply>,
    /// When the last block that was handed on has run, s.
    now: f64,
    /// How long the head stood and waited for lines, s.
    waited: f64,
    /// Whether a block was left more slowly because those behind it had not come.
    slowed: bool,
}

impl<T: Copy> Planner<T> {
    /// For a machine with this junction deviation (mm) whose controller sees `look_ahead` moves ahead,
    /// or the whole program; the head stands still at first.
    #[must_use]
    pub fn new(corner: f64, look_ahead: Option<u32>) -> Self {
        Self {
            corner,
            look_ahead,
            queue: VecDeque::new(),
            entry: CornerSpeed::ZERO,
            before: None,
            stop_next: true,
            batch: BATCH,
            supply: None,
            now: 0.0,
            waited: 0.0,
            slowed: false,
        }
    }

    /// Whether blocks were waited for, more than is worth a look, or left more slowly as long as those
    /// behind them had not come.
    #[must_use]
    pub fn is_starved(&self) -> bool {
        self.slowed || self.waited > WORTH_A_LOOK * self.now
    }

    /// Blocks can be run only when their lines have come. A controller that knows the whole program
    /// waits for none.
    #[must_use]
    pub fn with_supply(mut self, supply: Option<Supply>) -> Self {
        self.supply = supply.filter(|_| self.look_ahead.is_some());
        self
    }

    /// The head stands for so long, s, which is told by `lines`; everything before has run. How long
    /// it waits for those lines, s.
    pub fn rest(&mut self, lines: &LineBytes, seconds: f64) -> f64 {
        let now = self.now;
        let read = self.supply.as_mut().map_or(0.0, |supply| supply.read(lines, now));
        let waits = waits(now, read);
        self.waited += waits;
        self.now = now.max(read) + seconds;
        waits
    }

    /// The head stands still before whatever comes next.
    pub fn stop(&mut self) {
        self.stop_next = true;
    }

    /// Adds a block; `done` is called for every block whose time is now certain.
    pub fn push(&mut self, block: Block, tag: T, done: &mut impl FnMut(T, PlannedBlock)) {
        self.push_told(block, LineBytes::default(), tag, done);
    }

    /// Adds a block that is told by `lines`; `done` is called for every block whose time is now
    /// certain.
    pub fn push_told(
        &mut self,
        block: Block,
        lines: LineBytes,
        tag: T,
        done: &mut impl FnMut(T, PlannedBlock),
    ) {
        let stop = std::mem::take(&mut self.stop_next);
        let entry_limit = match &self.before {
            Some(before) if !stop => junction_speed_squared(before, &block, self.corner),
            _ => 0.0,
        };
        self.before = Some(block);
        self.queue.push_back(Queued { leg: block.leg, entry_limit, tag, lines, read: None });
        match self.look_ahead {
            Some(look_ahead) => {
                // The first runs when the places behind it are full.
                while self.first_runs(look_ahead) {
                    self.run_first(look_ahead, done);
                }
            }
            None if self.queue.len() >= self.batch => self.settle(false, done),
            None => {}
        }
    }

    fn first_runs(&self, look_ahead: u32) -> bool {
        self.queue.len() > look_ahead.max(1) as usize
    }

    /// Runs the first block.
    fn run_first(&mut self, look_ahead: u32, done: &mut impl FnMut(T, PlannedBlock)) {
        let read = self.read(look_ahead as usize);
        let Some(first) = self.queue.pop_front() else { return };
        // One place is the block that runs.
        let seen = (look_ahead as usize).saturating_sub(1);
        let mut exit = self.exit(&first.leg, seen);
        let (now, entry) = (self.now, self.entry);
        if self.supply.is_some() {
            // What comes while it runs is known before it has to brake.
            let ends = now.max(read) + seconds(&first.leg, entry, exit);
            let come = |queued: &&Queued<T>| queued.read.is_some_and(|read| read <= ends);
            let known = self.queue.iter().take(seen).take_while(come).count();
            if known < seen.min(self.queue.len()) {
                let held = self.exit(&first.leg, known);
                self.slowed |= held.squared < exit.squared;
                exit = held;
            }
        }
        let planned = PlannedBlock::new(first.leg, entry, exit);
        self.waited += waits(now, read);
        self.now = now.max(read) + planned.seconds;
        done(first.tag, PlannedBlock { waits: waits(now, read), ..planned });
        self.entry = exit;
    }

    /// Has the controller read the lines of as many blocks as it has places for; when it has read
    /// the first.
    fn read(&mut self, look_ahead: usize) -> f64 {
        let Some(supply) = &mut self.supply else { return 0.0 };
        for queued in self.queue.iter_mut().take(look_ahead).filter(|queued| queued.read.is_none())
        {
            queued.read = Some(supply.read(&queued.lines, self.now));
        }
        self.queue.front().and_then(|first| first.read).unwrap_or(0.0)
    }

    /// At which speed a block is left of which the controller knows the `seen` that follow:
    /// so slowly that the head can stop at the end of the last of them.
    fn exit(&self, leg: &Leg, seen: usize) -> CornerSpeed {
        let mut limit =
            self.queue.front().filter(|_| seen > 0).map_or(0.0, |next| next.entry_limit);
        let mut reach = 0.0;
        for at in 0..seen.min(self.queue.len()) {
            let next = &self.queue[at];
            reach += next.leg.reach();
            if reach >= limit {
                break;
            }
            let known = at + 1 < seen;
            let after = self.queue.get(at + 1).filter(|_| known).map_or(0.0, |n| n.entry_limit);
            limit = limit.min(after + reach);
        }
        let most = self.entry.squared + leg.reach();
        CornerSpeed::of_squared(limit.min(most).min(leg.speed * leg.speed))
    }

    /// Ends the program at standstill; `done` is called for every block that is left.
    pub fn finish(&mut self, done: &mut impl FnMut(T, PlannedBlock)) {
        match self.look_ahead {
            Some(look_ahead) => {
                while !self.queue.is_empty() {
                    self.run_first(look_ahead, done);
                }
            }
            None => self.settle(true, done),
        }
    }

    /// Hands on all blocks whose speeds no later block can change: those before the last point at
    /// which braking to a stop and not braking at all demand the same speed.
    fn settle(&mut self, at_end: bool, done: &mut impl FnMut(T, PlannedBlock)) {
        let n = self.queue.len();
        // Highest squared entry speeds if the head had to stop after the queue, or did not have to.
        let mut must_stop = vec![0.0; n + 1];
        let mut free = vec![0.0; n + 1];
        free[n] = if at_end { 0.0 } else { f64::INFINITY };
        let mut certain = if at_end { n } else { 0 };
        for (at, queued) in self.queue.iter().enumerate().rev() {
            let reach = queued.leg.reach();
            must_stop[at] = queued.entry_limit.min(must_stop[at + 1] + reach);
            free[at] = queued.entry_limit.min(free[at + 1] + reach);
            if certain == 0 && must_stop[at] >= free[at] {
                certain = at;
            }
        }
        let mut entry = self.entry;
        for (at, queued) in self.queue.iter().enumerate().take(certain) {
            let leg = queued.leg;
            let most = (entry.squared + leg.reach()).min(leg.speed * leg.speed);
            let exit = CornerSpeed::of_squared(must_stop[at + 1].min(most));
            done(queued.tag, PlannedBlock::new(leg, entry, exit));
            entry = exit;
        }
        self.entry = entry;
        self.queue.drain(..certain);
        self.batch = if self.queue.len() * 2 > self.batch { self.batch * 2 } else { self.batch };
    }
}

/// How long a head waits that has nothing to run from `now` on for what is read at `read`, s. Before
/// the first move it stands anyway.
fn waits(now: f64, read: f64) -> f64 {
    if now > 0.0 { (read - now).max(0.0) } else { 0.0 }
}

/// The highest squared speed through the corner between two blocks by junction deviation: the
/// speed at which a circle that touches both and strays `corner` mm from the point would be taken
/// with the acceleration that the axes have in the direction of the turn. Sources: S. K. Jeon,
/// "Improving Grbl: cornering algorithm", 2011; the public `grbl` v1.1 interface for the direction.
fn junction_speed_squared(before: &Block, after: &Block, corner: f64) -> f64 {
    let limit = before.leg.speed.min(after.leg.speed).powi(2);
    let cosine = -(0..3).map(|n| before.end[n] * after.start[n]).sum::<f64>();
    if cosine < -0.999_999 {
        return limit;
    }
    let half_sine = ((1.0 - cosine) / 2.0).max(0.0).sqrt();
    if half_sine < 1e-9 || cosine > 0.999_999 {
        return 0.0;
    }
    let turn = [0, 1, 2].map(|n| after.start[n] - before.end[n]);
    let size = turn.iter().map(|part| part * part).sum::<f64>().sqrt();
    // A block knows the axes that carry it; those that neither knows stand still.
    let least = |n: usize| before.axes[n].min(after.axes[n]);
    let most = (0..3).map(|n| least(n) * size / turn[n].abs().max(1e-12));
    let acceleration = most.fold(f64::INFINITY, f64::min);
    limit.min(acceleration * corner * half_sine / (1.0 - half_sine))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Supply as Rates;
    use proptest::prelude::*;

    /// Seconds and waits of `count` moves of so many bytes and mm, all in one line.
    fn time_of_moves(rates: Rates, count: usize, bytes: usize, length: f64) -> (f64, f64) {
        let mut planner = Planner::new(0.01, Some(16)).with_supply(Supply::new(rates));
        let (mut seconds, mut waits) = (0.0, 0.0);
        let mut done = |(), planned: PlannedBlock| {
            seconds += planned.seconds + planned.waits;
            waits += planned.waits;
        };
        for _ in 0..count {
            let mut lines = LineBytes::default();
            lines.add(bytes);
            planner.push_told(straight(length), lines, (), &mut done);
        }
        planner.finish(&mut done);
        (seconds, waits)
    }

    fn rates(lines_per_second: Option<f64>, bytes_per_second: Option<f64>) -> Rates {
        Rates { lines_per_second, bytes_per_second, buffer: 128, asks: false }
    }

    #[test]
    fn the_slowest_of_cable_controller_and_head_sets_the_pace() {
        // 1000 moves of 1 mm at 100 mm/s are 10 s.
        let (fast, none) = time_of_moves(rates(None, None), 1000, 20, 1.0);
        assert!((fast - 10.1).abs() < 0.2 && none == 0.0, "{fast}");
        let (all, waits) = time_of_moves(rates(Some(1000.0), Some(11_520.0)), 1000, 20, 1.0);
        assert!((all - fast).abs() < 0.05 && waits < 0.05, "{all} {waits}");
        // 10 lines a second make 100 s of them, and the head stands between.
        let (all, waits) = time_of_moves(rates(Some(10.0), None), 1000, 20, 1.0);
        assert!((all - 100.0).abs() < 0.5 && waits > 30.0, "{all} {waits}");
        // 20 bytes at 960 bytes a second are 20.8 ms.
        let (all, _) = time_of_moves(rates(None, Some(960.0)), 1000, 20, 1.0);
        assert!((all - 1000.0 * 20.0 / 960.0).abs() < 0.3, "{all}");
    }

    fn straight(length: f64) -> Block {
        let x = [1.0, 0.0, 0.0];
        let axes = [1000.0; 3];
        let leg = Leg { length, speed: 100.0, acceleration: 1000.0 };
        Block { leg, axes, start: x, end: x }
    }

    fn run(blocks: &[Block], batch: usize) -> Vec<f64> {
        let mut times = Vec::new();
        let mut planner = Planner { batch, ..Planner::new(0.01, None) };
        for block in blocks {
            planner.push(*block, (), &mut |(), ran: PlannedBlock| times.push(ran.seconds));
        }
        planner.finish(&mut |(), ran: PlannedBlock| times.push(ran.seconds));
        times
    }

    #[test]
    fn a_straight_line_is_a_trapezoid_however_it_is_cut_up() {
        // 100 mm at 100 mm/s and 1000 mm/s²: 0.1 s up over 5 mm, 0.9 s along, 0.1 s down.
        let whole: f64 = run(&[straight(100.0)], 512).iter().sum();
        assert!((whole - 1.1).abs() < 1e-12);
        let pieces: f64 = run(&[straight(0.1); 1000], 512).iter().sum();
        assert!((pieces - 1.1).abs() < 1e-9, "{pieces}");
        // Too short to reach full speed: a triangle, t = 2 √(s / a).
        let short: f64 = run(&[straight(2.5)], 512).iter().sum();
        assert!((short - 0.1).abs() < 1e-12);
    }

    fn lines(bytes: usize) -> LineBytes {
        let mut lines = LineBytes::default();
        lines.add(bytes);
        lines
    }

    #[test]
    fn a_dwell_waits_for_its_line_and_gives_those_behind_it_time_to_come() {
        // A move of 1 mm takes 0.0632 s; ten lines come in a second.
        let slow =
            || Planner::new(0.01, Some(16)).with_supply(Supply::new(rates(Some(10.0), None)));
        let one = |planner: &mut Planner<()>| {
            let (mut seconds, mut waits) = (0.0, 0.0);
            planner.push_told(straight(1.0), lines(20), (), &mut |(), _| {});
            planner.finish(&mut |(), planned: PlannedBlock| {
                seconds += planned.seconds;
                waits += planned.waits;
            });
            planner.stop();
            (seconds, waits)
        };
        let mut planner = slow();
        // Before the first move nothing waits; its line has come after 0.1 s.
        let (seconds, waits) = one(&mut planner);
        assert!((seconds - 0.004_f64.sqrt()).abs() < 1e-9 && waits == 0.0, "{seconds} {waits}");
        // The next line comes 0.1 s behind the first.
        let waits = planner.rest(&lines(5), 0.02);
        assert!((waits - (0.1 - seconds)).abs() < 1e-9, "{waits}");
        let (_, waits) = one(&mut planner);
        assert!((waits - 0.08).abs() < 1e-9, "{waits}");
        assert!(planner.is_starved());
        // A long dwell: the line behind it is there when it ends.
        let mut planner = slow();
        one(&mut planner);
        planner.rest(&lines(5), 100.0);
        let (_, waits) = one(&mut planner);
        assert_eq!(waits, 0.0);
        // 0.037 s in 100 are not worth a look.
        assert!(!planner.is_starved());
        let mut fast = Planner::<()>::new(0.01, Some(16));
        assert_eq!(fast.rest(&lines(5), 1.0), 0.0);
        assert!(!fast.is_starved());
    }

    #[test]
    fn a_head_that_is_stopped_starts_again_from_nothing() {
        let mut times = Vec::new();
        for stops in [false, true] {
            let mut planner = Planner::new(0.01, Some(16));
            let mut time = 0.0;
            let mut done = |(), planned: PlannedBlock| time += planned.seconds;
            planner.push(straight(50.0), (), &mut done);
            if stops {
                planner.stop();
            }
            planner.push(straight(50.0), (), &mut done);
            planner.finish(&mut done);
            times.push(time);
        }
        // 100 mm at once take 1.1 s, twice 50 mm 0.6 s each.
        assert!((times[0] - 1.1).abs() < 1e-9 && (times[1] - 1.2).abs() < 1e-9, "{times:?}");
    }

    #[test]
    fn blocks_are_handed_on_as_soon_as_the_queue_is_full_behind_them() {
        let mut planner = Planner::new(0.01, Some(3));
        let mut given = Vec::new();
        for n in 0..6 {
            planner.push(straight(1.0), n, &mut |n, _| given.push(n));
        }
        assert_eq!(given, [0, 1, 2]);
        // With the whole program in sight nothing is certain before a batch is there.
        let mut planner = Planner { batch: 4, ..Planner::new(0.01, None) };
        let mut given = 0;
        for _ in 0..3 {
            planner.push(straight(50.0), (), &mut |(), _| given += 1);
        }
        assert_eq!(given, 0);
        planner.push(straight(50.0), (), &mut |(), _| given += 1);
        assert!(given > 0, "long moves are certain at once");
    }

    #[test]
    fn a_right_angle_is_taken_at_its_junction_speed_and_a_reversal_at_none() {
        let up = [0.0, 1.0, 0.0];
        let turn = Block { start: up, end: up, ..straight(50.0) };
        // sin(45°) / (1 − sin(45°)) = 2.414; both axes together turn the head by 1000 · √2 along
        // the diagonal: v² = 1414 · 0.01 · 2.414.
        let v2 = junction_speed_squared(&straight(50.0), &turn, 0.01);
        assert!((v2 - 34.142_135).abs() < 1e-4, "{v2}");
        let down = [0.0, -1.0, 0.0];
        let back = Block { start: down, end: down, ..straight(50.0) };
        assert_eq!(junction_speed_squared(&turn, &back, 0.01), 0.0);
    }

    fn seen(blocks: &[Block], look_ahead: Option<u32>) -> f64 {
        let mut time = 0.0;
        let mut planner = Planner::new(0.01, look_ahead);
        for block in blocks {
            planner.push(*block, (), &mut |(), ran: PlannedBlock| time += ran.seconds);
        }
        planner.finish(&mut |(), ran: PlannedBlock| time += ran.seconds);
        time
    }

    #[test]
    fn a_short_queue_of_short_moves_is_slow() {
        // With 16 moves of 0.1 mm in sight the head must be able to stop in 1.6 mm or less.
        let moves = [straight(0.1); 1000];
        let far = seen(&moves, None);
        let near = seen(&moves, Some(16));
        let fastest = (2.0 * 1000.0 * 1.6_f64).sqrt();
        assert!(near > 100.0 / fastest && near > 1.5 * far, "{near} {far}");
        assert!((seen(&moves, Some(2000)) - far).abs() < 1e-9);
        assert!((seen(&[straight(100.0)], Some(1)) - far).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn batches_do_not_change_the_answer(
            parts in proptest::collection::vec((0.01..30.0f64, 0.0..6.3f64, 5.0..200.0f64), 1..200),
        ) {
            let blocks: Vec<Block> = parts.iter().map(|(length, angle, speed)| {
                let (sin, cos) = angle.sin_cos();
                let d = [cos, sin, 0.0];
                let leg = Leg { speed: *speed, ..straight(*length).leg };
                Block { leg, start: d, end: d, ..straight(1.0) }
            }).collect();
            let whole = run(&blocks, usize::MAX);
            for batch in [1, 2, 7, 64] {
                let parts = run(&blocks, batch);
                prop_assert_eq!(whole.len(), parts.len());
                for (a, b) in whole.iter().zip(&parts) {
                    prop_assert!((a - b).abs() < 1e-9 && a.is_finite());
                }
            }
            // The more is seen ahead the faster it goes, and all of it is the whole program.
            let total: f64 = whole.iter().sum();
            let by_window: Vec<f64> =
                [2, 4, 16, 1000].into_iter().map(|n| seen(&blocks, Some(n))).collect();
            prop_assert!(by_window.is_sorted_by(|a, b| *a >= *b - 1e-9), "{:?}", by_window);
            prop_assert!((by_window[3] - total).abs() < 1e-9);
        }
    }
}
