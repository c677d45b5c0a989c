//! What steps take, as pictures show it: the colours of the drawing, and letters.

use tinkite_base::colour::Colour;
use tinkite_job::Step;
use tinkite_layout::Sheet;
use tinkite_toolpath::Taken;

/// What colours of steps stand for.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum ColourBy {
    /// Steps: one after the other has another colour; squares of a test sheet by what they vary.
    #[default]
    Steps,
    /// What was drawn: each step has the colour of its shapes.
    Drawing,
}

/// What a step takes, as far as pictures show it.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct StepPaint {
    /// The colour that most of its shapes have in the drawing.
    pub drawn: Option<Colour>,
    /// How many colours they have.
    pub colours: usize,
    /// Whether it takes letters alone.
    pub only_text: bool,
}

impl StepPaint {
    /// Of what a step takes of a sheet.
    pub(crate) fn of(step: &Step, taken: &Taken, sheet: &Sheet) -> Self {
        let by_fill = step.operation.engrave().is_some();
        let mut counts: Vec<(Colour, usize)> = Vec::new();
        let shapes = || taken.shapes.iter().filter_map(|n| sheet.shapes.get(*n));
        for laid in shapes() {
            let (fill, stroke) =
                (laid.shape.fill.map(|f| f.colour), laid.shape.stroke.map(|s| s.colour));
            let Some(colour) = (if by_fill { fill.or(stroke) } else { stroke.or(fill) }) else {
                continue;
            };
            match counts.iter_mut().find(|(known, _)| *known == colour) {
                Some((_, count)) => *count += 1,
                None => counts.push((colour, 1)),
            }
        }
        // Of equals the first that was drawn.
        let most = counts.iter().map(|(_, count)| *count).max();
        let drawn =
            counts.iter().find(|(_, count)| Some(*count) == most).map(|(colour, _)| *colour);
        let only_text = taken.images.is_empty()
            && shapes().next().is_some()
            && shapes().all(|laid| laid.shape.text);
        Self { drawn, colours: counts.len(), only_text }
    }
}
