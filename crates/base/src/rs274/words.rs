//! Text → words: one line of RS-274/NGC at a time.
//!
//! Source: NIST IR 6556, "The NIST RS274/NGC Interpreter, Version 3", section 3.

/// One word: a letter (upper case) and its number.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Word {
    /// `A` to `Z`.
    pub letter: u8,
    /// The number behind it.
    pub value: f64,
}

/// Why a line could not be taken apart. Each says at which byte of the line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LineError {
    /// A letter without a number, or a number that is not one.
    BadNumber(usize),
    /// Something that is neither a word nor a comment.
    Stray(usize),
    /// A `(` without a `)`.
    OpenComment(usize),
    /// A parameter or expression that is not one, or stands where only plain words are taken.
    Expression(usize),
    /// An expression that has no finite value, or a parameter that no controller has.
    NoValue(usize),
}

impl LineError {
    /// What is wrong with `line`, in words.
    #[must_use]
    pub fn describe(self, line: &[u8]) -> String {
        match self {
            Self::BadNumber(at) => format!("\"{}\" has no proper number", excerpt(line, at)),
            Self::Stray(at) => format!("\"{}\" is not a word", excerpt(line, at)),
            Self::OpenComment(at) => format!("the comment \"{}\" has no end", excerpt(line, at)),
            Self::Expression(at) => {
                format!("\"{}\" is no proper parameter or expression", excerpt(line, at))
            }
            Self::NoValue(at) => format!("\"{}\" has no value", excerpt(line, at)),
        }
    }
}

/// How a piece of a line that could not be read is shown.
fn excerpt(line: &[u8], at: usize) -> String {
    let end = line.len().min(at + 12);
    let text = String::from_utf8_lossy(&line[at.min(line.len())..end]);
    text.chars().map(|c| if c.is_control() { '.' } else { c }).collect()
}

/// Takes a line without parameters and expressions apart into `words` (cleared first). Comments, white space, line numbers, the
/// block-delete slash and `%` marks are passed over.
///
/// # Errors
/// The first thing that is not RS-274/NGC.
pub fn words(line: &[u8], words: &mut Vec<Word>) -> Result<(), LineError> {
    words.clear();
    let mut at = 0;
    loop {
        at = passed_over(line, at)?;
        let Some(byte) = line.get(at) else { return Ok(()) };
        match byte.to_ascii_uppercase() {
            b'#' | b'[' | b'=' => return Err(LineError::Expression(at)),
            letter @ b'A'..=b'Z' => {
                let begin = at + 1 + blanks(&line[at + 1..]);
                if matches!(line.get(begin), Some(b'#' | b'[')) {
                    return Err(LineError::Expression(begin));
                }
                let (value, length) = number(&line[begin..]).ok_or(LineError::BadNumber(at))?;
                at = begin + length;
                if letter != b'N' {
                    words.push(Word { letter, value });
                }
            }
            _ => return Err(LineError::Stray(at)),
        }
    }
}

/// Where the next word begins: behind blanks, comments, block-delete slashes and `%` marks; the
/// line's end when there is none.
pub(super) fn passed_over(line: &[u8], mut at: usize) -> Result<usize, LineError> {
    while let Some(byte) = line.get(at) {
        match byte {
            b' ' | b'\t' | b'%' | b'/' => at += 1,
            // The end of a line, to a controller.
            b'\r' if line[at..].trim_ascii().is_empty() => return Ok(line.len()),
            b';' => return Ok(line.len()),
            b'(' => match line[at..].iter().position(|b| *b == b')') {
                Some(length) => at += length + 1,
                None => return Err(LineError::OpenComment(at)),
            },
            _ => break,
        }
    }
    Ok(at)
}

pub(super) fn blanks(text: &[u8]) -> usize {
    text.iter().take_while(|b| matches!(b, b' ' | b'\t')).count()
}

/// Exact powers of ten.
const TENS: [f64; 16] =
    [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15];

/// The number at the start of `text` and its length. RS-274 has no exponents.
pub(super) fn number(text: &[u8]) -> Option<(f64, usize)> {
    let negative = text.first() == Some(&b'-');
    let mut at = usize::from(matches!(text.first(), Some(b'-' | b'+')));
    let (mut digits, mut places, mut count) = (0_u64, None::<usize>, 0);
    while let Some(byte) = text.get(at) {
        match byte {
            b'0'..=b'9' => {
                // Fifteen digits are exact in a double; a program has no use for more.
                if count < 15 {
                    digits = digits * 10 + u64::from(byte - b'0');
                    count += usize::from(digits > 0);
                    places = places.map(|p| p + 1);
                } else if places.is_none() {
                    return None;
                }
            }
            b'.' if places.is_none() => places = Some(0),
            _ => break,
        }
        at += 1;
    }
    if !text[..at].iter().any(u8::is_ascii_digit) {
        return None;
    }
    let places = places.unwrap_or(0);
    let value = if places < TENS.len() { digits as f64 / TENS[places] } else { 0.0 };
    Some((if negative { -value } else { value }, at))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(line: &str) -> Result<Vec<(char, f64)>, LineError> {
        let mut out = Vec::new();
        words(line.as_bytes(), &mut out)
            .map(|()| out.iter().map(|w| (w.letter as char, w.value)).collect())
    }

    #[test]
    fn words_stand_between_comments_and_blanks() {
        assert_eq!(
            read("/N10 g1 X 1.5y-.25 (a ; b) F+1200. ; X9").unwrap(),
            [('G', 1.0), ('X', 1.5), ('Y', -0.25), ('F', 1200.0)]
        );
        assert_eq!(read("%").unwrap(), []);
        assert_eq!(read("G38.2").unwrap(), [('G', 38.2)]);
    }

    #[test]
    fn what_is_not_a_word_is_told_with_its_place() {
        assert_eq!(read("G1 X"), Err(LineError::BadNumber(3)));
        assert_eq!(read("G1 X1.2.3"), Err(LineError::Stray(7)));
        assert_eq!(read("G1 X--1"), Err(LineError::BadNumber(3)));
        assert_eq!(read("G1 (open"), Err(LineError::OpenComment(3)));
        assert_eq!(read("#1=5"), Err(LineError::Expression(0)));
        assert_eq!(read("G1 X[1+2]"), Err(LineError::Expression(4)));
        assert_eq!(read("X1234567890123456789"), Err(LineError::BadNumber(0)));
        assert!(matches!(read("G1 é"), Err(LineError::Stray(3))));
    }

    proptest! {
        #[test]
        fn any_bytes_give_words_or_an_error(bytes in proptest::collection::vec(any::<u8>(), 0..60)) {
            let mut out = Vec::new();
            if words(&bytes, &mut out).is_ok() {
                prop_assert!(out.iter().all(|w| w.value.is_finite()));
            }
        }
    }
}
