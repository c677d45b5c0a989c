//! Which shapes something takes.

use super::quantity::{Colour, Length, OneOrMany};
use schemars::JsonSchema;

/// Which shapes: all keys must hold; tables in a list are alternatives
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Take {
    /// Stroke or fill of this colour
    colour: Option<Colour>,
    stroke: Option<Colour>,
    fill: Option<Colour>,
    /// In a group or layer of this name
    group: Option<String>,
    id: Option<String>,
    /// What comes from this file
    file: Option<String>,
    /// What comes from the artwork of this name
    artwork: Option<String>,
    /// Strokes at most this wide
    hairline: Option<Length>,
    kind: Option<TakeKind>,
    /// What no other step takes
    #[schemars(example = true)]
    rest: Option<bool>,
    /// Shapes for which this does not hold
    #[schemars(example = serde_json::json!({"id": "frame"}))]
    not: Option<Box<OneOrMany<Take>>>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum TakeKind {
    Open,
    Closed,
    Text,
    Bitmap,
    Solid,
    Gradient,
    Pattern,
    Rendered,
    OffPage,
    Outermost,
    Effect,
}
