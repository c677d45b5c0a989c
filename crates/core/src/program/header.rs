//! What a program says of itself at its head.

use super::Program;
use crate::geometry::Rect;
use crate::job::{Hold, Zero};
use crate::quantity::{clock, plain};

/// The comment lines at the head of a program; `part` is which file of it, from 1, where it has
/// more than one.
pub(super) fn lines(program: &Program, part: Option<usize>) -> Vec<String> {
    let job = program.job();
    let planned = program.planned();
    let totals = &planned.totals;
    let frame = planned.segments().frame();
    let span = |rect: Option<Rect>| frame.span(rect.unwrap_or_default(), 3);
    let mut lines = vec![job.name.clone()];
    lines.extend(part.map(|part| format!("file {part} of this program: run them in turn")));
    lines.extend([
        format!(
            "laser program, tinkite {}, dialect {}",
            env!("CARGO_PKG_VERSION"),
            job.machine.dialect.name()
        ),
        format!("machine: {}, origin {}", job.machine.name, job.machine.bed.origin.name()),
        match job.placement.zero {
            Zero::Bed => "counts from the machine's zero: no work offset may be set".to_string(),
            Zero::Stock => "counts from the zero that is set on the stock".to_string(),
            Zero::Head => "counts from where the head stands, and ends there".to_string(),
        },
    ]);
    if let (Some(round), Some(device)) = (&job.round, &job.machine.rotary) {
        let hold = match round.hold {
            Hold::Chuck => "chuck",
            Hold::Rollers => "rollers",
        };
        lines.push(format!(
            "rotary: {} turns the {hold}, largest diameter {} mm",
            device.letter as char,
            plain(round.diameter(), 3)
        ));
    }
    lines.extend(job.material.as_ref().map(|material| format!("material: {material}")));
    lines.extend([
        format!("burns {}", span(totals.burnt)),
        format!("moves {}", span(totals.worked)),
        format!(
            "burn {} mm, beam-off moves {} mm, about {}",
            plain(totals.burn(), 1),
            plain(totals.travel(), 1),
            clock(totals.seconds())
        ),
    ]);
    lines
}

/// Text that no controller can mistake for anything: plain ASCII without comment ends and without
/// the bytes that some controllers act upon wherever they stand.
pub(super) fn harmless(text: &str) -> impl Iterator<Item = u8> + '_ {
    text.chars().map(|c| match c {
        '(' | ')' | '!' | '?' | '~' | ';' | '*' => b'_',
        ' '..='}' => c as u8,
        _ => b'_',
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn comments_hold_nothing_that_a_controller_acts_upon() {
        let text: Vec<u8> = harmless("Größe (60 %) !?~;\n\u{18}[x]").collect();
        assert_eq!(String::from_utf8(text).unwrap(), "Gr__e _60 %_ ______[x]");
    }
}
