//! What reaches a terminal: names, notes and what controllers say may hold characters that a terminal would obey, or that
//! turn the order of what is read. Here is the one door: they are shown, and do nothing.

use std::borrow::Cow;

/// Whether a terminal would obey a character, or read what follows in another direction.
fn acts(sign: char) -> bool {
    match sign {
        '\n' | '\t' => false,
        // Marks, embeddings, overrides and isolates of direction; separators of lines; a mark of byte order.
        '\u{61c}'
        | '\u{200e}'
        | '\u{200f}'
        | '\u{2028}'..='\u{202e}'
        | '\u{2066}'..='\u{2069}'
        | '\u{feff}' => true,
        sign => sign.is_control(),
    }
}

/// A sign that is shown in place of one that acts.
fn shown(sign: char) -> char {
    match u32::from(sign) {
        // Pictures of control characters: U+2400 and on.
        code @ 0..=0x1f => char::from_u32(0x2400 + code).unwrap_or('\u{fffd}'),
        0x7f => '\u{2421}',
        _ => '\u{fffd}',
    }
}

/// How long a sequence is that sets a colour or weight as this program sets them, bytes; nothing for any other.
fn colour(text: &str) -> Option<usize> {
    let codes = text.strip_prefix("\x1b[")?.split_once('m')?.0;
    let known = |code: &str| match code.parse::<u8>() {
        Ok(code) => matches!(code, 0..=4 | 22 | 30..=39 | 90..=97),
        Err(_) => false,
    };
    // Of 256 or of all colours: the first number says so, the others are no codes.
    let plain = codes.split(';').all(known);
    let rich = ["38;", "48;"].iter().find_map(|ground| codes.strip_prefix(ground));
    let rich = rich.is_some_and(|rest| {
        rest.starts_with(['2', '5']) && rest.split(';').all(|n| n.parse::<u8>().is_ok())
    });
    (plain || rich).then_some(codes.len() + 3)
}

/// Text for a terminal; `coloured`, when this program's own colours may pass.
pub(crate) fn text(text: &str, coloured: bool) -> Cow<'_, str> {
    if !text.contains(acts) {
        return text.into();
    }
    let mut out = String::with_capacity(text.len() + 16);
    let mut rest = text;
    while let Some(sign) = rest.chars().next() {
        let own = if coloured && sign == '\x1b' { colour(rest) } else { None };
        let length = own.unwrap_or(sign.len_utf8());
        let (piece, behind) = rest.split_at(length);
        match own {
            Some(_) => out.push_str(piece),
            None => out.push(if acts(sign) { shown(sign) } else { sign }),
        }
        rest = behind;
    }
    out.into()
}

/// JSON for a terminal: the same characters as escapes, so that it says what it said.
pub(crate) fn json(text: &str) -> Cow<'_, str> {
    if !text.contains(acts) {
        return text.into();
    }
    let mut out = String::with_capacity(text.len() + 16);
    for sign in text.chars() {
        if acts(sign) {
            out.push_str(&format!("\\u{:04x}", u32::from(sign)));
        } else {
            out.push(sign);
        }
    }
    out.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_terminal_would_obey_is_shown() {
        for (said, seen) in [
            ("\x1b]0;owned\x07", "␛]0;owned␇"),
            ("\x1b]52;c;AAAA\x1b\\", "␛]52;c;AAAA␛\\"),
            ("a\u{9b}2Jb", "a\u{fffd}2Jb"),
            ("safe\u{202e}gpj.exe", "safe\u{fffd}gpj.exe"),
            ("\x1b[2J\x1b[31mred\r\x08", "␛[2J␛[31mred␍␈"),
            ("plain\n\tumlaut ä mm²", "plain\n\tumlaut ä mm²"),
        ] {
            assert_eq!(text(said, false), seen);
        }
    }

    #[test]
    fn our_own_colours_pass_where_there_are_any_and_nothing_else_does() {
        let own = "\x1b[1m\x1b[31merror\x1b[0m \x1b[38;5;208m■\x1b[38;2;1;2;3m■\x1b[48;2;26;0;255m  \x1b[39m";
        assert_eq!(text(own, true), own);
        for other in ["\x1b[8mhidden", "\x1b[2Jx", "\x1b[5m", "\x1b[38;9m", "\x1b[m", "\x1b[31;8m"]
        {
            assert!(!text(other, true).contains('\x1b'), "{other:?}");
        }
    }

    #[test]
    fn json_says_what_it_said() {
        let said = "{\"a\":\"x\u{9b}y\u{202e}\u{7f}\"}";
        let told = json(said);
        assert!(told.is_ascii());
        let read: serde_json::Value = serde_json::from_str(&told).unwrap();
        assert_eq!(read["a"], "x\u{9b}y\u{202e}\u{7f}");
    }
}
