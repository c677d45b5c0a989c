//! What a report does not tell a stranger: where the machine is, what somebody noted in its profile, and what photos
//! say of their place and time.

use std::path::Path;
use tinkite_core::artwork::without_texts;
use tinkite_files::refusal::Refusal;
use toml_edit::visit_mut::{VisitMut, visit_table_mut};
use toml_edit::{DocumentMut, Item, Table, TomlError, Value, value};

/// A profile whose link says only of what kind it is and how fast, without comments.
///
/// # Errors
/// A profile that is no TOML.
pub(super) fn profile(name: &str, text: &str) -> Result<String, Refusal> {
    let mut document: DocumentMut =
        text.parse().map_err(|error: TomlError| Refusal::failed(name, error))?;
    let to = document.get_mut("link").and_then(|link| link.get_mut("to"));
    if let Some(to) = to
        && let Some(address) = to.as_str().map(without_address)
    {
        *to = value(address);
    }
    WithoutComments.visit_table_mut(document.as_table_mut());
    document.set_trailing("");
    Ok(document.to_string().trim_start().to_string())
}

/// A link without the place where it leads.
fn without_address(link: &str) -> String {
    match link.split_once(':') {
        Some(("serial", port)) => {
            let baud = port.rsplit_once('@').map_or(String::new(), |(_, baud)| format!("@{baud}"));
            format!("serial:port{baud}")
        }
        Some(("tcp", _)) => "tcp:machine:1".into(),
        _ => link.into(),
    }
}

struct WithoutComments;

impl VisitMut for WithoutComments {
    fn visit_table_mut(&mut self, table: &mut Table) {
        table.decor_mut().clear();
        for (mut key, item) in table.iter_mut() {
            key.leaf_decor_mut().clear();
            if let Item::Value(value) = item {
                plain(value);
            }
        }
        visit_table_mut(self, table);
    }
}

/// Takes the comments out of a value that goes over several lines, too.
fn plain(value: &mut Value) {
    value.decor_mut().clear();
    match value {
        Value::Array(all) => {
            all.iter_mut().for_each(plain);
            all.set_trailing("");
        }
        Value::InlineTable(inner) => inner.iter_mut().for_each(|(_, value)| plain(value)),
        _ => {}
    }
}

/// A file that a job is made of, without what a picture tells beside its pixels; whether it is one of a kind that
/// may still tell something.
pub(super) fn picture(name: &str, content: Vec<u8>) -> (Vec<u8>, bool) {
    let ending = Path::new(name).extension().unwrap_or_default().to_string_lossy().to_lowercase();
    let tells = matches!(ending.as_str(), "tif" | "tiff" | "gif" | "jpg" | "jpeg" | "png");
    match without_texts(&content) {
        Some(bare) => (bare, false),
        None => (content, tells),
    }
}
