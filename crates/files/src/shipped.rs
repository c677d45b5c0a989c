//! What ships with the program: the demo's files, which are also what a newcomer starts from, and
//! machine profiles.

/// The demo's drawing.
pub const DRAWING: &str = include_str!("../../../demo/sail-panel.svg");
/// Its job.
pub const JOB: &str = include_str!("../../../demo/sail-panel.kite.toml");
/// Its machine's profile.
pub const MACHINE: &str = include_str!("../../../demo/bench-laser.machine.toml");
const TUBE: &str = include_str!("../../../demo/tube-laser.machine.toml");
const REEL: &str = include_str!("../../../demo/reel-laser.machine.toml");
const PRINTER: &str = include_str!("../../../demo/printer-laser.machine.toml");
/// Recipes to start from.
pub const BOOK: &str = include_str!("../../../books/start.recipes.toml");
/// More jobs, and drawings of every kind that is read, to try look and begin on.
pub const MORE: [(&str, &[u8]); 37] = [
    ("tube-laser.machine.toml", TUBE.as_bytes()),
    ("reel-laser.machine.toml", REEL.as_bytes()),
    ("printer-laser.machine.toml", PRINTER.as_bytes()),
    ("line-reel.kite.toml", include_bytes!("../../../demo/line-reel.kite.toml")),
    ("line-reel.svg", include_bytes!("../../../demo/line-reel.svg")),
    ("reel-barrel.kite.toml", include_bytes!("../../../demo/reel-barrel.kite.toml")),
    ("reel-label.svg", include_bytes!("../../../demo/reel-label.svg")),
    ("hubs.kite.toml", include_bytes!("../../../demo/hubs.kite.toml")),
    ("hub-swatch.kite.toml", include_bytes!("../../../demo/hub-swatch.kite.toml")),
    ("hub-swatch-scan.png", include_bytes!("../../../demo/hub-swatch-scan.png")),
    ("hub-wedge.kite.toml", include_bytes!("../../../demo/hub-wedge.kite.toml")),
    ("hub-wedge-scan.png", include_bytes!("../../../demo/hub-wedge-scan.png")),
    ("workshop.recipes.toml", include_bytes!("../../../demo/workshop.recipes.toml")),
    ("kite-stamp.kite.toml", include_bytes!("../../../demo/kite-stamp.kite.toml")),
    ("kite-stamp.svg", include_bytes!("../../../demo/kite-stamp.svg")),
    ("kite-sky.kite.toml", include_bytes!("../../../demo/kite-sky.kite.toml")),
    ("kite-sky.png", include_bytes!("../../../demo/kite-sky.png")),
    ("tail-weight.kite.toml", include_bytes!("../../../demo/tail-weight.kite.toml")),
    ("name-tag.svg", include_bytes!("../../../demo/name-tag.svg")),
    ("rough-panel.svg", include_bytes!("../../../demo/rough-panel.svg")),
    ("sky-panel.kite.toml", include_bytes!("../../../demo/sky-panel.kite.toml")),
    ("sky-panel.svg", include_bytes!("../../../demo/sky-panel.svg")),
    ("spar-hub.dxf", include_bytes!("../../../demo/spar-hub.dxf")),
    ("reel-cheek.pdf", include_bytes!("../../../demo/reel-cheek.pdf")),
    ("stamp.png", include_bytes!("../../../demo/stamp.png")),
    ("bow-photo.jpg", include_bytes!("../../../demo/bow-photo.jpg")),
    ("label.bmp", include_bytes!("../../../demo/label.bmp")),
    ("tail.gif", include_bytes!("../../../demo/tail.gif")),
    ("spool.tif", include_bytes!("../../../demo/spool.tif")),
    ("pennant.webp", include_bytes!("../../../demo/pennant.webp")),
    ("toggle.obj", include_bytes!("../../../demo/toggle.obj")),
    ("medal.stl", include_bytes!("../../../demo/medal.stl")),
    ("medal.kite.toml", include_bytes!("../../../demo/medal.kite.toml")),
    ("weight-relief.kite.toml", include_bytes!("../../../demo/weight-relief.kite.toml")),
    ("offcut.kite.toml", include_bytes!("../../../demo/offcut.kite.toml")),
    ("bed-photo.png", include_bytes!("../../../demo/bed-photo.png")),
    ("weight-depth.png", include_bytes!("../../../demo/weight-depth.png")),
];
/// Machine profiles that can be named without a file, by name.
pub const MACHINES: [(&str, &str); 4] = [
    ("bench-laser", MACHINE),
    ("tube-laser", TUBE),
    ("printer-laser", PRINTER),
    ("reel-laser", REEL),
];
