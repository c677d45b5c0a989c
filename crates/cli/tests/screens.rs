//! What the terminal screenshots of the documentation show is what the program says today. The text of each stands
//! in docs/screens; with `TINKITE_SCREENS=write` it is written anew, and docs/screens/make takes the pictures.

mod common;
use common::Bench;
use std::path::{Path, PathBuf};

/// Pictures, the calls that they show, and how many lines of what comes back fit.
const SCREENS: [(&str, &[&str], usize); 12] = [
    ("look", &["look sail-panel.svg"], 40),
    ("look-dxf", &["look spar-hub.dxf"], 40),
    ("look-pdf", &["look reel-cheek.pdf"], 40),
    ("look-svg", &["look name-tag.svg"], 40),
    ("look-bitmaps", &["look stamp.png bow-photo.jpg label.bmp medal.stl"], 40),
    ("begin", &["begin sail-panel.svg -o -"], 40),
    ("plan", &["check sail-panel.kite.toml", "plan sail-panel.kite.toml"], 40),
    ("plan-hubs", &["plan hubs.kite.toml"], 40),
    ("emit", &["emit sail-panel.kite.toml -o -"], 40),
    ("read", &["read sail-panel.nc --machine bench-laser"], 40),
    ("explain", &["read sail-panel.nc --explain"], 40),
    (
        "machine",
        &[
            "machine list",
            "machine show reel-laser",
            "machine new shed-laser --like tube-laser --width \"700 mm\" --depth \"450 mm\"",
            "machine check bench-laser",
        ],
        40,
    ),
];

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs")
}

#[test]
fn screenshots_show_what_the_program_says() {
    let bench = Bench::new();
    for name in [
        "spar-hub.dxf",
        "reel-cheek.pdf",
        "name-tag.svg",
        "stamp.png",
        "bow-photo.jpg",
        "label.bmp",
        "medal.stl",
        "hubs.kite.toml",
        "tube-laser.machine.toml",
        "reel-laser.machine.toml",
        "printer-laser.machine.toml",
    ] {
        bench.demo(name);
    }
    bench.ok(&["emit", "sail-panel.kite.toml"]);
    for (name, calls, most) in SCREENS {
        let mut shown = String::new();
        for call in calls {
            let words = call.split('"').enumerate().flat_map(|(n, part)| match n % 2 {
                0 => part.split_whitespace().collect::<Vec<_>>(),
                _ => vec![part],
            });
            let args: Vec<&str> = words.chain(["--colour", "always"]).collect();
            let ran = bench.run(&args);
            assert_eq!(ran.status, 0, "{call}: {}", ran.err);
            shown += &format!("$ tinkite {call}\n{}{}", ran.out, ran.err);
        }
        let shown = shown.replace(bench.config().to_str().unwrap_or_default(), "/home/you/.config");
        let mut lines: Vec<&str> = shown.lines().collect();
        lines.truncate(most);
        let shown = lines.join("\n") + "\n";
        let path = folder().join(format!("screens/{name}.txt"));
        if std::env::var_os("TINKITE_SCREENS").is_some_and(|word| word == "write") {
            std::fs::write(&path, &shown).expect("the text of a screen");
        }
        let kept = std::fs::read_to_string(&path).unwrap_or_default();
        assert_eq!(kept, shown, "{name}: TINKITE_SCREENS=write, then docs/screens/make");
        assert!(folder().join(format!("screenshots/{name}.png")).exists(), "{name} has no picture");
    }
}
