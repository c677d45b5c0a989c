//! Copies in rows and columns, as many as fit, on as many sheets as it takes.

use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy, count};
use tinkite_base::quantity::plain;
use tinkite_job::{Job, Spacing, StockSize};

/// The copies of one sheet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct SheetCopies {
    columns: u32,
    /// The first of them, counted over all sheets.
    first: u32,
    /// How many there are in all; the last row may be short.
    number: u32,
    /// From one to the next, across and away.
    pitch: Vec2,
    alternate: bool,
    /// On how many sheets all copies are.
    pub(super) sheets: u32,
}

impl SheetCopies {
    fn offset(&self, n: u32) -> Vec2 {
        let (column, row) = (n % self.columns, n / self.columns);
        Vec2::new(f64::from(column) * self.pitch.x, f64::from(row) * self.pitch.y)
    }

    /// From the first copy to the one behind the last, counted over all sheets.
    pub(super) fn span(&self) -> (u32, u32) {
        (self.first, self.first + self.number)
    }

    /// Where the farthest column and row lie, seen from the first copy.
    pub(super) fn last(&self) -> Vec2 {
        let rows = self.number.div_ceil(self.columns);
        let columns = self.columns.min(self.number);
        Vec2::new(f64::from(columns - 1) * self.pitch.x, f64::from(rows - 1) * self.pitch.y)
    }
}

/// Decides the copies for a drawing of this size; says how many fit when the job only counts.
///
/// # Errors
/// Not even one fits, or a sheet is asked for that is not needed.
pub(super) fn planned(
    one: Rect,
    job: &Job,
    wanted: Option<u32>,
    problems: &mut Problems,
) -> Result<SheetCopies, Problem> {
    let copies = &job.placement.copies;
    let pitch = match copies.spacing {
        Spacing::Gap(gap) => Vec2::new(one.width() + gap, one.height() + gap),
        Spacing::Pitch(x, y) => Vec2::new(x, y),
    };
    let run = |columns, number, first, sheets| SheetCopies {
        columns,
        first,
        number,
        pitch,
        alternate: copies.alternate,
        sheets,
    };
    let Some(wanted) = wanted else {
        return Ok(run(copies.columns, copies.columns * copies.rows, 0, 1));
    };
    let room = room(one, job);
    let fit = |room: f64, size: f64, pitch: f64| {
        // A micrometre of rounding must not cost a column.
        let more = (room - size + 1e-3) / pitch.max(1e-9);
        if more < 0.0 { 0 } else { (more.floor() + 1.0).min(500.0) as u32 }
    };
    let columns = fit(room.x, one.width(), pitch.x);
    let rows = fit(room.y, one.height(), pitch.y);
    let fits = columns * rows;
    if fits == 0 {
        return Err(Problem::error(
            Code::NoRoom,
            format!(
                "not one copy of {} x {} mm fits into the {} x {} mm that are free",
                plain(one.width(), 2),
                plain(one.height(), 2),
                plain(room.x.max(0.0), 2),
                plain(room.y.max(0.0), 2)
            ),
            "make it smaller, move it with [place] at, or take larger stock",
        ));
    }
    let sheets = wanted.div_ceil(fits);
    if copies.sheet > sheets {
        return Err(Problem::error(
            Code::NoRoom,
            format!(
                "there is no sheet {}: {wanted} copies take {}",
                copies.sheet,
                count(sheets as usize, "sheet")
            ),
            format!("say a sheet from 1 to {sheets}"),
        ));
    }
    let first = (copies.sheet - 1) * fits;
    let here = fits.min(wanted - first);
    let fit = format!("{fits} copies fit ({columns} columns × {rows} rows)");
    let sheet = copies.sheet;
    let told = match (&copies.each, sheets) {
        (None, 1) => format!("{fit}, {wanted} are made"),
        (None, _) => {
            format!("{fit}; {wanted} take {sheets} sheets, and this is sheet {sheet} with {here}")
        }
        (Some(each), 1) => {
            format!("{fit}, {} of {} are made", count(wanted as usize, "row"), each.file)
        }
        (Some(each), _) => {
            let (file, last) = (&each.file, first + here);
            format!(
                "{fit}; {wanted} rows of {file} take {sheets} sheets, and this is sheet {sheet} with {}",
                rows_from(first + 1, last)
            )
        }
    };
    let help = match (sheets, sheet) {
        (1, _) => String::new(),
        (_, last) if last == sheets => "sheet in copies makes the others".to_string(),
        _ => format!("sheet = {} in copies makes the next", sheet + 1),
    };
    let note = Problem::note(Code::Sheets, told, help).at(Location::file(&job.file));
    problems.push(if sheets > 1 { note.with_remedy(Remedy::OtherSheet) } else { note });
    Ok(run(columns, here, first, sheets))
}

fn rows_from(first: u32, last: u32) -> String {
    if first == last { format!("row {first}") } else { format!("rows {first} to {last}") }
}

/// What is free for copies: from the anchor to the far edges of stock or bed.
fn room(one: Rect, job: &Job) -> Vec2 {
    let field = job.field();
    let whole = match job.stock.as_ref().and_then(|stock| stock.size.as_ref()) {
        Some(StockSize::Fixed { width, depth }) => Vec2::new(*width, *depth),
        _ => Vec2::new(field.rect.x1, field.rect.y1),
    };
    let Some(at) = job.placement.at else {
        return Vec2::new(whole.x - one.x0, whole.y - one.y0);
    };
    let at = field.plane(at);
    let anchor = job.placement.anchor;
    if !field.fixed {
        // The zero lies on the stock as the anchor says, so all of the stock is free.
        return whole;
    }
    let side = |anchor: f64, at: f64, whole: f64| match anchor {
        a if a < 0.25 => whole - at,
        a if a > 0.75 => at,
        _ => 2.0 * at.min(whole - at),
    };
    Vec2::new(side(anchor.x, at.x, whole.x), side(anchor.y, at.y, whole.y))
}

/// What is laid in copies.
pub(super) trait Copied {
    /// The same, moved: copy `number`, perhaps turned half round about a point before that.
    fn copy(&self, number: u32, about: Option<Point>, by: Vec2) -> Self;
}

/// Things and all their copies, row by row away from the operator. `one` is the rectangle round
/// the first. Either there is one original, of which all are copies, or one for each copy.
pub(super) fn copied<T: Copied>(originals: Vec<Vec<T>>, one: Rect, run: &SheetCopies) -> Vec<T> {
    let mut all: Vec<T> = Vec::new();
    for n in 1..run.number {
        let by = run.offset(n);
        let turned = run.alternate && (n / run.columns) % 2 == 1;
        let about = turned.then(|| one.center());
        let original = originals.get(n as usize).or(originals.first());
        all.extend(original.into_iter().flatten().map(|thing| thing.copy(n, about, by)));
    }
    let mut first = originals.into_iter().next().unwrap_or_default();
    first.extend(all);
    first
}
