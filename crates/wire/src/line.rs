//! A line of a program, made ready for the wire.

/// What of a line goes out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Prepared {
    /// Nothing: an empty line, a comment, a `%`.
    Nothing,
    /// These bytes, without a line end.
    Send(Vec<u8>),
    /// The line holds a byte that a controller acts upon at once, wherever it stands.
    RealTimeByte(u8),
}

/// Strips comments and blanks. Comments never go out: they cost buffer, and a `?` or `!` in one
/// would be taken for a command.
#[must_use]
pub fn prepare(line: &[u8]) -> Prepared {
    let mut out = Vec::with_capacity(line.len());
    let mut in_comment = false;
    for byte in line {
        match byte {
            b')' if in_comment => in_comment = false,
            _ if in_comment => {}
            b'(' => in_comment = true,
            b';' => break,
            b' ' | b'\t' | b'\r' | b'\n' | b'%' => {}
            b'!' | b'?' | b'~' | 0..=0x1f | 0x80.. => return Prepared::RealTimeByte(*byte),
            byte => out.push(*byte),
        }
    }
    if out.is_empty() { Prepared::Nothing } else { Prepared::Send(out) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn comments_blanks_and_marks_stay_at_home() {
        assert_eq!(
            prepare(b"G1 X5 (why? because!) F600 ; done~"),
            Prepared::Send(b"G1X5F600".to_vec())
        );
        // A bracket that closes nothing is no comment: the controller is to refuse it.
        assert_eq!(prepare(b"G1 X5) F600"), Prepared::Send(b"G1X5)F600".to_vec()));
        for nothing in [&b""[..], b"; hello", b"(a) (b)", b"%", b" \r\n"] {
            assert_eq!(prepare(nothing), Prepared::Nothing);
        }
    }

    #[test]
    fn bytes_that_act_at_once_are_refused() {
        assert_eq!(prepare(b"G1 X5!"), Prepared::RealTimeByte(b'!'));
        assert_eq!(prepare(b"\x18"), Prepared::RealTimeByte(0x18));
        assert_eq!(prepare("G1 é".as_bytes()), Prepared::RealTimeByte(0xc3));
    }
}
