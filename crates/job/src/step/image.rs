//! How the pixels of bitmaps are engraved.

use super::rows::{Advance, Directions, read_rows};
use crate::ToneCurve;
use tinkite_base::quantity::{Angle, Length, Power, parse, parse_spacing, plain};
use tinkite_machine::Beam;
use tinkite_machine::section::Section;

/// Named ways to turn grey into black and white; the names are those under which they were
/// published.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Dither {
    /// R. W. Floyd, L. Steinberg, "An adaptive algorithm for spatial greyscale", 1976.
    FloydSteinberg,
    /// J. F. Jarvis, C. N. Judice, W. H. Ninke, "A survey of techniques for the display of
    /// continuous tone pictures on bilevel displays", 1976.
    JarvisJudiceNinke,
    /// P. Stucki, "MECCA, a multiple-error correcting computation algorithm", 1981.
    Stucki,
    /// D. Burkes, 1988: Stucki's without its last row.
    Burkes,
    /// F. Sierra, 1989: three rows.
    Sierra,
    /// F. Sierra, 1990: two rows.
    SierraTwoRow,
    /// F. Sierra: the light one of four cells.
    SierraLite,
    /// B. Atkinson: three quarters of the error, which keeps contrast.
    Atkinson,
    /// B. E. Bayer, "An optimum method for two-level rendition of continuous-tone pictures", 1973;
    /// a square of so many cells a side.
    Bayer(u32),
    /// R. Ulichney, "The void-and-cluster method for dither array generation", 1993: no pattern.
    BlueNoise,
}

/// Words for dithers.
const DITHERS: [(&str, Dither); 12] = [
    ("floyd-steinberg", Dither::FloydSteinberg),
    ("jarvis-judice-ninke", Dither::JarvisJudiceNinke),
    ("stucki", Dither::Stucki),
    ("burkes", Dither::Burkes),
    ("sierra", Dither::Sierra),
    ("sierra-two-row", Dither::SierraTwoRow),
    ("sierra-lite", Dither::SierraLite),
    ("atkinson", Dither::Atkinson),
    ("bayer-2", Dither::Bayer(2)),
    ("bayer-4", Dither::Bayer(4)),
    ("bayer-8", Dither::Bayer(8)),
    ("blue-noise", Dither::BlueNoise),
];

impl Dither {
    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        DITHERS.iter().find(|(_, dither)| *dither == self).map_or("", |(name, _)| name)
    }
}

/// What grows with the darkness.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ScreenKind {
    /// Dots.
    Dots,
    /// Lines.
    Rows,
}

/// A screen as print has it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Screen {
    /// Dots or lines.
    pub kind: ScreenKind,
    /// From one to the next, mm.
    pub period: f64,
    /// Its direction, radians counter-clockwise from X.
    pub angle: f64,
}

/// Sharpening by an unsharp mask.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sharpen {
    /// How far it looks about, mm.
    pub radius: f64,
    /// How much of what the blurred picture lacks is added; 1 is all of it.
    pub amount: f64,
}

/// What a pixel's grey becomes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shade {
    /// Power between two limits.
    Grey,
    /// Burnt or not, so that the eye sees grey.
    Dither(Dither),
    /// The same, in dots or lines that grow.
    Screen(Screen),
    /// Burnt where it is darker than this (0 black, 1 white).
    Threshold(f64),
}

/// Changes of a bitmap's tones before it is engraved, in this order.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tone {
    /// Lightness that becomes black, 0 to 1.
    pub black: f64,
    /// Lightness that becomes white, 0 to 1; above `black`.
    pub white: f64,
    /// Added, as a share of the range from black to white: −1 to 1.
    pub brightness: f64,
    /// Exponent of the tone; above 1 darkens middle tones.
    pub gamma: f64,
    /// How much steeper (above 0) or flatter (below) tones are about the middle grey: −1 to 1.
    pub contrast: f64,
    /// Black for white.
    pub invert: bool,
}

/// How bitmaps are engraved.
#[derive(Debug, Clone, PartialEq)]
pub struct Image {
    /// Distance between rows, and the size of a pixel along them, mm.
    pub spacing: f64,
    /// Direction of the rows, radians counter-clockwise from X.
    pub angle: f64,
    /// In which directions rows are walked.
    pub directions: Directions,
    /// As for lines, mm.
    pub run_up: Option<f64>,
    /// As for lines.
    pub advance: Option<Advance>,
    /// As for lines, mm.
    pub offset: f64,
    /// What grey becomes.
    pub shade: Shade,
    /// Changes of tone.
    pub tone: Tone,
    /// Sharpening, behind the tones.
    pub sharpen: Option<Sharpen>,
    /// How dark bare stock is, 0 to 1: what is no darker is not burnt.
    pub stock: f64,
    /// Whether diffusion reckons with a spot that is wider than a pixel.
    pub spot: bool,
    /// Power of the lightest grey that is burnt at all; none is the source's floor.
    pub power_from: Option<Power>,
    /// Power of black; none is the step's own.
    pub power_to: Option<Power>,
    /// Which power gives which darkness on this stock, as a wedge was measured; its ends are `power_from` and
    /// `power_to`.
    pub curve: Option<ToneCurve>,
}

/// A wider blur is no sharpening, mm.
const WIDEST_BLUR: f64 = 10.0;

/// Reads `image`.
pub(super) fn read(section: Section<'_, '_>, beam: &Beam) -> Option<Image> {
    let walked = read_rows(&section, false);
    let shade = shade(&section, beam);
    let within = |key: &'static str, range: std::ops::RangeInclusive<f64>, words: &str| {
        let value = section.quantity::<Power>(key).map(|share| share.0)?;
        if !range.contains(&value) {
            section.out_of_range(key, section.span_of(key), &section.written(key), words);
            return None;
        }
        Some(value)
    };
    let brightness = within("brightness", -1.0..=1.0, "from -100 % to 100 %");
    let contrast = within("contrast", -1.0..=1.0, "from -100 % to 100 %");
    let gamma = section.number("gamma");
    if gamma.is_some_and(|gamma| !(0.1..=10.0).contains(&gamma)) {
        let span = section.span_of("gamma");
        section.out_of_range("gamma", span, &section.written("gamma"), "from 0.1 to 10");
    }
    let black = within("black", 0.0..=0.99, "from 0 % to 99 %").unwrap_or(0.0);
    let white = within("white", 0.01..=1.0, "from 1 % to 100 %").unwrap_or(1.0);
    if white <= black {
        section.contradicts(
            "white",
            "white in image is not above black",
            "black is the darker of the two: black = \"10 %\", white = \"90 %\"",
        );
    }
    let stock = within("stock", 0.0..=0.9, "from 0 % to 90 %").unwrap_or(0.0);
    let spot = section.flag("spot").unwrap_or(false);
    if spot
        && !matches!(shade, Some(Shade::Dither(d)) if !matches!(d, Dither::Bayer(_) | Dither::BlueNoise))
    {
        section.contradicts(
            "spot",
            "spot is for dithers that hand on their error",
            "say dither = \"floyd-steinberg\" or another of that kind, or take spot out",
        );
    }
    let sharpen = section.section("sharpen").map(|inner| {
        let radius = inner.required_positive::<Length>("radius", "radius = \"0.3 mm\"");
        let radius = radius.map(|radius| radius.0);
        if radius.is_some_and(|mm| mm > WIDEST_BLUR) {
            let (span, written) = (inner.span_of("radius"), inner.written("radius"));
            inner.out_of_range("radius", span, &written, "up to 10 mm");
        }
        let amount = inner.quantity::<Power>("amount").map_or(1.0, |share| share.0);
        inner.finish();
        Some(Sharpen { radius: radius.filter(|mm| *mm <= WIDEST_BLUR)?, amount })
    });
    let invert = section.flag("invert").unwrap_or(false);
    let (power_from, power_to) =
        (section.power("power-from", beam), section.power("power-to", beam));
    if let (Some(from), Some(to)) = (power_from, power_to)
        && from.0 > to.0
    {
        section.contradicts(
            "power-from",
            "power-from (light) is above power-to (dark)",
            "exchange them; invert = true turns the picture into its negative",
        );
    }
    if section.has("power-from") && !matches!(shade, Some(Shade::Grey)) {
        section.contradicts(
            "power-from",
            "a dithered bitmap is burnt with one power",
            "take power-from out, or say grey = true",
        );
    }
    let curve = section.has("tone").then(|| curve(&section, beam, shade.as_ref()));
    let curve = curve.map_or(Some(None), |curve| curve.map(Some))?;
    let ends = curve.as_ref().and_then(|curve| Some((curve.0.first()?.1, curve.0.last()?.1)));
    let power_from = ends.map_or(power_from, |(first, _)| Some(Power(first)));
    let power_to = ends.map_or(power_to, |(_, last)| Some(Power(last)));
    let curve = match linear(&section, shade.as_ref()) {
        Some(Linear::Power) => None,
        Some(Linear::Darkness) if curve.is_none() => {
            let message =
                "how dark a power burns was not measured, so greys cannot be made evenly dark";
            let help =
                "burn a wedge ([swatch] kind = \"greys\") and take its tone, or take linear out";
            section.contradicts("linear", message, help);
            None
        }
        _ => curve,
    };
    section.finish();
    Some(Image {
        spacing: walked.spacing?,
        angle: walked.angle,
        directions: walked.directions,
        run_up: walked.run_up,
        advance: walked.advance,
        offset: walked.offset,
        shade: shade?,
        sharpen: sharpen.map_or(Some(None), |sharpen| sharpen.map(Some))?,
        stock,
        spot,
        tone: Tone {
            black,
            white,
            brightness: brightness.unwrap_or(0.0),
            contrast: contrast.unwrap_or(0.0),
            gamma: gamma.unwrap_or(1.0),
            invert,
        },
        power_from,
        power_to,
        curve,
    })
}

/// What rises evenly with the darkness of the picture.
#[derive(Clone, Copy)]
enum Linear {
    /// How dark the stock gets, by `tone`.
    Darkness,
    /// The power, in W where the source was measured; of `tone` only its ends count.
    Power,
}

/// Reads `linear`.
fn linear(section: &Section<'_, '_>, shade: Option<&Shade>) -> Option<Linear> {
    let words = [("darkness", Linear::Darkness), ("power", Linear::Power)];
    let linear = section.choice("linear", &words)?;
    if !matches!(shade, Some(Shade::Grey)) {
        let message = "linear is for greys, and this bitmap is burnt with one power";
        section.contradicts("linear", message, "say grey = true, or take linear out");
    }
    Some(linear)
}

/// Reads `tone = [["0 %", "8 %"], ["60 %", "40 %"]]`: darkness that was measured, and the power that gave it.
fn curve(section: &Section<'_, '_>, beam: &Beam, shade: Option<&Shade>) -> Option<ToneCurve> {
    let clash = ["power-from", "power-to"].into_iter().find(|key| section.has(key));
    if let Some(key) = clash {
        let message = format!("tone says the power of every grey, and so does {key}");
        section.contradicts(key, &message, "take one of them out");
        return None;
    }
    if !matches!(shade, Some(Shade::Grey)) {
        let message = "tone is for greys, and this bitmap is burnt with one power";
        section.contradicts("tone", message, "say grey = true, or take tone out");
        return None;
    }
    let wrong = || {
        let help = "write tone = [[\"5 %\", \"10 %\"], [\"80 %\", \"60 %\"]]: darkness and power, both rising";
        section.contradicts("tone", "tone is a list of pairs that rise", help);
    };
    let mut pairs: Vec<(f64, f64)> = Vec::new();
    for item in section.list("tone")? {
        let Some([darkness, power]) = item.get_ref().as_array().map(|pair| &pair[..]) else {
            wrong();
            return None;
        };
        let darkness = section.read_quantity("tone", darkness, parse::<Power>)?.0;
        let power = section.read_power("tone", power, beam)?.0;
        let rises = pairs.last().is_none_or(|(d, p)| darkness > *d && power > *p);
        if !rises || !(0.0..=1.0).contains(&darkness) {
            wrong();
            return None;
        }
        pairs.push((darkness, power));
    }
    if pairs.len() < 2 {
        wrong();
        return None;
    }
    Some(ToneCurve(pairs))
}

/// Reads `ruling` and `screen-angle`.
fn screen(section: &Section<'_, '_>, kind: ScreenKind, beam: &Beam) -> Option<Screen> {
    if !section.has("ruling") {
        section
            .missing("ruling", "ruling = \"60 lpi\", how many dots or lines there are to an inch");
    }
    let period = section.quantity_by("ruling", parse_spacing)?.0;
    let angle = section.quantity::<Angle>("screen-angle").map_or(45_f64.to_radians(), |a| a.0);
    // A dot that is no larger than the spot cannot grow.
    if period < 2.0 * beam.width {
        let message = format!(
            "dots or lines {} mm apart are finer than twice the spot of {} mm: they cannot grow",
            plain(period, 3),
            plain(beam.width, 3)
        );
        section.contradicts("ruling", &message, "say a coarser ruling, or a dither");
        return None;
    }
    Some(Screen { kind, period, angle })
}

fn shade(section: &Section<'_, '_>, beam: &Beam) -> Option<Shade> {
    let grey = section.flag("grey");
    let dithers = DITHERS.map(|(word, dither)| (word, Ok(dither)));
    let screens = [("dots", Err(ScreenKind::Dots)), ("rows", Err(ScreenKind::Rows))];
    let said = section.choice("dither", &[&dithers[..], &screens[..]].concat());
    let dither = match said {
        Some(Err(kind)) => screen(section, kind, beam).map(Shade::Screen),
        Some(Ok(dither)) => Some(Shade::Dither(dither)),
        None => None,
    };
    if !matches!(said, Some(Err(_))) {
        for key in ["ruling", "screen-angle"] {
            if section.has(key) {
                let help = "say dither = \"dots\" or \"rows\", or take it out";
                section.contradicts(key, &format!("{key} is for dots and rows"), help);
            }
        }
    }
    let threshold = section.quantity::<Power>("threshold").map(|share| share.0);
    let given: Vec<&str> =
        ["grey", "dither", "threshold"].into_iter().filter(|key| section.has(key)).collect();
    if given.len() > 1 {
        section.contradicts(
            given[1],
            &format!("a bitmap is engraved by {}, not by several at once", given.join(" or ")),
            "keep one of them",
        );
        return None;
    }
    if let Some(threshold) = threshold {
        if !(0.0..=1.0).contains(&threshold) {
            let span = section.span_of("threshold");
            section.out_of_range("threshold", span, &section.written("threshold"), "0 % to 100 %");
            return None;
        }
        return Some(Shade::Threshold(threshold));
    }
    if grey == Some(false) {
        section.contradicts(
            "grey",
            "grey = false says nothing about what is done instead",
            "name a dither, or a threshold",
        );
    }
    if section.has("dither") { dither } else { Some(Shade::Grey) }
}
