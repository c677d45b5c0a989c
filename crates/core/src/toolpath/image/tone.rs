//! Tones: brightness, contrast, gamma and negative, as one table.

use crate::job::Tone;

/// Darkness (0 blank, 255 black) for each lightness of a pixel.
pub(super) fn map(tone: &Tone) -> [u8; 256] {
    let mut map = [0; 256];
    // Full contrast is a step, not a division by nothing.
    let slope = if tone.contrast >= 0.0 {
        1.0 / (1.0 - tone.contrast).max(1e-3)
    } else {
        1.0 + tone.contrast
    };
    for (lightness, darkness) in map.iter_mut().enumerate() {
        let light = lightness as f64 / 255.0 + tone.brightness;
        let light = ((light - 0.5) * slope + 0.5).clamp(0.0, 1.0).powf(tone.gamma);
        let light = if tone.invert { 1.0 - light } else { light };
        *darkness = 255 - (light * 255.0).round() as u8;
    }
    map
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLAIN: Tone = Tone { brightness: 0.0, contrast: 0.0, gamma: 1.0, invert: false };

    #[test]
    fn left_alone_darkness_is_what_lightness_lacks() {
        let map = map(&PLAIN);
        assert!((0..256).all(|n| usize::from(map[n]) == 255 - n));
    }

    #[test]
    fn each_change_does_what_its_name_says() {
        let middle = |tone: Tone| map(&tone)[128];
        assert!(middle(Tone { brightness: 0.2, ..PLAIN }) < 127);
        assert!(middle(Tone { gamma: 2.0, ..PLAIN }) > 127);
        assert!(map(&Tone { contrast: 0.5, ..PLAIN })[90] > 165);
        assert!(map(&Tone { contrast: -0.5, ..PLAIN })[90] < 165);
        let negative = map(&Tone { invert: true, ..PLAIN });
        assert_eq!((negative[0], negative[255]), (0, 255));
        let step = map(&Tone { contrast: 1.0, ..PLAIN });
        assert_eq!((step[120], step[135]), (255, 0));
    }
}
