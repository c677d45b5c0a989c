//! `tinkite head focus`: the focus onto the surface of the stock.

use super::by_hand::ByHand;
use super::calls::{cannot, ready, tell};
use super::moves::{arrived, lift};
use super::zero;
use crate::args::{HeadAxis, HeadFocus, JobArgs};
use crate::console::Console;
use crate::load;
use crate::machines::find;
use crate::refusal::{Refusal, Sources};
use std::path::{Path, PathBuf};
use tinkite_core::job::Machine;
use tinkite_core::quantity::{Length, parse, plain};

pub(super) fn run(args: &HeadFocus, console: &Console) -> Result<(), Refusal> {
    let (machine, thickness) = wanted(args)?;
    if machine.z.is_none() {
        return Err(Refusal::Usage(by_the_bed(&machine, thickness)));
    }
    let Some(thickness) = thickness else {
        let mut hand = ByHand::of(machine, args.to.as_deref())?;
        let stands = zero::set(&mut hand, &[HeadAxis::Z])?;
        return tell(
            &hand,
            &stands,
            "the focus lies on the surface here: Z counts from it",
            console,
        );
    };
    let Some(height) = machine.focus.on_surface(thickness) else {
        return Err(Refusal::Usage(
            "this machine does not say where its focus lies: write height = \"10 mm\" into [focus] (how far above the bed the focus lies when Z stands at the machine's zero), or lower the head onto a gauge block and say head focus --block; nothing was sent"
                .into(),
        ));
    };
    let mut hand = ByHand::of(machine, args.to.as_deref())?;
    if hand.is_printer() {
        return Err(cannot(
            &hand,
            "does not tell the machine's own Z: lower the head onto a gauge block and say head focus --block; nothing was sent",
        ));
    }
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        // Whatever zero it had on other stock: the range holds on the machine's own axis.
        lift(machine, 0.0, height, None)
    })?;
    arrived((None, None, Some(height)), &stands)?;
    let stands = zero::set(&mut hand, &[HeadAxis::Z])?;
    let what = format!(
        "the focus lies {} mm above the bed, on the surface: Z counts from it",
        plain(thickness, 3)
    );
    tell(&hand, &stands, &what, console)
}

/// The machine, and the thickness of the stock in mm unless a gauge block tells it.
fn wanted(args: &HeadFocus) -> Result<(Machine, Option<f64>), Refusal> {
    let named = || -> Result<Machine, Refusal> {
        let Some(name) = &args.machine else {
            return Err(Refusal::Usage("which machine? --machine NAME".into()));
        };
        find(name, Path::new(""))?.read(&mut Sources::new())
    };
    let Some(stock) = &args.stock else { return Ok((named()?, None)) };
    if !stock.ends_with(".toml") {
        let mm = match stock.trim().parse::<f64>() {
            Ok(mm) => mm,
            Err(_) => {
                let told = parse::<Length>(stock);
                told.map_err(|e| Refusal::Usage(format!("{}; {}", e.message, e.help)))?.0
            }
        };
        if !(mm.is_finite() && mm > 0.0) {
            return Err(Refusal::Usage(format!(
                "\"{stock}\" is no thickness: above zero is wanted"
            )));
        }
        return Ok((named()?, Some(mm)));
    }
    let made = load::made(&JobArgs {
        job: PathBuf::from(stock),
        machine: args.machine.clone(),
        only: Vec::new(),
        skip: Vec::new(),
        sheet: None,
    })?;
    let thickness = made.job.stock.and_then(|stock| stock.thickness).ok_or_else(|| {
        Refusal::Usage(format!(
            "{stock} does not say how thick its stock is: write thickness = \"3 mm\" into [stock]; nothing was sent"
        ))
    })?;
    Ok((made.job.machine.clone(), Some(thickness)))
}

/// What is to be done by hand where nothing moves the focus.
fn by_the_bed(machine: &Machine, thickness: Option<f64>) -> String {
    let none = "this machine has no [axis.z]: nothing was sent";
    let Some(block) = machine.focus.block else {
        return format!(
            "{none}. Write the height of your gauge block as block = \"7 mm\" into [focus], and head focus and plan say how far the head must stand above the bed"
        );
    };
    let above = thickness.and_then(|thickness| machine.focus.above_bed(thickness));
    let bed = above.map_or(String::new(), |mm| format!(", {} mm above the bed", plain(mm, 2)));
    format!("{none}. By hand: the head stands {} mm above the surface{bed}", plain(block, 2))
}
