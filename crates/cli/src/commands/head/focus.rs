//! `tinkite head focus`: the focus onto the surface of the stock.

use super::calls::{cannot, tell};
use super::zero;
use crate::args::{HeadAxis, HeadFocus};
use crate::console::Console;
use crate::defaults;
use std::path::{Path, PathBuf};
use tinkite_core::machine::Machine;
use tinkite_core::quantity::{Length, parse, plain};
use tinkite_files::call::JobCall;
use tinkite_files::load;
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_operate::head::by_hand::{ByHand, Stands};
use tinkite_operate::head::moves::{arrived, lift, off, ready, word};

pub(super) fn run(args: &HeadFocus, console: &Console) -> Result<(), Refusal> {
    let (machine, thickness) = machine_and_height(args)?;
    if machine.z.is_none() {
        return Err(Refusal::Usage(by_the_bed(&machine, thickness)));
    }
    if args.probe {
        return by_probe(machine, args.to.as_deref(), console);
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
    let stands = zero_at(&mut hand, height)?;
    let what = format!(
        "the focus lies {} mm above the bed, on the surface: Z counts from it",
        plain(thickness, 3)
    );
    tell(&hand, &stands, &what, console)
}

/// How fast a probe goes down, mm/s: it stops within a hundredth of a millimetre of where it touches.
const PROBING: f64 = 1.5;

/// A head that was stopped by its probe stands no farther than this from where that touched, mm.
const OVERRUN: f64 = 0.5;

/// The probe on the head finds the surface; the head rises until the focus lies on it.
fn by_probe(machine: Machine, to: Option<&str>, console: &Console) -> Result<(), Refusal> {
    let Some(rise) = machine.focus.probe else {
        return Err(Refusal::Usage(
            "this machine has no probe: write into [focus] how far its head must rise from where the probe touches until the focus lies on the surface, as probe = \"4 mm\"; nothing was sent"
                .into(),
        ));
    };
    let mut hand = ByHand::of(machine, to)?;
    if hand.is_printer() {
        return Err(cannot(
            &hand,
            "does not tell where a probe touched: lower the head onto a gauge block and say head focus --block; nothing was sent",
        ));
    }
    let before = hand.carry_out(|_, _| Ok(Vec::new()))?;
    if before.switches.words().any(|switch| switch == "probe") {
        return Err(Refusal::Usage(
            "the probe says that it touches something already: lift the head, or look at its cable; nothing was sent"
                .into(),
        ));
    }
    let found = hand.carry_out(|machine, connected| {
        ready(connected)?;
        downwards(machine, connected.work_offset(Some("G54")))
    })?;
    let Some([.., surface]) = found.touched else {
        return Err(Refusal::Link("the controller did not say where the probe touched".into()));
    };
    // The line has no checksum, and the head stands where it touched.
    let stands_there = found.position.and_then(|at| at[2]);
    if stands_there.is_none_or(|z| (z - surface).abs() > OVERRUN) {
        return Err(Refusal::Link(format!(
            "the controller says that the probe touched at Z {}, and the head does not stand there: say it again",
            plain(surface, 3)
        )));
    }
    let stands = zero_at(&mut hand, surface + rise)?;
    let what = format!(
        "the probe touched at Z {}; the focus lies on the surface: Z counts from it",
        plain(surface, 3)
    );
    tell(&hand, &stands, &what, console)
}

/// Brings the head to a height on the machine's axis, mm, and lets Z count from there.
fn zero_at(hand: &mut ByHand, height: f64) -> Result<Stands, Refusal> {
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        // Whatever zero it had on other stock: the range holds on the machine's own axis.
        lift(machine, 0.0, height, None)
    })?;
    arrived((None, None, Some(height)), &stands)?;
    zero::set(hand, &[HeadAxis::Z])
}

/// The lines that take the probe down to what it touches, dark, at most to the end of the focus axis.
fn downwards(machine: &Machine, zero: Option<[f64; 3]>) -> Result<Vec<String>, Refusal> {
    let (Some(axis), Some([.., zero])) = (&machine.z, zero) else {
        return Err(Refusal::Link(
            "this controller does not tell where the zero on the stock is: nothing was sent".into(),
        ));
    };
    let feed = plain(60.0 * PROBING.min(axis.axis.top_speed), 1);
    let down = format!("G38.2 Z{} F{feed}", word(axis.range.0 - zero));
    // A motion of the program's behind it must not probe again.
    Ok(vec![off(machine), "G21 G90 G94 G54".into(), down, "G0".into()])
}

/// The machine, and the thickness of the stock in mm unless a gauge block tells it.
fn machine_and_height(args: &HeadFocus) -> Result<(Machine, Option<f64>), Refusal> {
    let named = || -> Result<Machine, Refusal> {
        let Some(name) = defaults::machine(args.machine.as_ref())? else {
            return Err(Refusal::Usage("which machine? --machine NAME".into()));
        };
        find(&name, Path::new(""))?.read(&mut Sources::new())
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
    let made = load::make(&JobCall::whole(PathBuf::from(stock), args.machine.clone()))?;
    let thickness = made.job.stock.as_ref().and_then(|stock| stock.thickness).ok_or_else(|| {
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
