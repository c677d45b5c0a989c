//! The head is sent somewhere, with the beam off, and has arrived when it is seen there.

use super::by_hand::{ByHand, Stands};
use super::calls::{THERE, doubt, off, ready, tell};
use crate::args::{HeadCall, HeadFrom, HeadGo, HeadMove};
use crate::beam;
use crate::console::Console;
use crate::place::{axes, beside, beyond, on_bed};
use crate::refusal::Refusal;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::machine::Dialect;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_wire::Connected;

/// The head goes no faster by hand when nothing is said, mm/s.
pub(in crate::commands) const GENTLE: f64 = 100.0;

/// Where the head is to go.
struct Target {
    /// From the front left corner of the bed, mm.
    flat: Point,
    /// The height of the focus on the machine's axis, mm, where it changes.
    height: Option<f64>,
}

pub(super) fn go(args: &HeadGo, console: &Console) -> Result<(), Refusal> {
    let asked = Point::new(args.x, args.y);
    travel(&args.call, args.speed, console, |machine, connected| match args.from {
        HeadFrom::Bed => Ok(Target { flat: asked, height: args.z }),
        HeadFrom::Stock => {
            let zero = connected.work_offset(Some("G54")).ok_or_else(|| {
                Refusal::Link("this controller does not tell where the zero on the stock is: say --from bed; nothing was sent".into())
            })?;
            let flat = on_bed(machine, Point::new(zero[0], zero[1])) + asked.to_vec2();
            Ok(Target { flat, height: args.z.map(|z| zero[2] + z) })
        }
    })
}

pub(super) fn move_by(args: &HeadMove, console: &Console) -> Result<(), Refusal> {
    let by = Vec2::new(args.dx, args.dy);
    travel(&args.call, args.speed, console, |machine, connected| {
        let [x, y, z] = connected.position.ok_or_else(|| {
            Refusal::Link(
                "this controller does not tell where the head is: nothing was sent".into(),
            )
        })?;
        let flat = on_bed(machine, Point::new(x, y)) + by;
        Ok(Target { flat, height: args.dz.map(|dz| z + dz) })
    })
}

/// Takes the head to a place, with the beam off.
fn travel(
    call: &HeadCall,
    speed: Option<f64>,
    console: &Console,
    place: impl Fn(&Machine, &Connected) -> Result<Target, Refusal>,
) -> Result<(), Refusal> {
    let mut hand = ByHand::open(call)?;
    let mut target = None;
    let stands = hand.carry_out(|machine, connected| {
        ready(connected)?;
        let to = place(machine, connected)?;
        if let Some(beside) = beside(machine, to.flat) {
            return Err(Refusal::Usage(format!(
                "{} mm from the left and {} mm from the front is beside the bed, {beside}: nothing was sent",
                plain(to.flat.x, 2),
                plain(to.flat.y, 2)
            )));
        }
        let lines = moves(machine, &[to.flat], speed);
        let at = axes(machine, to.flat);
        target = Some((Some(at.x), Some(at.y), to.height));
        let Some(height) = to.height else { return Ok(lines) };
        let zero = connected.work_offset(Some("G54")).map_or(0.0, |zero| zero[2]);
        let lift = lift(machine, zero, height, speed)?;
        // Up before it goes there, down when it is there: nothing is hit on the way.
        let rises = connected.position.is_none_or(|[.., z]| height >= z);
        Ok(if rises { [lift, lines].concat() } else { [lines, lift].concat() })
    })?;
    if let Some(target) = target {
        arrived(target, &stands)?;
    }
    doubt(&stands.connected, console);
    tell(&hand, &stands, "arrived", console)
}

/// The head stands where it was sent: X, Y and Z on the machine's axes, as far as they were said.
pub(super) fn arrived(
    target: (Option<f64>, Option<f64>, Option<f64>),
    stands: &Stands,
) -> Result<(), Refusal> {
    let Some(at) = stands.position else { return Ok(()) };
    let away = [(at[0], target.0), (at[1], target.1), (at[2], target.2)];
    let missed =
        away.iter().any(|(at, to)| at.zip(*to).is_some_and(|(at, to)| (at - to).abs() > THERE));
    if missed {
        let dark = beam::words(stands.dark);
        return Err(Refusal::Link(format!("the head did not arrive{dark}")));
    }
    Ok(())
}

/// The lines that take the head to places from the front left corner of the bed, one after the other,
/// with the beam off.
pub(in crate::commands) fn moves(
    machine: &Machine,
    places: &[Point],
    speed: Option<f64>,
) -> Vec<String> {
    let most = machine.x.top_speed.min(machine.y.top_speed);
    let feed = feed(speed, most);
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

/// The lines that bring the focus to a height on the machine's axis, mm, within its range round its zero
/// on the stock.
pub(super) fn lift(
    machine: &Machine,
    zero: f64,
    height: f64,
    speed: Option<f64>,
) -> Result<Vec<String>, Refusal> {
    let Some(axis) = &machine.z else {
        return Err(Refusal::Usage("this machine has no Z axis: nothing was sent".into()));
    };
    if let Some(beyond) = beyond(axis, height - zero) {
        return Err(Refusal::Usage(format!(
            "Z {} mm from its zero is {beyond}: nothing was sent",
            plain(height - zero, 2)
        )));
    }
    let (z, feed) = (word(height), feed(speed, axis.axis.top_speed));
    Ok(if machine.dialect == Dialect::Reprap {
        vec![off(machine), "G21".into(), "G90".into(), format!("G0 Z{z} F{feed}")]
    } else {
        vec![format!("$J=G90G21G53Z{z}F{feed}")]
    })
}

/// The feed of a move by hand, mm/min: gentle where nothing is said, and no faster than the axes can.
fn feed(speed: Option<f64>, most: f64) -> String {
    plain((60.0 * speed.unwrap_or(GENTLE).min(most)).max(1.0), 1)
}

/// A coordinate as it is written: thousandths, and no negative zero.
pub(super) fn word(value: f64) -> String {
    plain((value * 1000.0).round() / 1000.0 + 0.0, 3)
}
