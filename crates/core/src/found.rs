//! Registration marks in the text of a job: how many, where they were found, and writing that down.

use thiserror::Error;
use tinkite_base::geometry::Point;
use tinkite_base::quantity::{Length, parse, plain};
use tinkite_job::Zero;
use tinkite_layout::similarity;
use tinkite_machine::Pointing;
use toml_edit::{Array, DocumentMut, Item, TableLike, TomlError, Value};

/// Why a mark cannot be written.
#[derive(Debug, Error)]
pub enum MarkError {
    /// The text is no TOML.
    #[error("it is no TOML: {0}")]
    NoToml(#[from] TomlError),
    /// There are no marks.
    #[error(
        "the job has no marks: write [[place.mark]] with shape = \"its-id\" or drawn = [\"10 mm\", \"10 mm\"] for each, two at least"
    )]
    NoMarks,
    /// There is no such mark.
    #[error("there is no mark {asked}: the job has {marks}")]
    NoSuchMark {
        /// The one that was meant, from 1.
        asked: usize,
        /// How many there are.
        marks: usize,
    },
    /// What the marks count from is nothing that stays.
    #[error(
        "the job counts from the head, which moves to its marks: say zero = \"bed\" or \"stock\" in [place]"
    )]
    CountsFromHead,
}

/// A mark as the text of a job says it.
#[derive(Debug, Clone, PartialEq)]
pub struct Written {
    /// Its shape or its point, in words.
    pub drawn: String,
    /// Its point on the drawing, mm, where the job says one.
    pub at: Option<Point>,
    /// Where it was found before, mm on the machine's axes from the program's zero.
    pub found: Option<Point>,
}

/// The marks of a job, and what they count from. The job need not be fit to be run: places that were
/// never found are what is missing.
///
/// # Errors
/// No TOML, no marks, or marks that count from the head.
pub fn marks(text: &str) -> Result<(Zero, Vec<Written>), MarkError> {
    let document = text.parse::<DocumentMut>()?;
    let place = document.get("place");
    let zero = match place.and_then(|place| place.get("zero")).and_then(Item::as_str) {
        Some("stock") => Zero::Stock,
        Some("head") => return Err(MarkError::CountsFromHead),
        _ => Zero::Bed,
    };
    let marks: Vec<Written> = match place.and_then(|place| place.get("mark")) {
        Some(Item::ArrayOfTables(marks)) => marks.iter().map(|mark| mark_of(mark)).collect(),
        Some(Item::Value(Value::Array(marks))) => {
            // One that is no table would shift the numbers of the others.
            let all = marks.iter().map(|mark| mark.as_inline_table().map(|mark| mark_of(mark)));
            all.collect::<Option<Vec<_>>>().unwrap_or_default()
        }
        _ => Vec::new(),
    };
    if marks.is_empty() { Err(MarkError::NoMarks) } else { Ok((zero, marks)) }
}

fn mark_of(mark: &dyn TableLike) -> Written {
    let pair = |key| mark.get(key).and_then(Item::as_array).and_then(point);
    let drawn = match (mark.get("shape").and_then(Item::as_str), mark.get("drawn")) {
        (Some(id), _) => format!("the shape \"{id}\""),
        (None, Some(at)) => {
            // Without the comment that stands behind it.
            let value = at.as_value().map(|value| value.clone().decorated("", "").to_string());
            format!("the point {}", value.unwrap_or_default())
        }
        (None, None) => "nothing".into(),
    };
    Written { drawn, at: pair("drawn"), found: pair("found") }
}

fn point(pair: &Array) -> Option<Point> {
    let mm = |n| pair.get(n).and_then(Value::as_str).and_then(|text| parse::<Length>(text).ok());
    Some(Point::new(mm(0)?.0, mm(1)?.0))
}

/// Where a mark lies, mm on the machine's axes from the program's zero, as far as is known: where it was
/// found before, else where those that were found carry its point. One carries it along, two turn and
/// size it.
#[must_use]
pub fn guess(marks: &[Written], number: usize, pointing: Pointing) -> Option<Point> {
    let mark = marks.get(number)?;
    if mark.found.is_some() {
        return mark.found;
    }
    let at = mark.at?;
    let plane = |found: Point| pointing.to_plane(found.to_vec2()).to_point();
    let known: Vec<(Point, Point)> =
        marks.iter().filter_map(|mark| Some((mark.at?, plane(mark.found?)))).collect();
    let lies = match known[..] {
        [] => return None,
        [(drawn, found)] => found + (at - drawn),
        [(a, p), .., (b, q)] => similarity((a, b), (p, q))? * at,
    };
    Some(pointing.to_machine(lies.to_vec2()).to_point())
}

/// The text with the place where a mark was found, mm on the machine's axes from the program's zero;
/// all else stays as it is. `number` counts from 1.
///
/// # Errors
/// No TOML, no marks, or no such mark.
pub fn with_found(text: &str, number: usize, found: Point) -> Result<String, MarkError> {
    let mut document = text.parse::<DocumentMut>()?;
    let count = marks_of(&document);
    let written = document.get_mut("place").and_then(|place| place.get_mut("mark"));
    let index = number.checked_sub(1);
    let mark: Option<&mut dyn TableLike> = match written {
        Some(Item::ArrayOfTables(marks)) => {
            index.and_then(|n| marks.get_mut(n)).map(|mark| mark as &mut dyn TableLike)
        }
        Some(Item::Value(Value::Array(marks))) => index
            .and_then(|n| marks.get_mut(n))
            .and_then(Value::as_inline_table_mut)
            .map(|mark| mark as &mut dyn TableLike),
        _ => return Err(MarkError::NoMarks),
    };
    let mark = mark.ok_or(MarkError::NoSuchMark { asked: number, marks: count })?;
    let mm = |value: f64| format!("{} mm", plain((value * 1000.0).round() / 1000.0 + 0.0, 3));
    let mut value = Value::Array(Array::from_iter([mm(found.x), mm(found.y)]));
    if let Some(old) = mark.get("found").and_then(Item::as_value) {
        *value.decor_mut() = old.decor().clone();
    }
    match mark.get_mut("found") {
        Some(item) => *item = Item::Value(value),
        None => drop(mark.insert("found", Item::Value(value))),
    }
    Ok(document.to_string())
}

/// How many marks a job has.
fn marks_of(document: &DocumentMut) -> usize {
    match document.get("place").and_then(|place| place.get("mark")) {
        Some(Item::ArrayOfTables(marks)) => marks.len(),
        Some(Item::Value(Value::Array(marks))) => marks.len(),
        _ => 0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const JOB: &str = "# mine\n[place]\nzero = \"stock\"\n\n[[place.mark]] # left\nshape = \"a\"\nfound = [\"1 mm\", \"2 cm\"] # by eye\n\n[[place.mark]]\ndrawn = [\"10 mm\", \"0 mm\"] # by the hinge\n\n[[step]]\nname = \"x\"\n";

    #[test]
    fn marks_are_read_and_what_was_found_is_written_where_it_belongs() {
        let (zero, read) = marks(JOB).unwrap();
        assert_eq!(zero, Zero::Stock);
        let found = Some(Point::new(1.0, 20.0));
        assert_eq!(read[0], Written { drawn: "the shape \"a\"".into(), at: None, found });
        assert_eq!((read[1].at, read[1].found), (Some(Point::new(10.0, 0.0)), None));
        assert_eq!(read[1].drawn, "the point [\"10 mm\", \"0 mm\"]");
        let text = with_found(JOB, 1, Point::new(-0.0001, 12.34567)).unwrap();
        let text = with_found(&text, 2, Point::new(5.0, -6.25)).unwrap();
        let wanted = JOB.replace("[\"1 mm\", \"2 cm\"]", "[\"0 mm\", \"12.346 mm\"]").replace(
            "\"0 mm\"] # by the hinge\n\n[[step",
            "\"0 mm\"] # by the hinge\nfound = [\"5 mm\", \"-6.25 mm\"]\n\n[[step",
        );
        assert_eq!(text, wanted);
    }

    #[test]
    fn marks_on_one_line_are_marks_too() {
        let job = "place = { mark = [{ shape = \"a\", found = [\"1 mm\", \"2 mm\"] }, { shape = \"b\" }] }\n";
        assert_eq!(marks(job).unwrap().1.len(), 2);
        let text = with_found(job, 2, Point::new(3.0, 4.0)).unwrap();
        let text = with_found(&text, 1, Point::new(5.0, 6.0)).unwrap();
        let read = marks(&text).unwrap().1;
        let found: Vec<_> = read.iter().map(|mark| mark.found).collect();
        assert_eq!(found, [Some(Point::new(5.0, 6.0)), Some(Point::new(3.0, 4.0))], "{text}");
        assert!(matches!(with_found(job, 3, Point::ZERO), Err(MarkError::NoSuchMark { .. })));
    }

    #[test]
    fn marks_that_were_found_say_where_the_others_lie() {
        let mark = |at: (f64, f64), found: Option<(f64, f64)>| Written {
            drawn: String::new(),
            at: Some(at.into()),
            found: found.map(Point::from),
        };
        // X points to the left on this machine.
        let pointing = Pointing { x_reversed: true, ..Pointing::default() };
        let mut marks = vec![
            mark((10.0, 10.0), Some((-50.0, 20.0))),
            mark((110.0, 10.0), None),
            mark((10.0, 60.0), None),
        ];
        assert_eq!(guess(&marks, 0, pointing), Some(Point::new(-50.0, 20.0)));
        assert_eq!(guess(&marks, 1, pointing), Some(Point::new(-150.0, 20.0)));
        // The drawing lies turned a quarter to the left.
        marks[1].found = Some(Point::new(-50.0, 120.0));
        let third = guess(&marks, 2, pointing).unwrap();
        assert!((third - Point::new(0.0, 20.0)).hypot() < 1e-9, "{third:?}");
        marks[2].at = None;
        assert_eq!((guess(&marks, 2, pointing), guess(&marks, 3, pointing)), (None, None));
    }

    #[test]
    fn what_has_no_such_mark_is_refused() {
        let told = |text: &str, n| with_found(text, n, Point::ZERO).unwrap_err().to_string();
        assert!(
            told(JOB, 3).contains("no mark 3: the job has 2") && told(JOB, 0).contains("no mark 0")
        );
        assert!(
            told("[place]\n", 1).contains("[[place.mark]]") && told("[pla", 1).contains("TOML")
        );
        assert!(matches!(marks("[place]\nmark = 5\n"), Err(MarkError::NoMarks)));
        let head = JOB.replace("\"stock\"", "\"head\"");
        assert!(matches!(marks(&head), Err(MarkError::CountsFromHead)));
    }
}
