//! The head is sent somewhere, with the beam off, and has arrived when it is seen there.

use super::calls::{doubt, tell};
use crate::args::{HeadCall, HeadFrom, HeadGo, HeadMove};
use crate::console::Console;
use tinkite_core::geometry::{Point, Vec2};
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;
use tinkite_operate::head::by_hand::ByHand;
use tinkite_operate::head::moves::{arrived, lift, moves, ready};
use tinkite_operate::place::{axes, beside, on_bed};
use tinkite_wire::Connected;

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
    let mut hand = ByHand::open(&call.machine, call.to.as_deref())?;
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
