//! How lines of an engraving follow each other.

use schemars::JsonSchema;

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Directions {
    /// There and back
    Both,
    One,
}

/// Towards which edge lines follow each other
#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Advance {
    Upwards,
    Downwards,
    Rightwards,
    Leftwards,
}
