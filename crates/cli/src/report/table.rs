//! Plain tables without frames: columns that line up, numbers to the right.

use comfy_table::{Cell, CellAlignment, ContentArrangement, Table, presets};

/// Lays rows out under a header; the columns listed in `numbers` are right-aligned.
pub(crate) fn table(header: &[&str], rows: Vec<Vec<String>>, numbers: &[usize]) -> String {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    let cell = |n: usize, text: String| {
        let right = numbers.contains(&n);
        Cell::new(text).set_alignment(if right {
            CellAlignment::Right
        } else {
            CellAlignment::Left
        })
    };
    table.set_header(header.iter().enumerate().map(|(n, text)| cell(n, (*text).to_string())));
    for row in rows {
        table.add_row(row.into_iter().enumerate().map(|(n, text)| cell(n, text)));
    }
    let text = table.to_string();
    text.lines().map(str::trim_end).collect::<Vec<_>>().join("\n")
}
