//! The calls that ask where the head is, and open what holds it; and what every call tells.

use crate::args::HeadCall;
use crate::console::Console;
use serde::Serialize;
use std::collections::BTreeMap;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_operate::beam;
use tinkite_operate::head::by_hand::{ByHand, Stands};
use tinkite_operate::head::moves::off;
use tinkite_operate::place::on_bed;
use tinkite_wire::Connected;

#[derive(Debug, Serialize)]
struct StandsJson<'a> {
    link: &'a str,
    locked: bool,
    /// On the machine's axes: X, Y, Z.
    position_mm: Option<[f64; 3]>,
    /// From the front left corner of the bed: right, away.
    on_bed_mm: Option<[f64; 2]>,
    /// The zero on the stock, from the same corner.
    zero_on_bed_mm: Option<[f64; 2]>,
    /// The head from that zero: right, away.
    from_zero_mm: Option<[f64; 2]>,
    /// Switches that the controller says are pressed.
    switches: Vec<String>,
    /// Offsets of its coordinate systems on the machine's axes: `G54` to `G59`, `G92`.
    offsets_mm: &'a BTreeMap<String, [f64; 3]>,
    /// `confirmed`, `asked`, `unknown` or `untouched`.
    dark: &'a str,
}

/// Where everything is, as far as the controller tells.
struct Places {
    position: Option<[f64; 3]>,
    on_bed: Option<Point>,
    zero: Option<Point>,
}

impl Places {
    fn of(machine: &Machine, stands: &Stands) -> Self {
        let position = stands.position.and_then(|at| Some([at[0]?, at[1]?, at[2]?]));
        let flat = |at: [f64; 3]| on_bed(machine, Point::new(at[0], at[1]));
        let zero = stands.connected.work_offset(Some("G54")).map(flat);
        Self { position, on_bed: position.map(flat), zero }
    }
}

/// Tells how it stands.
pub(super) fn tell(
    hand: &ByHand,
    stands: &Stands,
    what: &str,
    console: &Console,
) -> Result<(), Refusal> {
    let places = Places::of(&hand.machine, stands);
    let pair = |p: Point| [p.x, p.y].map(|v| (v * 1000.0).round() / 1000.0);
    let from_zero = places.on_bed.zip(places.zero).map(|(head, zero)| head - zero);
    if console.json {
        return console.json(&StandsJson {
            link: &hand.name,
            locked: stands.connected.locked,
            position_mm: places.position,
            on_bed_mm: places.on_bed.map(pair),
            zero_on_bed_mm: places.zero.map(pair),
            from_zero_mm: from_zero.map(|v| pair(v.to_point())),
            switches: stands.switches.words().collect(),
            offsets_mm: &stands.connected.offsets,
            dark: beam::word(stands.dark),
        });
    }
    let mm = |p: Point| {
        format!("{} mm from the left and {} mm from the front", plain(p.x, 2), plain(p.y, 2))
    };
    let mut lines = vec![format!("{what}{}", beam::words(stands.dark))];
    if let Some([x, y, z]) = places.position {
        let whose = if hand.is_printer() { "program's" } else { "machine's" };
        lines.push(format!("  head   X {x:.3}  Y {y:.3}  Z {z:.3} on the {whose} axes"));
    } else {
        lines.push("  head   this controller does not tell where it is".into());
    }
    if !hand.is_printer() {
        lines.extend(places.on_bed.map(|p| format!("         {} of the bed", mm(p))));
        if let Some(zero) = places.zero {
            lines.push(format!("  zero   {} of the bed", mm(zero)));
        }
        lines.extend(from_zero.map(|v| format!("         the head is {} it", aside(v))));
        let zero = stands.connected.work_offset(Some("G54")).filter(|_| hand.machine.z.is_some());
        if let (Some([.., z]), Some([.., zero])) = (places.position, zero) {
            lines.push(format!("  focus  Z {} mm from its zero on the stock", plain(z - zero, 3)));
        }
        let pressed: Vec<String> = stands.switches.words().collect();
        if !pressed.is_empty() {
            lines.push(format!("  pressed  {}", pressed.join(", ")));
        }
    }
    if tinkite_link::is_simulated(&hand.name) {
        lines.push("  link   the simulated machine: nothing on a bench moves".into());
    }
    console.result(&lines.join("\n"))
}

/// Where something lies from something else, in words that end before that.
pub(super) fn aside(v: Vec2) -> String {
    let side = |by: f64, more: &str, less: &str| {
        let by = (by * 100.0).round() / 100.0;
        (by != 0.0)
            .then(|| format!("{} mm {}", plain(by.abs(), 2), if by > 0.0 { more } else { less }))
    };
    let sides = [side(v.x, "right of", "left of"), side(v.y, "behind", "in front of")];
    let told: Vec<String> = sides.into_iter().flatten().collect();
    if told.is_empty() { "on".into() } else { told.join(" and ") }
}

/// Warns of a position that the controller cannot know.
pub(super) fn doubt(connected: &Connected, console: &Console) {
    if connected.restarted {
        console.complain(
            "warning: the controller has just started: unless it was homed, it does not know where the head stands",
        );
    }
}

pub(super) fn whereabouts(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.machine, args.to.as_deref())?;
    let stands = hand.carry_out(|_, _| Ok(Vec::new()))?;
    doubt(&stands.connected, console);
    let state = if stands.connected.locked { "locked by an alarm" } else { "ready" };
    tell(&hand, &stands, state, console)
}

pub(super) fn home(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.machine, args.to.as_deref())?;
    let printer = hand.is_printer();
    let stands = hand.carry_out(|machine, _| {
        Ok(if printer { vec![off(machine), "G28 X Y".into()] } else { vec!["$H".into()] })
    })?;
    tell(&hand, &past_the_lock(stands), "homed", console)
}

pub(super) fn unlock(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.machine, args.to.as_deref())?;
    if hand.is_printer() {
        return Err(cannot(&hand, "has no lock that could be opened"));
    }
    let stands = hand.carry_out(|_, connected| {
        Ok(if connected.locked { vec!["$X".into()] } else { Vec::new() })
    })?;
    if !stands.connected.locked {
        return tell(&hand, &stands, "it was not locked", console);
    }
    tell(
        &hand,
        &past_the_lock(stands),
        "unlocked: where the head stands may be wrong until it is homed",
        console,
    )
}

/// The same behind what has opened the lock.
fn past_the_lock(stands: Stands) -> Stands {
    Stands { connected: Connected { locked: false, ..stands.connected }, ..stands }
}

/// Lets the motors go. What the controller says of its position is worth nothing from then on.
pub(super) fn free(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.machine, args.to.as_deref())?;
    let line = if hand.is_printer() { "M84" } else { "$SLP" };
    let stands = hand.carry_out(|machine, connected| {
        // A locked controller takes no M5, and is dark.
        let off = (!connected.locked).then(|| off(machine));
        Ok(off.into_iter().chain([line.into()]).collect())
    })?;
    let lost = Stands { position: None, connected: Connected::default(), ..stands };
    if console.json {
        return tell(&hand, &lost, "", console);
    }
    console.result(&format!(
        "the motors are free, and the position is lost: push the head where you want it, then head home, or head unlock and head zero{}",
        beam::words(lost.dark)
    ))
}

pub(super) fn cannot(hand: &ByHand, what: &str) -> Refusal {
    Refusal::Usage(format!("the {} dialect {what}", hand.machine.dialect.name()))
}
