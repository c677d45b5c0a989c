//! The calls that ask where the head is and move it.

use super::by_hand::{ByHand, Stands};
use crate::args::{HeadAxis, HeadCall, HeadFrom, HeadGo, HeadMove, HeadZero};
use crate::beam;
use crate::console::Console;
use crate::place::{axes, beside, on_bed};
use crate::refusal::Refusal;
use serde::Serialize;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::job::Machine;
use tinkite_core::job::machine::{Dialect, Switch};
use tinkite_core::quantity::plain;
use tinkite_wire::Connected;

/// The head goes no faster by hand when nothing is said, mm/s.
pub(in crate::commands) const GENTLE: f64 = 100.0;
/// A head that stands nearer than this to where it was sent has arrived, mm: half a step of a coarse
/// motor.
const THERE: f64 = 0.05;

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
fn doubt(connected: &Connected, console: &Console) {
    if connected.restarted {
        console.complain(
            "warning: the controller has just started: unless it was homed, it does not know where the head stands",
        );
    }
}

pub(super) fn whereabouts(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(args)?;
    let stands = hand.carry_out(|_, _| Ok(Vec::new()))?;
    doubt(&stands.connected, console);
    let state = if stands.connected.locked { "locked by an alarm" } else { "ready" };
    tell(&hand, &stands, state, console)
}

pub(super) fn home(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(args)?;
    let printer = hand.is_printer();
    let stands = hand.carry_out(|machine, _| {
        Ok(if printer { vec![off(machine), "G28 X Y".into()] } else { vec!["$H".into()] })
    })?;
    tell(&hand, &unlocked(stands), "homed", console)
}

pub(super) fn unlock(args: &HeadCall, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(args)?;
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
        &unlocked(stands),
        "unlocked: where the head stands may be wrong until it is homed",
        console,
    )
}

/// The same behind what has opened the lock.
fn unlocked(stands: Stands) -> Stands {
    Stands { connected: Connected { locked: false, ..stands.connected }, ..stands }
}

pub(super) fn zero(args: &HeadZero, console: &Console) -> Result<(), Refusal> {
    let mut hand = ByHand::open(&args.call)?;
    let axes = if args.axes.is_empty() { &[HeadAxis::X, HeadAxis::Y][..] } else { &args.axes };
    let named = |axis: HeadAxis| axes.contains(&axis);
    let words: String = [(HeadAxis::X, "X0"), (HeadAxis::Y, "Y0"), (HeadAxis::Z, "Z0")]
        .into_iter()
        .filter(|(axis, _)| named(*axis))
        .map(|(_, word)| word)
        .collect();
    let printer = hand.is_printer();
    let set = hand.carry_out(|machine, connected| {
        ready(connected)?;
        if named(HeadAxis::Z) && machine.z.is_none() {
            return Err(Refusal::Usage("this machine has no Z axis: nothing was sent".into()));
        }
        if printer {
            return Ok(vec![format!("G92 {}", words.replace('0', "0 ").trim_end())]);
        }
        if connected.offsets.get("G92").is_some_and(|shift| shift.iter().any(|d| d.abs() > THERE)) {
            return Err(Refusal::Link("a G92 is in force, which would move the zero again: take it back with G92.1, or reset the controller; nothing was sent".into()));
        }
        Ok(vec![format!("G10L20P1{words}")])
    })?;
    if printer {
        return tell(&hand, &set, "the zero on the stock is here", console);
    }
    // It is believed when the controller tells it.
    let told = hand.carry_out(|_, _| Ok(Vec::new()))?;
    let places = (told.position, told.connected.work_offset(Some("G54")));
    if let (Some(at), Some(zero)) = places {
        let missed = [(HeadAxis::X, 0), (HeadAxis::Y, 1), (HeadAxis::Z, 2)]
            .into_iter()
            .any(|(axis, n)| named(axis) && at[n].is_some_and(|at| (at - zero[n]).abs() > THERE));
        if missed {
            return Err(Refusal::Link(
                "the controller took the zero, and tells another: set it again".into(),
            ));
        }
    }
    tell(&hand, &Stands { dark: set.dark, ..told }, "the zero on the stock is here", console)
}

pub(super) fn go(args: &HeadGo, console: &Console) -> Result<(), Refusal> {
    let asked = Point::new(args.x, args.y);
    travel(&args.call, args.speed, console, |machine, connected| match args.from {
        HeadFrom::Bed => Ok(asked),
        HeadFrom::Stock => {
            let zero = connected.work_offset(Some("G54")).ok_or_else(|| {
                Refusal::Link("this controller does not tell where the zero on the stock is: say --from bed; nothing was sent".into())
            })?;
            Ok(on_bed(machine, Point::new(zero[0], zero[1])) + asked.to_vec2())
        }
    })
}

pub(super) fn move_by(args: &HeadMove, console: &Console) -> Result<(), Refusal> {
    let by = Vec2::new(args.dx, args.dy);
    travel(&args.call, args.speed, console, |machine, connected| {
        let [x, y, _] = connected.position.ok_or_else(|| {
            Refusal::Link(
                "this controller does not tell where the head is: nothing was sent".into(),
            )
        })?;
        Ok(on_bed(machine, Point::new(x, y)) + by)
    })
}

/// Takes the head to a place from the front left corner of the bed, with the beam off.
fn travel(
    call: &HeadCall,
    speed: Option<f64>,
    console: &Console,
    place: impl Fn(&Machine, &Connected) -> Result<Point, Refusal>,
) -> Result<(), Refusal> {
    let mut hand = ByHand::open(call)?;
    let mut target = None;
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        let to = place(machine, connected)?;
        if let Some(beside) = beside(machine, to) {
            return Err(Refusal::Usage(format!(
                "{} mm from the left and {} mm from the front is beside the bed, {beside}: nothing was sent",
                plain(to.x, 2),
                plain(to.y, 2)
            )));
        }
        target = Some(axes(machine, to));
        Ok(moves(machine, &[to], speed))
    })?;
    if let (Some(to), Some(at)) = (target, stands.position) {
        let away = [(at[0], to.x), (at[1], to.y)];
        if away.iter().any(|(at, to)| at.is_some_and(|at| (at - to).abs() > THERE)) {
            return Err(Refusal::Link(format!(
                "the head did not arrive{}",
                beam::words(stands.dark)
            )));
        }
    }
    doubt(&stands.connected, console);
    tell(&hand, &stands, "arrived", console)
}

/// The lines that take the head to places from the front left corner of the bed, one after the other,
/// with the beam off.
pub(in crate::commands) fn moves(
    machine: &Machine,
    places: &[Point],
    speed: Option<f64>,
) -> Vec<String> {
    let most = machine.x.top_speed.min(machine.y.top_speed);
    let feed = plain((60.0 * speed.unwrap_or(GENTLE).min(most)).max(1.0), 1);
    let at = |place: &Point| {
        let at = axes(machine, *place);
        (word(at.x), word(at.y))
    };
    if machine.dialect == Dialect::Reprap {
        let moves = places.iter().map(at).map(|(x, y)| format!("G0 X{x} Y{y} F{feed}"));
        return [off(machine), "G21".into(), "G90".into()].into_iter().chain(moves).collect();
    }
    places.iter().map(at).map(|(x, y)| format!("$J=G90G21G53X{x}Y{y}F{feed}")).collect()
}

/// A locked controller takes no move.
pub(in crate::commands) fn ready(connected: &Connected) -> Result<(), Refusal> {
    if connected.locked {
        let why = "the controller is locked by an alarm: head home, or head unlock when its position is known";
        return Err(Refusal::Link(why.into()));
    }
    Ok(())
}

/// What switches a printer board's beam off.
fn off(machine: &Machine) -> String {
    match machine.beam.switch {
        Switch::Lines => "M107".into(),
        Switch::Inline => "M5".into(),
    }
}

/// A coordinate as it is written: thousandths, and no negative zero.
fn word(value: f64) -> String {
    plain((value * 1000.0).round() / 1000.0 + 0.0, 3)
}

fn cannot(hand: &ByHand, what: &str) -> Refusal {
    Refusal::Usage(format!("the {} dialect {what}", hand.machine.dialect.name()))
}
