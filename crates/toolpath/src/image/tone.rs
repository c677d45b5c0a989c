//! Tones: levels, brightness, gamma, contrast and negative, in this order, as one table.

use tinkite_job::Tone;

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
        // From black to white: what is darker or lighter is that as well.
        let light = (lightness as f64 / 255.0 - tone.black) / (tone.white - tone.black);
        let light = (light + tone.brightness).clamp(0.0, 1.0).powf(tone.gamma);
        let light = ((light - 0.5) * slope + 0.5).clamp(0.0, 1.0);
        let light = if tone.invert { 1.0 - light } else { light };
        *darkness = 255 - (light * 255.0).round() as u8;
    }
    map
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLAIN: Tone =
        Tone { black: 0.0, white: 1.0, brightness: 0.0, contrast: 0.0, gamma: 1.0, invert: false };

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
        // A pale picture from 20 % to 80 % becomes one from black to white.
        let levels = map(&Tone { black: 0.2, white: 0.8, ..PLAIN });
        assert_eq!((levels[51], levels[204], levels[0]), (255, 0, 255));
        assert_eq!(levels[128], 127);
        let negative = map(&Tone { invert: true, ..PLAIN });
        assert_eq!((negative[0], negative[255]), (0, 255));
        let step = map(&Tone { contrast: 1.0, ..PLAIN });
        assert_eq!((step[120], step[135]), (255, 0));
    }
}
