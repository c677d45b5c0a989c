//! The book of recipes as a sheet to hang at the machine: a picture, and a page.

use super::frame::{chart, text};
use super::palette::{FAINT_INK, GRID, INK};
use std::fmt::Write as _;
use tinkite_base::geometry::Point;
use tinkite_base::quantity::plain;
use tinkite_job::recipe::{FoundRecipe, Kept, Recipe};

/// Width of the sheet; as wide to high as A4 upright while the lines fit.
const WIDTH: f64 = 1000.0;
const HEIGHT: f64 = 1414.0;
const MARGIN: f64 = 60.0;
const ROW: f64 = 26.0;
const TITLE: &str = "Settings by material";
const UNDER: &str =
    "There is no right value: stock, dirt on the optics and ageing sources differ. Try on scrap.";

/// Columns: heading, left edge, and how many letters fit.
const COLUMNS: [(&str, f64, usize); 6] = [
    ("what", 60.0, 12),
    ("speed", 175.0, 13),
    ("power", 290.0, 13),
    ("other settings", 405.0, 46),
    ("machine", 745.0, 15),
    ("worked", 880.0, 10),
];

/// The recipes as a sheet, by material and thickness.
#[must_use]
pub fn book_sheet(found: &[FoundRecipe<'_>]) -> String {
    let lines: f64 = groups(found).iter().map(|(_, all)| all.len() as f64 * ROW + 62.0).sum();
    let height = (150.0 + lines + MARGIN).max(HEIGHT);
    let mut out = chart((WIDTH, height), MARGIN, TITLE, UNDER);
    let mut y = 112.0;
    for (title, all) in groups(found) {
        let heading = format!(r#"font-size="17" font-weight="bold" fill="{INK}""#);
        text(&mut out, Point::new(MARGIN, y), &heading, &title);
        y += 20.0;
        for (heading, x, _) in COLUMNS {
            text(
                &mut out,
                Point::new(x, y),
                &format!(r#"font-size="11" fill="{FAINT_INK}""#),
                heading,
            );
        }
        for found in all {
            y += ROW;
            let _ = writeln!(
                out,
                r#"<path d="M{MARGIN} {:.1}H{:.1}" stroke="{GRID}"/>"#,
                y - 18.0,
                WIDTH - MARGIN
            );
            for ((_, x, letters), words) in COLUMNS.iter().zip(cells(&found)) {
                let words = shorten(&words, *letters);
                text(&mut out, Point::new(*x, y), &format!(r#"fill="{INK}""#), &words);
            }
        }
        y += 42.0;
    }
    out.push_str("</svg>\n");
    out
}

/// The recipes as a page of its own, for any browser and for paper.
#[must_use]
pub fn book_page(found: &[FoundRecipe<'_>]) -> String {
    let mut out = format!(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{TITLE}</title>\n<style>\n:root {{ color-scheme: light dark; }}\nbody {{ font: 15px/1.4 sans-serif; max-width: 60em; margin: 2em auto; padding: 0 1em; }}\ntable {{ border-collapse: collapse; width: 100%; margin-bottom: 1.5em; }}\nth, td {{ text-align: left; padding: .3em .6em .3em 0; border-bottom: 1px solid #8886; vertical-align: top; }}\nth {{ font-weight: normal; opacity: .7; }}\nh2 {{ margin-bottom: .2em; break-after: avoid; }}\ntr {{ break-inside: avoid; }}\n</style></head><body>\n<h1>{TITLE}</h1>\n<p>{UNDER}</p>\n"
    );
    for (title, all) in groups(found) {
        let _ = writeln!(out, "<h2>{}</h2>\n<table><tr>", escape(&title));
        for (heading, ..) in COLUMNS {
            let _ = write!(out, "<th>{heading}</th>");
        }
        out.push_str("<th>note</th></tr>\n");
        for found in all {
            out.push_str("<tr>");
            let note = found.recipe.note.clone().unwrap_or_default();
            for words in cells(&found).iter().chain([&note]) {
                let _ = write!(out, "<td>{}</td>", escape(words));
            }
            out.push_str("</tr>\n");
        }
        out.push_str("</table>\n");
    }
    out.push_str("</body></html>\n");
    out
}

/// Recipes of one material and thickness, in the order they come in.
fn groups<'f>(found: &[FoundRecipe<'f>]) -> Vec<(String, Vec<FoundRecipe<'f>>)> {
    let mut groups: Vec<(String, Vec<FoundRecipe<'f>>)> = Vec::new();
    for one in found {
        let Recipe { material, thickness, .. } = one.recipe;
        let title = match thickness {
            Some(mm) => format!("{material}, {} mm", plain(*mm, 3)),
            None => format!("{material}, any thickness"),
        };
        match groups.last_mut() {
            Some((last, all)) if last.eq_ignore_ascii_case(&title) => all.push(*one),
            _ => groups.push((title, vec![*one])),
        }
    }
    groups
}

fn cells(found: &FoundRecipe<'_>) -> [String; 6] {
    let recipe = found.recipe;
    let bare = |key: &str| recipe.setting(key).unwrap_or_default().replace('"', "");
    let other = |(key, value): &(String, String)| match key.as_str() {
        "speed" | "power" => None,
        _ => Some(format!("{key} {}", value.replace('"', ""))),
    };
    let machine = match (&recipe.machine, recipe.watts) {
        (Some(machine), _) => machine.clone(),
        (None, Some((least, most))) => format!("{} to {} W", plain(least, 1), plain(most, 1)),
        (None, None) => "any".into(),
    };
    let lens = recipe.lens.as_ref().map_or(String::new(), |lens| format!(", {lens}"));
    let worked = match (recipe.tried, recipe.guess, found.book.kept) {
        (0, _, Kept::Shipped) => "to start".into(),
        (0, true, _) => "a guess".into(),
        (0, ..) => String::new(),
        (tried, ..) => format!("{} of {tried}", recipe.good),
    };
    [
        recipe.word().into(),
        bare("speed"),
        bare("power"),
        recipe.settings.iter().filter_map(other).collect::<Vec<_>>().join(", "),
        format!("{machine}{lens}"),
        worked,
    ]
}

/// Words that fit their column; what is cut off is marked.
fn shorten(words: &str, letters: usize) -> String {
    match words.chars().count() > letters {
        true => words.chars().take(letters - 1).chain(['…']).collect(),
        false => words.into(),
    }
}

fn escape(words: &str) -> String {
    words.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
