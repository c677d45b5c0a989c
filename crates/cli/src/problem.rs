//! One problem as people read it: its code, what is wrong, the line of the file, and what to do.

use anstyle::{AnsiColor, Style};
use std::ops::Range;
use textwrap::{Options, fill};
use tinkite_core::problem::{Problem, Severity};
use tinkite_files::hint;
use unicode_width::UnicodeWidthStr;

/// Lines are no longer than this.
const WIDTH: usize = 98;

/// Longest stretch of a file that is worth an excerpt, bytes.
const EXCERPT: usize = 400;

/// How far a tab of an excerpt reaches, columns.
const TAB: usize = 4;

/// The text of a problem; `source` is the text of the file that it names.
pub(crate) fn shown(problem: &Problem, source: Option<&str>, coloured: bool) -> String {
    // The terminal's own palette: legible on light and dark grounds alike.
    let (sign, colour) = match problem.severity {
        Severity::Error => ('×', AnsiColor::Red),
        Severity::Warning => ('⚠', AnsiColor::Yellow),
        Severity::Note => ('☞', AnsiColor::Cyan),
    };
    let paint = |text: &str, style: Style| match coloured {
        true => format!("{style}{text}{style:#}"),
        false => text.to_string(),
    };
    let loud = colour.on_default();
    let excerpt = source.zip(span(problem)).and_then(|(text, span)| Excerpt::of(text, span));
    let message = match (&problem.place, &excerpt) {
        // Without an excerpt the place goes in front of the words.
        (Some(place), None) => format!("{place}: {}", problem.message),
        _ => problem.message.clone(),
    };
    let mut text = paint(&problem.code.to_string(), loud);
    let first = format!("  {} ", paint(&sign.to_string(), loud));
    let next = format!("  {} ", paint("│", loud));
    text.push_str(&format!("\n{}", wrap(&message, &first, &next)));
    if let (Some(excerpt), Some(place)) = (&excerpt, &problem.place) {
        let number = excerpt.line.to_string();
        let margin = number.len().max(3);
        let mark = paint(&"^".repeat(excerpt.width), loud);
        let (file, line, blank) = (&place.file, &excerpt.text, " ".repeat(excerpt.before));
        text.push_str(&format!("\n{:margin$}╭ {file}:{number}:{}", "", excerpt.column));
        text.push_str(&format!("\n{number:>margin$}│ {line}\n{:margin$}│ {blank}{mark}", ""));
    }
    let help = hint::help(problem);
    if !help.is_empty() {
        let first = paint("  help: ", AnsiColor::Cyan.on_default());
        text.push_str(&format!("\n{}", wrap(&help, &first, "        ")));
    }
    text
}

/// Text in lines that begin with `first` and `next`.
fn wrap(text: &str, first: &str, next: &str) -> String {
    let options = Options::new(WIDTH).initial_indent(first).subsequent_indent(next);
    fill(text, options)
}

/// Where in the file a problem lies, when that is short enough to be shown.
fn span(problem: &Problem) -> Option<Range<usize>> {
    let span = problem.place.as_ref()?.span.clone()?;
    (span.len() <= EXCERPT).then_some(span)
}

/// The line in which a stretch of a text begins.
struct Excerpt {
    /// From 1.
    line: usize,
    /// The first sign of the stretch, from 1.
    column: usize,
    /// The line, its tabs as blanks.
    text: String,
    /// How many columns stand before the stretch, and how many it takes.
    before: usize,
    width: usize,
}

impl Excerpt {
    /// None where the stretch does not lie in the text.
    fn of(text: &str, span: Range<usize>) -> Option<Self> {
        let before = text.get(..span.start)?;
        let begin = before.rfind('\n').map_or(0, |at| at + 1);
        let whole = text[begin..].lines().next().unwrap_or("");
        let (left, rest) = whole.split_at_checked(span.start - begin)?;
        let marked = rest.get(..span.len().min(rest.len()))?;
        let blanks = |text: &str| text.replace('\t', &" ".repeat(TAB));
        Some(Self {
            line: before.matches('\n').count() + 1,
            column: left.chars().count() + 1,
            before: blanks(left).width(),
            width: blanks(marked).width().max(1),
            text: blanks(whole),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_core::problem::{Code, Location};

    fn problem(text: &str, span: Range<usize>) -> Problem {
        let place = Location::span("a.toml", text, span);
        Problem::error(Code::Quantity, "this has no unit", "write one").at(place)
    }

    #[test]
    fn the_stretch_is_marked_below_its_line() {
        let text = "a = 1\n\tb = \"ü\"\n";
        let told = shown(&problem(text, 11..15), Some(text), false);
        let lines: Vec<&str> = told.lines().collect();
        assert_eq!(lines[0], "quantity");
        assert_eq!(lines[1], "  × this has no unit");
        assert_eq!(lines[2], "   ╭ a.toml:2:6");
        assert_eq!(lines[3], "  2│     b = \"ü\"");
        assert_eq!(lines[4], "   │         ^^^");
        assert!(lines[5].starts_with("  help: "));
    }

    #[test]
    fn what_reaches_over_lines_or_beyond_the_text_does_no_harm() {
        for text in ["", "a", "a\n", "ü\nb", "\n\n\n"] {
            for start in 0..6 {
                for end in start..8 {
                    let told = shown(&problem(text, start..end), Some(text), true);
                    assert!(told.contains("this has no unit"));
                }
            }
        }
    }
}
