//! What people do at the machine before and after a run.

use crate::section::Section;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::Duration;

/// What is confirmed before a run, and waited for behind it.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Attendance {
    /// What somebody confirms before the beam may light: air, extraction, cooling, lid.
    pub checklist: Vec<String>,
    /// How long the extraction needs before the lid may be opened, s.
    pub clear_air: f64,
}

/// No extraction needs longer, s.
const LONGEST: f64 = 3600.0;
/// What can be asked on one line of a terminal.
const MOST_SIGNS: usize = 60;

/// Reads `[run]`.
pub(super) fn read(section: Section<'_, '_>) -> Attendance {
    let mut attendance = Attendance::default();
    if let Some(items) = section.list("checklist") {
        for item in items {
            match item.get_ref().as_str().map(str::trim) {
                Some(text)
                    if !text.is_empty()
                        && text.chars().count() <= MOST_SIGNS
                        && !text.chars().any(char::is_control) =>
                {
                    attendance.checklist.push(text.to_string());
                }
                _ => {
                    let message = format!(
                        "checklist in [run] is a list of things to confirm, each in quotes, of 1 to {MOST_SIGNS} signs"
                    );
                    let help = "write checklist = [\"air on\", \"extraction on\"]";
                    section.report(Problem::error(Code::WrongType, message, help), item.span());
                }
            }
        }
        if items.is_empty() {
            let message = "checklist in [run] is empty: there would be nothing to confirm";
            let help = "leave it out, or write checklist = [\"air on\", \"extraction on\"]";
            let span = section.span_of("checklist");
            section.report(Problem::error(Code::WrongType, message, help), span);
        }
    }
    if let Some(time) = section.quantity::<Duration>("clear-air") {
        if !(0.0..=LONGEST).contains(&time.0) {
            let span = section.span_of("clear-air");
            let written = section.written("clear-air");
            section.out_of_range("clear-air", span, &written, "0 s to 3600 s");
        }
        attendance.clear_air = time.0;
    }
    section.finish();
    attendance
}
