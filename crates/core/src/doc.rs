//! What the examples of this crate's page stand on.

/// A small machine.
pub const MACHINE: &str = r#"tinkite = 1
name = "Small laser"
corner = "0.01 mm"
[bed]
width = "200 mm"
depth = "150 mm"
origin = "bottom-left"
[axis.x]
top-speed = "250 mm/s"
acceleration = "1500 mm/s2"
[axis.y]
top-speed = "200 mm/s"
acceleration = "1200 mm/s2"
[travel]
as = "rapid"
[beam]
full = 1000
width = "0.08 mm"
follows-speed = true
"#;

/// A hole in a hub.
pub const DRAWING: &str = r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<circle id="hole" cx="20" cy="20" r="5" fill="none" stroke="red"/></svg>"#;

/// The hole is cut.
pub const JOB: &str = r#"tinkite = 1
[[artwork]]
file = "hub.svg"
[place]
at = ["10 mm", "10 mm"]
[[step]]
name = "outline"
take = { stroke = "red" }
make = "cut"
speed = "20 mm/s"
power = "60 %"
"#;
