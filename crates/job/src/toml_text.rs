//! Values of TOML as text, and at other places of a text.

use std::ops::Range;
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

/// A value as TOML writes it on one line.
pub(crate) fn toml_text(value: &DeValue<'_>) -> String {
    let several = |items: Vec<String>, open: &str, close: &str| match items.is_empty() {
        true => format!("{open}{close}"),
        false => format!("{open}{}{close}", items.join(", ")),
    };
    match value {
        DeValue::String(text) => toml_edit::Value::from(text.as_ref()).to_string(),
        DeValue::Integer(number) => number.to_string(),
        DeValue::Float(number) => number.to_string(),
        DeValue::Boolean(yes) => yes.to_string(),
        DeValue::Datetime(date) => date.to_string(),
        DeValue::Array(items) => {
            several(items.iter().map(|item| toml_text(item.get_ref())).collect(), "[", "]")
        }
        DeValue::Table(table) => {
            let pair = |(key, value): (&Spanned<DeString<'_>>, &Spanned<DeValue<'_>>)| {
                format!("{} = {}", toml_key(key.get_ref()), toml_text(value.get_ref()))
            };
            several(table.iter().map(pair).collect(), "{ ", " }")
        }
    }
}

/// A key as TOML writes it: bare where that is allowed.
pub(crate) fn toml_key(key: &str) -> String {
    toml_edit::Key::new(key).to_string()
}

/// Lets a value that comes from elsewhere stand, with all that is in it, at a place of the job.
pub(crate) fn shift(value: &mut Spanned<DeValue<'_>>, span: &Range<usize>) {
    let inner = std::mem::replace(value.get_mut(), DeValue::Boolean(false));
    let inner = match inner {
        DeValue::Array(mut items) => {
            items.iter_mut().for_each(|item| shift(item, span));
            DeValue::Array(items)
        }
        DeValue::Table(table) => {
            let mut out = DeTable::new();
            for (key, mut value) in table {
                shift(&mut value, span);
                out.insert(Spanned::new(span.clone(), key.into_inner()), value);
            }
            DeValue::Table(out)
        }
        other => other,
    };
    *value = Spanned::new(span.clone(), inner);
}
