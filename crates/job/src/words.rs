//! Words with places to fill: `{name}, {number}`.

/// Why words cannot be filled.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unfilled {
    /// Nothing is called so.
    Unknown(String),
    /// A brace that has no other.
    Open,
}

/// `text` with every `{name}` replaced by what `called` gives for it; `{{` and `}}` are braces.
///
/// # Errors
/// A name that nothing has, and single braces.
pub fn fill_in<'a>(
    text: &str,
    called: impl Fn(&str) -> Option<std::borrow::Cow<'a, str>>,
) -> Result<String, Unfilled> {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(['{', '}']) {
        out += &rest[..at];
        let (brace, behind) = (&rest[at..=at], &rest[at + 1..]);
        if let Some(behind) = behind.strip_prefix(brace) {
            out += brace;
            rest = behind;
            continue;
        }
        let end = behind.find('}').filter(|_| brace == "{").ok_or(Unfilled::Open)?;
        let name = behind[..end].trim();
        out += &called(name).ok_or_else(|| Unfilled::Unknown(name.to_string()))?;
        rest = &behind[end + 1..];
    }
    Ok(out + rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_filled_and_doubled_braces_stay() {
        let called = |name: &str| (name == "name").then(|| "Ada {x}".into());
        assert_eq!(fill_in("{{ {name}, {name }}}", called), Ok("{ Ada {x}, Ada {x}}".into()));
        assert_eq!(fill_in("no places", called), Ok("no places".into()));
        assert_eq!(fill_in("{nam}", called), Err(Unfilled::Unknown("nam".into())));
        for open in ["{name", "name}", "{"] {
            assert_eq!(fill_in(open, called), Err(Unfilled::Open), "{open}");
        }
    }
}
