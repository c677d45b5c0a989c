//! `tinkite head mark`: where the head stands is where a registration mark was found.

use super::by_hand::ByHand;
use super::calls::{ready, tell};
use super::panel;
use crate::args::HeadMark;
use crate::commands::edge::counts_from;
use crate::console::Console;
use crate::load::{folder_of, machine, typed_machine};
use crate::output::Output;
use crate::place::on_bed;
use crate::refusal::{Refusal, Sources};
use crate::source::text;
use std::io::Write;
use std::path::{Path, PathBuf};
use tinkite_core::found::{self, MarkError, Written};
use tinkite_core::geometry::Point;
use tinkite_core::job::{Request, Zero};
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_wire::Connected;

/// The marks of a job that is open.
#[derive(Debug, Clone)]
pub(super) struct Marks {
    job: PathBuf,
    zero: Zero,
    pub(super) marks: Vec<Written>,
}

impl Marks {
    /// Those of a job, which need not be fit to be run yet.
    fn of(job: &Path) -> Result<Self, Refusal> {
        let (zero, marks) = found::marks(&text(job)?).map_err(|error| refusal(job, &error))?;
        Ok(Self { job: job.to_path_buf(), zero, marks })
    }

    /// What the job counts from, mm from the front left corner of the bed.
    pub(super) fn begin(&self, machine: &Machine, connected: &Connected) -> Result<Point, Refusal> {
        counts_from(machine, connected, self.zero).map(|(begin, _)| begin)
    }

    /// Where a place that the job says lies, mm from the front left corner of the bed.
    pub(super) fn on_bed(machine: &Machine, begin: Point, found: Point) -> Point {
        begin + machine.pointing.to_plane(found.to_vec2())
    }

    /// Writes into the job that a mark, from 1, lies under the head. In words.
    pub(super) fn write(
        &self,
        machine: &Machine,
        begin: Point,
        number: usize,
        head: Point,
    ) -> Result<String, Refusal> {
        let at = machine.pointing.to_machine(head - begin).to_point();
        // Read again: somebody may have the file open.
        let changed = found::with_found(&text(&self.job)?, number, at)
            .map_err(|error| refusal(&self.job, &error))?;
        let over = crate::args::Writing { force: true, number: false };
        Output::create(&self.job, over)?.write(|out| out.write_all(changed.as_bytes()))?;
        Ok(format!(
            "mark {number} of {}: found = [\"{} mm\", \"{} mm\"]",
            self.job.display(),
            plain(at.x, 3),
            plain(at.y, 3)
        ))
    }
}

fn refusal(job: &Path, error: &MarkError) -> Refusal {
    Refusal::Usage(format!("{}: {error}", job.display()))
}

pub(super) fn run(args: &HeadMark, console: &Console) -> Result<(), Refusal> {
    let marks = Marks::of(&args.job)?;
    let machine = machine_of(args)?;
    let mut hand = ByHand::of(machine, args.to.as_deref())?;
    let Some(number) = args.mark else {
        return panel::marks(hand, marks, console);
    };
    let number = number as usize;
    if number == 0 || number > marks.marks.len() {
        let error = MarkError::NoSuchMark { asked: number, marks: marks.marks.len() };
        return Err(refusal(&args.job, &error));
    }
    let mut here = None;
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        let head = connected.position.map(|[x, y, _]| on_bed(machine, Point::new(x, y)));
        here = head.zip(Some(marks.begin(machine, connected)?));
        Ok(Vec::new())
    })?;
    let Some((head, begin)) = here else {
        return Err(Refusal::Link("this controller does not tell where the head is".into()));
    };
    let told = marks.write(&hand.machine, begin, number, head)?;
    tell(&hand, &stands, &told, console)
}

/// The machine that the call or the job names.
fn machine_of(args: &HeadMark) -> Result<Machine, Refusal> {
    let mut sources = Sources::new();
    if let Some(name) = &args.machine {
        return typed_machine(name, &args.job, &mut sources);
    }
    let Some(name) = Request::of(&text(&args.job)?).machine else {
        return Err(Refusal::Usage(format!(
            "{} names no machine: say --machine NAME",
            args.job.display()
        )));
    };
    machine(&name, &folder_of(&args.job), &mut sources)
}
