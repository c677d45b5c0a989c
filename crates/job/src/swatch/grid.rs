//! Where the squares, their labels and the marks of a sheet lie.

use super::{Cell, Varied, column_name};
use tinkite_base::geometry::{Point, Rect};

/// Side of a corner mark, mm.
const MARK: f64 = 4.0;
/// Side of the mark that tells which way round the sheet lies, mm; and how far its middle is from that of the
/// corner mark beside it.
const KEY: (f64, f64) = (2.4, 6.0);
/// Between marks and what lies inside of them, mm.
const CLEAR: f64 = 2.0;
/// Height of a capital, mm.
const LETTER: f64 = 2.0;
/// Width of a letter of the plain font to its height; digits are all alike.
const LETTER_WIDTH: f64 = 0.95;

/// A line of text, by its middle.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Label {
    pub(super) text: String,
    pub(super) height: f64,
    pub(super) at: Point,
}

/// Everything of a sheet, mm from its lower left corner.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Grid {
    pub(super) cells: Vec<Cell>,
    pub(super) labels: Vec<Label>,
    pub(super) marks: [Rect; 4],
    pub(super) key: Rect,
    pub(super) size: (f64, f64),
}

/// How squares are laid out.
#[derive(Debug, Clone, Copy)]
pub(super) struct Layout {
    /// Width and height of a square, mm.
    pub(super) cell: (f64, f64),
    /// Between squares, mm.
    pub(super) gap: f64,
    /// Squares in a row, where they are one row that is broken.
    pub(super) in_row: Option<usize>,
    /// From one square to the next, mm, where that is said.
    pub(super) pitch: Option<f64>,
}

fn width(text: &str, height: f64) -> f64 {
    text.chars().count() as f64 * height * LETTER_WIDTH
}

/// Lays out a square for each value, or each pair of them, under a heading and what else is to be said of them.
pub(super) fn laid_out(
    varied: &[Varied],
    heading: &str,
    more: Option<&str>,
    layout: Layout,
) -> Grid {
    let (cell, gap) = (layout.cell, layout.gap);
    let across = varied.first();
    let down = varied.get(1);
    let count = across.map_or(1, |varied| varied.numbers.len());
    let columns = layout.in_row.map_or(count, |most| count.min(most));
    let rows = match down {
        Some(down) => down.numbers.len(),
        None => count.div_ceil(columns),
    };
    let wraps = down.is_none() && rows > 1;
    let names: Vec<String> = (0..rows).map(|n| (n + 1).to_string()).collect();
    // To the left of each row its number, and its value where rows have one.
    let row_label = |row: usize| match down {
        Some(down) => format!("{}  {}", names[row], down.numbers[row]),
        None => names[row].clone(),
    };
    let left = (0..rows).map(|row| width(&row_label(row), LETTER)).fold(0.0, f64::max) + 2.0;
    // A label may not run into its neighbour's.
    let value = |column: usize, row: usize| {
        across.and_then(|varied| {
            varied.numbers.get(if wraps { row * columns + column } else { column })
        })
    };
    let widest = across.map_or(0.0, |varied| {
        varied.numbers.iter().map(|number| width(number, LETTER)).fold(0.0, f64::max)
    });
    let pitch_x = layout.pitch.unwrap_or_else(|| (cell.0 + gap).max(widest + 0.8));
    // Values stand over each row where a row is broken, else over the first.
    let over = LETTER + 1.2;
    let pitch_y = cell.1 + gap + if wraps { over } else { 0.0 };
    let inner = MARK + CLEAR;
    let axes = axis_titles(varied);
    let titles = [heading.to_string(), more.map_or(axes.clone(), |more| format!("{axes}, {more}"))];
    let text_width = titles.iter().map(|title| width(title, LETTER)).fold(0.0, f64::max);
    let grid_width = left + pitch_x * columns as f64 - (pitch_x - cell.0);
    // The marks lie outside of everything; the key needs room on the upper edge.
    let content = grid_width.max(text_width).max(KEY.1 + KEY.0 + 4.0);
    let size_x = content + 2.0 * inner;
    let head = 2.0 * (LETTER + 1.6) + 2.0 * (LETTER + 1.2);
    let grid_height = pitch_y * rows as f64 - gap;
    let size_y = grid_height + head + 2.0 * inner;
    let top = size_y - inner;
    let mut labels = Vec::new();
    let mut y = top - LETTER / 2.0;
    for title in titles.iter().filter(|title| !title.is_empty()) {
        let at = Point::new(inner + width(title, LETTER) / 2.0, y);
        labels.push(Label { text: title.clone(), height: LETTER, at });
        y -= LETTER + 1.6;
    }
    // Letters of the columns.
    let x = |column: usize| inner + left + pitch_x * column as f64;
    let letters = top - 2.0 * (LETTER + 1.6) - LETTER / 2.0;
    for column in 0..columns {
        let at = Point::new(x(column) + cell.0 / 2.0, letters);
        labels.push(Label { text: column_name(column), height: LETTER, at });
    }
    let first = letters - LETTER / 2.0 - 1.2 - if wraps { 0.0 } else { over };
    if !wraps {
        for column in 0..columns {
            if let Some(number) = value(column, 0) {
                let at = Point::new(x(column) + cell.0 / 2.0, letters - LETTER - 1.2);
                labels.push(Label { text: number.clone(), height: LETTER, at });
            }
        }
    }
    let mut cells = Vec::new();
    for row in 0..rows {
        let upper = first - pitch_y * row as f64 - if wraps { over } else { 0.0 };
        let text = row_label(row);
        let at = Point::new(inner + width(&text, LETTER) / 2.0, upper - cell.1 / 2.0);
        labels.push(Label { text, height: LETTER, at });
        for column in 0..columns {
            let number = if wraps { row * columns + column } else { column };
            if number >= count {
                continue;
            }
            if let (true, Some(label)) = (wraps, value(column, row)) {
                let at = Point::new(x(column) + cell.0 / 2.0, upper + 1.2 + LETTER / 2.0 - 0.4);
                labels.push(Label { text: label.clone(), height: LETTER, at });
            }
            let mut values: Vec<String> = across.iter().map(|varied| varied.toml(number)).collect();
            values.extend(down.map(|down| down.toml(row)));
            cells.push(Cell {
                name: format!("{}{}", column_name(column), row + 1),
                rect: Rect::new(x(column), upper - cell.1, x(column) + cell.0, upper),
                values,
                blank: None,
            });
        }
    }
    let square = |x: f64, y: f64, side: f64| Rect::from_center_size((x, y), (side, side));
    let half = MARK / 2.0;
    let marks = [
        square(half, size_y - half, MARK),
        square(size_x - half, size_y - half, MARK),
        square(size_x - half, half, MARK),
        square(half, half, MARK),
    ];
    let key = square(half + KEY.1, size_y - half, KEY.0);
    Grid { cells, labels, marks, key, size: (size_x, size_y) }
}

/// What the numbers over and beside the squares are.
fn axis_titles(varied: &[Varied]) -> String {
    match varied {
        [across] => format!("across {}", across.title()),
        [across, down, ..] => format!("across {}, down {}", across.title(), down.title()),
        [] => String::new(),
    }
}
