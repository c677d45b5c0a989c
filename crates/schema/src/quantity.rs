//! Text with a unit, as it is written in our files.

use schemars::JsonSchema;

/// A length: "3 mm", "1.5 cm", "0.25 in", "12 pt"
#[derive(JsonSchema)]
#[schemars(example = "3 mm", extend("pattern" = r"^[+-]?[0-9.]+ *(mm|cm|m|in|pt)$"))]
pub(super) struct Length(String);

/// A share, or a length at true size: "10 %", "5 mm"
#[derive(JsonSchema)]
#[schemars(example = "10 %", extend("pattern" = r"^[+-]?[0-9.]+ *(%|mm|cm|m|in|pt)$"))]
pub(super) struct Share(String);

/// A speed: "20 mm/s", "1200 mm/min", "2 in/s"
#[derive(JsonSchema)]
#[schemars(example = "20 mm/s", extend("pattern" = r"^[+-]?[0-9.]+ *(mm/s|mm/min|m/min|in/s|in/min)$"))]
pub(super) struct Speed(String);

/// An acceleration: "1500 mm/s2", "1.5 m/s2"
#[derive(JsonSchema)]
#[schemars(example = "1500 mm/s2", extend("pattern" = r"^[+-]?[0-9.]+ *(mm/s2|m/s2)$"))]
pub(super) struct Acceleration(String);

/// An angle, counter-clockwise: "45 deg", "0.25 turn"
#[derive(JsonSchema)]
#[schemars(example = "45 deg", extend("pattern" = r"^[+-]?[0-9.]+ *(deg|rad|turn)$"))]
pub(super) struct Angle(String);

/// A turning speed: "180 deg/s", "30 rpm"
#[derive(JsonSchema)]
#[schemars(example = "180 deg/s", extend("pattern" = r"^[+-]?[0-9.]+ *(deg/s|deg/min|rpm)$"))]
pub(super) struct TurningSpeed(String);

/// A turning acceleration: "900 deg/s2"
#[derive(JsonSchema)]
#[schemars(example = "900 deg/s2", extend("pattern" = r"^[+-]?[0-9.]+ *deg/s2$"))]
pub(super) struct TurningAcceleration(String);

/// A power: "60 %" of full, or "8 mA" and "32 W" where the machine has a measured table
#[derive(JsonSchema)]
#[schemars(example = "60 %", extend("pattern" = r"^[+-]?[0-9.]+ *(%|mA|W)$"))]
pub(super) struct Power(String);

/// A power of light: "60 W"
#[derive(JsonSchema)]
#[schemars(example = "60 W", extend("pattern" = r"^[+-]?[0-9.]+ *W$"))]
pub(super) struct Watts(String);

/// A percentage: "50 %"
#[derive(JsonSchema)]
#[schemars(example = "50 %", extend("pattern" = r"^[+-]?[0-9.]+ *%$"))]
pub(super) struct Percent(String);

/// A time: "0.5 s", "200 ms", "2 min"
#[derive(JsonSchema)]
#[schemars(example = "0.5 s", extend("pattern" = r"^[+-]?[0-9.]+ *(s|ms|min)$"))]
pub(super) struct Time(String);

/// A frequency: "20 kHz"
#[derive(JsonSchema)]
#[schemars(example = "20 kHz", extend("pattern" = r"^[+-]?[0-9.]+ *(kHz|Hz)$"))]
pub(super) struct Frequency(String);

/// Distance between lines: "0.1 mm", or lines per inch: "254 dpi"
#[derive(JsonSchema)]
#[schemars(example = "0.1 mm", extend("pattern" = r"^[+-]?[0-9.]+ *(mm|in|dpi)$"))]
pub(super) struct LineSpacing(String);

/// Pixels in an inch: "300 dpi"
#[derive(JsonSchema)]
#[schemars(example = "300 dpi", extend("pattern" = r"^[0-9.]+ *dpi$"))]
pub(super) struct Resolution(String);

/// A colour: "red", "#1a2b3c", "rgb(255,0,0)"
#[derive(JsonSchema)]
#[schemars(example = "#1a2b3c")]
pub(super) struct Colour(String);

/// A colour, or "none"
#[derive(JsonSchema)]
#[schemars(example = "#555555")]
pub(super) struct PaintColour(String);

/// One of it, or a list
#[derive(JsonSchema)]
#[schemars(untagged)]
pub(super) enum OneOrMany<T> {
    One(T),
    Many(Vec<T>),
}
