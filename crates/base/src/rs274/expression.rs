//! Parameters and expressions of a line: `#1 = [#2 + 3]`, `X[SIN[30] * 10]`.
//!
//! Source: NIST IR 6556, "The NIST RS274/NGC Interpreter, Version 3", section 3.3.2. Angles are in
//! degrees; a parameter that is set takes its value after the line has been read.

use super::words::{LineError, Word, blanks, number, passed_over, words};
use crate::quantity::plain;
use std::collections::BTreeMap;

/// The parameters of a program and what they hold.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Parameters {
    values: BTreeMap<u16, f64>,
    /// Set on the line at hand, not yet in force.
    pending: Vec<(u16, f64)>,
}

/// The highest parameter that a controller of the standard has.
const LAST: f64 = 5400.0;

/// How deep brackets may stand in one another.
const DEEPEST: usize = 64;

impl Parameters {
    /// Takes a line apart into `words` (cleared first), with its expressions worked out.
    ///
    /// # Errors
    /// The first thing that is not RS-274/NGC, or has no value.
    pub fn words(&mut self, line: &[u8], words: &mut Vec<Word>) -> Result<(), LineError> {
        words.clear();
        self.pending.clear();
        let mut at = 0;
        loop {
            at = passed_over(line, at)?;
            let Some(byte) = line.get(at) else { break };
            match byte.to_ascii_uppercase() {
                b'#' => {
                    let mut reader = Reader { line, at: at + 1, parameters: self };
                    let index = reader.index(0)?;
                    reader.skip();
                    if reader.peek() != Some(b'=') {
                        return Err(LineError::Expression(at));
                    }
                    reader.at += 1;
                    let value = reader.value(0)?;
                    at = reader.at;
                    self.pending.push((index, value));
                }
                letter @ b'A'..=b'Z' => {
                    let mut reader = Reader { line, at: at + 1, parameters: self };
                    let value = reader.value(0).map_err(|error| match error {
                        LineError::Expression(_) if plain_ahead(line, at + 1) => {
                            LineError::BadNumber(at)
                        }
                        error => error,
                    })?;
                    at = reader.at;
                    if letter != b'N' {
                        words.push(Word { letter, value });
                    }
                }
                _ => return Err(LineError::Stray(at)),
            }
        }
        self.values.extend(self.pending.drain(..));
        Ok(())
    }
}

/// Puts a program into words that every controller knows: parameters and expressions are worked out
/// on the way, and everything else stays as it is.
#[derive(Debug, Default)]
pub struct Evaluator {
    parameters: Parameters,
    words: Vec<Word>,
}

impl Evaluator {
    /// The line without expressions; `None` where it can be sent as it stands.
    ///
    /// # Errors
    /// An expression that is none, or has no value.
    pub fn line(&mut self, line: &[u8]) -> Result<Option<Vec<u8>>, LineError> {
        if !matches!(words(line, &mut self.words), Err(LineError::Expression(_))) {
            return Ok(None);
        }
        self.parameters.words(line, &mut self.words)?;
        let one = |word: &Word| format!("{}{}", word.letter as char, plain(word.value, 4));
        Ok(Some(self.words.iter().map(one).collect::<Vec<_>>().join(" ").into_bytes()))
    }
}

/// Whether what follows a letter is no expression at all.
fn plain_ahead(line: &[u8], at: usize) -> bool {
    !line[at..].iter().any(|b| matches!(b, b'#' | b'['))
}

/// What joins two values, weakest first: how strongly each binds.
const BINARY: [(&[u8], u8, Operator); 9] = [
    (b"**", 3, Operator::Power),
    (b"*", 2, Operator::Times),
    (b"/", 2, Operator::Over),
    (b"MOD", 2, Operator::Modulo),
    (b"+", 1, Operator::Plus),
    (b"-", 1, Operator::Minus),
    (b"AND", 1, Operator::And),
    (b"XOR", 1, Operator::Xor),
    (b"OR", 1, Operator::Or),
];

#[derive(Debug, Clone, Copy)]
enum Operator {
    Power,
    Times,
    Over,
    Modulo,
    Plus,
    Minus,
    And,
    Xor,
    Or,
}

impl Operator {
    fn apply(self, a: f64, b: f64) -> f64 {
        let truth = |yes: bool| if yes { 1.0 } else { 0.0 };
        let (p, q) = (a != 0.0, b != 0.0);
        match self {
            Self::Power => a.powf(b),
            Self::Times => a * b,
            Self::Over => a / b,
            Self::Modulo => a.rem_euclid(b),
            Self::Plus => a + b,
            Self::Minus => a - b,
            Self::And => truth(p && q),
            Self::Xor => truth(p != q),
            Self::Or => truth(p || q),
        }
    }
}

type Function = fn(f64) -> f64;

/// Functions of one value; ATAN has two and stands apart.
const UNARY: [(&[u8], Function); 13] = [
    (b"ABS", f64::abs),
    (b"ACOS", |x| x.acos().to_degrees()),
    (b"ASIN", |x| x.asin().to_degrees()),
    (b"COS", |x| x.to_radians().cos()),
    (b"EXP", f64::exp),
    (b"FIX", f64::floor),
    (b"FUP", f64::ceil),
    (b"LN", f64::ln),
    (b"ROUND", f64::round),
    (b"SIN", |x| x.to_radians().sin()),
    (b"SQRT", f64::sqrt),
    (b"TAN", |x| x.to_radians().tan()),
    (b"INT", f64::trunc),
];

struct Reader<'l, 'p> {
    line: &'l [u8],
    at: usize,
    parameters: &'p Parameters,
}

impl Reader<'_, '_> {
    fn skip(&mut self) {
        self.at += blanks(&self.line[self.at.min(self.line.len())..]);
    }

    fn peek(&self) -> Option<u8> {
        self.line.get(self.at).map(u8::to_ascii_uppercase)
    }

    /// Whether `word` stands here; passes over it.
    fn take(&mut self, word: &[u8]) -> bool {
        let here = self.line.get(self.at..self.at + word.len());
        let stands = here.is_some_and(|text| text.eq_ignore_ascii_case(word));
        self.at += if stands { word.len() } else { 0 };
        stands
    }

    fn fail<T>(&self) -> Result<T, LineError> {
        Err(LineError::Expression(self.at.min(self.line.len())))
    }

    /// A number, parameter, function or bracket.
    fn value(&mut self, depth: usize) -> Result<f64, LineError> {
        if depth > DEEPEST {
            return self.fail();
        }
        self.skip();
        let begin = self.at;
        let value = match self.peek() {
            Some(b'#') => {
                self.at += 1;
                let index = self.index(depth + 1)?;
                self.parameters.values.get(&index).copied().unwrap_or(0.0)
            }
            Some(b'[') => self.bracket(depth)?,
            Some(b'-') if matches!(self.line.get(self.at + 1), Some(b'#' | b'[')) => {
                self.at += 1;
                -self.value(depth + 1)?
            }
            Some(b'A'..=b'Z') => self.function(depth)?,
            _ => {
                let (value, length) = number(&self.line[self.at.min(self.line.len())..])
                    .ok_or(LineError::Expression(begin))?;
                self.at += length;
                value
            }
        };
        if value.is_finite() { Ok(value) } else { Err(LineError::NoValue(begin)) }
    }

    fn function(&mut self, depth: usize) -> Result<f64, LineError> {
        if self.take(b"ATAN") {
            let rise = self.bracket(depth)?;
            self.skip();
            if !self.take(b"/") {
                return self.fail();
            }
            return Ok(rise.atan2(self.bracket(depth)?).to_degrees());
        }
        for (name, function) in UNARY {
            if self.take(name) {
                return Ok(function(self.bracket(depth)?));
            }
        }
        self.fail()
    }

    /// The number of a parameter.
    fn index(&mut self, depth: usize) -> Result<u16, LineError> {
        let begin = self.at;
        let index = self.value(depth + 1)?;
        let whole = index.round();
        if (index - whole).abs() > 1e-6 || !(1.0..=LAST).contains(&whole) {
            return Err(LineError::NoValue(begin));
        }
        Ok(whole as u16)
    }

    fn bracket(&mut self, depth: usize) -> Result<f64, LineError> {
        self.skip();
        if !self.take(b"[") {
            return self.fail();
        }
        let value = self.sum(1, depth + 1)?;
        self.skip();
        if self.take(b"]") { Ok(value) } else { self.fail() }
    }

    /// Values joined by operators that bind at least so strongly, from left to right.
    fn sum(&mut self, least: u8, depth: usize) -> Result<f64, LineError> {
        let mut value = self.value(depth)?;
        loop {
            self.skip();
            let begin = self.at;
            let Some((_, strength, operator)) =
                BINARY.into_iter().find(|(name, ..)| self.take(name))
            else {
                return Ok(value);
            };
            if strength < least {
                self.at = begin;
                return Ok(value);
            }
            let right = self.sum(strength + 1, depth + 1)?;
            value = operator.apply(value, right);
            if !value.is_finite() {
                return Err(LineError::NoValue(begin));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn value(text: &str) -> Result<f64, LineError> {
        let mut words = Vec::new();
        Parameters::default().words(format!("X{text}").as_bytes(), &mut words)?;
        Ok(words[0].value)
    }

    #[test]
    fn the_standards_own_examples_come_out() {
        // Section 3.3.2.3: 15 for the first; powers bind most, then products, then sums.
        assert_eq!(value("[1 + acos[0] - [#3 ** [4.0/2]]]").unwrap(), 91.0);
        assert_eq!(value("[2.0 / 3 * 1.5 - 5.5 / 11.0]").unwrap(), 0.5);
        assert_eq!(value("[2 ** 3 ** 2]").unwrap(), 64.0);
        assert_eq!(value("[7 mod 4]").unwrap(), 3.0);
        assert_eq!(value("[1 or 0 and 0]").unwrap(), 0.0);
        assert!((value("atan[1]/[1]").unwrap() - 45.0).abs() < 1e-12);
        assert_eq!((value("fix[-2.8]").unwrap(), value("fup[-2.8]").unwrap()), (-3.0, -2.0));
        assert_eq!(value("-[3]").unwrap(), -3.0);
    }

    #[test]
    fn a_parameter_set_on_a_line_counts_from_the_next() {
        let (mut parameters, mut words) = (Parameters::default(), Vec::new());
        parameters.words(b"#3=6", &mut words).unwrap();
        parameters.words(b"#3=15 G1 X#3", &mut words).unwrap();
        assert_eq!(words[1].value, 6.0);
        parameters.words(b"Y##4 X#3", &mut words).unwrap_err();
        parameters.words(b"#4=3", &mut words).unwrap();
        parameters.words(b"Y##4", &mut words).unwrap();
        assert_eq!(words[0].value, 15.0);
    }

    #[test]
    fn what_has_no_value_is_told() {
        assert!(matches!(value("[1/0]"), Err(LineError::NoValue(_))));
        assert!(matches!(value("sqrt[-1]"), Err(LineError::NoValue(_))));
        assert!(matches!(value("#0"), Err(LineError::NoValue(_))));
        assert!(matches!(value("[1 + ]"), Err(LineError::Expression(_))));
        assert!(matches!(value("[1"), Err(LineError::Expression(_))));
        assert!(value(&"[".repeat(9000)).is_err());
    }

    proptest! {
        #[test]
        fn any_text_has_a_value_or_an_error(text in "[#\\[\\]+*/a-z0-9. =-]{0,40}") {
            let mut words = Vec::new();
            if Parameters::default().words(text.as_bytes(), &mut words).is_ok() {
                prop_assert!(words.iter().all(|w| w.value.is_finite()));
            }
        }
    }
}
