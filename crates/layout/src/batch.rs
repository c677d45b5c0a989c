//! Copies that differ: words and serial numbers of their own, and shapes that they go without.

use super::Unplaced;
use super::drawn::{self, InCopy};
use super::stock;
use rayon::prelude::*;
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;
use tinkite_artwork::Lettering;
use tinkite_base::geometry::{Rect, hull};
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy, count, few};
use tinkite_job::words::{Unfilled, fill_in};
use tinkite_job::{Job, MOST_ROWS, Table};

/// What makes the copies of a job differ; nothing where they are all alike.
#[derive(Clone, Copy)]
pub(super) struct Batch<'a> {
    job: &'a Job,
    table: Option<&'a Table>,
    /// The copy that has the first number, counted from 0 over all sheets.
    first: u32,
}

/// The shapes of one copy on the sheet, before they have a place.
#[derive(Clone)]
pub(super) struct Original {
    pub(super) pieces: Vec<Unplaced>,
    /// What it is called; `None` where all copies are alike.
    pub(super) label: Option<Arc<str>>,
}

impl<'a> Batch<'a> {
    /// # Errors
    /// More copies with words of their own than a table may have rows.
    pub(super) fn new(job: &'a Job, table: Option<&'a Table>) -> Result<Self, Problem> {
        let batch = Self { job, table, first: 0 };
        let all = batch.count().unwrap_or(1);
        if batch.differs() && all as usize > MOST_ROWS {
            let message =
                format!("{all} copies with numbers of their own are more than {MOST_ROWS}");
            return Err(Problem::error(Code::Table, message, "make them in several jobs"));
        }
        Ok(batch)
    }

    /// The copies of a sheet that begins with the copy `first`: numbers that go on begin with it, whichever sheet it is.
    pub(super) fn on_sheet_from(self, first: u32) -> Self {
        let number = self.job.placement.copies.number;
        Self { first: if number.is_some_and(|number| number.goes_on) { first } else { 0 }, ..self }
    }

    /// The first and the last number of the copies from one to another, which is not among them.
    pub(super) fn numbers(&self, (first, after): (u32, u32)) -> Option<(u32, u32)> {
        let number = self.job.placement.copies.number?;
        let of = |copy: u32| number.first.saturating_add(copy.saturating_sub(self.first));
        Some((of(first), of(after.saturating_sub(1))))
    }

    /// The serial number of a copy, as it is written.
    fn number_text(&self, copy: u32) -> Option<String> {
        let number = self.job.placement.copies.number?;
        Some(number.text_of_copy(copy.saturating_sub(self.first)))
    }

    /// How many copies the job asks for in all; `None` where rows and columns say it.
    pub(super) fn copies_wanted(&self) -> Option<u32> {
        self.table.map(Table::count).or(self.job.placement.copies.count)
    }

    /// How many copies there are that differ.
    fn count(&self) -> Option<u32> {
        let copies = &self.job.placement.copies;
        self.differs().then(|| self.copies_wanted().unwrap_or(copies.columns * copies.rows))
    }

    /// Whether copies have words or shapes of their own.
    pub(super) fn differs(&self) -> bool {
        self.job.placement.copies.own_words()
    }

    /// Draws the job's own shapes where all copies are alike; `pictures` is the rectangle round bitmaps and solids.
    ///
    /// # Errors
    /// Words that cannot be drawn, areas that cannot be made.
    pub(super) fn draw(
        &self,
        pieces: &mut Vec<Unplaced>,
        pictures: Option<Rect>,
        letters: &dyn Lettering,
        problems: &mut Problems,
    ) -> Result<(), Problems> {
        let drawing = around(pieces, pictures);
        let words = |text: &str| Ok(Some(text.to_string()));
        let copy = InCopy { drawing, goes: &|_| true, words: &words };
        drawn::draw(pieces, &copy, self.job, letters, problems)
    }

    /// What a copy is called, counted from 0 over all sheets.
    fn label(&self, copy: u32) -> Option<Arc<str>> {
        if self.table.is_some() {
            return Some(format!("row {}", copy + 1).into());
        }
        Some(format!("number {}", self.number_text(copy)?).into())
    }

    /// The copies from one to another, which is not among them: all that differ, counted over all sheets. The
    /// rectangle round what is drawn, bitmaps and solids among it, stays where shapes are measured from.
    ///
    /// # Errors
    /// Words that cannot be filled or drawn, areas that cannot be made, shapes to be left out that are not there.
    pub(super) fn originals(
        &self,
        (pieces, pictures): (&[Unplaced], Option<Rect>),
        (first, after): (u32, u32),
        letters: &dyn Lettering,
        problems: &mut Problems,
    ) -> Result<Vec<Original>, Problems> {
        let drawing = around(pieces, pictures);
        let all: Vec<u32> = (first..after).collect();
        let made: Vec<(Result<Original, Problems>, Problems)> = all
            .par_iter()
            .map(|copy| {
                let mut told = Problems::new();
                (self.original(pieces, drawing, *copy, letters, &mut told), told)
            })
            .collect();
        let mut originals = Vec::with_capacity(made.len());
        let mut told = Vec::with_capacity(made.len());
        for (original, doubts) in made {
            told.push(doubts);
            match original {
                Ok(original) => originals.push(original),
                Err(mut refusal) => {
                    let mut all = std::mem::take(problems);
                    told.into_iter().for_each(|doubts| all.extend(doubts));
                    all.extend(std::mem::take(&mut refusal));
                    return Err(all);
                }
            }
        }
        problems.extend(once(told));
        self.tell_empty(&all, problems);
        Ok(originals)
    }

    /// The rectangle round what every copy draws; where all are alike, round `pieces`.
    ///
    /// # Errors
    /// As for the originals.
    pub(super) fn bounds(
        &self,
        pieces: &[Unplaced],
        pictures: Option<Rect>,
        letters: &dyn Lettering,
        problems: &mut Problems,
    ) -> Result<Option<Rect>, Problems> {
        let drawn = |pieces: &[Unplaced]| {
            hull(pieces.par_iter().filter_map(Unplaced::drawn_bounds).collect::<Vec<_>>())
        };
        let Some(count) = self.count() else { return Ok(drawn(pieces)) };
        let mut all = None;
        // As many at a time as fit into memory, whatever the drawing holds.
        let step = (100_000 / pieces.len().max(1)).clamp(1, MOST_ROWS) as u32;
        for first in (0..count).step_by(step as usize) {
            let some = (first, count.min(first + step));
            // What is doubtful is told of the copies that are made.
            let mut ignored = Problems::new();
            let originals = self
                .originals((pieces, pictures), some, letters, &mut ignored)
                .map_err(|refusal| {
                    problems.extend(refusal);
                    std::mem::take(problems)
                })?;
            all = hull(all.into_iter().chain(originals.iter().filter_map(|o| drawn(&o.pieces))));
        }
        Ok(all)
    }

    fn original(
        &self,
        pieces: &[Unplaced],
        drawing: Rect,
        copy: u32,
        letters: &dyn Lettering,
        problems: &mut Problems,
    ) -> Result<Original, Problems> {
        let left_out = self.left_out(pieces, copy)?;
        let gone = |name: &str| left_out.contains(&name);
        let stays = |piece: &&Unplaced| !piece.shape.source.names().any(gone);
        let mut pieces: Vec<Unplaced> = pieces.iter().filter(stays).cloned().collect();
        let words = |text: &str| self.words(text, copy);
        let goes = |name: &str| !gone(name);
        let own = InCopy { drawing, goes: &goes, words: &words };
        drawn::draw(&mut pieces, &own, self.job, letters, problems)?;
        // The stock is no part of a copy.
        stock::separate(&mut pieces, self.job);
        Ok(Original { pieces, label: self.label(copy) })
    }

    /// The names of shapes that a copy goes without.
    fn left_out(&self, pieces: &[Unplaced], copy: u32) -> Result<Vec<&'a str>, Problem> {
        let each = self.job.placement.copies.each.as_ref();
        let (Some(table), Some(column)) = (self.table, each.and_then(|e| e.leave_out.as_ref()))
        else {
            return Ok(Vec::new());
        };
        let cell =
            table.cell(copy, column).ok_or_else(|| unknown_column(table, column, self.job))?;
        let names: Vec<&str> =
            cell.split([';', ',', ' ']).filter(|name| !name.is_empty()).collect();
        for name in &names {
            let drawn = || pieces.iter().flat_map(|piece| piece.shape.source.names());
            let own = || self.job.shapes.iter().map(|shape| shape.name.as_str());
            if !drawn().chain(own()).any(|known| known == *name) {
                let row = copy + 1;
                let message = format!(
                    "row {row} of {} leaves \"{name}\" out, and no shape has that id",
                    table.file
                );
                let help = "shapes of a drawing have ids, shapes of the job have names";
                let problem = Problem::error(Code::Table, message, help).at(table.place(copy));
                return Err(problem.with_remedy(Remedy::Look));
            }
        }
        Ok(names)
    }

    /// The words of a text in one copy; `None` where nothing is left of them.
    fn words(&self, text: &str, copy: u32) -> Result<Option<String>, Problem> {
        let called = |name: &str| {
            let number = || (name == "number").then(|| self.number_text(copy)).flatten();
            let number = number().map(Cow::from);
            number.or_else(|| self.table?.cell(copy, name).map(Into::into))
        };
        match fill_in(text, called) {
            Ok(words) => Ok(Some(words).filter(|words| !words.trim().is_empty())),
            Err(Unfilled::Open) => {
                let message = format!("the text \"{text}\" has a brace without its other one");
                let help = "{name} is filled from the table; {{ and }} are braces";
                Err(Problem::error(Code::Table, message, help).at(Location::file(&self.job.file)))
            }
            Err(Unfilled::Unknown(name)) => Err(match self.table {
                Some(table) => unknown_column(table, &name, self.job),
                None => {
                    let message =
                        format!("the text \"{text}\" asks for {{{name}}}, and there is no table");
                    let help = "copies = { each = \"names.csv\" } names one; {number} is the serial number";
                    Problem::error(Code::Table, message, help).at(Location::file(&self.job.file))
                }
            }),
        }
    }

    /// Tells of texts that are empty in some copies.
    fn tell_empty(&self, copies: &[u32], problems: &mut Problems) {
        let Some(table) = self.table else { return };
        for shape in &self.job.shapes {
            let tinkite_job::Outline::Text { text, .. } = &shape.outline else { continue };
            let empty = |copy: &&u32| matches!(self.words(text, **copy), Ok(None));
            let rows: Vec<String> =
                copies.iter().filter(empty).map(|copy| (copy + 1).to_string()).collect();
            if rows.is_empty() {
                continue;
            }
            let message = format!(
                "the text of \"{}\" is empty in {} of {}: {}",
                shape.name,
                count(rows.len(), "row"),
                table.file,
                few(&rows, 8)
            );
            let note = Problem::note(Code::Table, message, "");
            problems.push(note.at(Location::file(&self.job.file)).naming(rows));
        }
    }
}

/// The rectangle round what is drawn.
fn around(pieces: &[Unplaced], pictures: Option<Rect>) -> Rect {
    hull(pieces.iter().map(Unplaced::bounds).chain(pictures)).unwrap_or_default()
}

fn unknown_column(table: &Table, column: &str, job: &Job) -> Problem {
    let mut message = format!("{} has no column \"{column}\"", table.file);
    if column == "number" {
        message += ", and copies have no number = { first = 1 }";
    }
    let help = format!("its columns are {}", table.columns());
    Problem::error(Code::Table, message, help).at(Location::file(&job.file))
}

/// What was told of each copy, each thing once: what is said of the first copy stands for all; of what differs
/// from copy to copy the first is told, and how many more there are.
pub(super) fn once(told: Vec<Problems>) -> Problems {
    let mut told = told.into_iter();
    let mut all = told.next().unwrap_or_default();
    let mut others: BTreeMap<Code, (Problem, usize)> = BTreeMap::new();
    for problem in told.flatten() {
        if all.iter().any(|known| *known == problem) {
            continue;
        }
        let first = others.entry(problem.code).or_insert_with(|| (problem.clone(), 0));
        if first.0 != problem {
            first.1 += 1;
        }
    }
    for (mut problem, more) in others.into_values() {
        if more > 0 {
            problem.message += &format!(", and {} like it in other copies", count(more, "problem"));
        }
        all.push(problem);
    }
    all
}
