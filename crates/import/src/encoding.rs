//! Bytes into text, by the encoding that a file says it is in.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use std::borrow::Cow;

/// The text of an XML document, by its byte order mark or its declaration (XML 1.0, appendix F); UTF-8 where neither
/// says.
///
/// # Errors
/// The name of an encoding that is not known, or in which the bytes are no text.
pub(super) fn xml(bytes: &[u8]) -> Result<Cow<'_, str>, String> {
    let said = declared_encoding(bytes);
    let encoding = match (Encoding::for_bom(bytes), bytes) {
        (Some((encoding, _)), _) => encoding,
        // The first sign of XML is "<".
        (None, [0, b'<', ..]) => UTF_16BE,
        (None, [b'<', 0, ..]) => UTF_16LE,
        (None, _) => match &said {
            Some(name) => Encoding::for_label(name.as_bytes()).ok_or_else(|| name.clone())?,
            None => UTF_8,
        },
    };
    // A document that says UTF-16 and is written in single bytes is in neither.
    let single = encoding == UTF_16LE && !bytes.contains(&0);
    let encoding = if single { UTF_8 } else { encoding };
    let (text, _, broken) = encoding.decode(bytes);
    if broken { Err(encoding.name().into()) } else { Ok(text) }
}

/// The encoding that the declaration of an XML document names.
fn declared_encoding(bytes: &[u8]) -> Option<String> {
    let head = &bytes[..bytes.len().min(200)];
    let head: String = head.iter().filter(|b| **b != 0).map(|b| char::from(*b)).collect();
    let declaration = head.trim_start().strip_prefix("<?xml")?.split("?>").next()?.to_string();
    let rest = declaration.split("encoding").nth(1)?.trim_start().strip_prefix('=')?.trim_start();
    let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\''))?;
    rest[1..].split(quote).next().map(str::to_string)
}

/// Text of a drawing of the code page that `$DWGCODEPAGE` names (DXF reference, header variables); `None` for a name
/// that is not known.
pub(super) fn code_page(name: &str) -> Option<CodePage> {
    let name = name.trim().to_ascii_lowercase().replace(['-', ' '], "_");
    let encoding = |label: &str| Encoding::for_label(label.as_bytes()).map(CodePage::Known);
    let number = |prefix: &str| name.strip_prefix(prefix)?.trim_start_matches('_').parse().ok();
    match number("ansi") {
        Some(932) => return encoding("shift_jis"),
        Some(936) => return encoding("gbk"),
        Some(949 | 1361) => return encoding("euc-kr"),
        Some(950) => return encoding("big5"),
        Some(page @ (874 | 1250..=1258)) => return encoding(&format!("windows-{page}")),
        Some(65001) => return encoding("utf-8"),
        _ => {}
    }
    if let Some(page) = number("dos") {
        return match page {
            932 => encoding("shift_jis"),
            936 => encoding("gbk"),
            949 => encoding("euc-kr"),
            950 => encoding("big5"),
            _ => oem_cp::code_table::DECODING_TABLE_CP_MAP.get(&page).map(CodePage::Oem),
        };
    }
    if let Some(part) = name.strip_prefix("iso8859").or_else(|| name.strip_prefix("iso_8859")) {
        return encoding(&format!("iso-8859-{}", part.trim_start_matches('_')));
    }
    match name.as_str() {
        "macintosh" | "mac_roman" => encoding("macintosh"),
        "utf8" | "utf_8" => encoding("utf-8"),
        "us_ascii" | "ascii" => encoding("windows-1252"),
        "gb2312" => encoding("gbk"),
        "big5" => encoding("big5"),
        "ksc5601" | "johab" => encoding("euc-kr"),
        _ => None,
    }
}

/// How the letters of a drawing are written.
#[derive(Clone, Copy)]
pub(super) enum CodePage {
    /// One that the web knows as well.
    Known(&'static Encoding),
    /// One of DOS.
    Oem(&'static oem_cp::code_table_type::TableType),
}

impl CodePage {
    /// The text of some bytes; signs that it does not have become the sign for that.
    pub(super) fn text(self, bytes: &[u8]) -> String {
        match self {
            Self::Known(encoding) => encoding.decode_without_bom_handling(bytes).0.into_owned(),
            Self::Oem(table) => table.decode_string_lossy(bytes),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn documents_are_read_in_the_encoding_that_they_are_in() {
        let text = "<?xml version=\"1.0\" encoding=\"E\"?><svg id=\"Grüße Привет\"/>";
        let utf16 = |le: bool, bom: bool| -> Vec<u8> {
            let text = text.replace("\"E\"", "\"UTF-16\"");
            let bom = if bom { "\u{feff}" } else { "" };
            let units = bom.encode_utf16().chain(text.encode_utf16()).collect::<Vec<_>>();
            let bytes = |u: &u16| if le { u.to_le_bytes() } else { u.to_be_bytes() };
            units.iter().flat_map(bytes).collect()
        };
        for (le, bom) in [(true, true), (true, false), (false, true), (false, false)] {
            assert!(xml(&utf16(le, bom)).unwrap().contains("Grüße Привет"), "{le} {bom}");
        }
        for (name, letters, bytes) in [
            ("ISO-8859-1", "ü", &[0xfc][..]),
            ("windows-1251", "Пр", &[0xcf, 0xf0]),
            ("Shift_JIS", "凧", &[0x91, 0xfa]),
            ("utf-8", "ü", "ü".as_bytes()),
        ] {
            let mut document =
                format!("<?xml version='1.0' encoding='{name}'?><a b='").into_bytes();
            document.extend(bytes);
            document.extend(b"'/>");
            assert!(xml(&document).unwrap().contains(letters), "{name}");
        }
        // A declaration that is not true, and letters that are none.
        assert!(xml(b"<?xml version=\"1.0\" encoding=\"UTF-16\"?><a/>").is_ok());
        assert_eq!(
            xml(b"<?xml version=\"1.0\" encoding=\"klingon\"?><a/>").unwrap_err(),
            "klingon"
        );
        assert_eq!(xml(b"<a b=\"\xff\xff\"/>").unwrap_err(), "UTF-8");
    }

    #[test]
    fn every_code_page_of_a_drawing_is_known() {
        for (name, bytes, text) in [
            ("ANSI_1250", &[0xe8, 0xf8][..], "čř"),
            ("ANSI_1251", &[0xcf, 0xf0, 0xe8], "При"),
            ("ansi_1252", &[0xfc], "ü"),
            ("ANSI_1253", &[0xe1], "α"),
            ("ANSI_1254", &[0xfe], "ş"),
            ("ANSI_1255", &[0xe0], "א"),
            ("ANSI_1256", &[0xc8], "ب"),
            ("ANSI_1257", &[0xe0], "ą"),
            ("ANSI_1258", &[0xfe], "₫"),
            ("ANSI_874", &[0xa1], "ก"),
            ("ANSI_932", &[0x91, 0xfa], "凧"),
            ("ANSI_936", &[0xb7, 0xe7], "风"),
            ("ANSI_949", &[0xbf, 0xac], "연"),
            ("ANSI_950", &[0xad, 0xb7], "風"),
            ("DOS437", &[0x81], "ü"),
            ("DOS850", &[0x9b], "ø"),
            ("DOS852", &[0x9f], "č"),
            ("DOS866", &[0x8f], "П"),
            ("ISO8859-5", &[0xbf], "П"),
            ("MACINTOSH", &[0x9f], "ü"),
        ] {
            let page = code_page(name).unwrap_or_else(|| panic!("{name}"));
            assert_eq!(page.text(bytes), text, "{name}");
        }
        assert!(code_page("KLINGON_1").is_none());
    }
}
