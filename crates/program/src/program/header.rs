//! What a program says of itself at its head.

use crate::plan::Planned;
use crate::segment::Provenance;
use crate::text::Remarks;
use tinkite_base::geometry::Rect;
use tinkite_base::quantity::{LengthUnit, clock, plain};
use tinkite_job::{Step, Zero};
use tinkite_machine::Dialect;
use tinkite_machine::frame::Hold;

/// The comment lines at the head of a program; `part` is which file of it, from 1, where it has
/// more than one.
fn lines(planned: &Planned, part: Option<usize>) -> Vec<String> {
    let job = planned.job();
    let totals = &planned.totals;
    let frame = planned.segments().frame();
    let span = |rect: Option<Rect>| frame.span(rect.unwrap_or_default(), 3, LengthUnit::Millimetre);
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
    let streamed = job.machine.dialect != Dialect::Ngc;
    if streamed && (0..job.steps.len()).any(|step| !planned.segments().follows(step)) {
        lines.push("CONSTANT POWER: lit where the head stands when lines stop coming".into());
    }
    lines.extend(job.material.as_ref().map(|material| format!("material: {material}")));
    let recipe = |step: &Step| {
        let used = step.recipe.as_ref()?;
        let [title, from] = used.in_program();
        Some([format!("{} by recipe: {title}", step.name), format!("  {from}")])
    };
    lines.extend(job.steps.iter().filter_map(recipe).flatten());
    lines.extend(job.set.iter().map(|set| format!("set for this program: {set}")));
    lines.extend([
        format!("burns {}", span(totals.burnt)),
        format!("moves {}", span(totals.worked)),
        format!(
            "burn {} mm, travel {} mm, about {}",
            plain(totals.burn(), 1),
            plain(totals.travel(), 1),
            clock(totals.seconds())
        ),
    ]);
    lines
}

impl Remarks for Planned {
    fn head(&self, part: Option<usize>) -> Vec<String> {
        lines(self, part)
    }

    fn step(&self, of: Provenance) -> String {
        let job = self.job();
        let (step, totals) = (&job.steps[of.step], &self.totals.steps[of.step]);
        format!(
            "step {} of {}: {} - {}, {}, {} = {}{}",
            of.step + 1,
            job.steps.len(),
            step.name,
            step.operation.name(),
            step.speed(),
            step.power(),
            s_words(totals.s),
            match job.machine.beam.readings(step.power()) {
                readings if readings.is_empty() => readings,
                readings => format!(" = {readings}"),
            }
        )
    }

    fn paths(&self, of: Provenance) -> usize {
        self.totals.steps[of.step].paths
    }
}

/// S values as people read them: one, or from the lowest to the highest.
#[must_use]
pub fn s_words(s: Option<(f64, f64)>) -> String {
    let (low, high) = s.unwrap_or_default();
    let (low, high) = (plain(low, 1), plain(high, 1));
    if low == high { format!("S{low}") } else { format!("S{low} to S{high}") }
}
