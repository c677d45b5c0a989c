//! What the README shows can be typed.

mod common;
use common::Bench;

#[test]
fn the_tour_works_line_by_line() {
    let readme = std::fs::read_to_string(
        std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../README.md"),
    )
    .expect("the README");
    assert!(
        readme.lines().nth(2).is_some_and(|l| l.trim().starts_with("cargo run --release -- demo"))
    );
    assert!(readme.lines().nth(3).is_some_and(|l| l.trim().starts_with("cargo test --workspace")));
    let bench = Bench::new();
    for name in [
        "spar-hub.dxf",
        "reel-cheek.pdf",
        "stamp.png",
        "rough-panel.svg",
        "hubs.kite.toml",
        "tube-laser.machine.toml",
        "kite-stamp.kite.toml",
        "kite-stamp.svg",
        "kite-sky.kite.toml",
        "kite-sky.png",
        "sky-panel.kite.toml",
        "sky-panel.svg",
        "line-reel.kite.toml",
        "line-reel.svg",
        "reel-barrel.kite.toml",
        "reel-label.svg",
        "reel-laser.machine.toml",
        "hub-swatch.kite.toml",
        "hub-swatch-scan.png",
        "medal.stl",
        "medal.kite.toml",
        "offcut.kite.toml",
        "bed-photo.png",
    ] {
        bench.demo(name);
    }
    let mut typed = 0;
    for line in readme.lines().filter_map(|l| l.strip_prefix("    tinkite ")) {
        let line = line.split('#').next().unwrap_or(line);
        // Quoted words stay together, as a shell keeps them.
        let args: Vec<&str> = line
            .split('"')
            .enumerate()
            .flat_map(|(n, part)| match n % 2 {
                0 => part.split_whitespace().collect::<Vec<_>>(),
                _ => vec![part],
            })
            .collect();
        // What needs hardware, waits for a client, or finishes what broke off is not run here.
        if args[0] == "rig" || line.contains("serial:") || line.contains("--go-on") {
            continue;
        }
        bench.ok(&args);
        typed += 1;
    }
    assert_eq!(typed, 39);
}
