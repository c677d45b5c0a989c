//! `window`: the part of a drawing that takes part.

use tinkite_base::geometry::Rect;
use tinkite_base::quantity::{Length, Power, parse, plain};
use tinkite_machine::section::Section;

/// How far a place lies from an edge of the page.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Along {
    /// In mm at the drawing's true size.
    Mm(f64),
    /// As a share of the page, 0 to 1.
    Share(f64),
}

impl Along {
    /// In mm as the file was read; `unit` is how many mm one of those comes to.
    fn mm(self, side: Option<f64>, unit: f64) -> Option<f64> {
        match self {
            Self::Mm(mm) => Some(mm / unit),
            Self::Share(share) => side.map(|side| side * share),
        }
    }
}

/// A rectangle of the page, from its lower left corner: left and lower edge, right and upper edge.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Window {
    from: (Along, Along),
    to: (Along, Along),
}

impl Window {
    /// The rectangle, in mm as the file was read; `None` where a share is asked of a page that is not there. `unit`
    /// is what one of those mm comes to, across and away, by what the job says of the drawing's units.
    #[must_use]
    pub fn rect(&self, page: Option<(f64, f64)>, unit: (f64, f64)) -> Option<Rect> {
        let (width, height) = (page.map(|page| page.0), page.map(|page| page.1));
        Some(Rect::new(
            self.from.0.mm(width, unit.0)?,
            self.from.1.mm(height, unit.1)?,
            self.to.0.mm(width, unit.0)?,
            self.to.1.mm(height, unit.1)?,
        ))
    }
}

/// Reads `window = { from = ["10 %", "5 mm"], to = ["90 %", "45 mm"] }`.
pub(super) fn read(section: &Section<'_, '_>) -> Option<Window> {
    let inner = section.section("window")?;
    let (from, to) = (corner(&inner, "from"), corner(&inner, "to"));
    for key in ["from", "to"] {
        if !inner.has(key) {
            let example = "from = [\"10 %\", \"10 %\"], to = [\"90 %\", \"90 %\"], corners of the page's part";
            inner.missing(key, example);
        }
    }
    let (from, to) = (from?, to?);
    for (side, a, b) in [("across", from.0, to.0), ("away", from.1, to.1)] {
        // Lengths and shares cannot be compared before the page is known.
        let empty = match (a, b) {
            (Along::Mm(a), Along::Mm(b)) | (Along::Share(a), Along::Share(b)) => {
                (a >= b).then_some((a, b))
            }
            _ => None,
        };
        if let Some((a, b)) = empty {
            let message = format!(
                "window has no extent {side}: it begins at {} and ends at {}",
                plain(a, 3),
                plain(b, 3)
            );
            let help = "from is its lower left corner, to its upper right one";
            inner.contradicts("to", &message, help);
            return None;
        }
    }
    inner.finish();
    Some(Window { from, to })
}

/// Reads a corner: two lengths or shares, across and away.
fn corner(section: &Section<'_, '_>, key: &'static str) -> Option<(Along, Along)> {
    let [x, y] = section.list(key)? else {
        let help = "write from = [\"10 %\", \"10 %\"]";
        let message = format!("{key} in window takes two places, across and away");
        section.contradicts(key, &message, help);
        return None;
    };
    let one = |item: &toml::Spanned<toml::de::DeValue<'_>>| {
        let percent = item.get_ref().as_str().is_some_and(|text| text.trim_end().ends_with('%'));
        if !percent {
            return section.read_quantity(key, item, parse::<Length>).map(|l| Along::Mm(l.0));
        }
        let share = section.read_quantity(key, item, parse::<Power>)?.0;
        if !(0.0..=1.0).contains(&share) {
            section.out_of_range(
                key,
                item.span(),
                &section.text_at(item.span()),
                "from 0 % to 100 %",
            );
            return None;
        }
        Some(Along::Share(share))
    };
    Some((one(x)?, one(y)?))
}
