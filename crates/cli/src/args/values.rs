//! Lengths, places, speeds and words, as they are typed.

use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use tinkite_core::job::Zero;
use tinkite_files::config::{ColourBy, Units, When};

/// In what lengths are told.
pub(super) fn units() -> impl TypedValueParser<Value = Units> {
    let values = Units::ALL.map(|unit| {
        PossibleValue::new(unit.word()).help(match unit {
            Units::Mm => "Millimetres",
            Units::In => "Inches",
        })
    });
    PossibleValuesParser::new(values).map(|said| Units::named(&said).unwrap_or(Units::Mm))
}

/// What the colour of a step stands for.
pub(super) fn colour_by() -> impl TypedValueParser<Value = ColourBy> {
    let values = ColourBy::ALL.map(|by| {
        PossibleValue::new(by.word()).help(match by {
            ColourBy::Steps => {
                "The step: each has another; squares of a test sheet by what they vary"
            }
            ColourBy::Drawing => "The drawing: the colour of what the step takes",
        })
    });
    PossibleValuesParser::new(values).map(|said| ColourBy::named(&said).unwrap_or(ColourBy::Steps))
}

/// When the terminal gets colours.
pub(super) fn when() -> impl TypedValueParser<Value = When> {
    let values = When::ALL.map(|when| {
        PossibleValue::new(when.word()).help(match when {
            When::Auto => "Where the terminal has them",
            When::Always => "Also into files and pipes",
            When::Never => "Never",
        })
    });
    PossibleValuesParser::new(values).map(|said| When::named(&said).unwrap_or(When::Auto))
}

/// Two lengths with a comma between them; numbers alone are mm.
pub(super) fn place(text: &str) -> Result<[f64; 2], String> {
    let (x, y) =
        text.split_once(',').ok_or("two lengths with a comma between, \"100 mm, 50 mm\"")?;
    Ok([signed_length(x)?, signed_length(y)?])
}

/// Words that say something.
pub(super) fn words(text: &str) -> Result<String, String> {
    match text.trim() {
        "" => Err("it says nothing: leave the option out, or name what is meant".into()),
        words => Ok(words.into()),
    }
}

/// A length above zero, in mm; a number alone is mm.
pub(super) fn length(text: &str) -> Result<f64, String> {
    let length = signed_length(text)?;
    if length > 0.0 { Ok(length) } else { Err("a length above zero is wanted".into()) }
}

/// What a job counts from.
pub(super) fn zero() -> impl TypedValueParser<Value = Zero> {
    let values = [
        PossibleValue::new("bed").help("The machine's own zero"),
        PossibleValue::new("stock").help("The zero that the operator sets on the stock"),
        PossibleValue::new("head").help("Where the head stands when the run begins"),
    ];
    PossibleValuesParser::new(values).map(|said| match said.as_str() {
        "stock" => Zero::Stock,
        "head" => Zero::Head,
        _ => Zero::Bed,
    })
}

/// A value for all steps, or for one: `cut=20 mm/s`.
pub(super) fn setting(text: &str) -> Result<(Option<String>, String), String> {
    let (of, value) = match text.split_once('=') {
        Some((of, value)) => (Some(of.trim().to_string()), value),
        None => (None, text),
    };
    let value = value.trim().trim_matches('"').trim();
    if value.is_empty() || of.as_deref() == Some("") {
        return Err("write MAKE=VALUE, or a value for all".into());
    }
    Ok((of, value.into()))
}

/// A length that may be below zero; a number alone is mm.
pub(super) fn signed_length(text: &str) -> Result<f64, String> {
    let parsed = match text.trim().parse::<f64>() {
        Ok(mm) => Ok(mm),
        Err(_) => tinkite_core::quantity::parse::<tinkite_core::quantity::Length>(text)
            .map(|length| length.0)
            .map_err(|error| format!("{}; {}", error.message, error.help)),
    };
    parsed.and_then(|mm| {
        let real = mm.is_finite() && mm.abs() <= 100_000.0;
        if real { Ok(mm) } else { Err("no machine is as large".into()) }
    })
}

/// A speed above zero; a number alone is mm/s.
pub(super) fn speed(text: &str) -> Result<f64, String> {
    let parsed = match text.trim().parse::<f64>() {
        Ok(speed) => speed,
        Err(_) => {
            tinkite_core::quantity::parse::<tinkite_core::quantity::Speed>(text)
                .map_err(|error| format!("{}; {}", error.message, error.help))?
                .0
        }
    };
    if parsed.is_finite() && parsed > 0.0 { Ok(parsed) } else { Err("a speed above zero".into()) }
}
