//! How bitmaps, solids and depth pictures are engraved.

use super::lines::{Advance, Directions};
use super::quantity::{Angle, Length, LineSpacing, Percent, Power, Speed};
use schemars::JsonSchema;

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Image {
    /// Between rows; the size of a pixel as well
    spacing: LineSpacing,
    angle: Option<Angle>,
    directions: Option<Directions>,
    run_up: Option<Length>,
    advance: Option<Advance>,
    #[schemars(example = "0.05 mm")]
    offset: Option<Length>,
    /// Power between power-from and power-to
    grey: Option<bool>,
    /// Black and white that look grey
    dither: Option<Dither>,
    /// Of dots and rows, in lines per inch
    #[schemars(example = "60 lpi")]
    ruling: Option<String>,
    /// Of dots and rows
    screen_angle: Option<Angle>,
    /// Diffusion reckons with a spot that is wider than a pixel
    spot: Option<bool>,
    /// How dark bare stock is
    #[schemars(example = "5 %")]
    stock: Option<Percent>,
    /// Burnt where it is darker
    threshold: Option<Percent>,
    /// The lightest grey that burns
    #[schemars(example = "10 %")]
    power_from: Option<Power>,
    /// Black
    power_to: Option<Power>,
    /// What rises evenly with the picture's darkness
    linear: Option<Linear>,
    /// Darkness and the power that makes it
    #[schemars(example = [["5 %", "8 %"], ["60 %", "50 %"]])]
    tone: Option<Vec<(Percent, Power)>>,
    /// Lightness that becomes black
    #[schemars(example = "5 %")]
    black: Option<Percent>,
    /// Lightness that becomes white
    #[schemars(example = "95 %")]
    white: Option<Percent>,
    brightness: Option<Percent>,
    /// Above 1 darkens middle tones
    #[schemars(range(min = 0.1, max = 10.0), example = 1.2)]
    gamma: Option<f64>,
    contrast: Option<Percent>,
    /// The negative
    invert: Option<bool>,
    /// An unsharp mask on the pixels that are burnt
    sharpen: Option<Sharpen>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Dither {
    FloydSteinberg,
    JarvisJudiceNinke,
    Stucki,
    Burkes,
    Sierra,
    SierraTwoRow,
    SierraLite,
    Atkinson,
    #[schemars(rename = "bayer-2")]
    Bayer2,
    #[schemars(rename = "bayer-4")]
    Bayer4,
    #[schemars(rename = "bayer-8")]
    Bayer8,
    BlueNoise,
    /// A screen, with ruling
    Dots,
    /// A screen, with ruling
    Rows,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Linear {
    Darkness,
    Power,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Sharpen {
    #[schemars(example = "0.3 mm")]
    radius: Length,
    #[schemars(example = "80 %")]
    amount: Percent,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Relief {
    /// From the surface to the deepest place
    #[schemars(example = "0.8 mm")]
    depth: Length,
    /// How many there are
    #[schemars(range(min = 1, max = 1000), example = 16)]
    layers: Option<u32>,
    /// Instead of layers: how thick each is
    #[schemars(example = "0.05 mm")]
    layer: Option<Length>,
    /// What is deep
    from: Option<DeepFrom>,
    /// A solid's form stands, and the ground about it goes
    raised: Option<bool>,
    /// By how much the lines turn from layer to layer
    turn: Option<Angle>,
    /// How much of a solid's foot is left out
    #[schemars(example = "0.2 mm")]
    base: Option<Length>,
    /// What is finer is evened out
    #[schemars(example = "0.2 mm")]
    smooth: Option<Length>,
    /// By how much walls lean on the whole depth
    #[schemars(example = "0.2 mm")]
    draft: Option<Length>,
    /// A last, weak layer
    finish: Option<Finish>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum DeepFrom {
    Solid,
    Dark,
    Light,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Finish {
    speed: Speed,
    power: Power,
}
