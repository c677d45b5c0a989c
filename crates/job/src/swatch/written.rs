//! The text of a job with `[swatch]`, with comments, to be read and changed.

use crate::make::Make;
use std::fmt::Write as _;
use tinkite_machine::section::quote;

/// What somebody wants to try.
#[derive(Debug, Clone, PartialEq)]
pub struct NewSwatch {
    /// `grid`, `greys`, `focus`, `offset` or `kerf`.
    pub kind: &'static str,
    /// What the squares are.
    pub make: Make,
    /// The machine, as jobs call it.
    pub machine: String,
    /// The stock.
    pub material: String,
    /// How thick it is, mm.
    pub thickness: Option<f64>,
    /// When, as people write it.
    pub date: Option<String>,
    /// What is varied: a key, its first and last value and how many.
    pub varied: Vec<(String, String, String, usize)>,
    /// What stays: keys and values as TOML.
    pub settings: Vec<(String, String)>,
    /// How its best square is kept, in one line.
    pub keep: String,
    /// How letters and marks are burnt: speed and power.
    pub label: (String, String),
}

/// Writes the job.
#[must_use]
pub fn swatch_text(new: &NewSwatch) -> String {
    let mut out = format!(
        "# A test sheet. Burn it on scrap of the stock that it is for, then keep its best square:\n# {}\n\n",
        new.keep
    );
    let _ = write!(
        out,
        "tinkite  = 1\nname     = \"Swatch\"\nmachine  = {}\nmaterial = {}\n",
        quote(&new.machine),
        quote(&new.material)
    );
    if let Some(mm) = new.thickness {
        let _ = write!(
            out,
            "\n[stock]\n# width and depth of the scrap as well, and the sheet is held against them\nthickness = \"{} mm\"\n",
            tinkite_base::quantity::plain(mm, 3)
        );
    }
    let _ = write!(out, "\n[swatch]\nkind    = \"{}\"\n", new.kind);
    if new.kind != "kerf" {
        let _ = writeln!(out, "make    = \"{}\"", new.make.name());
    }
    for (key, value) in &new.settings {
        let _ = writeln!(out, "{key:<7} = {value}");
    }
    for ((key, first, last, count), way) in new.varied.iter().zip(["across", "down"]) {
        let even = if way == "down" { "   # even = \"ratio\" for steps by ratio" } else { "" };
        let _ = match first == last {
            true => writeln!(out, "{way:<7} = {{ {key} = [{}] }}", quote(first)),
            false => writeln!(
                out,
                "{way:<7} = {{ {key} = [{}, {}], count = {count} }}{even}",
                quote(first),
                quote(last)
            ),
        };
    }
    if new.kind == "kerf" {
        out.push_str("parts   = 10                 # side by side; the more, the surer the kerf\npart    = \"10 mm\"            # how wide each is drawn\n");
    } else {
        out.push_str("cell    = \"8 mm\"\ngap     = \"2 mm\"\nscatter = true               # neighbours are not burnt in turn: heat does not add up\n");
    }
    if let Some(date) = &new.date {
        let _ = writeln!(out, "date    = {}", quote(date));
    }
    let _ = writeln!(
        out,
        "label   = {{ speed = {}, power = {} }}   # letters and marks: dark enough to be read",
        quote(&new.label.0),
        quote(&new.label.1)
    );
    out
}
