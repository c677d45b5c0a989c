//! The table that `copies = { each = … }` names: comma-separated values, a line of column names first.

use tinkite_base::problem::{Code, Location, Problem, count, few};

/// More rows than this are taken for the wrong file.
pub const MOST_ROWS: usize = 5_000;

/// A table of words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// Its file.
    pub file: String,
    columns: Vec<String>,
    rows: Vec<Vec<String>>,
    /// In which line of the file each row begins.
    lines: Vec<u32>,
}

impl Table {
    /// Reads a table. Columns are parted by commas, semicolons or tabs, whichever the first line has most of
    /// (RFC 4180 otherwise).
    ///
    /// # Errors
    /// No UTF-8, no rows or too many, rows of another width, columns without a name or with the same, line breaks in a
    /// cell.
    pub fn read(file: &str, bytes: &[u8]) -> Result<Self, Problem> {
        let wrong = |line: u32, message: String, help: &str| {
            Problem::error(Code::Table, message, help).at(Location::line(file, line))
        };
        let text = std::str::from_utf8(bytes).map_err(|error| {
            let good = bytes[..error.valid_up_to()].iter().filter(|b| **b == b'\n').count();
            let message = format!("{file} is not UTF-8 text");
            wrong(good as u32 + 1, message, "save it from the spreadsheet as CSV in UTF-8")
        })?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let first = text.lines().next().unwrap_or_default();
        let many = |c: char| first.matches(c).count();
        let parted = [',', ';', '\t'].into_iter().rev().max_by_key(|c| many(*c)).unwrap_or(',');
        let mut reader = csv::ReaderBuilder::new()
            .delimiter(parted as u8)
            .trim(csv::Trim::All)
            .flexible(true)
            .from_reader(text.as_bytes());
        let broken = |error: csv::Error| {
            let line = error.position().map_or(1, |position| position.line() as u32);
            wrong(line, format!("{file}: {error}"), "save it again as CSV")
        };
        let columns: Vec<String> =
            reader.headers().map_err(broken)?.iter().map(str::to_string).collect();
        let named = |column: &&String| column.is_empty() || column.contains(['{', '}']);
        if let Some(at) = columns.iter().position(|column| named(&column)) {
            let message = format!("column {} of {file} has no usable name", at + 1);
            let help = "the first line names the columns, without braces: name, number";
            return Err(wrong(1, message, help));
        }
        if let Some(twice) = columns.iter().enumerate().find(|(n, c)| columns[..*n].contains(c)) {
            let message = format!("{file} has two columns called \"{}\"", twice.1);
            return Err(wrong(1, message, "give each its own name"));
        }
        let (mut rows, mut lines): (Vec<Vec<String>>, Vec<u32>) = (Vec::new(), Vec::new());
        let (mut counted, mut line) = (0, 1);
        for record in reader.records() {
            let record = record.map_err(broken)?;
            // Where it begins, behind the line ends that are still counted to the row before.
            let begins = record.position().map_or(0, |position| position.byte() as usize);
            let ahead = text.get(begins..).unwrap_or_default();
            let begins = text.len() - ahead.trim_start_matches(['\r', '\n']).len();
            line += text.get(counted..begins).unwrap_or_default().matches('\n').count() as u32;
            counted = begins;
            let row = rows.len() + 1;
            if row > MOST_ROWS {
                let message = format!("{file} has more than {MOST_ROWS} rows");
                return Err(wrong(line, message, "part it into several tables"));
            }
            if record.len() != columns.len() {
                let (has, all) = (count(record.len(), "cell"), count(columns.len(), "column"));
                let message = format!("row {row} of {file} has {has} for {all}");
                let help = "fill the row up; a cell that holds the separator stands in \"quotes\"";
                return Err(wrong(line, message, help));
            }
            if record.iter().all(str::is_empty) {
                let message = format!("row {row} of {file} is empty");
                return Err(wrong(line, message, "delete it, or it would be a blank part"));
            }
            if let Some(at) = record.iter().position(|cell| cell.contains(char::is_control)) {
                let message = format!(
                    "row {row} of {file}: \"{}\" holds a line break or another control character",
                    columns[at]
                );
                return Err(wrong(line, message, "one cell is one line of words"));
            }
            rows.push(record.iter().map(str::to_string).collect());
            lines.push(line);
        }
        if rows.is_empty() {
            let message = format!("{file} has no rows");
            let help = "write the columns' names into its first line, and a line for each copy";
            return Err(wrong(1, message, help));
        }
        Ok(Self { file: file.to_string(), columns, rows, lines })
    }

    /// How many rows it has below the columns' names; at least one.
    #[must_use]
    pub fn count(&self) -> u32 {
        self.rows.len() as u32
    }

    /// What stands in a row, counted from 0.
    #[must_use]
    pub fn cell(&self, row: u32, column: &str) -> Option<&str> {
        let at = self.columns.iter().position(|name| name == column)?;
        self.rows.get(row as usize).map(|cells| cells[at].as_str())
    }

    /// Where a row stands, counted from 0.
    #[must_use]
    pub fn place(&self, row: u32) -> Location {
        Location::line(&self.file, self.lines.get(row as usize).copied().unwrap_or(1))
    }

    /// What the columns are called, for messages.
    #[must_use]
    pub fn columns(&self) -> String {
        let names: Vec<String> = self.columns.iter().map(|name| format!("\"{name}\"")).collect();
        few(&names, 12)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn commas_semicolons_and_tabs_part_columns_and_quotes_hold_them() {
        for text in [
            "name,say\nAda,\"a, b\"\n",
            "\u{feff}name;say\r\nAda;\"a, b\"\r\n",
            "name\tsay\nAda\ta, b",
        ] {
            let table = Table::read("t.csv", text.as_bytes()).unwrap();
            assert_eq!((table.count(), table.cell(0, "say")), (1, Some("a, b")), "{text}");
            assert_eq!(table.place(0).line, Some(2));
        }
    }

    #[test]
    fn what_is_no_table_is_refused_with_its_line() {
        for (bytes, line, says) in [
            (&b"name\n\xff\n"[..], 2, "UTF-8"),
            (b"", 1, "no"),
            (b"name,\nAda,1\n", 1, "column 2"),
            (b"a,a\n1,2\n", 1, "two columns"),
            (b"name\n", 1, "no rows"),
            (b"a,b\n1,2\n1\n", 3, "row 2"),
            (b"a,b\n,\n", 2, "empty"),
            (b"a,b\n1,\"x\ny\"\n", 2, "line break"),
        ] {
            let problem = Table::read("t.csv", bytes).unwrap_err();
            assert!(problem.message.contains(says), "{}", problem.message);
            assert_eq!(problem.place.unwrap().line, Some(line), "{}", problem.message);
        }
    }
}
