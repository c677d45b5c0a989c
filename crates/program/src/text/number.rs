//! Numbers in programs: formatted here and nowhere else.
//!
//! Positions are rounded to whole micrometres first and compared as such, so that a word is left
//! out exactly when the text would be the same.

use crate::segment::{Feed, Micron};
use tinkite_machine::source::Level;

/// Appends `letter` and a length without trailing zeros: `X12.5`, `Y-0.003`.
pub(super) fn push_length(out: &mut Vec<u8>, letter: u8, value: Micron) {
    push_scaled::<3>(out, letter, value);
}

/// Appends an S word.
pub(super) fn push_level(out: &mut Vec<u8>, level: Level) {
    push_scaled::<3>(out, b'S', i64::from(level.thousandths()));
}

/// Appends an F word.
pub(super) fn push_feed(out: &mut Vec<u8>, feed: Feed) {
    push_scaled::<4>(out, b'F', i64::try_from(feed.ten_thousandths()).unwrap_or(i64::MAX));
}

/// Appends `letter` and `value` (≥ 0) with at most `PLACES` decimals.
pub(super) fn push_rounded<const PLACES: u32>(out: &mut Vec<u8>, letter: u8, value: f64) {
    let scaled = (value * 10_f64.powi(PLACES as i32)).round() as i64;
    push_scaled::<PLACES>(out, letter, scaled);
}

/// The places are known to the compiler: there is no slow division in the text of a million numbers.
fn push_scaled<const PLACES: u32>(out: &mut Vec<u8>, letter: u8, value: i64) {
    out.push(letter);
    if value < 0 {
        out.push(b'-');
    }
    let unit = const { 10_u64.pow(PLACES) };
    let magnitude = value.unsigned_abs();
    push_digits(out, magnitude / unit);
    let mut fraction = magnitude % unit;
    if fraction == 0 {
        return;
    }
    out.push(b'.');
    while fraction > 0 {
        fraction *= 10;
        out.push(b'0' + (fraction / unit) as u8);
        fraction %= unit;
    }
}

fn push_digits(out: &mut Vec<u8>, mut value: u64) {
    let mut digits = [0_u8; 20];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (value % 10) as u8;
        value /= 10;
        if value == 0 {
            break;
        }
    }
    out.extend_from_slice(&digits[at..]);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::segment::microns;

    #[test]
    fn numbers_carry_no_junk_and_read_back_the_same() {
        for (mm, text) in [
            (12.5, "X12.5"),
            (-0.003, "X-0.003"),
            (0.0, "X0"),
            (-0.0004, "X0"),
            (100.0, "X100"),
            (0.05, "X0.05"),
            (1234.5678, "X1234.568"),
        ] {
            let mut out = Vec::new();
            push_length(&mut out, b'X', microns(mm));
            assert_eq!(String::from_utf8(out).unwrap(), text);
        }
        for n in -3000..3000 {
            let mut out = Vec::new();
            push_length(&mut out, b'Y', n * 7);
            let back: f64 = std::str::from_utf8(&out[1..]).unwrap().parse().unwrap();
            assert_eq!(microns(back), n * 7);
        }
    }
}
