//! Plain tables without frames: columns that line up, numbers to the right.

use unicode_width::UnicodeWidthStr;

/// Lays rows out under a header; the columns listed in `numbers` are right-aligned.
pub fn table(header: &[&str], rows: Vec<Vec<String>>, numbers: &[usize]) -> String {
    let header = header.iter().map(|text| (*text).to_string()).collect();
    let rows: Vec<Vec<String>> = std::iter::once(header).chain(rows).collect();
    let columns = rows.iter().map(Vec::len).max().unwrap_or(0);
    let width = |n: usize| rows.iter().filter_map(|row| Some(width_of(row.get(n)?))).max();
    let widths: Vec<usize> = (0..columns).map(|n| width(n).unwrap_or(0).max(1)).collect();
    let line = |row: &Vec<String>| {
        let mut line = String::new();
        for (n, cell) in row.iter().enumerate() {
            let blank = " ".repeat(widths[n].saturating_sub(width_of(cell)));
            let (left, right) = if numbers.contains(&n) { (&*blank, "") } else { ("", &*blank) };
            line.push_str(&format!(" {left}{cell}{right} "));
        }
        line.trim_end().to_string()
    };
    rows.iter().map(line).collect::<Vec<_>>().join("\n")
}

/// How many columns a cell takes; what colours it takes none.
fn width_of(cell: &str) -> usize {
    let mut parts = cell.split("\x1b[");
    let plain = parts.next().unwrap_or("").width();
    let behind = |part: &str| part.split_once('m').map_or(0, |(_, rest)| rest.width());
    plain + parts.map(behind).sum::<usize>()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_line_up_whatever_colours_and_letters_stand_in_them() {
        let text = |text: &str| text.to_string();
        let rows =
            vec![vec![text("\x1b[31m\x1b[1mab\x1b[0m"), text("1")], vec![text("mm²"), text("100")]];
        assert_eq!(
            table(&["", "n"], rows, &[1]),
            "        n\n \x1b[31m\x1b[1mab\x1b[0m     1\n mm²  100"
        );
    }
}
