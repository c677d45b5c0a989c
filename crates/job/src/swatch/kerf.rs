//! Kerf from a comb of parts.

use thiserror::Error;

/// Why what was measured at a comb cannot be.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum KerfError {
    /// The parts are wider than they were drawn.
    #[error(
        "{together} mm is more than the {drawn} mm that were drawn: measure again, parts pushed together"
    )]
    More {
        /// What was measured, mm.
        together: f64,
        /// What was drawn, mm.
        drawn: f64,
    },
    /// No beam is so wide.
    #[error("{together} mm would be a kerf of {kerf:.2} mm: are all {parts} parts there?")]
    Wide {
        /// What was measured, mm.
        together: f64,
        /// What that would be, mm.
        kerf: f64,
        /// How many parts were cut.
        parts: f64,
    },
}

/// What was measured at a comb.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measured {
    /// Width of all parts pushed together, mm.
    pub together: f64,
    /// How far that may be off, mm: what the caliper shows of itself.
    pub within: f64,
}

/// The kerf that a comb of `parts` parts, each drawn `width` mm wide, was cut with, and how far it may be off,
/// mm. Parts that share their edges lose a kerf each: half on either side.
///
/// # Errors
/// What was measured cannot be.
pub fn kerf_of(parts: u32, width: f64, measured: Measured) -> Result<(f64, f64), KerfError> {
    let parts = f64::from(parts);
    let kerf = (parts * width - measured.together) / parts;
    let error = measured.within / parts;
    let drawn = parts * width;
    if kerf < -error {
        return Err(KerfError::More { together: measured.together, drawn });
    }
    if kerf > width / 4.0 {
        return Err(KerfError::Wide { together: measured.together, kerf, parts });
    }
    Ok((kerf.max(0.0), error))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_kerf_is_what_each_part_lacks() {
        let measured = |together| Measured { together, within: 0.05 };
        let (kerf, error) = kerf_of(10, 10.0, measured(98.4)).unwrap();
        assert!((kerf - 0.16).abs() < 1e-9 && (error - 0.005).abs() < 1e-9);
        assert!(kerf_of(10, 10.0, measured(100.5)).is_err());
        assert!(kerf_of(10, 10.0, measured(60.0)).is_err());
    }
}
