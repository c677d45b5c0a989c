//! A part of a page as pixels.

use crate::rendered::Window;
use hayro::vello_cpu::color::palette::css::WHITE;
use hayro::vello_cpu::{Pixmap, RasterizerSettings, RenderContext, Resources, TargetInit};
use hayro::{RenderCache, RenderSettings, render_into};
use hayro_interpret::InterpreterSettings;
use hayro_interpret::hayro_syntax::page::Page;
use kurbo::Affine;

/// A window of a page in pixels, over white; `scale` is mm for each unit of the page. None for windows with
/// more pixels on a side than the renderer counts.
pub(super) fn drawn(page: &Page<'_>, scale: f64, window: Window) -> Option<Vec<u8>> {
    let (width, height) = (u16::try_from(window.width).ok()?, u16::try_from(window.height).ok()?);
    let mut context = RenderContext::new(width, height);
    // To mm with y up, as shapes are read, and from there to pixels with y down.
    let to_mm = Affine::scale(scale) * Affine::new(page.initial_transform(false).as_coeffs());
    let to_pixels = Affine::scale_non_uniform(window.resolution, -window.resolution)
        * Affine::translate((-window.left, -window.top));
    let cache = RenderCache::new();
    let settings = RenderSettings { hinting: false, ..RenderSettings::default() };
    render_into(
        page,
        &cache,
        &InterpreterSettings::default(),
        &settings,
        &mut context,
        to_pixels * to_mm,
    );
    context.flush();
    let mut pixels = Pixmap::new(width, height);
    let target_init = TargetInit::Clear(WHITE);
    let settings = RasterizerSettings { target_init, ..RasterizerSettings::default() };
    context.render_with(&mut pixels, &mut Resources::default(), settings);
    // Over white nothing is transparent: colours are not multiplied with anything.
    Some(pixels.data().iter().flat_map(|p| [p.r, p.g, p.b, p.a]).collect())
}
