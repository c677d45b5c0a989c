//! Group codes and values, from text or binary (DXF reference, "Group codes" and "Binary DXF").

use crate::encoding::{CodePage, code_page};
use std::borrow::Cow;
use tinkite_base::problem::{Code, Problem};

/// The value of a tag, as it was stored.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Value<'a> {
    Text(Cow<'a, str>),
    Real(f64),
    Whole(i64),
}

/// One pair of group code and value.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Tag<'a> {
    pub(super) code: i32,
    pub(super) value: Value<'a>,
    /// Line of the group code in a text file, from 1; 0 in a binary one.
    pub(super) line: u32,
}

impl Tag<'_> {
    /// As text; empty for numbers.
    pub(super) fn text(&self) -> &str {
        match &self.value {
            Value::Text(text) => text,
            _ => "",
        }
    }

    /// As a finite number.
    pub(super) fn real(&self) -> Option<f64> {
        let number = match &self.value {
            Value::Real(number) => Some(*number),
            Value::Whole(number) => Some(*number as f64),
            Value::Text(text) => text.trim().parse().ok(),
        };
        number.filter(|n: &f64| n.is_finite())
    }

    /// As a whole number.
    pub(super) fn whole(&self) -> Option<i64> {
        match &self.value {
            Value::Whole(number) => Some(*number),
            Value::Real(number) => Some(*number as i64),
            Value::Text(text) => text.trim().parse().ok(),
        }
    }
}

/// What a DXF file starts with when it is binary: 22 bytes.
pub(super) const BINARY_HEAD: usize = 22;

/// Reads all tags, as far as the file is whole; also whether it ends with `EOF` as it must.
pub(super) fn read(bytes: &[u8]) -> Result<(Vec<Tag<'_>>, bool, Letters), Problem> {
    let binary = bytes.get(..BINARY_HEAD).is_some_and(|h| h.ends_with(b" Binary DXF\r\n\x1a\0"));
    let mut letters = Letters::of(bytes);
    let tags = match binary {
        true => binary_tags(&bytes[BINARY_HEAD..], &mut letters),
        false => text_tags(bytes, &mut letters)?,
    };
    let whole = is_end(tags.last());
    Ok((tags, whole, letters))
}

/// How letters are written: UTF-8 since R2007, before that the code page that the header names.
pub(super) struct Letters {
    page: Option<CodePage>,
    /// What the header calls it, where that is not known.
    pub(super) unknown: Option<String>,
    /// Whether any letter was read in it.
    pub(super) used: bool,
}

impl Letters {
    fn of(bytes: &[u8]) -> Self {
        const NAME: &[u8] = b"$DWGCODEPAGE";
        let head = &bytes[..bytes.len().min(1 << 16)];
        let at = head.windows(NAME.len()).position(|window| window == NAME);
        let rest = at.map(|at| &head[at + NAME.len()..]).unwrap_or_default();
        // Behind the group code 3, as text or as a byte or two.
        let words = rest.split(|b| matches!(b, b'\n' | b'\r' | 0 | 3) || *b == b' ');
        let mut words = words.filter(|word| !word.is_empty() && *word != b"3");
        let name = words.next().and_then(|word| std::str::from_utf8(word).ok());
        let page = name.and_then(code_page);
        let unknown = name.filter(|_| page.is_none()).map(str::to_string);
        Self { page: page.or_else(|| code_page("ansi_1252")), unknown, used: false }
    }

    fn text<'a>(&mut self, bytes: &'a [u8]) -> Cow<'a, str> {
        match (std::str::from_utf8(bytes), self.page) {
            (Ok(text), _) => Cow::Borrowed(text),
            (Err(_), Some(page)) => {
                self.used = true;
                Cow::Owned(page.text(bytes))
            }
            (Err(_), None) => String::from_utf8_lossy(bytes),
        }
    }
}

fn is_end(tag: Option<&Tag<'_>>) -> bool {
    tag.is_some_and(|tag| tag.code == 0 && tag.text().trim() == "EOF")
}

fn text_tags<'a>(bytes: &'a [u8], letters: &mut Letters) -> Result<Vec<Tag<'a>>, Problem> {
    let mut tags = Vec::with_capacity(bytes.len() / 12);
    let mut lines = bytes.split(|b| *b == b'\n').zip(1u32..);
    while let Some((code, line)) = lines.next() {
        let code = String::from_utf8_lossy(code);
        let code = code.trim_start_matches('\u{feff}').trim();
        let Some((value, _)) = lines.next() else { break };
        let Ok(code) = code.parse::<i32>() else {
            let short: String = code.chars().take(40).collect();
            return Err(Problem::error(
                Code::BrokenDxf,
                format!("\"{short}\" stands where a group code (a whole number) should"),
                "open the drawing in the CAD program and save it again as DXF",
            )
            .at(tinkite_base::problem::Location::line("", line)));
        };
        let value = value.strip_suffix(b"\r").unwrap_or(value);
        tags.push(Tag { code, value: Value::Text(letters.text(value)), line });
        // What stands behind the end is nobody's drawing.
        if is_end(tags.last()) {
            break;
        }
    }
    Ok(tags)
}

/// How a value of a group code is stored in a binary file.
enum Stored {
    Text,
    Real,
    Byte,
    Short,
    Long,
    Huge,
    Chunk,
}

fn storage_of(code: i32) -> Stored {
    match code {
        10..=59 | 110..=149 | 210..=239 | 460..=469 | 1010..=1059 => Stored::Real,
        290..=299 => Stored::Byte,
        60..=79 | 170..=179 | 270..=289 | 370..=389 | 400..=409 | 1060..=1070 => Stored::Short,
        90..=99 | 420..=429 | 440..=459 | 1071 => Stored::Long,
        160..=169 => Stored::Huge,
        310..=319 | 1004 => Stored::Chunk,
        _ => Stored::Text,
    }
}

fn binary_tags<'a>(bytes: &'a [u8], letters: &mut Letters) -> Vec<Tag<'a>> {
    // R12 and before: one byte of group code, 255 escapes a longer one. Later: always two bytes.
    // The first tag is 0 "SECTION", so its second byte tells which.
    let wide = bytes.get(1) == Some(&0);
    let mut at = 0;
    let mut tags = Vec::new();
    while let Some(tag) = binary_tag(bytes, &mut at, wide, letters) {
        tags.push(tag);
        if is_end(tags.last()) {
            break;
        }
    }
    tags
}

fn take<const N: usize>(bytes: &[u8], at: &mut usize) -> Option<[u8; N]> {
    let taken = bytes.get(*at..at.checked_add(N)?)?.try_into().ok()?;
    *at += N;
    Some(taken)
}

fn binary_tag<'a>(
    bytes: &'a [u8],
    at: &mut usize,
    wide: bool,
    letters: &mut Letters,
) -> Option<Tag<'a>> {
    let code = if wide {
        i16::from_le_bytes(take(bytes, at)?)
    } else {
        match take::<1>(bytes, at)?[0] {
            255 => i16::from_le_bytes(take(bytes, at)?),
            code => i16::from(code),
        }
    };
    let code = i32::from(code);
    let value = match storage_of(code) {
        Stored::Real => Value::Real(f64::from_le_bytes(take(bytes, at)?)),
        Stored::Byte => Value::Whole(i64::from(take::<1>(bytes, at)?[0])),
        Stored::Short => Value::Whole(i64::from(i16::from_le_bytes(take(bytes, at)?))),
        Stored::Long => Value::Whole(i64::from(i32::from_le_bytes(take(bytes, at)?))),
        Stored::Huge => Value::Whole(i64::from_le_bytes(take(bytes, at)?)),
        Stored::Chunk => {
            let length = usize::from(take::<1>(bytes, at)?[0]);
            *at = at.checked_add(length).filter(|end| *end <= bytes.len())?;
            Value::Whole(0)
        }
        Stored::Text => {
            let rest = bytes.get(*at..)?;
            let length = rest.iter().position(|b| *b == 0)?;
            *at += length + 1;
            Value::Text(letters.text(&rest[..length]))
        }
    };
    Some(Tag { code, value, line: 0 })
}
