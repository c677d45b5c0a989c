//! `tinkite head mark`: where the head stands is where a registration mark was found.

use super::calls::tell;
use super::panel;
use crate::args::HeadMark;
use crate::console::Console;
use tinkite_core::found::MarkError;
use tinkite_core::geometry::Point;
use tinkite_core::job::Request;
use tinkite_core::machine::Machine;
use tinkite_files::bundle;
use tinkite_files::load::{folder_of, machine, typed_machine};
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_files::source::text;
use tinkite_operate::head::by_hand::ByHand;
use tinkite_operate::head::marks::{Marks, refusal};
use tinkite_operate::head::moves::ready;
use tinkite_operate::place::on_bed;

pub(super) fn run(args: &HeadMark, console: &Console) -> Result<(), Refusal> {
    if bundle::inside(&args.job).is_some() {
        return Err(Refusal::Usage(format!(
            "{}: a mark is written into the job's file, and nobody edits a bundle: unpack it first",
            args.job.display()
        )));
    }
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
