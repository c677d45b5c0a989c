//! PDF pages: the interpreter of a library says what is painted, and a device of ours takes down
//! the lines behind it.

mod device;
mod picture;
mod spots;

use crate::{Reading, rendered};
use device::{Exhausted, Tracer};
use hayro_interpret::font::FontQuery;
use hayro_interpret::hayro_syntax::object::{Array, Dict, Name, Object};
use hayro_interpret::hayro_syntax::page::Page;
use hayro_interpret::hayro_syntax::{LoadPdfError, Pdf};
use hayro_interpret::{Context, InterpreterCache, InterpreterSettings, interpret_page};
use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};
use tinkite_artwork::{Artwork, Format, Units};
use tinkite_base::geometry::Affine;
use tinkite_base::problem::{Code, Location, Problem, Problems, count, few};
use tinkite_base::quantity::plain;
use tinkite_base::shield::shield;

/// Millimetres in a point (PDF 1.7, section 8.3.2.3).
const MM_PER_POINT: f64 = 25.4 / 72.0;

/// Reads one page of a PDF.
///
/// # Errors
/// Broken or locked files, and pages that are not there.
pub(super) fn read(name: &str, bytes: &[u8], how: &Reading<'_>) -> Result<Artwork, Problems> {
    let refuse = |code, message: String, help: &str| {
        Problems::from(Problem::error(code, message, help).at(Location::file(name)))
    };
    shield(|| page(name, bytes, how)).unwrap_or_else(|fault| {
        Err(if fault.is::<Exhausted>() {
            refuse(
                Code::TooMuch,
                "the page draws more than a million things".into(),
                "simplify it in the drawing program, or export only the part to be burnt",
            )
        } else {
            refuse(Code::BrokenPdf, "the PDF cannot be read: it is damaged".into(), AGAIN)
        })
    })
}

const AGAIN: &str = "export it again from the drawing program";

fn page(name: &str, bytes: &[u8], how: &Reading<'_>) -> Result<Artwork, Problems> {
    let refuse = |code, message: String, help: &str| {
        Problems::from(Problem::error(code, message, help).at(Location::file(name)))
    };
    let pdf = Pdf::new(bytes.to_vec()).map_err(|error| match error {
        LoadPdfError::Decryption(_) => refuse(
            Code::LockedPdf,
            "the PDF is locked with a password".into(),
            "save a copy without the password",
        ),
        LoadPdfError::Invalid => {
            refuse(Code::BrokenPdf, "the PDF cannot be read: it is damaged".into(), AGAIN)
        }
    })?;
    let pages = pdf.pages();
    let Some(page) = (how.page as usize).checked_sub(1).and_then(|n| pages.get(n)) else {
        return Err(refuse(
            Code::NoPage,
            format!("there is no page {}: the PDF has {}", how.page, count(pages.len(), "page")),
            "name one that is there: page = 1",
        ));
    };
    let mut artwork = Artwork::empty(name, Format::Pdf);
    if pages.len() > 1 {
        let message = format!("page {} of {} is read", how.page, pages.len());
        let help = "page in the job's [[artwork]] names another";
        artwork.problems.push(Problem::note(Code::Pages, message, help).at(Location::file(name)));
    }
    if !ends_whole(bytes) {
        let message = "the PDF ends before its end mark: part of the drawing may be missing";
        let warning = Problem::warning(Code::CutShort, message, "save it again, and copy it whole");
        artwork.problems.push(warning.at(Location::file(name)));
    }
    let unit = user_unit(page);
    artwork.units = units(unit);
    let scale = artwork.units.mm_per_unit;
    let (width, height) = page.render_dimensions();
    artwork.page = Some((f64::from(width) * scale, f64::from(height) * scale));
    draw(&pdf, page, scale, how, &mut artwork);
    if let Some(render) = &how.render {
        rendered::apply(&mut artwork, render, |window| picture::draw(page, scale, window));
    }
    if let Some(hidden) = hidden_layers(&pdf) {
        artwork.problems.push(
            Problem::note(
                Code::Hidden,
                format!("left out: what lies on layers that are switched off: {hidden}"),
                "show them in the drawing program if they are meant to be burnt",
            )
            .at(Location::file(name)),
        );
    }
    Ok(artwork)
}

/// Whether a file has its end mark (PDF 1.7, section 7.5.5); some programs write a little behind it.
fn ends_whole(bytes: &[u8]) -> bool {
    let end = &bytes[bytes.len().saturating_sub(2048)..];
    end.windows(5).any(|mark| mark == b"%%EOF")
}

/// How many points the page's own unit has (PDF 1.7, table 30, `UserUnit`).
fn user_unit(page: &Page<'_>) -> f64 {
    let said = page.raw().get::<f32>(b"UserUnit".as_ref());
    said.map(f64::from).filter(|u| (1e-3..=1e4).contains(u)).unwrap_or(1.0)
}

fn units(user_unit: f64) -> Units {
    let source = if user_unit == 1.0 {
        "PDF points of 1/72 in".to_string()
    } else {
        format!("the page's unit is {} points of 1/72 in", plain(user_unit, 4))
    };
    Units { source, mm_per_unit: MM_PER_POINT * user_unit, doubtful: false }
}

fn draw(pdf: &Pdf, page: &Page<'_>, scale: f64, how: &Reading<'_>, artwork: &mut Artwork) {
    let missing: Arc<Mutex<BTreeSet<String>>> = Arc::default();
    let plain = InterpreterSettings::default();
    let settings = InterpreterSettings {
        font_resolver: {
            let (missing, resolve) = (missing.clone(), plain.font_resolver.clone());
            Arc::new(move |query| {
                if let FontQuery::Fallback(font) = query {
                    let name = font.post_script_name.clone().or(font.font_name.clone());
                    if let (Some(name), Ok(mut all)) = (name, missing.lock()) {
                        all.insert(name);
                    }
                }
                resolve(query)
            })
        },
        ..plain
    };
    // The library's transform puts the page's lower left corner at the origin, and we keep y up.
    let to_mm = Affine::scale(scale) * Affine::new(page.initial_transform(false).as_coeffs());
    let (width, height) = page.render_dimensions();
    let whole = kurbo::Rect::new(0.0, 0.0, f64::from(width) * scale, f64::from(height) * scale);
    let cache = InterpreterCache::new();
    let spots = spots::of(page, pdf, &cache, &settings);
    let mut context = Context::new(to_mm, whole, &cache, pdf.xref(), settings);
    let reads = (how.dashes, how.render.is_some());
    let mut tracer = Tracer::new(artwork, spots, reads);
    interpret_page(page, &mut context, &mut tracer);
    tracer.finish();
    let missing = missing.lock().map(|all| all.clone()).unwrap_or_default();
    if !missing.is_empty() {
        let names: Vec<String> = missing.into_iter().map(|name| format!("\"{name}\"")).collect();
        artwork.problems.push(
            Problem::warning(
                Code::MissingFont,
                format!(
                    "text in a font that the PDF does not hold, drawn in another: {}",
                    few(&names, 6)
                ),
                "embed the font, or turn the text into outlines in the drawing program",
            )
            .at(Location::file(&artwork.file))
            .naming(names),
        );
    }
}

/// Names of the layers (optional content) that are switched off.
fn hidden_layers(pdf: &Pdf) -> Option<String> {
    let xref = pdf.xref();
    let catalog = xref.get::<Dict<'_>>(xref.root_id())?;
    let config =
        catalog.get::<Dict<'_>>(b"OCProperties".as_ref())?.get::<Dict<'_>>(b"D".as_ref())?;
    let off = config.get::<Array<'_>>(b"OFF".as_ref())?;
    let names: Vec<String> = off
        .iter::<Dict<'_>>()
        .filter_map(|layer| layer_name(&layer))
        .map(|name| format!("\"{name}\""))
        .collect();
    (!names.is_empty()).then(|| few(&names, 6))
}

/// The name of an optional-content group.
fn layer_name(group: &Dict<'_>) -> Option<String> {
    match group.get::<Object<'_>>(b"Name".as_ref())? {
        Object::String(text) => Some(text_string(text.as_ref())),
        Object::Name(name) => Some(name_text(&name)),
        _ => None,
    }
}

fn name_text(name: &Name<'_>) -> String {
    String::from_utf8_lossy(name.as_ref()).into_owned()
}

/// A text string: UTF-16 behind a byte order mark, else near enough to Latin (PDF 1.7, section
/// 7.9.2.2).
fn text_string(bytes: &[u8]) -> String {
    match bytes {
        [0xfe, 0xff, rest @ ..] => {
            let units: Vec<u16> =
                rest.chunks_exact(2).map(|pair| u16::from_be_bytes([pair[0], pair[1]])).collect();
            String::from_utf16_lossy(&units)
        }
        [0xef, 0xbb, 0xbf, rest @ ..] => String::from_utf8_lossy(rest).into_owned(),
        _ => bytes.iter().map(|b| char::from(*b)).collect(),
    }
}

#[cfg(test)]
mod tests;
