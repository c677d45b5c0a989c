//! Colours by index (DXF reference, "ACI"): nine named ones, 24 hues in ten shades, six greys.

use tinkite_base::colour::Colour;

/// The colour of index 1 to 255. Index 7 is the colour of ink: black on paper.
pub(super) fn of_index(index: i64) -> Option<Colour> {
    const NAMED: [[u8; 3]; 9] = [
        [255, 0, 0],
        [255, 255, 0],
        [0, 255, 0],
        [0, 255, 255],
        [0, 0, 255],
        [255, 0, 255],
        [0, 0, 0],
        [128, 128, 128],
        [192, 192, 192],
    ];
    const GREYS: [u8; 6] = [51, 91, 132, 173, 214, 255];
    let index = usize::try_from(index).ok()?;
    match index {
        1..=9 => {
            let [r, g, b] = NAMED[index - 1];
            Some(Colour::new(r, g, b))
        }
        10..=249 => Some(shade((index - 10) / 10, index % 10)),
        250..=255 => {
            let grey = GREYS[index - 250];
            Some(Colour::new(grey, grey, grey))
        }
        _ => None,
    }
}

/// Hues go round in steps of 15 degrees; even shades are full, odd ones half way to grey.
fn shade(hue: usize, shade: usize) -> Colour {
    const LEVELS: [f64; 5] = [255.0, 165.0, 127.0, 76.0, 38.0];
    let level = LEVELS[shade / 2];
    let angle = hue as f64 * 15.0;
    let channel = |centre: f64| {
        let away = (angle - centre + 540.0).rem_euclid(360.0) - 180.0;
        let full = (2.0 - away.abs() / 60.0).clamp(0.0, 1.0);
        let share = if shade.is_multiple_of(2) { full } else { 0.5 + full / 2.0 };
        (share * level) as u8
    };
    Colour::new(channel(0.0), channel(120.0), channel(240.0))
}

/// A colour given as one number: red, green and blue in its lower bytes.
pub(super) fn true_colour(number: i64) -> Colour {
    let [_, r, g, b] = (number as u32).to_be_bytes();
    Colour::new(r, g, b)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn indices_give_the_published_colours() {
        let hex = |n| of_index(n).map(|c| c.to_string());
        assert_eq!(hex(1).unwrap(), "#ff0000");
        assert_eq!(hex(7).unwrap(), "#000000");
        assert_eq!(hex(10).unwrap(), "#ff0000");
        assert_eq!(hex(30).unwrap(), "#ff7f00");
        assert_eq!(hex(11).unwrap(), "#ff7f7f");
        assert_eq!(hex(92).unwrap(), "#00a500");
        assert_eq!(hex(170).unwrap(), "#0000ff");
        assert_eq!(hex(255).unwrap(), "#ffffff");
        assert_eq!((hex(0), hex(256), hex(-3)), (None, None, None));
        assert_eq!(true_colour(0x00c0_8010).to_string(), "#c08010");
    }
}
