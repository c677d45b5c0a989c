//! What came of many seeds.

use super::attempt::Attempt;
use std::collections::BTreeMap;
use tinkite_rig::Rig;
use tinkite_wire::Outcome;

/// What came of one seed, or of many.
#[derive(Debug, Clone, Default)]
pub struct Tally {
    /// Programs that were run to their end.
    pub seeds: u64,
    /// Sessions.
    pub attempts: u64,
    /// Rests that began at a certain place.
    pub certain: u64,
    /// Rests that began at a place that somebody chose.
    pub uncertain: u64,
    /// Programs whose bytes were spoilt unseen on the way to the board: nothing can be proved of them.
    pub unprovable: u64,
    /// Programs whose rest was refused for good, because a zero was told wrongly at their beginning.
    pub given_up: u64,
    /// The longest session, simulated seconds.
    pub longest: f64,
    /// The longest time that a beam stood lit, s.
    pub longest_lit: f64,
    /// How often each fault struck.
    pub faults: BTreeMap<&'static str, u64>,
    /// How sessions ended.
    pub outcomes: BTreeMap<String, u64>,
}

impl Tally {
    pub(super) fn count(&mut self, done: &Attempt, rig: &Rig) {
        self.longest = self.longest.max(done.seconds);
        self.longest_lit = self.longest_lit.max(rig.record().lit_standing_seconds);
        let name = match &done.outcome {
            Outcome::Done => "done".to_string(),
            Outcome::Stopped if done.refused.is_some() => "refused by us".into(),
            Outcome::Stopped => "stopped".into(),
            Outcome::Failed(failure) => {
                let text = format!("{failure:?}");
                text.split([' ', '(', '{']).next().unwrap_or_default().to_string()
            }
        };
        *self.outcomes.entry(name).or_default() += 1;
    }

    pub(super) fn end(&mut self, rig: &Rig) {
        self.seeds = 1;
        for (_, fault, _) in rig.mishaps_so_far() {
            *self.faults.entry(fault.word()).or_default() += 1;
        }
    }

    /// Both together.
    pub fn add(&mut self, other: &Self) {
        self.seeds += other.seeds;
        self.attempts += other.attempts;
        self.certain += other.certain;
        self.uncertain += other.uncertain;
        self.unprovable += other.unprovable;
        self.given_up += other.given_up;
        self.longest = self.longest.max(other.longest);
        self.longest_lit = self.longest_lit.max(other.longest_lit);
        for (word, count) in &other.faults {
            *self.faults.entry(word).or_default() += count;
        }
        for (word, count) in &other.outcomes {
            *self.outcomes.entry(word.clone()).or_default() += count;
        }
    }
}
