//! A part of a page as pixels: the page becomes an SVG text, which the renderer of SVG draws.

use crate::rendered::{Window, pixels};
use hayro_interpret::InterpreterSettings;
use hayro_interpret::hayro_syntax::page::Page;
use hayro_svg::{RenderCache, SvgRenderSettings, convert};

/// A window of a page in pixels, over white; `scale` is mm for each unit of the page. None for pages that the
/// renderer cannot draw.
pub(super) fn draw(page: &Page<'_>, scale: f64, window: Window) -> Option<Vec<u8>> {
    let settings = SvgRenderSettings { bg_color: [u8::MAX; 4] };
    let svg = convert(page, &RenderCache::new(), &InterpreterSettings::default(), &settings);
    let tree = usvg::Tree::from_str(&svg, &usvg::Options::default()).ok()?;
    pixels(&tree, scale, window)
}
