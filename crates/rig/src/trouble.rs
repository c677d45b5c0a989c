//! Faults on request, from a seed: the same seed and the same bytes give the same faults.

use std::collections::VecDeque;
use std::fmt;

/// What can go wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Fault {
    /// A byte is lost on the cable, either way.
    Drop,
    /// A byte is changed on the cable, either way.
    Change,
    /// A byte comes twice, either way.
    Double,
    /// The cable takes its time, either way.
    Delay,
    /// An `ok` comes late.
    LateOk,
    /// An `ok` is lost.
    LoseOk,
    /// An `ok` comes twice.
    DoubleOk,
    /// A good line is answered with an error, and not carried out.
    Error,
    /// A limit switch is hit: an alarm, and the position is lost.
    Alarm,
    /// The door opens, and is closed again a while later.
    Door,
    /// Somebody presses hold at the machine, and lets it go on a while later.
    Hold,
    /// Somebody presses reset at the machine.
    Reset,
    /// The link closes.
    Close,
    /// It says and does nothing any more until it is switched off and on.
    Stall,
    /// Its power fails for a moment: it starts anew, and does not know where the head stands.
    Power,
    /// The same, and it wakes up with another full power.
    Settings,
}

/// Words for faults.
const FAULTS: [(&str, Fault); 16] = [
    ("drop", Fault::Drop),
    ("change", Fault::Change),
    ("double", Fault::Double),
    ("delay", Fault::Delay),
    ("late-ok", Fault::LateOk),
    ("lose-ok", Fault::LoseOk),
    ("double-ok", Fault::DoubleOk),
    ("error", Fault::Error),
    ("alarm", Fault::Alarm),
    ("door", Fault::Door),
    ("hold", Fault::Hold),
    ("reset", Fault::Reset),
    ("close", Fault::Close),
    ("stall", Fault::Stall),
    ("power", Fault::Power),
    ("settings", Fault::Settings),
];

impl Fault {
    /// All of them, in their order.
    pub fn all() -> impl Iterator<Item = Self> {
        FAULTS.iter().map(|(_, fault)| *fault)
    }

    /// In one word.
    #[must_use]
    pub fn word(self) -> &'static str {
        FAULTS.iter().find(|(_, fault)| *fault == self).map_or("", |(word, _)| word)
    }
}

/// Where a fault strikes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultSite {
    /// On the way to the board.
    There,
    /// On the way back, or in its answers.
    Back,
    /// At the machine.
    Machine,
}

/// A word that is neither a seed nor a fault.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoFault(String);

impl fmt::Display for NoFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let all: Vec<&str> = FAULTS.iter().map(|(name, _)| *name).collect();
        let (word, all) = (&self.0, all.join(", "));
        write!(f, "\"{word}\" is no fault: write a whole number as seed, or some of {all}")
    }
}

impl std::error::Error for NoFault {}

/// What goes wrong, and how often.
#[derive(Debug, Clone, PartialEq)]
pub struct Trouble {
    seed: u64,
    faults: Vec<Fault>,
    /// The number of faults in all; none: no end to them.
    most: Option<u32>,
    /// One byte in so many, one answer in a tenth of it.
    one_in: u64,
    /// Seconds between two things that happen at the machine, on average.
    every: f64,
    /// When the next of those happens.
    next: Option<f64>,
    /// What has happened, in order, with its time.
    happened: Vec<(f64, Fault, FaultSite)>,
}

impl Trouble {
    /// These faults, from a seed.
    #[must_use]
    pub fn new(seed: u64, faults: Vec<Fault>) -> Self {
        // Neighbouring seeds must not begin alike.
        let seed = (seed ^ 0x9e37_79b9_7f4a_7c15).wrapping_mul(0xbf58_476d_1ce4_e5b9) | 1;
        Self {
            seed,
            faults,
            most: None,
            one_in: 2000,
            every: 10.0,
            next: None,
            happened: Vec::new(),
        }
    }

    /// Reads a seed (all faults), names of faults, or both: `42`, `drop,reset`, `7,drop,reset`.
    ///
    /// # Errors
    /// The word that is neither.
    pub fn parse(text: &str) -> Result<Self, NoFault> {
        let (mut seed, mut faults) = (1, Vec::new());
        for word in text.split(',').map(str::trim).filter(|word| !word.is_empty()) {
            if let Some((_, fault)) = FAULTS.iter().find(|(name, _)| *name == word) {
                faults.push(*fault);
            } else if let Ok(number) = word.parse() {
                seed = number;
            } else {
                return Err(NoFault(word.into()));
            }
        }
        if faults.is_empty() {
            faults.extend(Fault::all());
        }
        Ok(Self::new(seed, faults))
    }

    /// No more than so many faults in all.
    #[must_use]
    pub fn at_most(mut self, faults: u32) -> Self {
        self.most = Some(faults);
        self
    }

    /// One byte in so many is spoilt, and something happens at the machine about every so many seconds.
    #[must_use]
    pub fn as_often_as(mut self, one_in: u64, every: f64) -> Self {
        (self.one_in, self.every) = (one_in.max(1), every.max(0.01));
        self
    }

    /// What has happened, in order: when (simulated seconds), what, and where.
    #[must_use]
    pub fn faults(&self) -> &[(f64, Fault, FaultSite)] {
        &self.happened
    }

    /// A number below `sides`, from the seed.
    fn dice(&mut self, sides: u64) -> u64 {
        self.seed ^= self.seed << 13;
        self.seed ^= self.seed >> 7;
        self.seed ^= self.seed << 17;
        (self.seed >> 11) % sides.max(1)
    }

    fn is_spent(&self) -> bool {
        self.most.is_some_and(|most| self.happened.len() >= most as usize)
    }

    /// Whether one of `kinds` strikes now, one time in `one_in`.
    fn strikes(&mut self, now: f64, way: FaultSite, kinds: &[Fault], one_in: u64) -> Option<Fault> {
        if self.is_spent() || self.dice(one_in) != 0 {
            return None;
        }
        let wanted: Vec<Fault> =
            self.faults.iter().copied().filter(|fault| kinds.contains(fault)).collect();
        if wanted.is_empty() {
            return None;
        }
        let fault = wanted[self.dice(wanted.len() as u64) as usize];
        self.happened.push((now, fault, way));
        Some(fault)
    }

    /// What becomes of bytes on the cable, and by how much they are late, s.
    pub(crate) fn cable(&mut self, now: f64, way: FaultSite, bytes: &[u8]) -> (Vec<u8>, f64) {
        let mut late = 0.0;
        let mut out = Vec::with_capacity(bytes.len());
        let kinds = [Fault::Drop, Fault::Change, Fault::Double, Fault::Delay];
        for byte in bytes {
            match self.strikes(now, way, &kinds, self.one_in) {
                Some(Fault::Drop) => {}
                Some(Fault::Change) => out.push(byte ^ (1 << self.dice(7))),
                Some(Fault::Double) => out.extend([*byte; 2]),
                Some(Fault::Delay) => {
                    late += 0.01 + self.dice(300) as f64 / 1000.0;
                    out.push(*byte);
                }
                _ => out.push(*byte),
            }
        }
        (out, late)
    }

    /// What becomes of an answer.
    pub(crate) fn answer(&mut self, now: f64) -> Option<Fault> {
        let kinds = [Fault::LateOk, Fault::LoseOk, Fault::DoubleOk];
        self.strikes(now, FaultSite::Back, &kinds, self.one_in / 10)
    }

    /// Whether a line is refused without a reason.
    pub(crate) fn refuses(&mut self, now: f64) -> bool {
        self.strikes(now, FaultSite::Machine, &[Fault::Error], self.one_in / 10).is_some()
    }

    /// What happens at the machine by `now`.
    pub(crate) fn at_the_machine(&mut self, now: f64) -> Option<Fault> {
        if self.next.is_none_or(|next| next > now) {
            return None;
        }
        self.plan_next(now);
        let kinds = [
            Fault::Alarm,
            Fault::Door,
            Fault::Hold,
            Fault::Reset,
            Fault::Close,
            Fault::Stall,
            Fault::Power,
            Fault::Settings,
        ];
        self.strikes(now, FaultSite::Machine, &kinds, 1)
    }

    /// When the next thing may happen at the machine.
    pub(crate) fn next_at_the_machine(&self) -> Option<f64> {
        self.next.filter(|_| !self.is_spent())
    }

    /// Decides when the next thing may happen at the machine.
    pub(crate) fn plan_next(&mut self, now: f64) {
        self.next = Some(now + self.every * (0.02 + 1.96 * self.dice(1000) as f64 / 1000.0));
    }

    /// How long something at the machine lasts, s.
    pub(crate) fn lasts(&mut self) -> f64 {
        0.2 + self.dice(2000) as f64 / 1000.0
    }

    /// How late an answer is, s.
    pub(crate) fn late(&mut self) -> f64 {
        0.05 + self.dice(600) as f64 / 1000.0
    }
}

/// Bytes that are under way for a while.
#[derive(Debug, Default)]
pub(crate) struct Late {
    bytes: VecDeque<(f64, Vec<u8>)>,
}

impl Late {
    /// Puts bytes on their way; nothing overtakes what is under way already.
    pub(crate) fn put(&mut self, now: f64, late: f64, bytes: Vec<u8>) {
        let after = self.bytes.back().map_or(now, |(due, _)| due.max(now));
        self.bytes.push_back((after.max(now + late), bytes));
    }

    /// What has arrived.
    pub(crate) fn take_arrived(&mut self, now: f64) -> Option<Vec<u8>> {
        (self.bytes.front()?.0 <= now).then(|| self.bytes.pop_front())?.map(|(_, bytes)| bytes)
    }

    /// When the next arrive.
    pub(crate) fn due(&self) -> Option<f64> {
        self.bytes.front().map(|(due, _)| *due)
    }

    pub(crate) fn clear(&mut self) {
        self.bytes.clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn trouble_is_read_as_a_seed_as_names_or_as_both() {
        assert_eq!(Trouble::parse("42").unwrap(), Trouble::new(42, Fault::all().collect()));
        let two = vec![Fault::Drop, Fault::Reset];
        assert_eq!(Trouble::parse("drop, reset").unwrap(), Trouble::new(1, two.clone()));
        assert_eq!(Trouble::parse("7,drop,reset").unwrap(), Trouble::new(7, two));
        let why = Trouble::parse("drop,rain").unwrap_err().to_string();
        assert!(why.contains("rain") && why.contains("double-ok"), "{why}");
        assert!(Fault::all().all(|fault| Trouble::parse(fault.word()).unwrap().faults == [fault]));
    }

    #[test]
    fn the_same_seed_spoils_the_same_bytes_and_no_more_than_it_may() {
        let spoil = |seed| {
            let faults = vec![Fault::Drop, Fault::Change, Fault::Double];
            let mut trouble = Trouble::new(seed, faults).at_most(3).as_often_as(10, 1.0);
            let out = trouble.cable(0.0, FaultSite::There, &[b'a'; 1000]).0;
            assert_eq!(trouble.faults().len(), 3);
            out
        };
        assert_eq!(spoil(1), spoil(1));
        assert!((2..20).any(|seed| spoil(seed) != spoil(1)));
    }

    #[test]
    fn late_bytes_keep_their_order() {
        let mut late = Late::default();
        late.put(0.0, 0.5, b"a".to_vec());
        late.put(0.1, 0.0, b"b".to_vec());
        assert_eq!(late.take_arrived(0.4), None);
        assert_eq!(
            (late.take_arrived(0.5), late.take_arrived(0.5)),
            (Some(b"a".to_vec()), Some(b"b".to_vec()))
        );
        assert_eq!(late.due(), None);
    }
}
