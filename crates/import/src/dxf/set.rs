//! Setting text: lines are broken at the width, laid below each other, and given to columns.

use super::coded::TextRun;
use super::text::Words;
use crate::FontSupply;
use crate::fonts::{advance, outlines};
use kurbo::Shape as _;
use tinkite_artwork::NoOutlines;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Affine, BezPath, Rect, Vec2, hull};

/// One line: its runs with where each begins, and where the last ends.
#[derive(Debug, Default)]
struct Line {
    runs: Vec<(f64, TextRun)>,
    width: f64,
    across: Option<f64>,
    column: bool,
}

impl Line {
    fn height(&self) -> f64 {
        self.runs.iter().map(|(_, run)| run.height).fold(0.0, f64::max)
    }
}

impl Words {
    /// The outlines of the text in the drawing, each colour of its own apart.
    ///
    /// # Errors
    /// No font to draw it with.
    pub(super) fn set(
        &self,
        fonts: &dyn FontSupply,
    ) -> Result<Vec<(Option<Colour>, BezPath)>, NoOutlines> {
        let mut lines = Vec::new();
        let mut size = 0.0;
        for paragraph in &self.paragraphs {
            let first = lines.len();
            self.break_lines(&paragraph.runs, fonts, &mut lines)?;
            for (n, line) in lines[first..].iter_mut().enumerate() {
                (line.across, line.column) = (paragraph.across, paragraph.column && n == 0);
            }
            size = lines[first..].iter().map(Line::height).fold(size, f64::max);
        }
        let mut out: Vec<(Option<Colour>, BezPath)> = Vec::new();
        let corners = self.corners(&lines, size);
        let widest = lines.iter().map(|line| line.width).fold(0.0, f64::max);
        let width = self.wrapped_at.unwrap_or(widest);
        for (line, corner) in lines.iter().zip(corners) {
            let drawn = draw(line, fonts)?;
            let ink = hull(drawn.iter().map(|(_, path)| path.bounding_box())).unwrap_or_default();
            let left = line.across.unwrap_or(self.across) * (width - ink.width()) - ink.x0;
            let to = self.place * self.fit(ink) * Affine::translate(corner + Vec2::new(left, 0.0));
            for (colour, path) in drawn {
                let path = to * path;
                match out.iter_mut().find(|(other, _)| *other == colour) {
                    Some((_, all)) => all.extend(path),
                    None => out.push((colour, path)),
                }
            }
        }
        Ok(out)
    }

    /// What makes a line as long as the two points of its text are apart.
    fn fit(&self, ink: Rect) -> Affine {
        let Some((length, both)) = self.fitted.filter(|_| ink.width() > 0.0) else {
            return Affine::IDENTITY;
        };
        let factor = length / ink.width();
        Affine::scale_non_uniform(factor, if both { factor } else { 1.0 })
    }

    /// Breaks a paragraph into lines, between words, where it is wider than the text may be.
    fn break_lines(
        &self,
        runs: &[TextRun],
        fonts: &dyn FontSupply,
        lines: &mut Vec<Line>,
    ) -> Result<(), NoOutlines> {
        let mut line = Line::default();
        let mut at = 0.0;
        for run in runs {
            let words: Vec<&str> = match self.wrapped_at {
                Some(_) => run.text.split_inclusive(' ').collect(),
                None => vec![&run.text],
            };
            for word in words {
                let length = |text: &str| -> Result<f64, NoOutlines> {
                    Ok(advance(text, run.height, fonts)? * run.stretch)
                };
                let seen = length(word.trim_end_matches(' '))?;
                if self.wrapped_at.is_some_and(|most| at > 0.0 && at + seen > most) {
                    lines.push(std::mem::take(&mut line));
                    at = 0.0;
                }
                match line.runs.last_mut() {
                    Some((_, last)) if alike(last, run) => last.text.push_str(word),
                    _ => line.runs.push((at, TextRun { text: word.into(), ..run.clone() })),
                }
                line.width = at + seen;
                at += length(word)?;
            }
        }
        lines.push(line);
        Ok(())
    }

    /// Where the base of each line begins, before its place across.
    fn corners(&self, lines: &[Line], size: f64) -> Vec<Vec2> {
        // Down from the top of the first line to each base.
        let height = |line: &Line| if line.height() > 0.0 { line.height() } else { size };
        let mut corners = Vec::with_capacity(lines.len());
        let (mut down, mut column, mut lowest) = (0.0, 0, 0.0f64);
        for (n, line) in lines.iter().enumerate() {
            let begins = n == 0;
            let next = if begins { height(line) } else { down + self.spacing * height(line) };
            let full = self.columns.as_ref().is_some_and(|columns| {
                let last = columns.heights.last();
                let most = columns.heights.get(column).or(last);
                column + 1 < columns.count && most.is_some_and(|most| next > most + 1e-9)
            });
            down = match self.columns {
                Some(_) if !begins && (full || line.column) => {
                    column += 1;
                    height(line)
                }
                _ => next,
            };
            lowest = lowest.max(down);
            let aside = self.columns.as_ref().map_or(0.0, |c| column as f64 * (c.width + c.gutter));
            corners.push(Vec2::new(aside, -down));
        }
        let top = match self.up {
            None => corners.first().map_or(0.0, |first| -first.y),
            Some(up) => lowest * (1.0 - up),
        };
        let widest = lines.iter().map(|line| line.width).fold(0.0, f64::max);
        let width = match &self.columns {
            Some(c) => column as f64 * (c.width + c.gutter) + c.width,
            None => self.wrapped_at.unwrap_or(widest),
        };
        // Right and middle count from the ink where nothing bounds the width.
        let from = Vec2::new(-self.across * width, top);
        corners.into_iter().map(|corner| corner + from).collect()
    }
}

fn alike(a: &TextRun, b: &TextRun) -> bool {
    (a.height, a.stretch, a.colour) == (b.height, b.stretch, b.colour)
}

/// The outlines of a line that begins at the origin.
fn draw(line: &Line, fonts: &dyn FontSupply) -> Result<Vec<(Option<Colour>, BezPath)>, NoOutlines> {
    let mut out = Vec::new();
    for (at, run) in line.runs.iter().filter(|(_, run)| !run.text.trim().is_empty()) {
        let (path, _) = outlines(&run.text, None, run.height, fonts)?;
        let to = Affine::translate((*at, 0.0)) * Affine::scale_non_uniform(run.stretch, 1.0);
        out.push((run.colour, to * path));
    }
    Ok(out)
}
