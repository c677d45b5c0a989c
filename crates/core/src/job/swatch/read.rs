//! Reading `[swatch]` and writing it out as shapes and steps.

use super::axis::{self, Varied};
use super::grid::{Grid, Layout, laid_out};
use super::{Cell, Swatch, SwatchKind};
use crate::geometry::{Point, Rect};
use crate::job::Machine;
use crate::job::reader::{Section, SourceText};
use crate::job::recipe::{Make, moved, toml_text};
use crate::job::step::{self, Fits};
use crate::problem::{Code, Problem, Problems, nearest};
use crate::quantity::{Length, Power, Speed, parse, parse_power, plain};
use crate::source;
use std::ops::Range;
use toml::Spanned;
use toml::de::{DeTable, DeValue};
use toml_edit::{Array, InlineTable, Item, Table, Value, value};

/// A sheet written out.
pub(in crate::job) struct Expanded {
    /// `[[shape]]` and `[[step]]`, and `[place]` where the job has none, as TOML.
    pub(in crate::job) toml: String,
    /// How it is laid out.
    pub(in crate::job) swatch: Swatch,
    /// Where `[swatch]` stands in the job.
    pub(in crate::job) span: Range<usize>,
}

impl Expanded {
    /// Puts what was written out in the place of `[swatch]` of a job's table.
    pub(in crate::job) fn put_into<'t>(&'t self, top: &mut DeTable<'t>) {
        top.remove("swatch");
        // Our own text: it is TOML.
        let drawn = DeTable::parse(&self.toml).map(Spanned::into_inner).unwrap_or_default();
        for (key, mut value) in drawn {
            moved(&mut value, &self.span);
            top.insert(Spanned::new(self.span.clone(), key.into_inner()), value);
        }
    }
}

/// Most squares of a sheet.
const MOST_CELLS: usize = 600;

/// Keys of `[swatch]` that no step has.
const OWN_KEYS: [&str; 14] = [
    "kind", "make", "across", "down", "cell", "gap", "label", "name", "date", "scatter", "parts",
    "part", "in-row", "recipe",
];

/// What `[swatch]` of a job's text comes to; none where the job has none.
pub(in crate::job) fn expanded(
    file: &str,
    text: &str,
    machine: &Machine,
) -> Option<Result<Expanded, Problems>> {
    let source = SourceText::new(file, text);
    // What is no TOML is told when the whole job is read.
    let (table, errors) = DeTable::parse_recoverable(text);
    if !errors.is_empty() {
        return None;
    }
    let top = table.get_ref();
    let value = top.get("swatch")?;
    let made = match value.get_ref() {
        DeValue::Table(inner) => {
            let section = Section::new(&source, "[swatch]", inner, value.span());
            read(section, top, machine)
        }
        _ => {
            let what = "swatch should be a table";
            let help = "write [swatch] on a line of its own, and its keys below";
            source.report(Problem::error(Code::WrongType, what, help), value.span());
            None
        }
    };
    let problems = source.into_problems();
    Some(match made {
        Some(made) if !problems.refuse() => Ok(made),
        _ => Err(problems),
    })
}

fn read(section: Section<'_, '_>, top: &DeTable<'_>, machine: &Machine) -> Option<Expanded> {
    let span = section.whole_span();
    for key in ["artwork", "shape", "step", "rotary"] {
        if top.contains_key(key) {
            let what = format!("a job with [swatch] draws itself, and this one has {key} as well");
            let help = format!("take {key} out; what squares are burnt with stands in [swatch]");
            section.report(Problem::error(Code::Contradiction, what, help), span.clone());
            return None;
        }
    }
    let kind = section.choice("kind", &SwatchKind::WORDS).unwrap_or(SwatchKind::Grid);
    let make = section.choice("make", &Make::WORDS).or(match kind {
        SwatchKind::Kerf => Some(Make::Cut),
        SwatchKind::Grid => None,
        _ => Some(Make::Engrave),
    });
    if make.is_none() && !section.has("make") {
        section.missing("make", "make = \"engrave\", \"cut\" or \"score\": what its squares are");
    }
    let make = make?;
    let mut varied = Vec::new();
    for key in ["across", "down"] {
        if section.has(key) {
            varied.push(axis::read(&section, key)?);
        }
    }
    if varied.is_empty() && kind != SwatchKind::Kerf {
        let example = match kind {
            SwatchKind::Focus => "across = { focus = [\"-2 mm\", \"2 mm\"], count = 9 }",
            SwatchKind::Offset => {
                "across = { lines.offset = [\"-0.2 mm\", \"0.2 mm\"], count = 9 }"
            }
            SwatchKind::Greys => "across = { power = [\"8 %\", \"60 %\"], count = 16 }",
            _ => "across = { power = [\"10 %\", \"60 %\"], count = 6 }",
        };
        section.missing("across", example);
        return None;
    }
    let wanted = match kind {
        SwatchKind::Greys => Some("power"),
        SwatchKind::Focus => Some("focus"),
        SwatchKind::Offset => Some("lines.offset"),
        _ => None,
    };
    if let Some(wanted) = wanted
        && varied.iter().all(|one| one.key != wanted)
    {
        let what = format!("a sheet of this kind varies {wanted}, and this one does not");
        let help = format!("write across = {{ {wanted} = [first, last], count = 9 }}");
        section.report(Problem::error(Code::Swatch, what, help), section.span_of("across"));
        return None;
    }
    let length =
        |key: &'static str, usual: f64| section.positive::<Length>(key).map_or(usual, |l| l.0);
    let cell = length("cell", 8.0);
    let gap = length("gap", 2.0);
    if !(2.0..=200.0).contains(&cell) {
        let written = section.written("cell");
        section.out_of_range("cell", section.span_of("cell"), &written, "from 2 mm to 200 mm");
        return None;
    }
    let in_row = section.whole("in-row", 1..=100).map(|n| n as usize);
    let scatter = section.flag("scatter").unwrap_or(false);
    let name = section.text("name").or(top.get("name").and_then(|n| n.get_ref().as_str()));
    let date = section.text("date");
    let material = top.get("material").and_then(|m| m.get_ref().as_str());
    let settings = settings(&section, make, &varied)?;
    let Some(table) = section.section("label") else {
        section.missing("label", "label = { speed = \"100 mm/s\", power = \"20 %\" }");
        return None;
    };
    let words = |key, example| table.required_text(key, example).map(str::to_string);
    let label = (words("speed", "speed = \"100 mm/s\""), words("power", "power = \"20 %\""));
    table.finish();
    let label = (label.0?, label.1?);
    let said = date.map(str::to_string);
    let heading: Vec<&str> = [name, material, date].into_iter().flatten().collect();
    let squares: usize = varied.iter().map(|one| one.numbers.len()).product();
    if squares > MOST_CELLS {
        let what = format!("the sheet would have {squares} squares, and {MOST_CELLS} are the most");
        let help = "say fewer values, or make two sheets";
        section.report(Problem::error(Code::Swatch, what, help), span);
        return None;
    }
    let recipe = section.text("recipe").map(str::to_string);
    let parts = section.whole("parts", 2..=100).map_or(10, |n| n as u32);
    let part = length("part", 10.0);
    let comb = (kind == SwatchKind::Kerf).then_some((parts, part));
    let (cell, in_row) = match (kind, comb) {
        (SwatchKind::Kerf, Some((parts, part))) => {
            ((f64::from(parts) * part, cell.max(20.0)), None)
        }
        (SwatchKind::Greys, _) => ((cell, cell), Some(in_row.unwrap_or(8))),
        _ => ((cell, cell), in_row),
    };
    let mut grid = laid_out(&varied, &heading.join(", "), Layout { cell, gap, in_row });
    if !fits(&section, top, machine, &grid) {
        return None;
    }
    blanked(&mut grid.cells, &varied, machine);
    if grid.cells.iter().all(|cell| cell.blank.is_some()) {
        let why = grid.cells.first().and_then(|cell| cell.blank.clone()).unwrap_or_default();
        let what = format!("no square of the sheet can be burnt: {why}");
        let help = "say values between the machine's floor and ceiling";
        section.report(Problem::error(Code::Swatch, what, help), span);
        return None;
    }
    let recipe = recipe.as_deref();
    let written =
        Written { make, settings, recipe, varied: &varied, label: &label, machine, scatter, comb };
    let toml = written.out(&grid, !top.contains_key("place"));
    Some(Expanded {
        toml,
        swatch: Swatch {
            kind,
            varied,
            cells: grid.cells,
            size: grid.size,
            marks: grid.marks,
            key: grid.key,
            date: said,
            comb,
        },
        span,
    })
}

/// What every square is burnt with: keys of a step, as TOML writes their values.
fn settings(
    section: &Section<'_, '_>,
    make: Make,
    varied: &[Varied],
) -> Option<Vec<(String, String)>> {
    let mut all = Vec::new();
    let mut good = true;
    for (key, value) in section.table() {
        let word = key.get_ref().as_ref();
        if OWN_KEYS.contains(&word) {
            continue;
        }
        if step::setting(word, make) != Fits::Yes {
            let what =
                format!("[swatch] has no key called {word} where its squares are {}", make.name());
            let known = step::settings(make).chain(OWN_KEYS);
            let help = match nearest(word, known) {
                Some(near) => format!("did you mean {near}?"),
                None => "keys of a step of that make fit here, and those of [swatch]".into(),
            };
            section.report(Problem::error(Code::UnknownKey, what, help), key.span());
            good = false;
        } else {
            all.push((word.to_string(), toml_text(value.get_ref())));
        }
    }
    for one in varied {
        let first = one.key.split('.').next().unwrap_or_default();
        if step::setting(first, make) != Fits::Yes {
            let what = format!(
                "{} is no key of a step that makes {}, so it cannot be varied",
                one.key,
                make.name()
            );
            let help = match nearest(first, step::settings(make)) {
                Some(near) => format!("did you mean {near}?"),
                None => "power, speed, passes, focus, lines.spacing and the like can".into(),
            };
            section.report(Problem::error(Code::UnknownKey, what, help), section.whole_span());
            good = false;
        }
    }
    good.then_some(all)
}

/// Whether the sheet fits the stock, and the bed; says how large squares may be where it does not.
fn fits(section: &Section<'_, '_>, top: &DeTable<'_>, machine: &Machine, grid: &Grid) -> bool {
    let stock = top.get("stock").and_then(|stock| stock.get_ref().as_table());
    let side = |key: &str| {
        let text = stock?.get(key)?.get_ref().as_str()?;
        parse::<Length>(text).ok().map(|length| length.0)
    };
    let (what, width, depth) = match (side("width"), side("depth")) {
        (Some(width), Some(depth)) => ("stock", width, depth),
        _ => ("bed", machine.bed.width, machine.bed.depth),
    };
    let (wide, deep) = grid.size;
    let room = 2.0 * PLACE;
    if wide + room <= width && deep + room <= depth {
        return true;
    }
    let message = format!(
        "the sheet is {} x {} mm with its marks, and the {what} of {} x {} mm has no room for that",
        plain(wide, 1),
        plain(deep, 1),
        plain(width, 1),
        plain(depth, 1)
    );
    let help = "say a smaller cell or gap, or fewer values";
    section.report(Problem::error(Code::Swatch, message, help), section.whole_span());
    false
}

/// How far the sheet lies from the front left corner of the bed when nobody says, mm: room for run-up.
const PLACE: f64 = 10.0;

/// Squares whose values the machine cannot do are left blank, and say so.
fn blanked(cells: &mut [Cell], varied: &[Varied], machine: &Machine) {
    let top = machine.x.top_speed.min(machine.y.top_speed);
    for cell in cells {
        for (one, value) in varied.iter().zip(&cell.values) {
            let bare = value.trim_matches('"');
            let why = match one.key.as_str() {
                "power" => parse_power(bare).ok().and_then(|asked| {
                    let share = source::share(&machine.beam, asked);
                    share
                        .and_then(|share| machine.beam.level(Power(share.0)))
                        .err()
                        .map(|p| p.message)
                }),
                "speed" => parse::<Speed>(bare).ok().filter(|speed| speed.0 > top).map(|speed| {
                    format!("{speed} is more than an axis can do ({} mm/s)", plain(top, 1))
                }),
                _ => None,
            };
            cell.blank = cell.blank.take().or(why);
        }
    }
}

/// A sheet as it is written out.
struct Written<'w> {
    make: Make,
    settings: Vec<(String, String)>,
    recipe: Option<&'w str>,
    varied: &'w [Varied],
    label: &'w (String, String),
    machine: &'w Machine,
    scatter: bool,
    comb: Option<(u32, f64)>,
}

impl Written<'_> {
    fn out(&self, grid: &Grid, place: bool) -> String {
        let mut shapes = toml_edit::ArrayOfTables::new();
        let mut steps = toml_edit::ArrayOfTables::new();
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
            match self.comb {
                Some((parts, part)) => {
                    for n in 0..parts {
                        let x = cell.rect.x0 + f64::from(n) * part;
                        let rect = Rect::new(x, cell.rect.y0, x + part, cell.rect.y1);
                        shapes.push(rectangle(&cell.name, rect, false));
                    }
                }
                None => {
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
        document.insert("shape", Item::ArrayOfTables(shapes));
        document.insert("step", Item::ArrayOfTables(steps));
        document.to_string()
    }

    /// The step that burns one square.
    fn square(&self, cell: &Cell) -> Table {
        let mut step = Table::new();
        step.insert("name", value(cell.name.as_str()));
        step.insert("take", take(&cell.name));
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

fn take(id: &str) -> Item {
    let mut take = InlineTable::new();
    take.insert("id", Value::from(id));
    value(take)
}

fn step(name: &str, id: &str, make: &str, speed: &str, power: &str) -> Table {
    let mut step = Table::new();
    step.insert("name", value(name));
    step.insert("take", take(id));
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
