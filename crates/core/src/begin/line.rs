//! Lines of a job file that is begun: comments stand behind a line where there is room, else above it.

use tinkite_machine::section::quote;

/// Comments end at this column.
const COLUMNS: usize = 100;

/// A line, or a value of several, with a comment.
pub(super) fn commented(line: &str, comment: &str) -> String {
    if comment.is_empty() {
        return format!("{line}\n");
    }
    let last = line.lines().last().unwrap_or_default().chars().count();
    let comment = one_line(comment);
    if last + 5 + comment.chars().count() <= COLUMNS {
        return format!("{line}   # {comment}\n");
    }
    format!("{}{line}\n", remark(&comment))
}

/// A key with text, and a comment.
pub(super) fn text_key(key: &str, value: &str, comment: &str) -> String {
    commented(&format!("{key:<5} = {}", quote(value)), comment)
}

/// A comment on lines of its own.
pub(super) fn remark(comment: &str) -> String {
    let mut out = String::new();
    let mut column = COLUMNS;
    for word in comment.split_whitespace() {
        let width = word.chars().count();
        if column + 1 + width > COLUMNS {
            out += if out.is_empty() { "#" } else { "\n#" };
            column = 1;
        }
        out.push(' ');
        out += word;
        column += 1 + width;
    }
    out + "\n"
}

/// Text that can stand in a comment.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn comments_end_where_a_line_should() {
        assert_eq!(commented("a = 1", "why"), "a = 1   # why\n");
        assert_eq!(commented("a = 1", ""), "a = 1\n");
        let long = "word ".repeat(40);
        let text = commented("a = 1", &long);
        assert!(text.lines().all(|line| line.chars().count() <= COLUMNS), "{text}");
        assert!(text.ends_with("word\na = 1\n") && text.matches("word").count() == 40, "{text}");
        // One word that is longer than a line is not cut.
        let word = "x".repeat(150);
        assert_eq!(remark(&word), format!("# {word}\n"));
        // What ends a line ends no comment.
        assert_eq!(commented("a = 1", "b\nc = 2"), "a = 1   # b c = 2\n");
    }
}
