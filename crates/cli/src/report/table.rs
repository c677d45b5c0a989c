//! Plain tables without frames: columns that line up, numbers to the right.

use unicode_width::UnicodeWidthStr;

/// Lays rows out under a header; the columns listed in `numbers` are right-aligned.
pub(crate) fn table(header: &[&str], rows: Vec<Vec<String>>, numbers: &[usize]) -> String {
    let header = header.iter().map(|text| (*text).to_string()).collect();
    let rows: Vec<Vec<String>> = std::iter::once(header).chain(rows).collect();
    let columns = rows.iter().map(Vec::len).max().unwrap_or(0);
    let width = |n: usize| rows.iter().filter_map(|row| Some(row.get(n)?.width())).max();
    let widths: Vec<usize> = (0..columns).map(|n| width(n).unwrap_or(0).max(1)).collect();
    let line = |row: &Vec<String>| {
        let mut line = String::new();
        for (n, cell) in row.iter().enumerate() {
            let blank = " ".repeat(widths[n].saturating_sub(cell.width()));
            let (left, right) = if numbers.contains(&n) { (&*blank, "") } else { ("", &*blank) };
            line.push_str(&format!(" {left}{cell}{right} "));
        }
        line.trim_end().to_string()
    };
    rows.iter().map(line).collect::<Vec<_>>().join("\n")
}
