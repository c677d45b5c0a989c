//! Copies of everything: rows and columns, or one for each row of a table, with words and serial numbers of their own.

use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, parse};
use tinkite_machine::section::Section;

/// How far apart copies lie.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Spacing {
    /// Between the extents of neighbours, mm.
    Gap(f64),
    /// From one to the next, across and away, mm.
    Pitch(f64, f64),
}

/// A table whose rows fill the words of the copies.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Each {
    /// Its file, as the job names it.
    pub file: String,
    /// The column that names shapes which a copy goes without.
    pub leave_out: Option<String>,
}

/// Serial numbers: `{number}` in the words of a shape.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Numbering {
    /// Of the first copy on the first sheet.
    pub first: u32,
    /// Shorter numbers are filled up with zeros to so many digits.
    pub digits: u8,
    /// Whether it goes on behind the greatest number that a finished run of this job has burnt.
    pub goes_on: bool,
}

impl Numbering {
    /// The number of a copy, counted from 0 over all sheets, as it is written.
    #[must_use]
    pub fn text_of_copy(self, copy: u32) -> String {
        format!(
            "{:0digits$}",
            u64::from(self.first) + u64::from(copy),
            digits = usize::from(self.digits)
        )
    }
}

/// Copies in rows and columns; the anchor is that of all of them together.
#[derive(Debug, Clone, PartialEq)]
pub struct Copies {
    /// Across; at least 1.
    pub columns: u32,
    /// Away from the operator; at least 1.
    pub rows: u32,
    /// How far apart.
    pub spacing: Spacing,
    /// Whether every other row is turned half round.
    pub alternate: bool,
    /// How many in all, as many rows and columns as fit, on as many sheets as it takes; where a table says it,
    /// the number of its rows.
    pub count: Option<u32>,
    /// A table with one row for each copy.
    pub each: Option<Each>,
    /// Serial numbers of the copies.
    pub number: Option<Numbering>,
    /// Which of those sheets is made, from 1.
    pub sheet: u32,
}

impl Default for Copies {
    fn default() -> Self {
        Self {
            columns: 1,
            rows: 1,
            spacing: Spacing::Gap(0.0),
            alternate: false,
            count: None,
            each: None,
            number: None,
            sheet: 1,
        }
    }
}

impl Copies {
    /// Whether there may be more than one.
    #[must_use]
    pub fn several(&self) -> bool {
        self.columns * self.rows > 1 || self.count.is_some() || self.each.is_some()
    }

    /// Whether each copy has words of its own.
    #[must_use]
    pub fn own_words(&self) -> bool {
        self.each.is_some() || self.number.is_some()
    }
}

/// More copies than this along one side are taken for a mistake in a number or its unit.
const MOST_COPIES: i64 = 500;

/// Reads `copies`. Parts that are packed take as many sheets as they need, even where nothing is repeated.
pub(super) fn copies(section: Section<'_, '_>, packed: bool) -> Copies {
    let many = |key| section.whole(key, 1..=MOST_COPIES).unwrap_or(1) as u32;
    let (columns, rows) = (many("columns"), many("rows"));
    let gap = section.quantity::<Length>("gap").map(|length| length.0);
    if gap.is_some_and(|gap| gap < 0.0) {
        let span = section.span_of("gap");
        section.out_of_range("gap", span, &section.written("gap"), "zero or more");
    }
    let pitch = section.point("pitch", parse::<Length>);
    let refuse = |code, message: &str, help: &str, key| {
        section.report(Problem::error(code, message, help), section.span_of(key));
    };
    if pitch.is_some_and(|p| p.x <= 0.0 || p.y <= 0.0) {
        let span = section.span_of("pitch");
        section.out_of_range("pitch", span, "a pitch", "above zero both ways");
    }
    if gap.is_some() && pitch.is_some() {
        refuse(Code::TwoSizes, "copies have both a gap and a pitch", "keep one of them", "pitch");
    }
    let alternate = section.choice("turn", &[("alternate-rows", ())]).is_some();
    let count = section.whole("count", 1..=MOST_COPIES * MOST_COPIES).map(|n| n as u32);
    if count.is_some() && (section.has("columns") || section.has("rows")) {
        let message = "copies have both a count and columns or rows";
        refuse(
            Code::TwoSizes,
            message,
            "keep count (as many as fit), or columns and rows",
            "count",
        );
    }
    let each = each(&section);
    if each.is_some() {
        for key in ["count", "columns", "rows"] {
            if section.has(key) {
                let message = format!("copies have both each and {key}");
                refuse(
                    Code::TwoSizes,
                    &message,
                    "keep each (one copy for each row of the table), or take it out",
                    key,
                );
            }
        }
    }
    let number = section.section("number").and_then(number);
    let sheet = section.whole("sheet", 1..=100_000).unwrap_or(1) as u32;
    let one_sheet = !packed && !section.has("count") && !section.has("each");
    if section.has("sheet") && one_sheet {
        refuse(
            Code::MissingKey,
            "sheet without count, each or pack: there is only one",
            "say count = 30, or take sheet out",
            "sheet",
        );
    }
    section.finish();
    let spacing = match pitch {
        Some(pitch) => Spacing::Pitch(pitch.x, pitch.y),
        None => Spacing::Gap(gap.unwrap_or(0.0)),
    };
    Copies { columns, rows, spacing, alternate, count, each, number, sheet }
}

/// Reads `each` and what belongs to it.
fn each(section: &Section<'_, '_>) -> Option<Each> {
    let leave_out = section.text("leave-out").map(str::to_string);
    let file = section.text("each");
    if leave_out.is_some() && file.is_none() {
        section.missing("each", "each = \"names.csv\", the table with that column");
    }
    if file.is_some_and(|file| file.trim().is_empty()) {
        let problem = Problem::error(Code::Table, "each names no file", "each = \"names.csv\"");
        section.report(problem, section.span_of("each"));
        return None;
    }
    Some(Each { file: file?.to_string(), leave_out })
}

/// Reads `number`.
fn number(section: Section<'_, '_>) -> Option<Numbering> {
    let first = section.whole("first", 0..=4_000_000_000).unwrap_or(1) as u32;
    let digits = section.whole("digits", 1..=12).unwrap_or(1) as u8;
    let goes_on = section.flag("go-on").unwrap_or(false);
    section.finish();
    Some(Numbering { first, digits, goes_on })
}
