//! Books of recipes: taken by steps, kept from jobs, counted, and never by two writers at once.

use crate::common::Bench;
use std::process::Command;

const BOOK: &str = "# ours\ntinkite = 1\n\n[[recipe]]   # the good one\nmaterial = \"poplar plywood\"\nthickness = \"3 mm\"\nmachine = \"bench-laser\"\nmake = \"cut\"\nspeed = \"4 mm/s\"\npower = \"80 %\"\nkerf = \"0.1 mm\"\n";

/// The demo's panel as a job that takes a recipe, with books of its own folder only.
fn bench(recipe: &str) -> Bench {
    let bench = Bench::new();
    bench.change(
        "sail-panel.kite.toml",
        "material = \"ripstop 0.1 mm\"",
        "material = \"Poplar  plywood\"",
    );
    bench.change("sail-panel.kite.toml", "thickness = \"0.1 mm\"", "thickness = \"3 mm\"");
    bench.change(
        "sail-panel.kite.toml",
        "make  = \"cut\"\nspeed = \"25 mm/s\"\npower = \"55 %\"",
        recipe,
    );
    bench.write("ours.recipes.toml", BOOK);
    bench
}

/// A call that sees no books but those of the bench's folder.
fn call(bench: &Bench, args: &[&str]) -> Command {
    let mut command = bench.command(args);
    command.env("XDG_CONFIG_HOME", bench.path("config")).env("HOME", bench.path("home"));
    command
}

fn said(bench: &Bench, args: &[&str]) -> (i32, String, String) {
    let out = call(bench, args).output().unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (out.status.code().unwrap(), text(&out.stdout), text(&out.stderr))
}

fn ok(bench: &Bench, args: &[&str]) -> String {
    let (status, out, err) = said(bench, args);
    assert_eq!(status, 0, "{args:?}\n{out}\n{err}");
    out
}

fn refused(bench: &Bench, args: &[&str]) -> String {
    let (status, out, err) = said(bench, args);
    assert_ne!(status, 0, "{args:?}\n{out}");
    err.split_whitespace().collect::<Vec<_>>().join(" ")
}

const JOB: &str = "sail-panel.kite.toml";

#[test]
fn a_step_takes_a_recipe_and_its_own_keys_win() {
    let bench = bench("recipe = \"cut\"\npower = \"55 %\"");
    let plan: serde_json::Value =
        serde_json::from_str(&ok(&bench, &["plan", JOB, "--json"])).unwrap();
    let step = &plan["steps"][2];
    assert_eq!((step["speed_mm_s"].as_f64(), step["s"][1].as_f64()), (Some(4.0), Some(550.0)));
    assert_eq!(step["recipe"]["taken"], serde_json::json!(["speed", "kerf"]));
    assert_eq!(step["recipe"]["own"], serde_json::json!(["power"]));
    let program = ok(&bench, &["emit", JOB, "-o", "-"]);
    assert!(program.contains("outline by recipe: \"cut\" for poplar plywood 3 mm"), "{program}");
    assert!(!program.contains(bench.path("").to_str().unwrap()), "no folder in a program");
    // The same without a recipe, typed out, burns the same.
    let lines =
        |text: &str| text.lines().filter(|l| !l.starts_with(';')).collect::<Vec<_>>().join("\n");
    bench.change(JOB, "recipe = \"cut\"", "make = \"cut\"\nspeed = \"4 mm/s\"\nkerf = \"0.1 mm\"");
    assert_eq!(lines(&program), lines(&ok(&bench, &["emit", JOB, "-o", "-"])));
}

#[test]
fn what_does_not_fit_is_offered_by_name_and_never_taken() {
    let bench = bench("recipe = \"cut\"");
    bench.change(JOB, "thickness = \"3 mm\"", "thickness = \"4 mm\"");
    // The values that ship would fit; a job that wants them finds them, and says that they are a start.
    let (status, _, err) = said(&bench, &["check", JOB]);
    assert_eq!(status, 0, "{err}");
    let err = err.replace("\n  │", "");
    assert!(err.contains("untried-recipe") && err.contains("values to start from"), "{err}");
    bench.change(JOB, "Poplar  plywood", "larch plywood");
    let err = refused(&bench, &["check", JOB]);
    assert!(
        err.contains("no-recipe") && err.contains("no recipe \"cut\" for larch plywood 4 mm"),
        "{err}"
    );
    bench.write("more.recipes.toml", BOOK.replace("poplar", "larch"));
    let err = refused(&bench, &["check", JOB]);
    assert!(err.contains("which is for 3 mm") && err.contains("more.recipes.toml:4"), "{err}");
    bench.change(JOB, "recipe = \"cut\"", "recipe = \"cutt\"");
    assert!(refused(&bench, &["check", JOB]).contains("did you mean \"cut\"?"));
    bench.change(JOB, "recipe = \"cutt\"", "recipe = \"cut\"\nmake = \"score\"");
    bench.change(JOB, "thickness = \"4 mm\"", "thickness = \"3 mm\"");
    assert!(refused(&bench, &["check", JOB]).contains("contradiction"));
    bench.change(JOB, "\nmake = \"score\"", "");
    bench.write(
        "more.recipes.toml",
        BOOK.replace("poplar", "larch") + &BOOK.replace("poplar", "larch")[20..],
    );
    let err = refused(&bench, &["check", JOB]);
    assert!(err.contains("several-recipes") && err.contains("2 recipes fit"), "{err}");
}

#[test]
fn a_broken_book_is_told_and_the_others_serve() {
    let bench = bench("recipe = \"cut\"");
    bench.write("broken.recipes.toml", "tinkite = 1\n[[recipe]\nmaterial = 5\n");
    bench.write("odd.recipes.toml", "tinkite = 1\n[[recipe]]\nmaterial = \"x\"\nmake = \"cut\"\nspeed = \"1 mm/s\"\npower = \"5 %\"\nlines = { spacing = \"1 mm\" }\n[[recipe]]\nmaterial = \"y\"\nmake = \"score\"\nspeed = \"1 mm/s\"\npower = \"5 %\"\n");
    let (status, _, err) = said(&bench, &["check", JOB]);
    assert_eq!(status, 0, "{err}");
    assert!(
        err.contains("broken.recipes.toml:2") && err.contains("lines has no meaning there"),
        "{err}"
    );
    let list = ok(&bench, &["recipe", "list", "--material", "Y"]);
    assert!(list.contains("odd.recipes.toml:8"), "{list}");
    // A value that the machine refuses points at the job, and names the recipe.
    bench.write("ours.recipes.toml", BOOK.replace("80 %", "95 %"));
    let err = refused(&bench, &["check", JOB]);
    assert!(err.contains("over-ceiling") && err.contains("95 %"), "{err}");
    // A value that cannot be read as well.
    bench.write("ours.recipes.toml", BOOK.replace("4 mm/s", "4 mm"));
    let err = refused(&bench, &["check", JOB]);
    assert!(
        err.contains("it comes from the recipe") && err.contains("ours.recipes.toml:4"),
        "{err}"
    );
}

#[test]
fn a_recipe_is_kept_copied_counted_and_dropped_with_comments_kept() {
    let bench = bench("make  = \"cut\"\nspeed = \"25 mm/s\"\npower = \"55 %\"");
    let book = "--book=ours.recipes.toml";
    assert!(refused(&bench, &["recipe", "keep", JOB, "outline", book]).contains("line 4"));
    assert!(
        refused(&bench, &["recipe", "keep", JOB, "outlin", book])
            .contains("did you mean \"outline\"?")
    );
    ok(
        &bench,
        &["recipe", "keep", JOB, "outline", book, "--name", "quick", "--note", "edge \"dark\""],
    );
    let text = bench.read("ours.recipes.toml");
    assert!(
        text.starts_with(BOOK)
            && text.contains("name = \"quick\"")
            && text.contains("edge \\\"dark\\\"")
            || text.contains("'edge \"dark\"'"),
        "{text}"
    );
    // Twice as thick takes twice the energy per mm: half as fast.
    ok(&bench, &["recipe", "copy", "quick", "--to-thickness", "6 mm", book, "--name", "thick"]);
    let show: serde_json::Value =
        serde_json::from_str(&ok(&bench, &["recipe", "show", "thick", "--json"])).unwrap();
    assert_eq!(show["settings"]["speed"], "\"12.5 mm/s\"");
    assert_eq!((show["guess"].as_bool(), show["thickness_mm"].as_f64()), (Some(true), Some(6.0)));
    // Another source gives the same watts at another share, by its measured table: 5.5 W.
    bench.demo("tube-laser.machine.toml");
    ok(&bench, &["recipe", "copy", "quick", "--to-machine", "tube-laser", book, "--name", "tube"]);
    let show: serde_json::Value =
        serde_json::from_str(&ok(&bench, &["recipe", "show", "tube", "--json"])).unwrap();
    let power: f64 = show["settings"]["power"]
        .as_str()
        .unwrap()
        .trim_matches('"')
        .trim_end_matches(" %")
        .parse()
        .unwrap();
    assert!((12.5..14.5).contains(&power), "between 3 W at 10 % and 11 W at 20 %: {power}");
    ok(&bench, &["recipe", "drop", "thick"]);
    ok(&bench, &["recipe", "drop", "tube"]);
    assert_eq!(bench.read("ours.recipes.toml"), text);
    assert!(refused(&bench, &["recipe", "drop", "thick"]).contains("no book has such a recipe"));
    for file in ["book.html", "book.svg", "book.png"] {
        ok(&bench, &["recipe", "print", "-o", file]);
    }
    let page = bench.read("book.html");
    assert!(
        page.contains("poplar plywood, 3 mm") && page.contains("quick") && !page.contains("birch"),
        "{page}"
    );
}

#[test]
fn two_writers_at_once_lose_nothing() {
    let bench = bench("make  = \"cut\"\nspeed = \"25 mm/s\"\npower = \"55 %\"");
    let keep = |n: usize| {
        let name = format!("n{n}");
        call(
            &bench,
            &["recipe", "keep", JOB, "outline", "--book=ours.recipes.toml", "--name", &name],
        )
        .spawn()
        .unwrap()
    };
    let children: Vec<_> = (0..12).map(keep).collect();
    for mut child in children {
        assert!(child.wait().unwrap().success());
    }
    let list: serde_json::Value =
        serde_json::from_str(&ok(&bench, &["recipe", "list", "--json"])).unwrap();
    let mine = list["recipes"].as_array().unwrap().iter();
    let mine = mine.filter(|r| r["book"].as_str().unwrap().ends_with("ours.recipes.toml")).count();
    assert_eq!(mine, 13);
}

#[test]
fn begin_takes_recipes_in_place_of_guesses() {
    let bench = bench("make  = \"cut\"\nspeed = \"25 mm/s\"\npower = \"55 %\"");
    ok(
        &bench,
        &[
            "begin",
            "sail-panel.svg",
            "-o",
            "b.kite.toml",
            "--material",
            "poplar plywood",
            "--thickness",
            "3 mm",
        ],
    );
    let text = bench.read("b.kite.toml");
    assert!(
        text.contains(
            "recipe = \"cut\"   # \"cut\" for poplar plywood 3 mm on bench-laser, ours.recipes.toml"
        ),
        "{text}"
    );
    ok(&bench, &["check", "b.kite.toml"]);
    ok(&bench, &["emit", "b.kite.toml", "-o", "b.nc"]);
}

#[test]
fn how_it_went_counts_for_the_recipe_that_was_used_unchanged() {
    let bench = bench("recipe = \"cut\"");
    let log = "--log=runs.sqlite";
    ok(&bench, &["run", JOB, "--to", "rig:", "--plain", log]);
    let told = ok(
        &bench,
        &["log", "note", "1", "--step", "outline", "--result", "through", "clean edge", log],
    );
    assert!(told.contains("run 1, outline: through"), "{told}");
    ok(&bench, &["log", "note", "1", "--step", "folds", "--result", "pale", log]);
    // Wherever the run is, it is seen that it was judged.
    for call in [["log", "show", "1", log], ["log", "list", "--last=9", log]] {
        let told = ok(&bench, &call);
        assert!(told.contains("outline: through, clean edge; folds: pale"), "{told}");
    }
    let book = bench.read("ours.recipes.toml");
    assert!(book.starts_with(BOOK) && book.contains("tried = 1\ngood = 1"), "{book}");
    let found: serde_json::Value = serde_json::from_str(&ok(
        &bench,
        &["log", "find", "--material", "poplar plywood", "--thickness", "3 mm", "--json", log],
    ))
    .unwrap();
    let tries = found["tries"].as_array().unwrap();
    assert_eq!(tries.len(), 3);
    assert_eq!(
        (&tries[0]["step"], &tries[0]["outcome"], &tries[0]["worked"]),
        (&"outline".into(), &"through".into(), &true.into())
    );
    assert_eq!(
        (tries[0]["speed_mm_s"].as_f64(), tries[0]["power_percent"].as_f64()),
        (Some(4.0), Some(80.0))
    );
    assert_eq!((&tries[1]["outcome"], &tries[1]["worked"]), (&"pale".into(), &false.into()));
    assert!(tries[2]["outcome"].is_null());
    assert!(
        refused(&bench, &["log", "note", "1", "--result", "good", log]).contains("--step says it")
    );
    ok(&bench, &["log", "find", "--material", "poplar plywood", "--draw", "t.svg", log]);
    let chart = bench.read("t.svg");
    assert!(chart.contains("1 outline") && chart.matches("<circle").count() == 2, "{chart}");
    assert!(
        ok(&bench, &["log", "find", "--material", "slate", log])
            .contains("nothing was run on slate")
    );
}

#[test]
fn a_recipe_that_is_for_another_machine_is_named() {
    let bench = Bench::new();
    bench.demo("workshop.recipes.toml");
    let call =
        ["recipe", "show", "cut", "--machine", "bench-laser", "--material", "poplar plywood"];
    let mut command = bench.command(&call);
    command.env("TINKITE_BOOK", bench.path("workshop.recipes.toml"));
    let ran = command.output().unwrap();
    let told = String::from_utf8(ran.stderr).unwrap();
    assert_eq!(ran.status.code(), Some(2), "{told}");
    assert!(
        told.contains("there is \"cut\" for poplar plywood") && told.contains("tube-laser"),
        "{told}"
    );
    let refused = bench.refused(2, &["recipe", "print", "-o", "book.pdf"]);
    assert!(refused.contains("name a .html, .svg or .png"), "{refused}");
}

#[test]
fn half_a_name_finds_materials_and_what_is_missing_is_said_with_what_there_is() {
    let bench = bench("recipe = \"cut\"");
    for call in [&["recipe", "list"][..], &["recipe", "show", "cut"], &["log", "find"]] {
        let told = bench.refused(2, &[call, &["--material", " "]].concat());
        assert!(told.contains("it says nothing"), "{told}");
    }
    let rows = |args: &[&str]| -> Vec<(String, Option<f64>)> {
        let all: serde_json::Value =
            serde_json::from_str(&ok(&bench, &[&["recipe", "list", "--json"], args].concat()))
                .unwrap();
        let all = all["recipes"].as_array().unwrap().clone();
        let row = |r: &serde_json::Value| {
            (r["material"].as_str().unwrap().to_string(), r["thickness_mm"].as_f64())
        };
        all.iter().map(row).collect()
    };
    let plywood = rows(&["--material", "PLYwood"]);
    assert!(plywood.iter().all(|(m, _)| m.ends_with("plywood")), "{plywood:?}");
    let of = |name: &str| plywood.iter().any(|(m, _)| m == name);
    assert!(of("birch plywood") && of("poplar plywood"), "{plywood:?}");
    // Words in any order, and parts of them.
    assert_eq!(rows(&["--material", "ply pop"]), rows(&["--material", "poplar plywood"]));
    // What is for any thickness is for this one too.
    let acrylic = rows(&["--material", "acrylic", "--thickness", "3 mm"]);
    let has = |mm: Option<f64>| acrylic.iter().any(|(_, t)| *t == mm);
    assert!(has(None) && has(Some(3.0)) && !has(Some(5.0)), "{acrylic:?}");
    let ripstop = ok(&bench, &["recipe", "list", "--material", "ripstop", "--thickness", "3 mm"]);
    assert!(ripstop.contains("of ripstop there are 0.1 mm"), "{ripstop}");
    let none = ok(&bench, &["recipe", "list", "--material", "granite"]);
    assert!(
        none.contains("no recipe for granite; there are") && none.contains("acrylic"),
        "{none}"
    );
    // One is meant where its whole name is said, though others have it as a part.
    let both = format!(
        "{BOOK}\n[[recipe]]\nmaterial = \"poplar plywood, stained\"\nthickness = \"3 mm\"\nmake = \"cut\"\nspeed = \"3 mm/s\"\npower = \"70 %\"\n"
    );
    bench.write("ours.recipes.toml", both);
    let shown = ok(&bench, &["recipe", "show", "cut", "--material", "poplar plywood"]);
    assert!(shown.contains("4 mm/s"), "{shown}");
    // As one of the thickness that was said goes before one for any.
    let any = format!(
        "{BOOK}\n[[recipe]]\nmaterial = \"poplar plywood\"\nname = \"cut\"\nmake = \"cut\"\nspeed = \"3 mm/s\"\npower = \"70 %\"\n"
    );
    bench.write(
        "any.recipes.toml",
        any.replace("4 mm/s", "5 mm/s").replace("[[recipe]]   # the good one", "[[recipe]]"),
    );
    bench.write("ours.recipes.toml", "tinkite = 1\n");
    let both = ["recipe", "show", "cut", "--material", "poplar plywood", "--thickness", "3 mm"];
    assert!(ok(&bench, &both).contains("5 mm/s"));
    bench.write("any.recipes.toml", "tinkite = 1\n");
    bench.write("ours.recipes.toml", format!("{BOOK}\n[[recipe]]\nmaterial = \"poplar plywood, stained\"\nthickness = \"3 mm\"\nmake = \"cut\"\nspeed = \"3 mm/s\"\npower = \"70 %\"\n"));
    // What is taken out of a book is named in full.
    let kept = bench.read("ours.recipes.toml");
    for (args, wanted) in [
        (vec!["--material", "stained"], "say --material \"poplar plywood, stained\""),
        (vec!["--material", "granite"], "no recipe \"cut\" is for"),
    ] {
        let (status, _, err) = said(&bench, &[&["recipe", "drop", "cut"], &args[..]].concat());
        assert!(status == 2 && err.contains(wanted), "{err}");
    }
    let any = "[[recipe]]\nmaterial = \"balsa, stained\"\nmake = \"cut\"\nspeed = \"3 mm/s\"\npower = \"70 %\"\n";
    bench.write("any.recipes.toml", format!("tinkite = 1\n{any}"));
    let thick = ["recipe", "drop", "cut", "--material", "balsa, stained", "--thickness", "3 mm"];
    let (status, _, err) = said(&bench, &thick);
    assert!(status == 2 && err.contains("without --thickness: it is for any"), "{err}");
    assert!(
        bench.read("any.recipes.toml").contains("balsa") && bench.read("ours.recipes.toml") == kept
    );
    ok(&bench, &thick[..5]);
    assert!(!bench.read("any.recipes.toml").contains("balsa"));
    // A machine that no recipe names does not mean that the material is unknown.
    let machine = ["recipe", "list", "--material", "ripstop", "--machine", "tube-laser"];
    assert!(!ok(&bench, &machine).contains("no recipe for ripstop"));
    let (status, _, err) = said(&bench, &["recipe", "show", "cut", "--material", "poplar"]);
    assert_eq!(status, 2);
    assert!(err.contains("2 recipes are called so"), "{err}");
}

#[test]
fn a_begun_job_without_a_recipe_says_what_comes_nearest_and_what_makes_one_of_it() {
    let bench = bench("recipe = \"cut\"");
    let begun = |args: &[&str]| {
        let base = ["begin", "sail-panel.svg", "--force", "-o", "n.kite.toml"];
        let (status, _, err) = said(&bench, &[&base, args].concat());
        assert_eq!(status, 0, "{err}");
        err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ")
    };
    // Another thickness for this source: there is something to work it out from.
    let thick =
        begun(&["--material", "acrylic", "--thickness", "5.5 mm", "--machine", "tube-laser"]);
    assert!(thick.contains("\"cut\" for acrylic 5 mm") && thick.contains("(for 5 mm)"), "{thick}");
    assert!(thick.contains("work yours out from it: tinkite recipe copy"), "{thick}");
    // As it says: of the recipes that ship that for the machine's source is taken.
    let copy = [
        "recipe",
        "copy",
        "cut",
        "--material",
        "acrylic",
        "--thickness",
        "5 mm",
        "--to-thickness",
        "5.5 mm",
    ];
    let (status, _, err) = said(&bench, &copy);
    assert!(status == 2 && err.contains("--to-machine NAME takes that of its source"), "{err}");
    let to_machine =
        [&copy[..], &["--to-machine", "tube-laser", "--book", "ours.recipes.toml"]].concat();
    ok(&bench, &to_machine);
    let known =
        begun(&["--material", "acrylic", "--thickness", "5.5 mm", "--machine", "tube-laser"]);
    assert!(!known.contains("no recipe to"), "{known}");
    bench.write("ours.recipes.toml", BOOK);
    // No book knows it for this source, and that is said.
    let source =
        begun(&["--material", "acrylic", "--thickness", "5 mm", "--machine", "bench-laser"]);
    assert!(
        source.contains("no book knows how to engrave, score, cut acrylic with a source of"),
        "{source}"
    );
    // One of another thickness for this source comes before one of this thickness for others.
    let own = "tinkite = 1\n[[recipe]]\nmaterial = \"acrylic\"\nthickness = \"3 mm\"\nmachine = \"bench-laser\"\nmake = \"cut\"\nspeed = \"2 mm/s\"\npower = \"80 %\"\n";
    bench.write("ours.recipes.toml", own);
    let known =
        begun(&["--material", "acrylic", "--thickness", "5 mm", "--machine", "bench-laser"]);
    assert!(known.contains("no book knows how to engrave, score acrylic with"), "{known}");
    assert!(known.contains("\"cut\" for acrylic 3 mm"), "{known}");
    assert!(source.contains("tinkite swatch make"), "{source}");
    let half = begun(&["--material", "plywood", "--thickness", "3 mm"]);
    assert!(
        half.contains("there are recipes for \"") && half.contains("--material TEXT"),
        "{half}"
    );
}
