//! What the README shows can be typed.

use crate::common::{Bench, Ran};

#[test]
fn the_tour_works_line_by_line() {
    let readme = std::fs::read_to_string(
        std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../README.md"),
    )
    .expect("the README");
    assert!(readme.lines().nth(2).is_some_and(|l| l.trim().starts_with("cargo run -- demo")));
    assert!(readme.lines().nth(3).is_some_and(|l| l.trim().starts_with("cargo test --workspace")));
    let bench = Bench::new();
    // As a newcomer does: the demo first, and then line by line in its folder.
    bench.ok(&["demo"]);
    let folder = bench.path("tinkite-demo");
    let mut typed = 0;
    let mut on_a_machine = false;
    for line in readme.lines() {
        on_a_machine |= line.starts_with("The demo's laser is the simulated one");
        let Some(line) = line.strip_prefix("    tinkite ") else { continue };
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
            assert!(on_a_machine, "{line}");
            continue;
        }
        let ran = Ran::from(bench.command(&args).current_dir(&folder).output().unwrap());
        assert_eq!(ran.status, 0, "{line}\n{}\n{}", ran.out, ran.err);
        typed += 1;
    }
    assert_eq!(typed, 33);
}
