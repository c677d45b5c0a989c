//! Lines of the protocol: with number and checksum, and what answers say.

/// A line with its number and checksum: the exclusive or of all bytes before the `*`.
pub(super) fn frame(number: u64, text: &[u8]) -> Vec<u8> {
    let mut line = format!("N{number} ").into_bytes();
    line.extend_from_slice(text);
    let sum = line.iter().fold(0_u8, |sum, byte| sum ^ byte);
    line.extend_from_slice(format!("*{sum}\n").as_bytes());
    line
}

/// The position in an answer to `M114`: `X:10.00 Y:5.00 Z:0.00 …`, mm.
pub(super) fn position(line: &str) -> Option<[f64; 3]> {
    if !line.starts_with("X:") {
        return None;
    }
    let axis = |name: &str| {
        let (_, rest) = line.split_once(name)?;
        rest.split_whitespace().next()?.parse::<f64>().ok().filter(|v| v.is_finite())
    };
    Some([axis("X:")?, axis("Y:")?, axis("Z:").unwrap_or(0.0)])
}

/// Free places in the planner, in an answer that tells them: `ok P15 B3`.
pub(super) fn room(line: &str) -> Option<u32> {
    line.split_whitespace().skip(1).find_map(|word| word.strip_prefix('P')?.parse().ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_carries_its_number_and_the_sum_of_its_bytes() {
        // 'N'^'3'^' '^'T'^'0' = 57, worked out by hand.
        assert_eq!(frame(3, b"T0"), b"N3 T0*57\n");
    }

    #[test]
    fn position_and_room_are_read_from_answers() {
        assert_eq!(position("X:10.50 Y:-5.00 Z:0.30 E:0.00 Count X:840"), Some([10.5, -5.0, 0.3]));
        assert_eq!(position("X: 1.00 Y: 2.00"), Some([1.0, 2.0, 0.0]));
        for none in ["X:1.00", "ok X:1 Y:2", "X:nan Y:1.00", "T:20 /0"] {
            assert_eq!(position(none), None);
        }
        assert_eq!((room("ok P15 B3"), room("ok"), room("ok B3 P0")), (Some(15), None, Some(0)));
    }
}
