//! Text of a drawing: what it says, and where it stands.

use super::coded::{self, Paragraph, TextRun};
use super::entity::{Entity, cross};
use tinkite_base::geometry::{Affine, Point, Vec2};

/// Text to be drawn.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Words {
    pub(super) paragraphs: Vec<Paragraph>,
    /// Lines are broken where they would become longer, in the drawing's units.
    pub(super) wrapped_at: Option<f64>,
    /// Distance of lines against the height of capitals.
    pub(super) spacing: f64,
    pub(super) columns: Option<Columns>,
    /// Which point of the whole stands at the origin: 0 left or bottom, 0.5 middle, 1 right or top; none
    /// for the first line's base.
    pub(super) across: f64,
    pub(super) up: Option<f64>,
    /// It is made so long, and as much higher when both go together.
    pub(super) fitted: Option<(f64, bool)>,
    /// From a text at the origin to the drawing.
    pub(super) place: Affine,
}

/// Columns side by side, in the drawing's units.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Columns {
    pub(super) count: usize,
    pub(super) width: f64,
    pub(super) gutter: f64,
    /// How high each is; the last holds for all that follow.
    pub(super) heights: Vec<f64>,
}

/// Distance of lines against the height of capitals, when nothing else is said.
const LINE_SPACING: f64 = 5.0 / 3.0;

/// Nobody sets a text in more columns.
const MOST_COLUMNS: i64 = 100;

/// The words of `TEXT`, `ATTRIB` and `MTEXT`; none for entities without any.
pub(super) fn of(entity: &Entity<'_>) -> Option<Words> {
    match entity.kind {
        // An attribute of several lines has them in an MTEXT of its own.
        "ATTRIB" => entity.embedded().and_then(|inner| several(&inner)).or_else(|| single(entity)),
        "TEXT" => single(entity),
        "MTEXT" => several(entity),
        _ => None,
    }
}

fn single(entity: &Entity<'_>) -> Option<Words> {
    let (across, up) = (entity.whole_or(72, 0), entity.whole_or(73, 0).max(entity.whole_or(74, 0)));
    let height = entity.real(40).filter(|h| *h > 0.0)?;
    let (first, second) = (entity.point(10), entity.point(11));
    // Between two points: as long as they are apart, and as high as that makes it, or as it is.
    let between = matches!(across, 3 | 5) && up == 0;
    let span = second.zip(first).map(|(b, a)| b - a).filter(|span| between && span.hypot() > 0.0);
    let aligned = !between && (across != 0 || up != 0);
    let at = if aligned { second.or(first) } else { first }?;
    let turn = span.map_or(entity.real_or(50, 0.0).to_radians(), Vec2::atan2);
    let flags = entity.whole_or(71, 0);
    let flip = |bit: i64| if flags & bit != 0 { -1.0 } else { 1.0 };
    let run = TextRun {
        text: coded::signs(entity.text(1)),
        height,
        stretch: entity.real(41).filter(|w| *w > 0.0).unwrap_or(1.0),
        colour: None,
    };
    Some(Words {
        paragraphs: vec![Paragraph { runs: vec![run], ..Paragraph::default() }],
        wrapped_at: None,
        spacing: LINE_SPACING,
        columns: None,
        across: match across {
            1 | 4 => 0.5,
            2 => 1.0,
            _ => 0.0,
        },
        up: match up {
            1 => Some(0.0),
            2 => Some(0.5),
            3 => Some(1.0),
            _ if across == 4 => Some(0.5),
            _ => None,
        },
        fitted: span.map(|span| (span.hypot(), across == 3)),
        place: entity.plane()
            * Affine::translate(at.to_vec2())
            * Affine::rotate(turn)
            * Affine::scale_non_uniform(flip(2), flip(4)),
    })
}

fn several(entity: &Entity<'_>) -> Option<Words> {
    let chunks = entity.tags.iter().filter(|tag| matches!(tag.code, 1 | 3));
    let mut text: String = chunks.clone().filter(|t| t.code == 3).map(|t| t.text()).collect();
    text.extend(chunks.filter(|t| t.code == 1).map(|t| t.text()));
    let attach = entity.whole_or(71, 1).clamp(1, 9) - 1;
    let height = entity.real(40).filter(|h| *h > 0.0)?;
    let columns = columns(entity);
    let width = entity.real(41).filter(|w| *w > 0.0);
    Some(Words {
        paragraphs: coded::paragraphs(&text, height),
        wrapped_at: columns.as_ref().map(|c| c.width).or(width),
        spacing: entity.real(44).filter(|f| *f > 0.0).unwrap_or(1.0) * LINE_SPACING,
        columns,
        across: (attach % 3) as f64 / 2.0,
        up: Some(1.0 - (attach / 3) as f64 / 2.0),
        fitted: None,
        place: several_place(entity, entity.point(10)?),
    })
}

/// Where a text of several lines stands: unlike others it says that in the drawing's own axes.
fn several_place(entity: &Entity<'_>, at: Point) -> Affine {
    let normal = [entity.real_or(210, 0.0), entity.real_or(220, 0.0), entity.real_or(230, 1.0)];
    let along = match entity.point(11) {
        Some(direction) if direction.to_vec2().hypot() > 0.0 => {
            [direction.x, direction.y, entity.real_or(31, 0.0)]
        }
        _ => {
            let turned = Affine::rotate(entity.real_or(50, 0.0).to_radians());
            let [x, y, ..] = (entity.plane() * turned).as_coeffs();
            [x, y, 0.0]
        }
    };
    let up = cross(normal, along);
    let length = |v: [f64; 3]| v.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-12);
    let (a, u) = (length(along), length(up));
    Affine::new([along[0] / a, along[1] / a, up[0] / u, up[1] / u, at.x, at.y])
}

/// The columns of a text, from the object embedded in it.
fn columns(entity: &Entity<'_>) -> Option<Columns> {
    let inner = entity.embedded()?;
    let kind = inner.whole_or(71, 0);
    let width = inner.real(44).filter(|w| *w > 0.0)?;
    let count = inner.whole_or(72, 0).clamp(0, MOST_COLUMNS);
    if kind == 0 || kind == 1 && count < 2 {
        return None;
    }
    let whole = inner.real(41).filter(|h| *h > 0.0);
    let own: Vec<f64> = inner.reals(46).into_iter().filter(|h| *h > 0.0).collect();
    let heights = if own.is_empty() { whole.into_iter().collect() } else { own };
    let gutter = inner.real_or(45, 0.0).max(0.0);
    Some(Columns { count: count.max(1) as usize, width, gutter, heights })
}
