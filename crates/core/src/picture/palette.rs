//! Colours of our pictures: told apart by people who see colours differently, by hue and by
//! lightness.

/// Paper, ink and aids.
pub(super) const PAPER: &str = "#f7f5ef";
pub(super) const BED: &str = "#ffffff";
pub(super) const STOCK: &str = "#efe6d2";
pub(super) const STOCK_EDGE: &str = "#b9a77c";
pub(super) const INK: &str = "#2b2d33";
pub(super) const FAINT_INK: &str = "#8b8d94";
pub(super) const GRID: &str = "#ebe8df";
pub(super) const TRAVEL: &str = "#9a9488";

/// Where a line was drawn, beside where the beam runs.
pub(super) const DRAWN: &str = "#8f8a9c";

/// From little to much: lighter to darker, so that it reads in grey as well.
const RAMP: [[u8; 3]; 5] = [
    [0x9a, 0xc0, 0xb4],
    [0xd9, 0xb2, 0x4a],
    [0xd0, 0x70, 0x33],
    [0x96, 0x2f, 0x45],
    [0x3a, 0x1d, 0x4d],
];

/// The colour of a share from 0 (little) to 1 (much).
pub(super) fn ramp(share: f64) -> String {
    let at = share.clamp(0.0, 1.0) * (RAMP.len() - 1) as f64;
    let low = (at as usize).min(RAMP.len() - 2);
    let part = |n: usize| {
        let (a, b) = (f64::from(RAMP[low][n]), f64::from(RAMP[low + 1][n]));
        (a + (b - a) * (at - low as f64)).round() as u8
    };
    format!("#{:02x}{:02x}{:02x}", part(0), part(1), part(2))
}

/// One colour and one dash for each step, in turn. Dark and light alternate, so that the steps also
/// differ in grey.
const STEPS: [&str; 8] =
    ["#0b4f6c", "#e07a1f", "#3f8f5b", "#a8236b", "#6b52ae", "#b8960c", "#1c8fb5", "#7a3b10"];

/// The colour in which step `number` of a job is drawn.
#[must_use]
pub(super) fn step_colour(number: usize) -> &'static str {
    STEPS[number % STEPS.len()]
}

/// How far a colour stands out from the bed, 1 to 21 (WCAG 2, "contrast ratio").
pub(super) fn contrast_with_bed(hex: &str) -> f64 {
    (luminance(BED) + 0.05) / (luminance(hex) + 0.05)
}

/// Relative luminance (WCAG 2, "relative luminance").
fn luminance(hex: &str) -> f64 {
    let part = |at: usize| {
        let digits = hex.get(at..at + 2).unwrap_or("00");
        let v = f64::from(u8::from_str_radix(digits, 16).unwrap_or(0)) / 255.0;
        if v <= 0.03928 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
    };
    0.2126 * part(1) + 0.7152 * part(3) + 0.0722 * part(5)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_step_stands_out_from_the_bed() {
        for n in 0..STEPS.len() {
            let contrast = contrast_with_bed(step_colour(n));
            assert!(contrast > 2.5, "{} {contrast}", step_colour(n));
        }
    }

    #[test]
    fn the_first_steps_differ_in_lightness_too() {
        for (a, b) in [(0, 1), (1, 2), (2, 3), (0, 2)] {
            let (a, b) = (luminance(step_colour(a)), luminance(step_colour(b)));
            assert!((a.max(b) + 0.05) / (a.min(b) + 0.05) > 1.3);
        }
    }
}
