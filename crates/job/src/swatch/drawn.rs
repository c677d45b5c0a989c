//! A sheet as shapes and steps: what a job without `[swatch]` would say.

use super::grid::Grid;
use super::{Cell, Varied};
use crate::make::Make;
use tinkite_artwork::SINGLE_LINE;
use tinkite_base::geometry::{Point, Rect};
use tinkite_base::quantity::plain;
use tinkite_machine::Machine;
use toml_edit::{Array, InlineTable, Item, Table, Value, value};

/// How far the sheet lies from the front left corner of the bed when nobody says, mm: room for run-up.
pub(super) const PLACE: f64 = 10.0;

/// A sheet as it is written out.
pub(super) struct Written<'w> {
    pub(super) make: Make,
    pub(super) settings: Vec<(String, String)>,
    pub(super) recipe: Option<&'w str>,
    pub(super) varied: &'w [Varied],
    pub(super) label: &'w (String, String),
    pub(super) machine: &'w Machine,
    pub(super) scatter: bool,
    pub(super) comb: Option<(u32, f64)>,
    /// What each square is, in place of an area.
    pub(super) picture: Option<&'w str>,
    /// The stock leans: the head stays at one height.
    pub(super) leans: bool,
}

/// Whether the letters of one stroke have this one: their own tests hold these.
fn is_of_one_stroke(c: char) -> bool {
    c.is_ascii() || c.is_alphabetic() && c <= '\u{17f}' || "°·×–".contains(c)
}

impl Written<'_> {
    pub(super) fn out(&self, grid: &Grid, place: bool) -> String {
        let mut shapes = toml_edit::ArrayOfTables::new();
        let mut steps = toml_edit::ArrayOfTables::new();
        let mut pictures = toml_edit::ArrayOfTables::new();
        for rect in grid.marks.iter().chain([&grid.key]) {
            shapes.push(rectangle("mark", *rect, true));
        }
        for label in &grid.labels {
            let mut text = Table::new();
            text.insert("kind", value("text"));
            text.insert("name", value("label"));
            text.insert("text", value(label.text.as_str()));
            text.insert("height", value(mm(label.height)));
            text.insert("colour", value("black"));
            text.insert("filled", value(false));
            if label.text.chars().all(is_of_one_stroke) {
                text.insert("font", value(SINGLE_LINE));
            }
            text.insert("at", point(label.at));
            shapes.push(text);
        }
        // What is burnt last may move: marks and words first.
        let (speed, power) = self.label;
        let mut marks = step("marks", "mark", "engrave", speed, power);
        let mut lines = InlineTable::new();
        lines.insert("spacing", Value::from(mm(self.machine.beam.width.max(0.05))));
        marks.insert("lines", value(lines));
        steps.push(marks);
        if !grid.labels.is_empty() {
            steps.push(step("labels", "label", "score", speed, power));
        }
        for number in order(grid.cells.len(), self.scatter) {
            let cell = &grid.cells[number];
            if cell.blank.is_some() {
                continue;
            }
            match (self.comb, self.picture) {
                (None, Some(file)) => pictures.push(picture(file, cell)),
                (Some((parts, part)), _) => {
                    for n in 0..parts {
                        let x = cell.rect.x0 + f64::from(n) * part;
                        let rect = Rect::new(x, cell.rect.y0, x + part, cell.rect.y1);
                        shapes.push(rectangle(&cell.name, rect, false));
                    }
                }
                (None, None) => {
                    shapes.push(rectangle(&cell.name, cell.rect, self.make == Make::Engrave));
                }
            }
            steps.push(self.square(cell));
        }
        let mut document = toml_edit::DocumentMut::new();
        if place {
            let mut place = Table::new();
            place.insert("anchor", value("bottom-left"));
            // Places in a job are on the machine's own axes, and this one is from the bed's front left corner.
            let machine = self.machine;
            let corner = Point::new(PLACE, PLACE) - machine.bed.origin_offset();
            place.insert("at", point(machine.pointing.to_machine(corner.to_vec2()).to_point()));
            document.insert("place", Item::Table(place));
        }
        if !pictures.is_empty() {
            document.insert("artwork", Item::ArrayOfTables(pictures));
        }
        document.insert("shape", Item::ArrayOfTables(shapes));
        document.insert("step", Item::ArrayOfTables(steps));
        document.to_string()
    }

    /// The step that burns one square.
    fn square(&self, cell: &Cell) -> Table {
        let mut step = Table::new();
        step.insert("name", value(cell.name.as_str()));
        step.insert(
            "take",
            take(if self.picture.is_some() { "artwork" } else { "id" }, &cell.name),
        );
        step.insert("make", value(self.make.name()));
        if let Some(recipe) = self.recipe {
            step.insert("recipe", value(recipe));
        }
        for (key, text) in &self.settings {
            if let Ok(value) = text.parse::<Value>() {
                step.insert(key, Item::Value(value));
            }
        }
        if self.comb.is_some() {
            // Neighbours share their edges, and what the beam takes from them is what is measured.
            step.insert("side", value("on-line"));
            step.insert("shared-edges", value(true));
        }
        for (one, text) in self.varied.iter().zip(&cell.values) {
            let Ok(value) = text.parse::<Value>() else { continue };
            if self.leans && one.key == "focus" {
                continue;
            }
            let path: Vec<&str> = one.key.split('.').collect();
            put(&mut step, &path, value);
        }
        step
    }
}

/// Puts a value where a dotted key says.
fn put(table: &mut Table, path: &[&str], what: Value) {
    match path {
        [] => {}
        [key] => drop(table.insert(key, Item::Value(what))),
        [key, rest @ ..] => {
            let inner = table.entry(key).or_insert_with(|| value(InlineTable::new()));
            if let Some(inner) = inner.as_inline_table_mut() {
                put_inline(inner, rest, what);
            }
        }
    }
}

fn put_inline(table: &mut InlineTable, path: &[&str], what: Value) {
    match path {
        [] => {}
        [key] => drop(table.insert(*key, what)),
        [key, rest @ ..] => {
            let inner = table.get_or_insert(*key, InlineTable::new());
            if let Some(inner) = inner.as_inline_table_mut() {
                put_inline(inner, rest, what);
            }
        }
    }
}

/// In which order squares are burnt: as they lie, or each far from the one before, so that the heat of one is
/// gone before its neighbour comes.
fn order(count: usize, scatter: bool) -> Vec<usize> {
    if !scatter {
        return (0..count).collect();
    }
    // A stride near the golden section that has no divisor in common with the number goes through all.
    let gcd = |mut a: usize, mut b: usize| {
        while b > 0 {
            (a, b) = (b, a % b);
        }
        a
    };
    let near = (count as f64 * 0.618).round() as usize;
    let stride = (0..count).flat_map(|d| [near + d, near.saturating_sub(d)]);
    let stride = stride.filter(|s| *s > 0).find(|stride| gcd(*stride, count) == 1).unwrap_or(1);
    (0..count).map(|n| n * stride % count).collect()
}

fn mm(value: f64) -> String {
    format!("{} mm", plain(value, 3))
}

fn point(at: Point) -> Item {
    value(Array::from_iter([mm(at.x), mm(at.y)]))
}

fn take(by: &str, name: &str) -> Item {
    let mut take = InlineTable::new();
    take.insert(by, Value::from(name));
    value(take)
}

fn step(name: &str, id: &str, make: &str, speed: &str, power: &str) -> Table {
    let mut step = Table::new();
    step.insert("name", value(name));
    step.insert("take", take("id", id));
    step.insert("make", value(make));
    step.insert("speed", value(speed));
    step.insert("power", value(power));
    step
}

fn rectangle(name: &str, rect: Rect, filled: bool) -> Table {
    let mut shape = Table::new();
    shape.insert("kind", value("rectangle"));
    shape.insert("name", value(name));
    shape.insert("width", value(mm(rect.width())));
    shape.insert("depth", value(mm(rect.height())));
    shape.insert("colour", value("black"));
    shape.insert("filled", value(filled));
    shape.insert("at", point(rect.center()));
    shape
}

/// A picture as large as a square.
fn picture(file: &str, cell: &Cell) -> Table {
    let mut artwork = Table::new();
    artwork.insert("file", value(file));
    artwork.insert("name", value(cell.name.as_str()));
    artwork.insert("width", value(mm(cell.rect.width())));
    artwork.insert("height", value(mm(cell.rect.height())));
    artwork.insert("stretch", value(true));
    artwork.insert("anchor", value("centre"));
    artwork.insert("at", point(cell.rect.center()));
    artwork
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_square_is_burnt_once_and_neighbours_not_in_turn() {
        for count in 1..200 {
            let mut all = order(count, true);
            if count > 8 {
                assert!(all.windows(2).all(|two| two[0].abs_diff(two[1]) > 1), "{count}");
            }
            all.sort_unstable();
            assert_eq!(all, (0..count).collect::<Vec<_>>());
        }
    }
}
