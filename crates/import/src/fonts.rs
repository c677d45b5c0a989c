//! Live text into outlines, with the fonts that whoever calls supplies.

use crate::{resolved, strokes};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};
use tinkite_artwork::{Lettering, NoOutlines, SINGLE_LINE};
use tinkite_base::geometry::{Affine, BezPath};
use tinkite_base::problem::{Code, Location, Problem, Problems, few};
use usvg::fontdb::{Database, ID};
use usvg::{FontFamily, FontResolver};

/// Whoever has fonts. The core opens no files; the door does.
pub trait FontSupply: Sync {
    /// All fonts that text may be drawn with; asked for only when a file holds text.
    fn fonts(&self) -> Arc<Database>;

    /// Text is drawn with one of them.
    fn took(&self, _: ID) {}
}

/// No fonts at all: live text stays unread.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoFonts;

impl FontSupply for NoFonts {
    fn fonts(&self) -> Arc<Database> {
        Arc::default()
    }
}

/// What of fonts was asked for and is not there.
#[derive(Debug, Default)]
pub(super) struct Missing {
    /// Families, with what was taken instead.
    families: Mutex<BTreeMap<String, String>>,
    /// Letters that no font has.
    letters: Mutex<BTreeSet<char>>,
}

impl Missing {
    /// A resolver that writes down what it could not find.
    pub(super) fn resolver<'a>(&'a self, fonts: &'a dyn FontSupply) -> FontResolver<'a> {
        let select = FontResolver::default_font_selector();
        let fall_back = FontResolver::default_fallback_selector();
        FontResolver {
            select_font: Box::new(move |font, database| {
                let found = select(font, database);
                self.note(font.families(), found, database);
                found.into_iter().for_each(|id| fonts.took(id));
                found
            }),
            select_fallback: Box::new(move |c, used, database| {
                let found = fall_back(c, used, database);
                if found.is_none()
                    && shows(c)
                    && let Ok(mut letters) = self.letters.lock()
                {
                    letters.insert(c);
                }
                found.into_iter().for_each(|id| fonts.took(id));
                found
            }),
        }
    }

    fn note(&self, asked: &[FontFamily], found: Option<ID>, database: &Database) {
        // Families are listed by preference; the first is the one that was drawn with.
        let Some(FontFamily::Named(first)) = asked.first() else { return };
        let has = database
            .faces()
            .any(|face| face.families.iter().any(|(name, _)| name.eq_ignore_ascii_case(first)));
        if has {
            return;
        }
        let face = found.and_then(|id| database.face(id));
        let taken = face.and_then(|face| face.families.first()).map(|(name, _)| name.clone());
        if let (Ok(mut all), Some(taken)) = (self.families.lock(), taken) {
            all.insert(first.clone(), taken);
        }
    }

    /// Letters that no font has.
    pub(super) fn letters(&self) -> BTreeSet<char> {
        self.letters.lock().map(|letters| letters.clone()).unwrap_or_default()
    }

    /// One warning for all of them.
    pub(super) fn report(self, file: &str, problems: &mut Problems) {
        let letters = self.letters();
        if !letters.is_empty() {
            let names: Vec<String> = letters.iter().map(|c| format!("\"{c}\"")).collect();
            let message = format!("letters that no font on this machine has: {}", few(&names, 12));
            let help = "install a font that has them, or turn the text into outlines in the drawing program";
            let warning = Problem::warning(Code::MissingFont, message, help);
            problems.push(warning.at(Location::file(file)).naming(names));
        }
        let all = self.families.into_inner().unwrap_or_default();
        if all.is_empty() {
            return;
        }
        let names: Vec<String> =
            all.iter().map(|(asked, taken)| format!("\"{asked}\" ({taken} instead)")).collect();
        problems.push(
            Problem::warning(
                Code::MissingFont,
                format!("text in a font that is not on this machine: {}", few(&names, 6)),
                "install the font, or turn the text into outlines in the drawing program",
            )
            .at(Location::file(file))
            .naming(names),
        );
    }
}

/// Whether a sign has something to show: others direct what stands beside them.
fn shows(c: char) -> bool {
    !(c.is_control()
        || c.is_whitespace()
        || matches!(c, '\u{ad}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}'
            | '\u{fe00}'..='\u{fe0f}' | '\u{feff}'))
}

/// Fonts as somebody who draws text with them.
#[derive(Clone, Copy)]
pub struct Letters<'a>(pub &'a dyn FontSupply);

impl Lettering for Letters<'_> {
    fn outlines(
        &self,
        text: &str,
        family: Option<&str>,
        height: f64,
    ) -> Result<(BezPath, Option<String>), NoOutlines> {
        match family {
            Some(SINGLE_LINE) => Ok((strokes::write(text, height)?, None)),
            family => outlines(text, family, height, self.0),
        }
    }
}

/// The outlines of one line of text whose baseline starts at the origin, y up, with capitals of
/// `height` mm, and what font was missing.
///
/// # Errors
/// No font at all, or nothing visible in the text.
pub(crate) fn outlines(
    text: &str,
    family: Option<&str>,
    height: f64,
    fonts: &dyn FontSupply,
) -> Result<(BezPath, Option<String>), NoOutlines> {
    use kurbo::Shape as _;
    let missing = Missing::default();
    let supply = fonts;
    let fonts = fonts.fonts();
    let family = family.unwrap_or("sans-serif");
    // How high a capital is, as it is drawn: the tables of fonts often do not say.
    let capitals = draw("H", family, (&fonts, supply), &missing)?.bounding_box().height();
    let path = draw(text, family, (&fonts, supply), &missing)?;
    let scale = height / capitals.max(1e-3);
    if !missing.letters().is_empty() {
        return Err(NoOutlines::Letters(missing.letters()));
    }
    let lost = missing.families.into_inner().unwrap_or_default();
    let lost =
        lost.into_iter().next().map(|(asked, taken)| format!("\"{asked}\" ({taken} instead)"));
    Ok((Affine::scale_non_uniform(scale, -scale) * path, lost))
}

/// How far a text leads to the next sign, blanks at its end counted, with capitals of `height` mm.
///
/// # Errors
/// No font at all.
pub(crate) fn advance(text: &str, height: f64, fonts: &dyn FontSupply) -> Result<f64, NoOutlines> {
    use kurbo::Shape as _;
    if text.is_empty() {
        return Ok(0.0);
    }
    // What stands behind it shows where it ends.
    let end = |text: &str| -> Result<f64, NoOutlines> {
        Ok(outlines(text, None, height, fonts)?.0.bounding_box().x1)
    };
    Ok(end(&format!("{text}H"))? - end("H")?)
}

/// Text as the library draws it, y down.
fn draw(
    text: &str,
    family: &str,
    (fonts, supply): (&Arc<Database>, &dyn FontSupply),
    missing: &Missing,
) -> Result<BezPath, NoOutlines> {
    /// Drawn at this size and scaled: 32-bit coordinates are finest near it.
    const SIZE: f64 = 100.0;
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"><text xml:space="preserve" font-family="{}" font-size="{SIZE}">{}</text></svg>"#,
        escape(family),
        escape(text)
    );
    let options = usvg::Options {
        fontdb: fonts.clone(),
        font_resolver: missing.resolver(supply),
        ..usvg::Options::default()
    };
    let tree = usvg::Tree::from_str(&svg, &options).map_err(|_| NoOutlines::Nothing)?;
    let mut path = BezPath::new();
    gather(tree.root(), &mut path);
    match path.elements().is_empty() {
        true if fonts.is_empty() => Err(NoOutlines::NoFont),
        true => Err(NoOutlines::Nothing),
        false => Ok(path),
    }
}

/// Text as it stands in XML.
fn escape(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars().filter(|c| !c.is_control()) {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '"' => out.push_str("&quot;"),
            c => out.push(c),
        }
    }
    out
}

fn gather(group: &usvg::Group, out: &mut BezPath) {
    for child in group.children() {
        match child {
            usvg::Node::Group(inner) => gather(inner, out),
            usvg::Node::Text(text) => gather(text.flattened(), out),
            usvg::Node::Path(path) => {
                let to_page = resolved::affine(path.abs_transform());
                out.extend(resolved::curves(path.data(), to_page));
            }
            usvg::Node::Image(_) => {}
        }
    }
}
