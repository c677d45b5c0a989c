//! Time, as it is handed in.

use std::ops::{Add, Sub};

/// A moment: microseconds from a zero of the caller's choosing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct Instant(pub u64);

/// A length of time in microseconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct Span(pub u64);

impl Span {
    /// From milliseconds.
    #[must_use]
    pub const fn millis(ms: u64) -> Self {
        Self(ms * 1000)
    }
}

impl Add<Span> for Instant {
    type Output = Self;
    fn add(self, span: Span) -> Self {
        Self(self.0.saturating_add(span.0))
    }
}

impl Sub for Instant {
    type Output = Span;
    fn sub(self, earlier: Self) -> Span {
        Span(self.0.saturating_sub(earlier.0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_are_counted_in_microseconds_and_never_run_over() {
        let (early, late) = (Instant(1_500), Instant(4_000));
        assert_eq!(late - early, Span(2_500));
        assert_eq!(early - late, Span(0));
        assert_eq!(early + Span::millis(2), Instant(3_500));
        assert_eq!(Instant(u64::MAX) + Span(1), Instant(u64::MAX));
    }
}
