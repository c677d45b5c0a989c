//! Colours: the language in which artwork says what is to be done with a shape.

use std::fmt;
use std::str::FromStr;

/// An opaque sRGB colour. Two spellings of the same colour are the same value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Colour {
    /// Red, green and blue, 0 to 255 each.
    pub rgb: [u8; 3],
}

impl Colour {
    /// From red, green and blue.
    #[must_use]
    pub const fn new(red: u8, green: u8, blue: u8) -> Self {
        Self { rgb: [red, green, blue] }
    }

    /// Bare stock.
    pub const WHITE: Self = Self::new(255, 255, 255);

    /// How light it looks, from 0 (black) to 1 (white): the luma of its values (Rec. ITU-R BT.709).
    #[must_use]
    pub fn lightness(self) -> f64 {
        let [r, g, b] = self.rgb.map(|value| f64::from(value) / 255.0);
        0.2126 * r + 0.7152 * g + 0.0722 * b
    }

    /// Whether it looks white and is not: paper that was scanned, or white that was carried through a print
    /// profile.
    #[must_use]
    pub fn is_nearly_white(self) -> bool {
        self != Self::WHITE && self.lightness() >= 0.95
    }
}

impl fmt::Display for Colour {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let [r, g, b] = self.rgb;
        write!(f, "#{r:02x}{g:02x}{b:02x}")
    }
}

/// Why a text is no opaque colour.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ColourError {
    /// It is a colour that lets something through.
    Transparent(String),
    /// It is none.
    Unknown(String),
}

impl fmt::Display for ColourError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Transparent(text) => write!(f, "\"{text}\" is a transparent colour"),
            Self::Unknown(text) => write!(f, "\"{text}\" is not a colour"),
        }
    }
}

impl std::error::Error for ColourError {}

impl FromStr for Colour {
    type Err = ColourError;

    /// Takes what CSS takes for an opaque colour: `#rgb`, `#rrggbb`, `rgb(…)`, a colour keyword.
    fn from_str(text: &str) -> Result<Self, ColourError> {
        match svgtypes::Color::from_str(text.trim()) {
            Ok(c) if c.alpha == 255 => Ok(Self::new(c.red, c.green, c.blue)),
            Ok(_) => Err(ColourError::Transparent(text.into())),
            Err(_) => Err(ColourError::Unknown(text.into())),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings_of_one_colour_are_one_value() {
        for text in ["red", "#f00", "#FF0000", " #ff0000 "] {
            assert_eq!(text.parse::<Colour>().unwrap(), Colour::new(255, 0, 0), "{text}");
        }
        for (light, nearly) in [
            ("white", false),
            ("#fbffff", true),
            ("#ffffeb", true),
            ("#eee", false),
            ("yellow", false),
        ] {
            assert_eq!(light.parse::<Colour>().unwrap().is_nearly_white(), nearly, "{light}");
        }
        for bad in ["", "#", "#12", "#12345g", "reddish", "#é00"] {
            assert!(bad.parse::<Colour>().is_err(), "{bad}");
        }
    }
}
