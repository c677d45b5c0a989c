//! Text of a drawing: its plain words, and where they stand.

use super::entity::Entity;
use crate::geometry::{Affine, Point, Rect, Vec2};

/// Lines of text to be drawn.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Words {
    pub(super) lines: Vec<String>,
    /// Height of a capital, in the drawing's units.
    pub(super) height: f64,
    /// Width of the letters against their own.
    stretch: f64,
    /// Where it stands.
    at: Point,
    turn: f64,
    /// Which point of the whole lies there: 0 left or bottom, 0.5 middle, 1 right or top; none for
    /// the first line's base.
    across: f64,
    up: Option<f64>,
}

/// Distance of lines against the height of capitals, when nothing else is said.
const LINE_SPACING: f64 = 5.0 / 3.0;

/// The words of `TEXT`, `ATTRIB` and `MTEXT`; none for entities without any.
pub(super) fn of(entity: &Entity<'_>) -> Option<Words> {
    match entity.kind {
        "TEXT" | "ATTRIB" => single(entity),
        "MTEXT" => several(entity),
        _ => None,
    }
}

fn single(entity: &Entity<'_>) -> Option<Words> {
    let (across, up) = (entity.whole_or(72, 0), entity.whole_or(73, 0).max(entity.whole_or(74, 0)));
    let aligned = across != 0 || up != 0;
    let at = if aligned { entity.point(11).or(entity.point(10)) } else { entity.point(10) };
    Some(Words {
        lines: vec![signs(entity.text(1))],
        height: entity.real(40).filter(|h| *h > 0.0)?,
        stretch: entity.real(41).filter(|w| *w > 0.0).unwrap_or(1.0),
        at: at?,
        turn: entity.real_or(50, 0.0).to_radians(),
        across: match across {
            1 | 4 => 0.5,
            2 => 1.0,
            _ => 0.0,
        },
        up: match up {
            1 => Some(0.0),
            2 => Some(0.5),
            3 => Some(1.0),
            _ => None,
        },
    })
}

fn several(entity: &Entity<'_>) -> Option<Words> {
    let chunks = entity.tags.iter().filter(|tag| matches!(tag.code, 1 | 3));
    let mut text: String = chunks.clone().filter(|t| t.code == 3).map(|t| t.text()).collect();
    text.extend(chunks.filter(|t| t.code == 1).map(|t| t.text()));
    let attach = entity.whole_or(71, 1).clamp(1, 9) - 1;
    let turn = match entity.point(11) {
        Some(direction) => direction.to_vec2().atan2(),
        None => entity.real_or(50, 0.0).to_radians(),
    };
    Some(Words {
        lines: unformatted(&text).lines().map(signs).collect(),
        height: entity.real(40).filter(|h| *h > 0.0)?,
        stretch: 1.0,
        at: entity.point(10)?,
        turn,
        across: (attach % 3) as f64 / 2.0,
        up: Some(1.0 - (attach / 3) as f64 / 2.0),
    })
}

/// Takes the formatting out of multi-line text (DXF reference, "MTEXT"), keeping the words.
fn unformatted(text: &str) -> String {
    let mut out = String::new();
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match c {
            '{' | '}' => {}
            '\\' => match chars.next() {
                Some('P' | 'X') => out.push('\n'),
                Some('~') => out.push(' '),
                Some(c @ ('\\' | '{' | '}')) => out.push(c),
                // A stacked fraction: its parts as they stand.
                Some('S') => out.extend(chars.by_ref().take_while(|c| *c != ';')),
                Some('L' | 'l' | 'O' | 'o' | 'K' | 'k') | None => {}
                // Fonts, heights, colours and the like run to a semicolon.
                Some(_) => {
                    chars.by_ref().take_while(|c| *c != ';').for_each(drop);
                }
            },
            c => out.push(c),
        }
    }
    out
}

/// The signs that are written as codes.
fn signs(text: &str) -> String {
    let mut out = text.to_string();
    for (code, sign) in [("d", "°"), ("c", "⌀"), ("p", "±"), ("%", "%"), ("u", ""), ("o", "")] {
        out = out
            .replace(&format!("%%{code}"), sign)
            .replace(&format!("%%{}", code.to_uppercase()), sign);
    }
    out
}

impl Words {
    /// Where line `n` goes when drawn from its base's start with this rectangle round it, and the
    /// widest line has that `width`.
    pub(super) fn place(&self, n: usize, drawn: Rect, width: f64) -> Affine {
        let lines = self.lines.len() as f64;
        let step = self.height * LINE_SPACING;
        let whole = self.height + (lines - 1.0) * step;
        let top = match self.up {
            None => self.height,
            Some(up) => whole * (1.0 - up),
        };
        let base = top - self.height - n as f64 * step;
        let own = drawn.width() * self.stretch;
        let left = -self.across * width * self.stretch + self.across * (width * self.stretch - own);
        Affine::translate(self.at.to_vec2())
            * Affine::rotate(self.turn)
            * Affine::translate(Vec2::new(left, base))
            * Affine::scale_non_uniform(self.stretch, 1.0)
            * Affine::translate(Vec2::new(-drawn.x0, 0.0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn formatting_goes_and_words_stay() {
        let text = r"{\fArial|b0;\H2.5x;Panel \P12%%d \S1/2; \{a\}}";
        assert_eq!(unformatted(text), "Panel \n12%%d 1/2 {a}");
        assert_eq!(signs("12%%D %%c4 %%p1"), "12° ⌀4 ±1");
    }
}
