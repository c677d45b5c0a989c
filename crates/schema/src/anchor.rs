//! The nine places of a rectangle.

use schemars::JsonSchema;

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
pub(super) enum Anchor {
    BottomLeft,
    Bottom,
    BottomRight,
    Left,
    Centre,
    Right,
    TopLeft,
    Top,
    TopRight,
}
