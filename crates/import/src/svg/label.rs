//! An id for every element that draws, and for every group.
//!
//! The library keeps ids and nothing else of the source. So each drawing element without one is
//! given one in the text, before it is parsed, and whatever comes back is found again by it.

use std::borrow::Cow;

/// Elements that draw.
pub(super) const DRAWING: [&str; 10] =
    ["path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use"];

/// Ids that we hand out start like this.
pub(super) const OURS: &str = "tinkite-line-";

/// The text with an id on every drawing element; lines stay as they are. Text that is not XML comes
/// back as something that is not XML either.
pub(super) fn read_label(text: &str) -> Cow<'_, str> {
    let mut out = String::new();
    let (mut copied, mut at, mut number) = (0, 0, 0);
    while let Some(open) = text[at..].find('<').map(|n| at + n) {
        let rest = &text[open..];
        let Some(length) = passed(rest) else { break };
        let name_end = open + 1 + name_length(&rest[1..]);
        let name = &text[open + 1..name_end];
        // A prefix stands for the same element.
        let name = name.rsplit_once(':').map_or(name, |(_, name)| name);
        if (DRAWING.contains(&name) || name == "g") && !has_id(&text[name_end..open + length]) {
            out.push_str(&text[copied..name_end]);
            out.push_str(&format!(" id=\"{OURS}{number}\""));
            copied = name_end;
            number += 1;
        }
        at = open + length;
    }
    if copied == 0 {
        return Cow::Borrowed(text);
    }
    out.push_str(&text[copied..]);
    Cow::Owned(out)
}

/// Length of what begins with a "<": a tag, or what is no element, whole; `None` where it does not end.
pub(super) fn passed(text: &str) -> Option<usize> {
    let skipped = [("<!--", "-->"), ("<![CDATA[", "]]>"), ("<?", "?>")]
        .iter()
        .find(|(start, _)| text.starts_with(start))
        .map(|(start, end)| text[start.len()..].find(end).map(|n| start.len() + n + end.len()));
    match skipped {
        Some(length) => length,
        None if text.starts_with("<!") => declaration(text),
        None => tag(text),
    }
}

/// Length of a tag, past any ">" in quotes.
fn tag(text: &str) -> Option<usize> {
    let mut at = 0;
    loop {
        at += text[at..].find(['"', '\'', '>'])?;
        match text.as_bytes()[at] {
            b'>' => return Some(at + 1),
            // Values are long; their end is found faster than walked to.
            b'"' => at += text[at + 1..].find('"')? + 2,
            _ => at += text[at + 1..].find('\'')? + 2,
        }
    }
}

/// Length of a document type with its own declarations in brackets.
fn declaration(text: &str) -> Option<usize> {
    let mut at = 0;
    let (mut quote, mut depth) = (None, 0);
    let bytes = text.as_bytes();
    while at < bytes.len() {
        if quote.is_none() && text[at..].starts_with("<!--") {
            at += text[at..].find("-->")? + 3;
            continue;
        }
        match (quote, bytes[at]) {
            (None, b @ (b'"' | b'\'')) => quote = Some(b),
            (Some(open), b) if b == open => quote = None,
            (None, b'[') => depth += 1,
            (None, b']') => depth -= 1,
            (None, b'>') if depth <= 0 => return Some(at + 1),
            _ => {}
        }
        // Only whole characters begin a comment.
        at += 1;
        while at < bytes.len() && !text.is_char_boundary(at) {
            at += 1;
        }
    }
    None
}

/// Whether the rest of a tag has an attribute `id` that is not empty.
fn has_id(attributes: &str) -> bool {
    let mut rest = attributes;
    while let Some(equals) = rest.find('=') {
        let name = rest[..equals].trim_end();
        let name = name.rsplit(|c: char| c.is_whitespace()).next().unwrap_or(name);
        let value = rest[equals + 1..].trim_start();
        let Some(quote @ ('"' | '\'')) = value.chars().next() else { return false };
        let Some(end) = value[1..].find(quote) else { return false };
        if name == "id" {
            // An empty one would stand twice with ours, which is no XML.
            return true;
        }
        rest = &value[end + 2..];
    }
    false
}

fn name_length(text: &str) -> usize {
    text.find(|c: char| c.is_whitespace() || c == '/' || c == '>').unwrap_or(text.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_drawing_elements_and_groups_without_an_id_get_one() {
        let text = "<?xml v='<path'?><!DOCTYPE svg [<!ENTITY e '<path/>'> <!-- ]> -->]>\n<svg><!-- <rect/> --><g><path\nd=\"M0 0>\"/><rect id='r'/><svg:circle r='1' xml:id='x'/></g><style><![CDATA[<line/>]]></style></svg>";
        let wanted = text
            .replace("<g><path", "<g id=\"tinkite-line-0\"><path id=\"tinkite-line-1\"")
            .replace("<svg:circle", "<svg:circle id=\"tinkite-line-2\"");
        assert_eq!(read_label(text), wanted);
        for odd in ["", "<", "<path", "<path d=", "<!DOCTYPE", "a < b", "<é", "<!é[<!--"] {
            assert_eq!(read_label(odd), odd);
        }
    }
}
