//! What goes wrong at the cable, at the machine and in the board, as its trouble has it.

use super::{Rig, State};
use crate::settings::Protocol;
use crate::trouble::{Fault, FaultSite, Late, Trouble};

/// Trouble, and what came of it so far.
#[derive(Debug)]
pub(super) struct Misbehaviour {
    trouble: Trouble,
    /// Bytes on their way, there and back.
    there: Late,
    back: Late,
    /// Bytes that have come back.
    output: Vec<u8>,
    /// Half a line that was said and not yet looked at.
    said: String,
    /// When hold or door are let go.
    released: Option<f64>,
    stalled: bool,
    closed: bool,
}

impl Misbehaviour {
    pub(super) fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.output)
    }

    pub(super) fn has_output(&self) -> bool {
        !self.output.is_empty()
    }
}

impl Rig {
    /// It misbehaves from now on.
    pub fn misbehave(&mut self, mut trouble: Trouble) {
        trouble.plan_next(self.now);
        self.misbehaviour = Some(Box::new(Misbehaviour {
            trouble,
            there: Late::default(),
            back: Late::default(),
            output: Vec::new(),
            said: String::new(),
            released: None,
            stalled: false,
            closed: false,
        }));
    }

    /// What has gone wrong so far: when (simulated seconds), what, and where.
    #[must_use]
    pub fn mishaps_so_far(&self) -> &[(f64, Fault, FaultSite)] {
        self.misbehaviour.as_ref().map_or(&[], |m| m.trouble.faults())
    }

    /// Whether the link was closed from this side since this was asked last. What was on its way is
    /// lost.
    pub fn has_closed(&mut self) -> bool {
        let Some(misbehaviour) = &mut self.misbehaviour else { return false };
        if misbehaviour.closed {
            misbehaviour.there.clear();
            misbehaviour.back.clear();
            misbehaviour.output.clear();
            self.output.clear();
        }
        std::mem::take(&mut misbehaviour.closed)
    }

    /// Somebody switches it off and on again: it does not know where the head stands.
    pub fn power_cycle(&mut self) {
        self.drop_motion();
        self.record.slip[0] += self.head.at[0];
        self.record.slip[1] += self.head.at[1];
        self.head.at = [0.0; 4];
        self.planned = [0.0; 4];
        self.inbox.clear();
        self.arrivals.clear();
        self.printer = super::Counter::default();
        self.modal = crate::gcode::Modal {
            offsets: self.modal.offsets.reset(),
            protocol: self.modal.protocol,
            ..crate::gcode::Modal::default()
        };
        self.modal.at = self.work_position();
        if let Some(misbehaviour) = &mut self.misbehaviour {
            (misbehaviour.stalled, misbehaviour.released) = (false, None);
        }
        self.state = if self.setup.homes { State::Alarm } else { State::Ready };
        self.banner();
    }

    /// Somebody has it find its zero.
    pub fn home_now(&mut self) {
        self.drop_motion();
        self.record.slip = [0.0; 2];
        self.head.at = [0.0; 4];
        self.planned = [0.0; 4];
        self.modal.at = self.work_position();
        self.state = State::Ready;
    }

    /// Somebody brings the machine's zero back to where it is, by hand.
    pub fn zero_by_hand(&mut self) {
        let slip = std::mem::take(&mut self.record.slip);
        self.head.at[0] += slip[0];
        self.head.at[1] += slip[1];
        self.planned = self.head.at;
        self.modal.at = self.work_position();
    }

    /// Somebody closes its door and presses go on.
    pub fn let_go(&mut self) {
        self.go_on();
    }

    /// Somebody sets its full power.
    pub fn set_full(&mut self, full: f64) {
        self.setup.full = full;
    }

    /// Its client has gone: somebody notices when it has stalled, and switches it off and on.
    pub fn left_alone(&mut self) {
        if self.is_stalled() {
            self.power_cycle();
        }
    }

    pub(super) fn is_stalled(&self) -> bool {
        self.misbehaviour.as_ref().is_some_and(|m| m.stalled)
    }

    /// What the cable makes of bytes that come in; `None` where it is a good one.
    pub(super) fn spoil(&mut self, bytes: &[u8]) -> Option<Vec<u8>> {
        let now = self.now;
        let misbehaviour = self.misbehaviour.as_mut()?;
        if misbehaviour.stalled || misbehaviour.closed {
            return Some(Vec::new());
        }
        let (bytes, late) = misbehaviour.trouble.cable(now, FaultSite::There, bytes);
        misbehaviour.there.put(now, late, bytes);
        // What is held up comes when it is due.
        Some(std::iter::from_fn(|| misbehaviour.there.take_arrived(now)).flatten().collect())
    }

    /// Whether a good line is refused.
    pub(super) fn refuses(&mut self) -> bool {
        let now = self.now;
        self.misbehaviour.as_mut().is_some_and(|m| m.trouble.refuses(now))
    }

    /// Puts what was said on its way back.
    pub(super) fn deliver(&mut self) {
        let now = self.now;
        let Some(misbehaviour) = &mut self.misbehaviour else { return };
        let said = std::mem::take(&mut self.output);
        if misbehaviour.stalled || misbehaviour.closed {
            misbehaviour.back.clear();
            return;
        }
        misbehaviour.said.push_str(&said);
        while let Some(end) = misbehaviour.said.find('\n') {
            let line: String = misbehaviour.said.drain(..=end).collect();
            let (mut bytes, mut late) = (line.into_bytes(), 0.0);
            if bytes.starts_with(b"ok") {
                match misbehaviour.trouble.answer(now) {
                    Some(Fault::LoseOk) => bytes.clear(),
                    Some(Fault::DoubleOk) => bytes.extend(bytes.clone()),
                    Some(_) => late = misbehaviour.trouble.late(),
                    None => {}
                }
            }
            let (bytes, slow) = misbehaviour.trouble.cable(now, FaultSite::Back, &bytes);
            misbehaviour.back.put(now, late + slow, bytes);
        }
        while let Some(bytes) = misbehaviour.back.take_arrived(now) {
            misbehaviour.output.extend(bytes);
        }
    }

    /// When the next thing goes wrong, or is over.
    pub(super) fn next_mishap(&self) -> Option<f64> {
        let misbehaviour = self.misbehaviour.as_ref()?;
        let times = [
            misbehaviour.there.due(),
            misbehaviour.back.due(),
            misbehaviour.released,
            misbehaviour.trouble.next_at_the_machine().filter(|_| !misbehaviour.stalled),
        ];
        times.into_iter().flatten().reduce(f64::min)
    }

    /// Everything that goes wrong, or is over, by now.
    pub(super) fn mishaps(&mut self) {
        let now = self.now;
        self.deliver();
        while let Some(bytes) = self.misbehaviour.as_mut().and_then(|m| m.there.take_arrived(now)) {
            if !self.is_stalled() {
                self.hear(&bytes);
            }
        }
        let Some(misbehaviour) = &mut self.misbehaviour else { return };
        if misbehaviour.released.is_some_and(|at| at <= now) {
            misbehaviour.released = None;
            self.go_on();
        }
        let Some(misbehaviour) = &mut self.misbehaviour else { return };
        if misbehaviour.stalled {
            return;
        }
        let lasts = misbehaviour.trouble.lasts();
        let Some(fault) = misbehaviour.trouble.at_the_machine(now) else { return };
        match fault {
            Fault::Close => misbehaviour.closed = true,
            Fault::Stall => misbehaviour.stalled = true,
            // Printer firmware has neither hold nor door.
            Fault::Hold | Fault::Door if self.setup.protocol == Protocol::Reprap => {}
            Fault::Hold | Fault::Door => {
                misbehaviour.released = Some(now + lasts);
                self.hold(if fault == Fault::Hold { State::Hold } else { State::Door });
            }
            Fault::Alarm if self.setup.protocol == Protocol::Reprap => self.emergency(),
            Fault::Alarm => {
                // The carriage has hit something.
                self.record.slip[0] += lasts / 10.0;
                self.alarm(1);
            }
            Fault::Reset if self.setup.protocol == Protocol::Reprap => self.power_cycle(),
            Fault::Reset => self.reset(),
            Fault::Settings => {
                self.setup.full *= 0.255;
                self.power_cycle();
            }
            _ => self.power_cycle(),
        }
        self.deliver();
    }
}
