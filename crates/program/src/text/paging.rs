//! Cutting a program into files: only where the head travels, each file a program of its own.

use super::page::Pages;
use super::{Remarks, Remembered, Writer};
use crate::mapping::Purpose;
use crate::segment::{AxisMove, Feed, Provenance};
use std::io;
use tinkite_job::Job;
use tinkite_machine::source::Level;
use tinkite_machine::{Switch, Travel};

/// What cutting a program into files needs to know.
pub(super) struct Paging {
    pub(super) largest: u64,
    /// Bytes of the file at hand, and which it is, from 1.
    pub(super) bytes: u64,
    pub(super) number: usize,
    /// The travel move that begins the stretch at hand, and what was so before it.
    pub(super) pending: Option<(AxisMove, Remembered, Option<Provenance>)>,
}

impl<P: Pages> Writer<'_, '_, P> {
    /// The stretch at hand is complete: into this file if there is room, else into the next.
    pub(super) fn end_page(&mut self) -> io::Result<()> {
        let Some(paging) = &mut self.paging else { return Ok(()) };
        let Some((travel, before, of)) = paging.pending.take() else { return Ok(()) };
        let stretch = std::mem::take(&mut self.line);
        let (after, now) = (self.said, self.of);
        let job = self.segments.job();
        let needed = stretch.len() as u64 + tail_bytes(job);
        if paging.bytes + needed > paging.largest {
            if needed + head_bytes(job, self.remarks) > paging.largest {
                return Err(io::Error::other(format!(
                    "a stretch of {} bytes without travel is larger than a file may be (largest in [program] is {} bytes)",
                    stretch.len(),
                    paging.largest
                )));
            }
            self.said = before;
            self.of = of;
            self.turn_page(before)?;
        } else {
            self.said = before;
        }
        self.write_move(&travel)?;
        self.line.extend_from_slice(&stretch);
        self.flush()?;
        (self.said, self.of) = (after, now);
        Ok(())
    }

    /// Refuses a file that has become larger than files may be: what is kept free is reckoned, what
    /// is written is counted.
    pub(super) fn check(&self) -> io::Result<()> {
        match &self.paging {
            Some(Paging { largest, bytes, .. }) if bytes > largest => {
                Err(io::Error::other(format!(
                    "a file would have {bytes} bytes, and largest in [program] is {largest}: say a larger one"
                )))
            }
            _ => Ok(()),
        }
    }

    /// Ends one file and begins the next in the middle of a step.
    pub(super) fn turn_page(&mut self, before: Remembered) -> io::Result<()> {
        self.height(0)?;
        if self.relative {
            self.go_back()?;
        }
        self.closing()?;
        self.pages.turn()?;
        if let Some(paging) = &mut self.paging {
            (paging.bytes, paging.number) = (0, paging.number + 1);
        }
        self.opening()?;
        self.beam_mode(before.follows.unwrap_or(false))?;
        let job = self.segments.job();
        let step = self.of.map_or(0, |of| of.step);
        self.comment(&format!(
            "goes on with step {} of {}: {}",
            step + 1,
            job.steps.len(),
            job.steps[step].name
        ))?;
        if let Some(hertz) = before.frequency {
            self.frequency(hertz)?;
        }
        if let Some(air) = job.machine.air.as_ref().filter(|_| before.air) {
            self.air(true)?;
            match (air.settle * 1000.0).round() as u32 {
                0 => {}
                ms => self.dwell(ms)?,
            }
        }
        self.height(before.z)
    }

    /// Back to where the head began, beam off.
    fn go_back(&mut self) -> io::Result<()> {
        let from = self.said.at.map(|at| at.unwrap_or(0));
        if from == [0; 2] {
            return Ok(());
        }
        let feed = match self.segments.job().machine.travel {
            Travel::Rapid => None,
            Travel::Feed(speed) => Feed::new(speed.0 * 60.0),
        };
        let (purpose, level) = (Purpose::Travel, Level::DARK);
        self.write_move(&AxisMove { purpose, from, to: [0; 2], arc: None, level, feed })
    }

    /// A move; where files are cut, a travel move ends one stretch and begins the next.
    pub(super) fn one_move(&mut self, way: &AxisMove) -> io::Result<()> {
        if self.paging.is_none() || way.purpose != Purpose::Travel {
            return self.write_move(way);
        }
        self.end_page()?;
        if self.style.switch == Switch::Lines {
            self.dark()?;
        }
        self.flush()?;
        let (before, of) = (self.said, self.of);
        // As if it were said: the stretch goes on from where it ends.
        let kept = self.line.len();
        self.write_move(way)?;
        self.line.truncate(kept);
        if way.feed.is_none() {
            // The stretch may open a file, in which no feed was said yet.
            self.said.feed = None;
        }
        if let Some(paging) = &mut self.paging {
            paging.pending = Some((*way, before, of));
        }
        Ok(())
    }
}

/// Bytes kept free for what ends a file: the travel before it, the way home, beam, air and the
/// profile's own lines.
fn tail_bytes(job: &Job) -> u64 {
    let own: usize = job.machine.text.closing.iter().map(|line| line.len() + 2).sum();
    (own + 400) as u64
}

/// About how many bytes the head of a file takes.
fn head_bytes(job: &Job, remarks: Option<&dyn Remarks>) -> u64 {
    let head = remarks.map(|remarks| remarks.head(Some(99))).unwrap_or_default();
    let said: usize = head.iter().map(|line| line.len() + 4).sum();
    let own: usize = job.machine.text.opening.iter().map(|line| line.len() + 2).sum();
    (said + own + 200) as u64
}
