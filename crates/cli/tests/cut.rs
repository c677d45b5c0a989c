//! Lines that are followed, through the built program: each key is read back from what is emitted.

use crate::common::Bench;
use crate::common::moves;
use crate::common::moves::{Program, Run};
use std::f64::consts::PI;

const JOB: &str = "a.kite.toml";

/// A plate of 40 × 20 mm at (10, 40) with a round hole of 4 mm radius about (20, 50).
const PLATE: &str = r#"<rect id="plate" x="10" y="20" width="40" height="20" stroke="red"/><circle id="hole" cx="20" cy="30" r="4" stroke="red"/>"#;

fn step(more: &str) -> String {
    format!(
        "[[step]]\nname = \"cut\"\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n{more}\n"
    )
}

fn plate(more: &str) -> Bench {
    Bench::drawn(PLATE, "", &step(more))
}

fn program(bench: &Bench) -> Program {
    Program::emitted(bench, JOB)
}

#[track_caller]
fn near(got: f64, want: f64) {
    assert!((got - want).abs() < 0.005, "{got} instead of {want}");
}

/// Hole and plate, in the order in which they are cut.
#[track_caller]
fn two(program: &Program) -> (Run, Run) {
    let runs = program.runs();
    assert_eq!(runs.len(), 2, "{}", program.text);
    (runs[0].clone(), runs[1].clone())
}

#[test]
fn kerf_moves_outlines_out_and_holes_in_and_keeps_arcs() {
    let made = program(&plate("kerf = \"0.2 mm\""));
    let (hole, outline) = two(&made);
    near(hole.length, 2.0 * PI * 3.9);
    near(outline.length, 120.0 + 2.0 * PI * 0.1);
    assert_eq!(made.extents().map(|v| (v * 1000.0).round()), [9900.0, 39900.0, 50100.0, 60100.0]);
    let radii: Vec<f64> = made.burns().filter_map(|m| m.arc).map(|(r, _)| r).collect();
    assert!(radii.iter().filter(|r| (**r - 3.9).abs() < 0.002).count() >= 2, "{radii:?}");
    assert_eq!(radii.iter().filter(|r| (**r - 0.1).abs() < 0.002).count(), 4, "{radii:?}");
}

#[test]
fn the_side_of_the_kerf_may_be_said() {
    for (side, hole, outline) in [
        ("outside", 4.1, 120.0 + 2.0 * PI * 0.1),
        ("inside", 3.9, 120.0 - 0.8),
        ("on-line", 4.0, 120.0),
        ("scrap", 3.9, 120.0 + 2.0 * PI * 0.1),
    ] {
        let made = program(&plate(&format!("kerf = \"0.2 mm\"\nside = \"{side}\"")));
        let (first, second) = two(&made);
        near(first.length, 2.0 * PI * hole);
        near(second.length, outline);
    }
}

#[test]
fn holes_of_another_colour_are_holes_of_the_outline() {
    let body = PLATE.replace("r=\"4\" stroke=\"red\"", "r=\"4\" stroke=\"blue\"");
    let blue = step("kerf = \"0.2 mm\"")
        .replace("\"red\"", "\"blue\"")
        .replace("\"cut\"\nt", "\"holes\"\nt");
    let bench = Bench::drawn(&body, "", &(blue + &step("kerf = \"0.2 mm\"")));
    let (hole, outline) = two(&program(&bench));
    near(hole.length, 2.0 * PI * 3.9);
    near(outline.length, 120.0 + 2.0 * PI * 0.1);
}

#[test]
fn what_kerf_cannot_do_is_told() {
    let tiny = PLATE.replace("r=\"4\"", "r=\"0.05\"");
    let told = Bench::drawn(&tiny, "", &step("kerf = \"0.2 mm\"")).told(JOB);
    assert!(told.contains("kerf of 0.2 mm leaves nothing of 1 line: hole"), "{told}");
    let neck = r#"<rect x="2" y="2" width="60" height="40" stroke="red"/><path id="neck" d="M5 5H15V9.95H25V5H35V15H25V10.05H15V15H5Z" stroke="red"/>"#;
    let bench = Bench::drawn(neck, "", &step("kerf = \"0.2 mm\""));
    assert!(bench.codes(JOB).contains(&"kerf-splits".to_string()), "{:?}", bench.codes(JOB));
    assert_eq!(program(&bench).runs().len(), 3);
    let open =
        Bench::drawn(r#"<path d="M5 5H35V15" stroke="red"/>"#, "", &step("kerf = \"0.2 mm\""));
    assert_eq!(open.codes(JOB), ["open-kerf"]);
    near(program(&open).burnt(), 40.0);
}

/// What `check` says of code `kerf-bite`: severity and message.
fn bites(bench: &Bench) -> Vec<(String, String)> {
    let ran = bench.run(&["check", JOB, "--json"]);
    let value: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let text = |p: &serde_json::Value, key: &str| p[key].as_str().unwrap().to_string();
    let problems = value["problems"].as_array().unwrap();
    let bites = problems.iter().filter(|p| p["code"] == "kerf-bite");
    bites.map(|p| (text(p, "severity"), text(p, "message"))).collect()
}

#[test]
fn material_that_the_kerf_takes_from_a_neighbour_is_told() {
    let apart = |gap: f64| {
        format!(
            r#"<rect id="a" x="5" y="5" width="20" height="20" stroke="red"/><rect id="b" x="{}" y="5" width="20" height="20" stroke="red"/>"#,
            25.0 + gap
        )
    };
    let asked = |gap: f64, more: &str| {
        bites(&Bench::drawn(&apart(gap), "", &step(&format!("kerf = \"0.4 mm\"\n{more}"))))
    };
    // Each loses a strip as wide as what the gap lacks.
    let told = asked(0.2, "");
    let warned = &told[0];
    assert_eq!((told.len(), warned.0.as_str()), (1, "warning"), "{told:?}");
    for part in ["in 2 places, at most 0.2 mm deep", "a loses 4 mm² to b", "b loses 4 mm² to a"] {
        assert!(warned.1.contains(part), "{warned:?}");
    }
    assert_eq!(asked(0.4, ""), []);
    assert_eq!(asked(0.2, "side = \"on-line\""), []);
    // Deeper than half the kerf, or than the step says, is refused.
    assert_eq!(asked(0.1, "")[0].0, "error");
    assert_eq!(asked(0.1, "deepest-bite = \"0.35 mm\"")[0].0, "warning");
    assert_eq!(asked(0.3, "deepest-bite = \"0.05 mm\"")[0].0, "error");
    let refused = Bench::drawn(&apart(0.1), "", &step("kerf = \"0.4 mm\"")).told(JOB);
    assert!(refused.contains("0.3 mm deep"), "{refused}");
}

#[test]
fn an_island_in_a_tight_hole_is_bitten_and_bites() {
    // A disc of 10 mm radius in a hole of 10.3 mm, in a plate; the island of another step.
    let body = |hole: f64| {
        format!(
            r#"<rect id="plate" x="5" y="5" width="60" height="60" stroke="red"/><circle id="hole" cx="30" cy="30" r="{hole}" stroke="red"/><circle id="disc" cx="30" cy="30" r="10" stroke="blue"/>"#
        )
    };
    let blue = step("kerf = \"0.4 mm\"")
        .replace("\"red\"", "\"blue\"")
        .replace("\"cut\"\nt", "\"discs\"\nt");
    let steps = blue + &step("kerf = \"0.4 mm\"");
    let told = bites(&Bench::drawn(&body(10.3), "", &steps));
    assert_eq!(told.len(), 2, "{told:?}");
    // Rings of 0.1 mm: the hole's cut takes the disc's edge, the disc's cut the plate's.
    let ring = |inner: f64, outer: f64| PI * (outer * outer - inner * inner);
    let lost = |text: &str| -> f64 {
        text.split(" loses ").nth(1).unwrap().split(' ').next().unwrap().parse().unwrap()
    };
    let of = |name: &str| told.iter().find(|(_, text)| text.contains(name)).unwrap();
    assert!((lost(&of("plate loses").1) - ring(10.3, 10.4)).abs() < 0.1, "{told:?}");
    assert!((lost(&of("disc loses").1) - ring(9.9, 10.0)).abs() < 0.1, "{told:?}");
    assert_eq!(bites(&Bench::drawn(&body(10.4), "", &steps)), []);
}

#[test]
fn a_pierce_stands_with_constant_power_and_power_follows_the_speed_again() {
    let bench = plate("passes = 2\npierce = { power = \"65 %\", dwell = \"0.3 s\" }");
    let made = program(&bench);
    let lit: Vec<(f64, f64)> = made.dwells.iter().map(|(_, p, s)| (*p, *s)).collect();
    assert_eq!(lit, [(0.3, 650.0); 4]);
    // Both passes of the hole start where the pierce was.
    assert_eq!(made.dwells[0].0, made.dwells[1].0);
    let at = made.text.find("M3 S650").unwrap();
    assert!(made.text[..at].trim_end().lines().last().unwrap().starts_with("G1X"));
    assert!(
        made.text[at..].starts_with("M3 S650\nG4 P0.3\nM4 S0\n"),
        "{}",
        &made.text[at..at + 30]
    );
    bench.change(JOB, "dwell = \"0.3 s\"", "dwell = \"0.3 s\", every = \"first\"");
    assert_eq!(program(&bench).dwells.len(), 2);
    assert_eq!(bench.json(&["plan", JOB])["steps"][0]["pierces"], 2);
    bench.change(JOB, "65 %", "95 %");
    assert!(
        bench
            .told(JOB)
            .contains("pierce: 95 % (S950) is above the machine's ceiling of 90 % (S900)")
    );
}

/// Distance from the middle of the hole, about (20, 50) on the bed.
fn from_hole(p: [f64; 2]) -> f64 {
    (p[0] - 20.0).hypot(p[1] - 50.0)
}

/// Whether a point lies outside the plate.
fn outside(p: [f64; 2]) -> bool {
    p[0] < 10.0 || p[0] > 50.0 || p[1] < 40.0 || p[1] > 60.0
}

#[test]
fn leads_lie_in_the_scrap() {
    for shape in ["straight", "arc"] {
        let lead = format!("{{ length = \"1.5 mm\", shape = \"{shape}\" }}");
        let made = program(&plate(&format!("lead-in = {lead}\nlead-out = {lead}")));
        let (hole, outline) = two(&made);
        near(hole.length, 2.0 * PI * 4.0 + 3.0);
        near(outline.length, 120.0 + 3.0);
        for p in [hole.start, hole.end] {
            assert!(from_hole(p) < 3.6, "{shape} {p:?}");
        }
        for p in [outline.start, outline.end] {
            assert!(outside(p), "{shape} {p:?}");
        }
    }
    // Away from corners.
    let made = program(&plate("lead-in = \"1 mm\""));
    let joint = made.runs()[1].start;
    let corner = |x: f64, y: f64| (joint[0] - x).hypot(joint[1] - y);
    assert!(
        [corner(10., 40.), corner(50., 40.), corner(10., 60.), corner(50., 60.)]
            .iter()
            .all(|d| *d > 3.0)
    );
}

#[test]
fn a_lead_without_room_is_left_out_and_told() {
    let bench = plate("lead-in = \"9 mm\"");
    assert_eq!(bench.codes(JOB), ["lead-room"]);
    let (hole, outline) = two(&program(&bench));
    near(hole.length, 2.0 * PI * 4.0);
    near(outline.length, 129.0);
}

#[test]
fn no_lead_begins_in_a_part_that_lies_in_the_hole() {
    // A rounded square with the middle (30, 50) in a round hole that is little larger: a lead of
    // 2.985 mm out to the hole's line would begin within the square, and leave it only at its end.
    let drawing = r#"<rect x="10" y="10" width="40" height="40" stroke="red"/>
        <circle cx="30" cy="30" r="4.96" stroke="red"/>
        <rect x="26.925" y="26.925" width="6.15" height="6.15" rx="0.769" stroke="red"/>"#;
    for lead in ["lead-in", "lead-out"] {
        let lead = format!("{lead} = {{ length = \"2.985 mm\", shape = \"straight\" }}");
        let bench = Bench::drawn(drawing, "", &step(&format!("kerf = \"0.6 mm\"\n{lead}")));
        for run in program(&bench).runs() {
            for end in [run.start, run.end] {
                let from_middle = (end[0] - 30.0).hypot(end[1] - 50.0);
                assert!(from_middle > 3.3, "{lead}: {end:?}");
            }
        }
        assert_eq!(bench.codes(JOB), ["lead-room"]);
    }
}

#[test]
fn overlap_goes_on_beyond_the_start() {
    let made = program(&plate("overlap = \"2 mm\""));
    let (hole, outline) = two(&made);
    near(hole.length, 2.0 * PI * 4.0 + 2.0);
    near(outline.length, 122.0);
    near((outline.end[0] - outline.start[0]).hypot(outline.end[1] - outline.start[1]), 2.0);
}

#[test]
fn the_start_may_be_chosen() {
    let start = |how: &str| {
        let made = program(&plate(&format!("start = {how}")));
        made.runs()[1].start
    };
    let corners = [[10.0, 40.0], [50.0, 40.0], [50.0, 60.0], [10.0, 60.0]];
    assert!(corners.contains(&start("\"corner\"")));
    assert!(!corners.contains(&start("\"flat\"")));
    assert_eq!(start("[\"37 mm\", \"70 mm\"]"), [37.0, 60.0]);
    assert!(corners.contains(&start("\"nearest\"")));
}

/// What stays attached is as wide as was asked for after the beam has taken its own.
#[test]
fn circles_are_begun_where_they_come_near_and_slots_not_on_their_edges() {
    let circles = r#"<circle cx="25" cy="55" r="10" stroke="red"/><circle cx="60" cy="20" r="15" stroke="red"/>"#;
    let made = program(&Bench::drawn(circles, "", &step("")));
    let (first, second) = two(&made);
    near(first.length, 2.0 * PI * 10.0);
    near(second.length, 2.0 * PI * 15.0);
    let away = |p: [f64; 2], q: [f64; 2]| (p[0] - q[0]).hypot(p[1] - q[1]);
    // The first is begun where the head comes from, or goes to, and the second where it comes nearest to that place.
    let nearest = away(first.end, [60.0, 60.0]) - 15.0;
    assert!(away(first.end, second.start) < nearest + 1.0, "{first:?} {second:?}");
    near(away(first.start, [25.0, 25.0]), 10.0);

    // 30 mm of straight edge, from which the head comes and to which it goes.
    let slot = r#"<rect x="30" y="30" width="40" height="10" rx="5" stroke="red"/><rect x="49" y="10" width="2" height="2" stroke="red"/>"#;
    let made = program(&Bench::drawn(slot, "", &step("")));
    let slot = made.runs().into_iter().find(|run| run.length > 20.0).unwrap();
    near(slot.length, 60.0 + 2.0 * PI * 5.0);
    assert!(!(35.01..64.99).contains(&slot.start[0]), "{slot:?}");
}

#[test]
fn bridges_keep_their_width_beside_the_kerf() {
    for kerf in [0.1, 0.3] {
        let more = format!(
            "kerf = \"{kerf} mm\"\nbridges = {{ count = 4, width = \"0.25 mm\", smallest = \"10 mm\" }}"
        );
        let made = program(&plate(&more));
        let gaps: Vec<f64> = made
            .moves
            .iter()
            .filter(|m| m.s == 0.0 && m.speed.is_some() && m.length() > 0.05)
            .map(moves::Move::length)
            .collect();
        assert_eq!(gaps.len(), 4);
        gaps.into_iter().for_each(|gap| near(gap - kerf, 0.25));
    }
}

#[test]
fn bridges_stay_attached_away_from_corners() {
    let bench = plate("bridges = { count = 4, width = \"0.8 mm\", smallest = \"10 mm\" }");
    let made = program(&bench);
    near(made.burnt(), 2.0 * PI * 4.0 + 120.0 - 4.0 * 0.8);
    let gaps: Vec<_> =
        made.moves.iter().filter(|m| m.s == 0.0 && m.speed.is_some() && m.length() > 0.1).collect();
    assert_eq!(gaps.len(), 4);
    for gap in gaps {
        near(gap.length(), 0.8);
        for p in [gap.from, gap.to] {
            let sides = [p[0] - 10.0, 50.0 - p[0], p[1] - 40.0, 60.0 - p[1]];
            let away = sides.into_iter().filter(|d| d.abs() > 1e-6).fold(f64::MAX, f64::min);
            assert!(away >= 1.6 - 1e-6, "{p:?} is {away} mm from a corner");
        }
    }
    bench.change(JOB, "count = 4", "spacing = \"25 mm\"");
    near(program(&bench).burnt(), 2.0 * PI * 4.0 + 120.0 - 5.0 * 0.8);
    bench.change(
        JOB,
        "width = \"0.8 mm\"",
        "width = \"0.8 mm\", power = \"10 %\", corner = \"5 mm\"",
    );
    let weak: f64 = program(&bench).burns().filter(|m| m.s == 100.0).map(moves::Move::length).sum();
    near(weak, 5.0 * 0.8);
    bench.change(JOB, "spacing = \"25 mm\"", "count = 90");
    assert!(bench.told(JOB).contains("more than 10000) on 1 line: plate"));
    let tight = plate("bridges = { count = 4, width = \"0.8 mm\", corner = \"9.9 mm\" }");
    assert_eq!(tight.codes(JOB), ["bridge-fewer"]);
}

#[test]
fn passes_have_speeds_powers_and_heights_of_their_own() {
    let bench = plate("passes = 3\nspeed-x = 0\nfocus-drop = \"1 mm\"\nfocus = \"0.5 mm\"");
    bench.change(JOB, "speed-x = 0\n", "");
    bench.change(JOB, "speed = \"20 mm/s\"", "speed = [\"10 mm/s\", \"12 mm/s\", \"15 mm/s\"]");
    bench.change(JOB, "power = \"50 %\"", "power = [\"60 %\", \"50 %\", \"40 %\"]");
    assert!(bench.told(JOB).contains("needs an axis that moves the focus"));
    bench.change(JOB, "machine = \"bench-laser\"", "machine = \"tube-laser\"");
    bench.change(
        JOB,
        "file = \"art.svg\"",
        "file = \"art.svg\"\n[place]\nat = [\"20 mm\", \"-80 mm\"]",
    );
    let made = program(&bench);
    let passes: Vec<(f64, f64, f64)> =
        made.runs().iter().map(|r| (r.speed, r.s[0], r.height)).collect();
    let one = [(10.0, 153.0, 0.5), (12.0, 128.0, -0.5), (15.0, 102.0, -1.5)];
    assert_eq!(passes, [one, one].concat());
    // The table goes back to where the operator had it, and is lifted for travel.
    assert!(
        made.text.contains("G0Z1.5\n")
            && made.text.trim_end().ends_with("G0Z0\n; end: beam and air off\nM5 S0\nM9\nM2"),
        "{}",
        made.text
    );
    // Air settles in the dark before anything burns.
    assert_eq!(made.dwells, [([0.0, 0.0], 0.5, 0.0)]);
    bench.change(JOB, "focus-drop = \"1 mm\"", "focus-drop = \"9 mm\"");
    assert!(bench.told(JOB).contains("within the machine's -12 mm to 20 mm"));
    // For travel it is lifted by 1 mm more.
    bench.change(JOB, "focus-drop = \"9 mm\"", "focus-drop = \"1 mm\"");
    bench.change(JOB, "focus = \"0.5 mm\"", "focus = \"19.5 mm\"");
    let told = bench.told(JOB);
    let told = told.split_whitespace().filter(|word| *word != "│").collect::<Vec<_>>().join(" ");
    assert!(told.contains("lifted by 1 mm for travel, to 20.5 mm"), "{told}");
    bench.change(JOB, "passes = 3", "passes = 2");
    assert!(bench.told(JOB).contains("names 3 passes, and there are 2"));
}

#[test]
fn passes_go_path_by_path_or_over_the_whole_sheet() {
    let lengths = |more: &str| -> Vec<f64> {
        program(&plate(more)).runs().iter().map(|run| run.length.round()).collect()
    };
    // Without a gap between them, passes of one path are one run.
    assert_eq!(lengths("passes = 2"), [50.0, 240.0]);
    assert_eq!(lengths("passes = 2\npasses-by = \"sheet\""), [25.0, 120.0, 25.0, 120.0]);
}

#[test]
fn edges_that_neighbours_share_are_cut_once() {
    let body = r#"<rect id="a" x="10" y="20" width="20" height="20" stroke="red"/><rect id="b" x="30" y="20" width="20" height="20" stroke="red"/><circle id="hole" cx="40" cy="30" r="2" stroke="red"/>"#;
    let bench = Bench::drawn(body, "", &step("shared-edges = true"));
    assert_eq!(bench.codes(JOB), ["shared-edges"]);
    let made = program(&bench);
    near(made.burnt(), 160.0 - 20.0 + 2.0 * PI * 2.0);
    // The hole in the second part comes before what is left of its outline.
    let order = names(&made.text);
    let at = |name: &str| order.iter().position(|n| n == name).unwrap();
    assert!(at("hole") < at("b") && order.len() == 3, "{order:?}");
    bench.change(JOB, "shared-edges", "kerf = \"0.1 mm\"\nshared-edges");
    assert!(bench.told(JOB).contains("followed on the line"));
}

/// Three plates in a row, each with a hole, drawn from right to left.
const ROW: &str = r#"<rect id="c" x="70" y="10" width="20" height="20" stroke="red"/><circle id="c-hole" cx="80" cy="20" r="3" stroke="red"/><rect id="b" x="40" y="40" width="20" height="20" stroke="red"/><circle id="b-hole" cx="50" cy="50" r="3" stroke="red"/><rect id="a" x="10" y="10" width="20" height="20" stroke="red"/><circle id="a-hole" cx="20" cy="20" r="3" stroke="red"/>"#;

/// Names of the parts in the order in which the program walks them.
fn order(more: &str) -> Vec<String> {
    names(&program(&Bench::drawn(ROW, "", &step(more))).text)
}

fn names(text: &str) -> Vec<String> {
    let names = text.lines().filter_map(|line| line.strip_prefix("; part "));
    names.map(|line| line.split(": ").nth(1).unwrap().to_string()).collect()
}

#[test]
fn paths_are_run_in_the_order_that_is_asked_for() {
    assert_eq!(order("order = \"as-drawn\""), ["c", "c-hole", "b", "b-hole", "a", "a-hole"]);
    assert_eq!(
        order("order = \"part-by-part\"")
            .chunks(2)
            .filter(|p| p[0] == format!("{}-hole", p[1]))
            .count(),
        3
    );
    assert_eq!(order("order = \"upwards\""), ["b-hole", "b", "c-hole", "c", "a-hole", "a"]);
    assert_eq!(order("order = \"downwards\""), ["c-hole", "c", "a-hole", "a", "b-hole", "b"]);
    assert_eq!(order("order = \"rightwards\""), ["a-hole", "a", "b-hole", "b", "c-hole", "c"]);
    assert_eq!(order("order = \"leftwards\""), ["c-hole", "c", "b-hole", "b", "a-hole", "a"]);
    let listed = order("order = [\"c\", \"a-hole\"]");
    assert_eq!(listed[..2], ["c", "a-hole"]);
    // Short travel only: the first part comes before its hole where that is nearer.
    let nearest = order("order = \"nearest\"");
    assert_eq!(nearest.len(), 6);
    assert!(["a", "b", "c"].iter().any(|part| {
        let at = |name: &str| nearest.iter().position(|n| n == name).unwrap();
        at(part) < at(&format!("{part}-hole"))
    }));
    let holes_first = order("");
    for part in ["a", "b", "c"] {
        let at = |name: &str| holes_first.iter().position(|n| n == name).unwrap();
        assert!(at(&format!("{part}-hole")) < at(part), "{holes_first:?}");
    }
    let bench = Bench::drawn(ROW, "", &step("order = [3]"));
    assert!(bench.told(JOB).contains("should be a list of ids"));
}

#[test]
fn power_ramps_at_the_ends_of_a_line() {
    let body = r#"<path d="M10 10H50" stroke="red"/>"#;
    let ramp = "ramp = { start = { from = \"20 %\", over = \"4 mm\" }, end = { to = \"10 %\", over = \"2 mm\" } }";
    let bench = Bench::drawn(body, "", &step(ramp));
    let made = program(&bench);
    near(made.burnt(), 40.0);
    let run = &made.runs()[0];
    assert!(run.s[0] > 200.0 && run.s[0] < 212.0, "{:?}", run.s[0]);
    assert!(run.s.last().unwrap() > &100.0 && run.s.last().unwrap() < &130.0);
    let top = run.s.iter().position(|s| *s == 500.0).unwrap();
    assert!(run.s[..top].is_sorted() && run.s[top..].is_sorted_by(|a, b| a >= b));
    // No finer than the spot of 0.08 mm.
    assert!(made.burns().all(|m| m.length() > 0.079), "{}", made.text);
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(plan["steps"][0]["power_percent"][1], 50.0);
    bench.change(JOB, "20 %", "95 %");
    assert!(bench.told(JOB).contains("the start of the ramp: 95 % (S950) is above"));
    bench.change(JOB, "95 %", "0.5 %");
    assert!(bench.told(JOB).contains("does not light below S10"));
}

#[test]
fn power_follows_the_speed_by_the_program_itself() {
    let body = r#"<path d="M10 10H50V40" stroke="red"/>"#;
    let bench = Bench::drawn(body, "", &step("ramp = { slow = \"20 %\" }"));
    bench.change("bench-laser.machine.toml", "follows-speed = true ", "follows-speed = false");
    let made = program(&bench);
    assert!(!made.text.contains("M4"));
    let s: Vec<f64> = made.burns().map(|m| m.s).collect();
    assert!(s[0] < 450.0 && s.contains(&500.0), "{s:?}");
    let corner = made.burns().position(|m| m.from == [50.0, 70.0]).unwrap();
    assert!(s[corner] < 480.0 && s[corner - 1] < 480.0, "{s:?}");
    near(made.burnt(), 70.0);
    // Stronger where the head is slow, and never above the ceiling: that is more than M4 can give.
    let strong = Bench::drawn(body, "", &step("ramp = { slow = \"80 %\" }"));
    let s: Vec<f64> = program(&strong).burns().map(|m| m.s).collect();
    assert!(s[0] > 540.0 && s.iter().all(|s| *s <= 800.0));
    strong.change(JOB, "80 %", "95 %");
    assert!(strong.told(JOB).contains("slow in ramp: 95 % (S950) is above"));
}

#[test]
fn power_may_be_asked_for_as_it_was_measured() {
    let bench = plate("");
    bench.change(JOB, "\"50 %\"", "\"27 W\"");
    assert!(bench.told(JOB).contains("the machine profile has no table"));
    bench.change(JOB, "machine = \"bench-laser\"", "machine = \"tube-laser\"");
    bench.change(
        JOB,
        "file = \"art.svg\"",
        "file = \"art.svg\"\n[place]\nat = [\"20 mm\", \"-80 mm\"]",
    );
    assert!(program(&bench).burns().all(|m| m.s == 102.0));
    let plan = bench.json(&["plan", JOB]);
    // 27 W at 20 mm/s.
    near(plan["steps"][0]["energy_j_per_mm"].as_f64().unwrap(), 27.0 / 20.0);
    bench.change(JOB, "27 W", "18 mA");
    assert!(program(&bench).burns().all(|m| m.s == 153.0));
    bench.change(JOB, "18 mA", "80 W");
    assert!(bench.told(JOB).contains("the machine's table ends at 58 W"));
    bench.change("tube-laser.machine.toml", "\"27 W\"", "\"7 W\"");
    assert!(bench.told(JOB).contains("the W column falls at 40 %"));
}

#[test]
fn powers_that_the_source_cannot_tell_apart_are_told() {
    let two = step("") + &step("").replace("\"cut\"\nt", "\"again\"\nt").replace("50 %", "50.1 %");
    let bench = Bench::drawn(PLATE, "[place]\nat = [\"20 mm\", \"-80 mm\"]", &two);
    bench.change(JOB, "machine = \"bench-laser\"", "machine = \"tube-laser\"");
    assert_eq!(bench.codes(JOB), ["same-level"]);
    bench.change(JOB, "50.1 %", "51 %");
    assert!(bench.codes(JOB).is_empty());
}

#[test]
fn keys_in_the_wrong_place_are_refused_by_name() {
    for (more, words) in [
        ("lines = { spacing = \"1 mm\" }", "follows outlines, so lines has no meaning there"),
        ("kerf = \"-1 mm\"", "must be zero or more"),
        ("bridges = { width = \"1 mm\" }", "either a count for each closed line or a spacing"),
        ("pierce = { power = \"50 %\" }", "has no dwell"),
        ("pierce = { power = \"50 %\", dwell = \"90 s\" }", "at most 60 s"),
        ("ramp = { start = { from = \"10 %\" } }", "has no over"),
        ("lead-in = { shape = \"arc\" }", "has no length"),
        ("lead-in = \"20 m\"", "at most 10000 mm"),
        ("ramp = { end = { to = \"20 %\", over = \"0.001 mm\" } }", "from 0.01 mm to 10 m"),
        ("bridges = { spacing = \"1e-6 mm\", width = \"1e-9 mm\" }", "too many bridges"),
        ("start = \"middle\"", "cannot be \"middle\""),
        ("frequency = \"20 kHz\"", "has no code for it"),
    ] {
        let told = plate(more).told(JOB);
        assert!(told.contains(words), "{more}: {told}");
    }
}

const EVERYTHING: &str = "kerf = \"0.2 mm\"\nlead-in = { length = \"1 mm\", shape = \"arc\" }\nlead-out = \"1 mm\"\noverlap = \"0.5 mm\"\nbridges = { count = 2, width = \"0.5 mm\", smallest = \"5 mm\" }\nramp = { slow = \"30 %\", start = { from = \"20 %\", over = \"1 mm\" } }";

/// Every number of a program is one, and it reads back without an error.
fn is_sound(bench: &Bench) {
    let text = program(bench).text;
    assert!(!text.contains("NaN") && !text.contains("inf"), "{text}");
    bench.write("p.nc", &text);
    bench.ok(&["read", "p.nc", "--machine", "bench-laser"]);
}

#[test]
fn thousands_of_coincident_shapes_are_cut_with_everything() {
    let one = r#"<rect x="30" y="30" width="20" height="20" stroke="red"/>"#;
    let bench = Bench::drawn(&one.repeat(5000), "", &step(EVERYTHING));
    is_sound(&bench);
    let plan = bench.json(&["plan", JOB]);
    assert_eq!(plan["steps"][0]["lines"], 5000);
    assert!(bench.codes(JOB).contains(&"double-line".to_string()));
    bench.change(JOB, "kerf = \"0.2 mm\"", "shared-edges = true");
    assert_eq!(bench.json(&["plan", JOB])["steps"][0]["lines"], 1);
}

#[test]
fn thousands_of_shapes_that_nearly_coincide_are_looked_at_a_bounded_number_of_times() {
    // Shifted by up to half a millimetre, in a pattern that repeats nowhere.
    let shift = |n: u32, prime: u32| f64::from(n * prime % 5003) / 5003.0 * 0.5;
    let one = |n: u32| {
        let (x, y) = (30.0 + shift(n, 1237), 30.0 + shift(n, 3011));
        format!(r#"<rect x="{x:.4}" y="{y:.4}" width="20" height="20" stroke="red"/>"#)
    };
    let body: String = (0..5000).map(one).collect();
    let codes = Bench::drawn(&body, "", &step("")).codes(JOB);
    for code in ["crowded-lines", "double-line", "crossing-cuts"] {
        assert!(codes.iter().any(|c| c == code), "{codes:?}");
    }
}

#[test]
fn degenerate_arcs_and_spikes_are_cut_or_told() {
    for body in [
        "<path d='M30 30A0 0 0 0 1 40 30A5 5 0 0 1 30 30Z' stroke='red'/>",
        "<path d='M30 30A1e-6 1e-6 0 1 1 30.000001 30ZM40 40h9v9h-9z' stroke='red'/>",
        "<path d='M30 30A5e5 5e5 0 0 1 60 30L45 50Z' stroke='red'/>",
        "<path d='M30 30h20l-20 0.00001z' stroke='red'/><rect x='5' y='5' width='9' height='9' stroke='red'/>",
        "<path d='M30 30h20v20h-20v-20h20v20h-20z' stroke='red'/>",
        "<path d='M30 30L50 50L30 50L50 30Z' stroke='red'/>",
        "<circle cx='40' cy='40' r='0.0004' stroke='red'/><circle cx='40' cy='40' r='8' stroke='red'/>",
    ] {
        let bench = Bench::drawn(body, "", &step(EVERYTHING));
        let ran = bench.run(&["emit", JOB, "-o", "-"]);
        assert!(!ran.err.contains("panicked"), "{body}\n{}", ran.err);
        match ran.status {
            0 => is_sound(&bench),
            1 => assert!(ran.err.contains("kerf") || ran.err.contains("bridges"), "{}", ran.err),
            other => panic!("{other}: {}", ran.err),
        }
    }
}

#[test]
fn a_line_that_crosses_itself_is_cut_in_every_order() {
    for order in ["holes-first", "part-by-part", "upwards", "leftwards", "nearest", "as-drawn"] {
        let bench = Bench::drawn(
            r#"<path d="M10 10 L30 30 L30 10 L10 30 Z" stroke="red"/><rect x="40" y="10" width="20" height="20" stroke="red"/>"#,
            "",
            &format!(
                "[[step]]\nname = \"cut\"\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"8 mm/s\"\npower = \"80 %\"\norder = \"{order}\""
            ),
        );
        let plan = bench.json(&["plan", "a.kite.toml"]);
        // Two diagonals and two sides of 20 mm, and the square.
        let length = 2.0 * 20.0 * 2.0_f64.sqrt() + 2.0 * 20.0 + 80.0;
        let burnt = plan["burn_mm"].as_f64().unwrap();
        assert!((burnt - length).abs() < 0.01, "{order}: {burnt} mm, not {length}");
    }
}
