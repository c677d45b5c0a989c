//! Quantities with units: the only door through which "12 mm" becomes a number.
//!
//! Inside the core every length is millimetres, every time seconds, every angle radians and every
//! power a fraction of full. Text with a unit is turned into those numbers here and nowhere else.

use std::fmt;

/// What a kind of quantity is called and which units it accepts.
pub trait Quantity: Sized {
    /// What the quantity measures, for messages ("a length").
    const KIND: &'static str;
    /// Accepted unit spellings and the factor that takes each to the base unit.
    const UNITS: &'static [(&'static str, f64)];
    /// Wraps a value that is already in the base unit.
    fn from_base(value: f64) -> Self;
}

/// Why a text is not a quantity. The message says what is wrong; the help says what to write.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct QuantityError {
    /// What is wrong, in one sentence.
    pub message: String,
    /// What to write instead.
    pub help: String,
}

/// Largest magnitude (in base units) that is taken for real: a thousand kilometres, in mm.
const LARGEST: f64 = 1e9;

/// Reads `"12 mm"`-like text as a quantity of kind `Q`. What counts in inches may be a fraction: `"1 1/8 in"`.
///
/// # Errors
/// A missing or unknown unit, a number that is not one, and values that are not finite or beyond
/// 1e9 base units.
pub fn parse<Q: Quantity>(text: &str) -> Result<Q, QuantityError> {
    let trimmed = text.trim();
    let units = || Q::UNITS.iter().map(|(u, _)| *u).collect::<Vec<_>>().join(", ");
    let fraction = Fraction::at_start(trimmed);
    let digits_end = fraction.as_ref().map_or_else(|| number_end(trimmed), |found| found.end);
    let (number, unit) = (&trimmed[..digits_end], trimmed[digits_end..].trim());
    let unit = if INCHES.contains(&unit) { "in" } else { unit };
    let example = || {
        let number = if number.is_empty() { "12" } else { number };
        format!(
            "write it with a unit, for example \"{number} {}\" (units: {})",
            Q::UNITS[0].0,
            units()
        )
    };
    if number.is_empty() {
        return Err(QuantityError {
            message: format!("\"{text}\" is not {}", Q::KIND),
            help: example(),
        });
    }
    if unit.is_empty() {
        return Err(QuantityError {
            message: format!("\"{text}\" has no unit, and {} needs one", Q::KIND),
            help: example(),
        });
    }
    let Some((_, factor)) = Q::UNITS.iter().find(|(u, _)| *u == unit) else {
        return Err(QuantityError {
            message: format!("\"{unit}\" is not a unit of {}", Q::KIND),
            help: format!("units that fit here: {}", units()),
        });
    };
    let number = match fraction {
        Some(Fraction { value: Some(value), .. }) if unit.starts_with("in") => value,
        Some(Fraction { value: Some(value), .. }) => {
            return Err(QuantityError {
                message: format!("\"{text}\" is a fraction, and those are for inches"),
                help: format!("write \"{} {unit}\"", plain(value, 4)),
            });
        }
        Some(_) => {
            return Err(QuantityError {
                message: format!("\"{number}\" is not a fraction"),
                help: "write for example \"1/8 in\" or \"1 1/8 in\"".into(),
            });
        }
        None => number.parse::<f64>().map_err(|_| QuantityError {
            message: format!("\"{number}\" is not a number"),
            help: example(),
        })?,
    };
    let value = number * factor;
    if !value.is_finite() || value.abs() > LARGEST {
        return Err(QuantityError {
            message: format!("\"{text}\" is too large to be real"),
            help: "check the number of digits".into(),
        });
    }
    Ok(Q::from_base(value))
}

/// What people write for inches.
const INCHES: [&str; 4] = ["\"", "\u{2033}", "inch", "inches"];

/// A number like `1/8` or `1 1/8`.
struct Fraction {
    /// Its value; none where it is written in a way that has none, by zero for instance.
    value: Option<f64>,
    /// Where its text ends.
    end: usize,
}

impl Fraction {
    /// The fraction with which a text begins.
    fn at_start(text: &str) -> Option<Self> {
        let of_it = |c: char| c.is_ascii_digit() || matches!(c, ' ' | '/' | '-' | '+' | '.');
        let head = &text[..text.find(|c| !of_it(c)).unwrap_or(text.len())];
        let (above, below) = head.split_once('/')?;
        let (sign, above) = match above.strip_prefix('-') {
            Some(above) => (-1.0, above),
            None => (1.0, above),
        };
        let count = |text: &str| text.parse::<u32>().ok().filter(|_| !text.starts_with('+'));
        let parts: Vec<Option<u32>> = above.split_whitespace().map(count).collect();
        let below = count(below.trim()).filter(|below| *below > 0);
        let value = match (parts.as_slice(), below) {
            ([Some(above)], Some(below)) => Some(f64::from(*above) / f64::from(below)),
            ([Some(whole), Some(above)], Some(below)) => {
                Some(f64::from(*whole) + f64::from(*above) / f64::from(below))
            }
            _ => None,
        };
        Some(Self { value: value.map(|value| sign * value), end: head.trim_end().len() })
    }
}

/// Where the leading number of `text` ends (sign, digits, point, exponent).
fn number_end(text: &str) -> usize {
    let bytes = text.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let exponent = matches!(bytes[at], b'e' | b'E')
            && at > 0
            && bytes.get(at + 1).is_some_and(|b| b.is_ascii_digit() || matches!(b, b'-' | b'+'));
        let sign =
            matches!(bytes[at], b'-' | b'+') && (at == 0 || matches!(bytes[at - 1], b'e' | b'E'));
        if !(bytes[at].is_ascii_digit() || bytes[at] == b'.' || exponent || sign) {
            break;
        }
        at += 1;
    }
    at
}

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident, $kind:literal, $units:expr) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default)]
        pub struct $name(pub f64);
        impl From<$name> for f64 {
            fn from(quantity: $name) -> Self {
                quantity.0
            }
        }
        impl Quantity for $name {
            const KIND: &'static str = $kind;
            const UNITS: &'static [(&'static str, f64)] = $units;
            fn from_base(value: f64) -> Self {
                Self(value)
            }
        }
    };
}

quantity!(
    /// A length in millimetres.
    Length, "a length", &[("mm", 1.0), ("cm", 10.0), ("m", 1000.0), ("in", 25.4), ("pt", 25.4 / 72.0)]
);
quantity!(
    /// A speed in millimetres per second.
    Speed, "a speed", &[("mm/s", 1.0), ("mm/min", 1.0 / 60.0), ("m/min", 1000.0 / 60.0), ("in/s", 25.4), ("in/min", 25.4 / 60.0)]
);
quantity!(
    /// An acceleration in millimetres per second squared.
    Acceleration, "an acceleration", &[("mm/s2", 1.0), ("mm/s²", 1.0), ("m/s2", 1000.0), ("m/s²", 1000.0)]
);
quantity!(
    /// An angle in radians, counter-clockwise as seen from above.
    Angle, "an angle", &[("deg", std::f64::consts::PI / 180.0), ("rad", 1.0), ("turn", std::f64::consts::TAU)]
);
quantity!(
    /// Beam power as a fraction of full (1.0 is 100 %).
    Power, "a power", &[("%", 0.01)]
);
quantity!(
    /// A time in seconds.
    Duration, "a time", &[("s", 1.0), ("ms", 1e-3), ("min", 60.0)]
);
quantity!(
    /// A turning speed in radians per second.
    AngularSpeed, "a turning speed", &[("deg/s", std::f64::consts::PI / 180.0), ("rpm", std::f64::consts::TAU / 60.0), ("deg/min", std::f64::consts::PI / 10800.0)]
);
quantity!(
    /// A turning acceleration in radians per second squared.
    AngularAcceleration, "a turning acceleration", &[("deg/s2", std::f64::consts::PI / 180.0), ("deg/s²", std::f64::consts::PI / 180.0)]
);
quantity!(
    /// A pulse frequency in hertz.
    Frequency, "a frequency", &[("kHz", 1000.0), ("Hz", 1.0)]
);
quantity!(
    /// A size of a file in bytes.
    FileSize, "a file size", &[("kB", 1e3), ("MB", 1e6), ("bytes", 1.0)]
);
quantity!(
    /// Distance between neighbouring engraved lines, in millimetres.
    Spacing, "a line spacing", &[("mm", 1.0), ("in", 25.4)]
);

/// Power as people ask for it: of full, or as measured at the source.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PowerSetpoint {
    /// A fraction of full.
    Share(f64),
    /// Current through the source, mA.
    Current(f64),
    /// Light, W.
    Watts(f64),
    /// The controller's own number, S.
    Level(f64),
}

impl Quantity for PowerSetpoint {
    const KIND: &'static str = "a power";
    const UNITS: &'static [(&'static str, f64)] = &[("%", 0.01), ("mA", 1.0), ("W", 1.0)];
    fn from_base(value: f64) -> Self {
        Self::Share(value)
    }
}

/// Reads a power: `"60 %"`, `"8 mA"`, `"32 W"` or, as the controller counts, `"S600"`.
///
/// # Errors
/// As [`parse`].
pub fn parse_power(text: &str) -> Result<PowerSetpoint, QuantityError> {
    if let Some(level) = text.trim().strip_prefix(['S', 's'])
        && level.starts_with(|c: char| c.is_ascii_digit())
    {
        return match level.parse::<f64>() {
            Ok(level) if level <= LARGEST => Ok(PowerSetpoint::Level(level)),
            _ => Err(QuantityError {
                message: format!("\"{text}\" is not a power"),
                help: "write S and the controller's number, for example \"S300\"".into(),
            }),
        };
    }
    let PowerSetpoint::Share(value) = parse(text)? else {
        return Err(QuantityError {
            message: format!("\"{text}\" is not a power"),
            help: "write for example \"60 %\"".into(),
        });
    };
    Ok(match text.trim().trim_start_matches(|c: char| !c.is_alphabetic()) {
        "mA" => PowerSetpoint::Current(value),
        "W" => PowerSetpoint::Watts(value),
        _ => PowerSetpoint::Share(value),
    })
}

/// Reads a speed, on an axis or machine whose top speed is `top` mm/s; `"40 %"` is of that.
///
/// # Errors
/// As [`parse`].
pub fn parse_speed(text: &str, top: f64) -> Result<Speed, QuantityError> {
    if !text.trim_end().ends_with('%') {
        return parse(text).map_err(|error: QuantityError| QuantityError {
            help: error.help.replace("units: mm/s", "units: % of top speed, mm/s"),
            ..error
        });
    }
    let Power(share) = parse(text)?;
    Ok(Speed(share * top))
}

/// Reads a line spacing, given as a distance or as lines per inch (`"254 dpi"`).
///
/// # Errors
/// As [`parse`], and a dpi that is not above zero.
pub fn parse_spacing(text: &str) -> Result<Spacing, QuantityError> {
    let text = text.trim();
    let number = text.strip_suffix("dpi").or(text.strip_suffix("lpi"));
    let Some(number) = number else { return parse(text) };
    match number.trim().parse::<f64>() {
        Ok(dpi) if dpi.is_finite() && dpi > 0.0 => Ok(Spacing(25.4 / dpi)),
        _ => Err(QuantityError {
            message: format!("\"{text}\" is not a number of lines per inch"),
            help: "write for example \"254 dpi\" or \"0.1 mm\"".into(),
        }),
    }
}

/// Writes a number with at most `places` decimals and without trailing zeros; never "-0".
#[must_use]
pub fn plain(value: f64, places: usize) -> String {
    let mut text = format!("{value:.places$}");
    if text.contains('.') {
        text.truncate(text.trim_end_matches('0').trim_end_matches('.').len());
    }
    if text == "-0" { "0".into() } else { text }
}

/// The unit in which lengths are told to people. Files, and this library throughout, count in mm.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LengthUnit {
    /// mm.
    #[default]
    Millimetre,
    /// Inches of 25.4 mm.
    Inch,
}

impl LengthUnit {
    /// Its symbol.
    #[must_use]
    pub fn symbol(self) -> &'static str {
        match self {
            Self::Millimetre => "mm",
            Self::Inch => "in",
        }
    }

    /// A length (1), an area (2) or a volume (3) in mm, mm² or mm³, in this unit.
    #[must_use]
    pub fn of(self, value: f64, dimensions: i32) -> f64 {
        match self {
            Self::Millimetre => value,
            Self::Inch => value / 25.4_f64.powi(dimensions),
        }
    }

    /// Decimals that tell about as much as `places` decimals in mm.
    #[must_use]
    pub fn decimals(self, places: usize) -> usize {
        places + usize::from(self == Self::Inch)
    }

    /// The number of a length of so many mm in this unit; `places` are decimals in mm.
    #[must_use]
    pub fn number(self, mm: f64, places: usize) -> String {
        plain(self.of(mm, 1), self.decimals(places))
    }

    /// The same with its symbol.
    #[must_use]
    pub fn length(self, mm: f64, places: usize) -> String {
        format!("{} {}", self.number(mm, places), self.symbol())
    }
}

/// Seconds as people read them: `1 h 02 min 05 s`, `3 min 12 s`, `8.4 s`.
#[must_use]
pub fn clock(seconds: f64) -> String {
    if !seconds.is_finite() {
        return "unknown".into();
    }
    if seconds < 59.95 {
        return format!("{seconds:.1} s");
    }
    let whole = seconds.round() as u64;
    let (hours, minutes, seconds) = (whole / 3600, whole / 60 % 60, whole % 60);
    if hours > 0 {
        format!("{hours} h {minutes:02} min {seconds:02} s")
    } else {
        format!("{minutes} min {seconds:02} s")
    }
}

impl fmt::Display for Power {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} %", plain(self.0 * 100.0, 1))
    }
}

impl fmt::Display for Speed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} mm/s", plain(self.0, 2))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_become_millimetres_seconds_radians_and_fractions() {
        assert_eq!(parse::<Length>("0.5 in").unwrap().0, 12.7);
        assert_eq!(parse::<Length>("2cm").unwrap().0, 20.0);
        assert_eq!(parse::<Speed>("1200 mm/min").unwrap().0, 20.0);
        assert!((parse::<Angle>("180 deg").unwrap().0 - std::f64::consts::PI).abs() < 1e-12);
        assert_eq!(parse::<Power>("60 %").unwrap().0, 0.6);
        assert!((parse_spacing("254 dpi").unwrap().0 - 0.1).abs() < 1e-12);
        assert_eq!(parse_power("60 %").unwrap(), PowerSetpoint::Share(0.6));
        assert_eq!(parse_power("8.5mA").unwrap(), PowerSetpoint::Current(8.5));
        assert_eq!(parse_power("32 W").unwrap(), PowerSetpoint::Watts(32.0));
        assert_eq!(parse::<Duration>("250 ms").unwrap().0, 0.25);
        assert_eq!(parse::<Length>("-1.5e1 mm").unwrap().0, -15.0);
    }

    #[test]
    fn a_bare_number_is_refused_with_the_units_that_fit() {
        let error = parse::<Length>("12").unwrap_err();
        assert_eq!(error.message, "\"12\" has no unit, and a length needs one");
        assert!(error.help.contains("\"12 mm\"") && error.help.contains("in"), "{}", error.help);
    }

    #[test]
    fn nonsense_is_told_apart() {
        assert!(parse::<Speed>("5 mm").unwrap_err().message.contains("not a unit of a speed"));
        assert!(parse::<Length>("mm").unwrap_err().message.contains("is not a length"));
        assert!(parse::<Length>("1.2.3 mm").unwrap_err().message.contains("not a number"));
        assert!(parse::<Length>("1e30 mm").unwrap_err().message.contains("too large"));
        assert!(parse::<Length>("nan mm").is_err() && parse::<Length>("").is_err());
        assert!(parse_spacing("0 dpi").is_err());
    }

    #[test]
    fn numbers_print_without_junk() {
        assert_eq!(plain(1.500, 3), "1.5");
        assert_eq!(plain(-0.0001, 3), "0");
        assert_eq!(plain(200.0, 3), "200");
        assert_eq!(clock(8.44), "8.4 s");
        assert_eq!(clock(59.97), "1 min 00 s");
        assert_eq!(clock(3725.0), "1 h 02 min 05 s");
    }
}
