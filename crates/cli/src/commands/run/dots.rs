//! The job in braille dots: what is burnt so far, and what is left.

use ratatui_core::buffer::Buffer;
use ratatui_core::layout::Rect;
use ratatui_core::style::Style;
use std::io;
use tinkite_core::machine::Dialect;
use tinkite_operate::run::news::BeganNews;
use tinkite_operate::run::program::buffer;
use tinkite_run::Walk;

/// What is burnt, as points close enough for any terminal, each with its line.
#[derive(Debug, Default)]
pub(super) struct Dots {
    points: Vec<(f64, f64, u32)>,
    /// Left, lower, right and upper end, mm.
    bounds: [f64; 4],
    fitted: Option<Fitted>,
}

/// The same on a number of cells.
#[derive(Debug)]
struct Fitted {
    columns: u16,
    rows: u16,
    /// For each of eight dots of each cell: the first line that burns it.
    lines: Vec<[u32; 8]>,
}

/// The longer side of a job is this many points long at most: more dots than a terminal has.
const FINE: f64 = 800.0;
/// The most points that are kept.
const MOST: usize = 2_000_000;
/// No line burns this dot.
const NEVER: u32 = u32::MAX;

impl Dots {
    /// Of a program that begins. `around` is the diameter of what turns, mm.
    ///
    /// # Errors
    /// A program that cannot be read.
    pub(super) fn of(began: &BeganNews, dialect: Dialect, around: Option<f64>) -> io::Result<Self> {
        let walk = Walk { dialect, began: began.standing.into() };
        let program = || buffer(began.program.reader());
        let unrolled = std::f64::consts::PI * around.unwrap_or(0.0) / 360.0;
        let flat = |at: [f64; 6]| (at[0], at[1] + at[3] * unrolled);
        let mut bounds = [f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY];
        walk.burns(program(), |_, way| {
            for share in [0.0, 0.5, 1.0] {
                let (x, y) = flat(way.at(share));
                bounds[0] = bounds[0].min(x);
                bounds[1] = bounds[1].min(y);
                bounds[2] = bounds[2].max(x);
                bounds[3] = bounds[3].max(y);
            }
        })?;
        if bounds[0] > bounds[2] {
            return Ok(Self::default());
        }
        let step = (bounds[2] - bounds[0]).max(bounds[3] - bounds[1]).max(1e-3) / FINE;
        let mut points: Vec<(f64, f64, u32)> = Vec::new();
        let mut last = (f64::NAN, f64::NAN);
        walk.burns(program(), |line, way| {
            let count = (way.length() / step).ceil().clamp(1.0, 10_000.0);
            for n in 0..=count as u32 {
                let at = flat(way.at(f64::from(n) / count));
                let far = (at.0 - last.0).abs().max((at.1 - last.1).abs());
                if points.len() < MOST && (far >= step * 0.5 || points.is_empty()) {
                    points.push((at.0, at.1, line));
                    last = at;
                }
            }
        })?;
        Ok(Self { points, bounds, fitted: None })
    }

    /// Whether there is anything to see.
    pub(super) fn is_empty(&self) -> bool {
        self.points.is_empty()
    }

    fn fit(&mut self, columns: u16, rows: u16) {
        if self.fitted.as_ref().is_some_and(|f| (f.columns, f.rows) == (columns, rows)) {
            return;
        }
        let [left, lower, right, upper] = self.bounds;
        let (wide, high) = (f64::from(columns) * 2.0, f64::from(rows) * 4.0);
        let scale =
            ((wide - 1.0) / (right - left).max(1e-9)).min((high - 1.0) / (upper - lower).max(1e-9));
        let aside = ((wide - 1.0) - (right - left) * scale) / 2.0;
        let mut lines = vec![[NEVER; 8]; usize::from(columns) * usize::from(rows)];
        for (x, y, line) in &self.points {
            let (x, y) = ((x - left) * scale + aside, (upper - y) * scale);
            let (x, y) = (x.round().max(0.0) as usize, y.round().max(0.0) as usize);
            let cell = y / 4 * usize::from(columns) + x / 2;
            if x / 2 < usize::from(columns)
                && let Some(dots) = lines.get_mut(cell)
            {
                let dot = &mut dots[y % 4 * 2 + x % 2];
                *dot = (*dot).min(*line);
            }
        }
        self.fitted = Some(Fitted { columns, rows, lines });
    }

    /// Draws it where the head is in `line`: all of its lines before are burnt.
    pub(super) fn draw(
        &mut self,
        area: Rect,
        buffer: &mut Buffer,
        line: u32,
        [left, burnt]: [Style; 2],
    ) {
        if area.is_empty() || self.is_empty() {
            return;
        }
        self.fit(area.width, area.height);
        let Some(fitted) = &self.fitted else { return };
        for (n, dots) in fitted.lines.iter().enumerate() {
            let bits = (0..8).filter(|dot| dots[*dot] != NEVER).map(|dot| 1_u32 << BIT[dot]);
            let bits: u32 = bits.sum();
            if bits == 0 {
                continue;
            }
            let (x, y) = (n as u16 % fitted.columns, n as u16 / fitted.columns);
            let is_burnt = dots.iter().any(|first| *first < line);
            if let Some(cell) = buffer.cell_mut((area.x + x, area.y + y)) {
                cell.set_char(char::from_u32(0x2800 + bits).unwrap_or(' '));
                cell.set_style(if is_burnt { burnt } else { left });
            }
        }
    }
}

/// Unicode's order of the dots: the two columns downwards by three, then the lowest two.
const BIT: [u32; 8] = [0, 3, 1, 4, 2, 5, 6, 7];

#[cfg(test)]
mod tests {
    use super::*;
    use ratatui_core::style::Modifier;

    #[test]
    fn a_square_is_round_its_cells_and_its_first_side_is_burnt_first() {
        let side = |n: u32| f64::from(n) / 100.0;
        let mut points = Vec::new();
        for n in 0..=100 {
            points.extend([(0.0, side(n), 1), (side(n), 1.0, 2), (1.0, side(n), 3)]);
        }
        let mut dots = Dots { points, bounds: [0.0, 0.0, 1.0, 1.0], fitted: None };
        let area = Rect::new(0, 0, 4, 2);
        let mut buffer = Buffer::empty(area);
        let burnt = Style::new().add_modifier(Modifier::BOLD);
        dots.draw(area, &mut buffer, 2, [Style::new(), burnt]);
        let text: String =
            buffer.content().iter().map(ratatui_core::buffer::Cell::symbol).collect();
        // Eight dots high and wide: left side, upper side, right side.
        assert_eq!(text, "\u{284f}\u{2809}\u{2809}\u{28b9}\u{2847}  \u{28b8}");
        let bold: Vec<bool> =
            buffer.content().iter().map(|cell| cell.modifier.contains(Modifier::BOLD)).collect();
        assert_eq!(bold, [true, false, false, false, true, false, false, false]);
    }
}
