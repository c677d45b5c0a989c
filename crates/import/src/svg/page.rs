//! The page and where its units come from.

use super::MM_PER_PX;
use std::str::FromStr;
use svgtypes::{Align, AspectRatio};
use tinkite_artwork::Units;
use tinkite_base::geometry::Affine;
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_base::quantity::plain;
use usvg::roxmltree::Node;

/// What the outermost element says about size.
pub(super) struct Page {
    pub(super) units: Units,
    /// Whether the file gives the page a size at all.
    pub(super) has_size: bool,
}

/// Millimetres in each unit of length that SVG knows (SVG 1.1, section 7.10).
const UNITS: [(&str, f64); 6] = [
    ("mm", 1.0),
    ("cm", 10.0),
    ("in", 25.4),
    ("pt", 25.4 / 72.0),
    ("pc", 25.4 / 6.0),
    ("px", MM_PER_PX),
];

/// Reads width, height and view box and says what one drawing unit is; a pixel is doubtful.
pub(super) fn read(name: &str, root: &Node<'_, '_>, problems: &mut Problems) -> Page {
    let view = view_box(root);
    let side =
        |key: &str| root.attribute(key).map(str::trim).and_then(|text| Some((text, in_mm(text)?)));
    let (key, length, view_side) = match (side("width"), side("height")) {
        (Some(width), _) => ("width", Some(width), view.map(|v| v[2])),
        (None, Some(height)) => ("height", Some(height), view.map(|v| v[3])),
        (None, None) => ("width", None, None),
    };
    let Some((text, mm)) = length else {
        let source = match view {
            Some(_) => "no width or height; assuming 1 view box unit = 1/96 in".to_string(),
            None => "no width, height or view box; assuming 1 unit = 1/96 in".to_string(),
        };
        problems.push(pixel_doubt(name, "the page has no width or height in a real unit"));
        return Page {
            units: Units { source, mm_per_unit: MM_PER_PX, doubtful: true },
            has_size: view.is_some(),
        };
    };
    let real = UNITS[..5].iter().any(|(unit, _)| text.ends_with(unit));
    if !real {
        problems.push(pixel_doubt(name, &format!("the page's {key} is \"{text}\", in pixels")));
    }
    let (source, mm_per_unit) = match view_side {
        Some(units) if units > 0.0 => {
            (format!("{key} \"{text}\" over {} view box units", plain(units, 4)), mm / units)
        }
        _ if real => (format!("{key} \"{text}\", no view box: units of 1/96 in"), MM_PER_PX),
        _ => (format!("{key} \"{text}\": pixels of 1/96 in"), MM_PER_PX),
    };
    Page { units: Units { source, mm_per_unit, doubtful: !real }, has_size: true }
}

/// The view box of an element: left, top, width and height.
pub(super) fn view_box(node: &Node<'_, '_>) -> Option<[f64; 4]> {
    let text = node.attribute("viewBox")?;
    let numbers: Vec<f64> =
        text.split([' ', ',', '\n', '\t']).filter_map(|n| n.parse().ok()).collect();
    <[f64; 4]>::try_from(numbers).ok()
}

/// What carries the view box of the outermost element to its page of so many pixels (SVG 1.1, section 7.8).
pub(super) fn view(root: &Node<'_, '_>, (width, height): (f64, f64)) -> Option<Affine> {
    let [x, y, w, h] = view_box(root)?;
    let (across, away) = (width / w, height / h);
    let aspect = root.attribute("preserveAspectRatio").unwrap_or_default();
    let aspect = AspectRatio::from_str(aspect).unwrap_or_default();
    if aspect.align == Align::None {
        return Some(Affine::scale_non_uniform(across, away) * Affine::translate((-x, -y)));
    }
    let scale = if aspect.slice { across.max(away) } else { across.min(away) };
    let (left, right) = (width - w * scale, height - h * scale);
    let (ax, ay) = match aspect.align {
        Align::None | Align::XMinYMin => (0.0, 0.0),
        Align::XMidYMin => (0.5, 0.0),
        Align::XMaxYMin => (1.0, 0.0),
        Align::XMinYMid => (0.0, 0.5),
        Align::XMidYMid => (0.5, 0.5),
        Align::XMaxYMid => (1.0, 0.5),
        Align::XMinYMax => (0.0, 1.0),
        Align::XMidYMax => (0.5, 1.0),
        Align::XMaxYMax => (1.0, 1.0),
    };
    let at = Affine::translate((left * ax, right * ay));
    Some(at * Affine::scale(scale) * Affine::translate((-x, -y)))
}

/// Width and height of the page in pixels, where it says both.
pub(super) fn pixels(root: &Node<'_, '_>) -> Option<(f64, f64)> {
    let side = |key: &str| Some(in_mm(root.attribute(key)?.trim())? / MM_PER_PX);
    Some((side("width")?, side("height")?))
}

fn in_mm(text: &str) -> Option<f64> {
    let (number, factor) = UNITS
        .iter()
        .find_map(|(unit, factor)| text.strip_suffix(unit).map(|number| (number, *factor)))
        .unwrap_or((text, MM_PER_PX));
    number.trim().parse::<f64>().ok().map(|n| n * factor)
}

fn pixel_doubt(name: &str, what: &str) -> Problem {
    Problem::warning(
        Code::UnitDoubt,
        format!("{what}; a pixel is taken as 1/96 in, but some programs mean 1/72 or 1/90"),
        "check one known size; if it is off, set the page in mm in the drawing program, or say units (\"90/in\") or width in the job's [[artwork]]",
    )
    .at(Location::file(name))
}
