//! Pictures: SVG text to a file of the kind that its name says.

use crate::args::Writing;
use crate::output::{Output, Written};
use crate::refusal::Refusal;
use resvg::{tiny_skia, usvg};
use std::io::Write;
use std::path::Path;
use std::sync::Arc;

/// Kinds of picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Kind {
    Svg,
    Png,
}

/// The kind that a file's ending says.
pub(crate) fn kind_of(path: &Path) -> Result<Kind, Refusal> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase());
    match ending.as_deref() {
        Some("svg") => Ok(Kind::Svg),
        Some("png") => Ok(Kind::Png),
        Some("gif" | "html") => Err(Refusal::Usage(format!(
            "{}: playback and job sheets are not built into this version; name a .png or .svg",
            path.display()
        ))),
        _ => Err(Refusal::Usage(format!("{}: name a .png or .svg", path.display()))),
    }
}

/// Writes a picture; `svg` is only made when the file may be written.
pub(crate) fn write(
    path: &Path,
    writing: Writing,
    svg: impl FnOnce() -> String,
) -> Result<Written, Refusal> {
    let kind = kind_of(path)?;
    let output = Output::create(path, writing)?;
    let svg = svg();
    match kind {
        Kind::Svg => output.write(|out| out.write_all(svg.as_bytes())),
        Kind::Png => {
            let png =
                rasterised(&svg).map_err(|e| Refusal::Usage(format!("{}: {e}", path.display())))?;
            output.write(|out| out.write_all(&png))
        }
    }
}

/// The picture as PNG. The font is our own, so that it looks the same everywhere.
fn rasterised(svg: &str) -> Result<Vec<u8>, String> {
    let options = usvg::Options {
        fontdb: Arc::new(crate::fonts::own()),
        font_family: "DejaVu Sans".into(),
        ..usvg::Options::default()
    };
    let tree = usvg::Tree::from_str(svg, &options).map_err(|e| e.to_string())?;
    let size = tree.size().to_int_size();
    let mut pixmap =
        tiny_skia::Pixmap::new(size.width(), size.height()).ok_or("the picture has no size")?;
    resvg::render(&tree, tiny_skia::Transform::default(), &mut pixmap.as_mut());
    pixmap.encode_png().map_err(|e| e.to_string())
}
