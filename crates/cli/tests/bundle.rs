//! Bundles: made, carried elsewhere and used there; and such as were made to do harm.

use crate::common::{Bench, RigProcess};
use std::io::{Cursor, Read, Write};
use std::path::Path;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

/// Every file of the demo.
fn demo() -> Bench {
    let bench = Bench::new();
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_file() {
            std::fs::copy(&path, bench.path(path.file_name().unwrap().to_str().unwrap())).unwrap();
        }
    }
    bench
}

fn carried(from: &Bench, name: &str) -> Bench {
    let there = Bench::new();
    // Nothing else lies there.
    there.files().iter().for_each(|file| std::fs::remove_file(there.path(file)).unwrap());
    std::fs::copy(from.path(name), there.path(name)).unwrap();
    there
}

#[test]
fn every_demo_job_gives_the_same_program_elsewhere() {
    let here = demo();
    let mut jobs: Vec<String> =
        here.files().into_iter().filter(|name| name.ends_with(".kite.toml")).collect();
    jobs.sort();
    assert!(jobs.len() >= 10, "{jobs:?}");
    for job in jobs {
        here.ok(&["bundle", &job, "-o", "carried.kite.zip", "--force"]);
        let first = std::fs::read(here.path("carried.kite.zip")).unwrap();
        here.ok(&["bundle", &job, "-o", "carried.kite.zip", "--force"]);
        assert_eq!(std::fs::read(here.path("carried.kite.zip")).unwrap(), first, "{job}: no clock");
        let there = carried(&here, "carried.kite.zip");
        here.ok(&["emit", &job, "-o", "here.nc", "--force"]);
        there.ok(&["emit", "carried.kite.zip", "-o", "there.nc"]);
        assert_eq!(there.read("there.nc"), here.read("here.nc"), "{job}");
        assert_eq!(there.files(), ["carried.kite.zip", "there.nc"], "{job}: nothing was unpacked");
    }
}

#[test]
fn every_command_takes_a_bundle_as_the_job() {
    let here = demo();
    here.ok(&["bundle", "sail-panel.kite.toml"]);
    let there = carried(&here, "sail-panel.kite.zip");
    let bundle = "sail-panel.kite.zip";
    let plan = there.json(&["plan", bundle]);
    let own = here.json(&["plan", "sail-panel.kite.toml"]);
    assert_eq!(plan["seconds"], own["seconds"]);
    there.ok(&["check", bundle]);
    there.ok(&["draw", bundle, "-o", "a.svg"]);
    there.ok(&["draw", bundle, "-o", "a.html"]);
    there.ok(&["draw", bundle, "--trouble", "-o", "t.svg"]);
    there.ok(&["look", bundle, "--measure", "outline"]);
    there.ok(&["emit", bundle]);
    assert!(there.path("sail-panel.nc").exists(), "beside the bundle");
    there.ok(&["run", bundle, "--to", "rig:", "--plain"]);
    there.ok(&["edge", bundle, "--to", "rig:", "--times", "1"]);
    // A bundle is not put into another.
    assert_eq!(there.run(&["bundle", bundle]).status, 2);
}

#[test]
fn a_profile_that_differs_from_the_computers_own_is_told() {
    let here = demo();
    here.ok(&["bundle", "sail-panel.kite.toml"]);
    let there = carried(&here, "sail-panel.kite.zip");
    let own = "config/tinkite/machines/bench-laser.machine.toml";
    std::fs::create_dir_all(there.path("config/tinkite/machines")).unwrap();
    let profile = here.read("bench-laser.machine.toml");
    let told = || {
        let args = ["check", "sail-panel.kite.zip", "--json"];
        let config = there.path("config");
        let out = there.command(&args).env("XDG_CONFIG_HOME", config).output().unwrap();
        String::from_utf8_lossy(&out.stdout).contains("is not the one that this computer has")
    };
    assert!(!told(), "there is no other");
    there.write(own, &profile);
    assert!(!told(), "the same");
    there.write(own, profile.replace("400 mm", "380 mm"));
    assert!(told(), "a smaller bed");
}

#[test]
fn files_from_elsewhere_come_along_under_names_of_their_own() {
    let here = demo();
    std::fs::create_dir(here.path("jobs")).unwrap();
    std::fs::create_dir(here.path("jobs/art")).unwrap();
    std::fs::rename(here.path("label.bmp"), here.path("jobs/art/label.bmp")).unwrap();
    here.write(
        "jobs/a.kite.toml",
        "tinkite = 1\nmachine = \"../bench-laser.machine.toml\"\n\n# The panel, kept elsewhere.\n[[artwork]]\nfile = \"../sail-panel.svg\"\n[[artwork]]\nfile = \"art/label.bmp\"\nwidth = \"20 mm\"\nat = [\"0 mm\", \"0 mm\"]\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\nname = \"lines\"\ntake = { artwork = \"../sail-panel.svg\", stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n[[step]]\nname = \"label\"\ntake = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"30 %\"\nimage = { spacing = \"0.2 mm\" }\n",
    );
    let made = here.json(&["bundle", "jobs/a.kite.toml"]);
    let names: Vec<&str> =
        made["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap()).collect();
    let all =
        ["a.kite.toml", "art/label.bmp", "files/bench-laser.machine.toml", "files/sail-panel.svg"];
    assert_eq!(names, all);
    std::fs::rename(here.path("jobs/a.kite.zip"), here.path("a.kite.zip")).unwrap();
    let there = carried(&here, "a.kite.zip");
    here.ok(&["emit", "jobs/a.kite.toml", "-o", "here.nc"]);
    there.ok(&["emit", "a.kite.zip", "-o", "there.nc"]);
    assert_eq!(there.read("there.nc"), here.read("here.nc"));
    assert_eq!(made["program_sha256"], sum(there.read("there.nc").as_bytes()));
    // Comments of the job are kept.
    let mut zip =
        ZipArchive::new(Cursor::new(std::fs::read(here.path("a.kite.zip")).unwrap())).unwrap();
    let mut text = String::new();
    zip.by_name("a.kite.toml").unwrap().read_to_string(&mut text).unwrap();
    assert!(text.contains("# The panel, kept elsewhere."), "{text}");
}

fn sum(bytes: &[u8]) -> String {
    hmac_sha256::Hash::hash(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}

/// A bundle of these files; the list has what `listed` makes of it.
fn archive(files: &[(&str, &[u8])], list: Option<&str>) -> Vec<u8> {
    let entries: Vec<serde_json::Value> = files
        .iter()
        .map(|(name, data)| serde_json::json!({ "name": name, "bytes": data.len(), "sha256": sum(data) }))
        .collect();
    let own = serde_json::json!({ "tinkite_bundle": 1, "made_by": "a test", "job": files[0].0, "files": entries });
    let list = list.map_or_else(|| own.to_string(), str::to_string);
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let how = SimpleFileOptions::default();
    if !list.is_empty() {
        zip.start_file("bundle.json", how).unwrap();
        zip.write_all(list.as_bytes()).unwrap();
    }
    for (name, data) in files {
        zip.start_file(*name, how).unwrap();
        zip.write_all(data).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

const DRAWING: &[u8] = b"<svg xmlns='http://www.w3.org/2000/svg' width='40mm' height='40mm' viewBox='0 0 40 40'><rect x='5' y='5' width='20' height='20' fill='none' stroke='red'/></svg>";

fn job(file: &str) -> String {
    format!(
        "tinkite = 1\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"{file}\"\n[place]\nat = [\"20 mm\", \"20 mm\"]\n[[step]]\nname = \"cut\"\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n"
    )
}

#[test]
fn bundles_that_were_meddled_with_are_refused_and_write_nothing() {
    let bench = Bench::new();
    let job_text = job("a.svg");
    let good = [("a.kite.toml", job_text.as_bytes()), ("a.svg", DRAWING)];
    let try_it = |bytes: Vec<u8>| {
        bench.write("x.kite.zip", bytes);
        let ran = bench.run(&["emit", "x.kite.zip", "-o", "out.nc", "--force"]);
        (ran.status, ran.err)
    };
    assert_eq!(try_it(archive(&good, None)).0, 0);
    std::fs::remove_file(bench.path("out.nc")).unwrap();
    let refused = |bytes: Vec<u8>, word: &str| {
        let (status, err) = try_it(bytes);
        let err = err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ");
        assert_eq!(status, 1, "{err}");
        assert!(err.contains(word), "{word}: {err}");
        assert!(!bench.path("out.nc").exists());
    };
    let whole = serde_json::json!({ "tinkite_bundle": 1, "made_by": "a test", "job": "a.kite.toml", "files": [
        { "name": "a.kite.toml", "bytes": job_text.len(), "sha256": sum(job_text.as_bytes()) },
        { "name": "a.svg", "bytes": DRAWING.len(), "sha256": sum(DRAWING) } ] });
    let with = |change: &dyn Fn(&mut serde_json::Value)| {
        let mut list = whole.clone();
        change(&mut list);
        list.to_string()
    };
    // Changed, missing and added.
    let other = [("a.kite.toml", job_text.as_bytes()), ("a.svg", &DRAWING[..60])];
    refused(archive(&other, Some(&whole.to_string())), "is not what its list says");
    refused(archive(&good[..1], Some(&whole.to_string())), "is not in the bundle");
    let added = [good[0], good[1], ("more.machine.toml", b"x")];
    refused(archive(&added, Some(&whole.to_string())), "not on its list");
    // Names that lead outside, in the archive and in the job.
    for name in ["../evil.svg", "/etc/evil.svg", "c:\\evil.svg", "a/../../evil.svg"] {
        refused(archive(&[good[0], good[1], (name, DRAWING)], None), "outside");
    }
    for name in ["../x.svg", "/etc/hostname", "../x.kite.zip/a.svg"] {
        let outside = job(name);
        refused(
            archive(&[("a.kite.toml", outside.as_bytes()), ("a.svg", DRAWING)], None),
            "outside",
        );
    }
    // A bomb: what unpacks to more than the list says, and a list that promises too much.
    let bomb = vec![b' '; 50 << 20];
    let small = with(&|list| list["files"][1]["name"] = "bomb.svg".into());
    refused(archive(&[good[0], ("bomb.svg", &bomb)], Some(&small)), "is not what its list says");
    refused(
        archive(&good, Some(&with(&|list| list["files"][1]["bytes"] = (1_u64 << 40).into()))),
        "MB together",
    );
    // From a newer version, without a list, with a broken one, without its job; no archive at all.
    refused(
        archive(&good, Some(&with(&|list| list["tinkite_bundle"] = 2.into()))),
        "newer version",
    );
    refused(archive(&good, Some("")), "no bundle");
    refused(archive(&good, Some("{")), "cannot be read");
    refused(archive(&good, Some(&with(&|list| list["job"] = "b.kite.toml".into()))), "b.kite.toml");
    refused(b"no archive".to_vec(), "cannot be read");
    let bytes = archive(&good, None);
    refused(bytes[..bytes.len() / 2].to_vec(), "cannot be read");
}

#[test]
fn the_fonts_of_a_jobs_text_come_along() {
    let here = Bench::new();
    std::fs::create_dir_all(here.path("home/.fonts")).unwrap();
    here.write("home/.fonts/plain-mono.ttf", dejavu::sans_mono::regular());
    let shape = "tinkite = 1\nmachine = \"bench-laser\"\n[[shape]]\nkind = \"text\"\nname = \"word\"\ntext = \"Kite 7\"\nheight = \"12 mm\"\nfont = \"DejaVu Sans Mono\"\ncolour = \"black\"\n[place]\nat = [\"40 mm\", \"40 mm\"]\n[[step]]\nname = \"word\"\ntake = { fill = \"black\" }\nmake = \"engrave\"\nspeed = \"50 mm/s\"\npower = \"30 %\"\nlines = { spacing = \"0.3 mm\" }\n";
    here.write("word.kite.toml", shape);
    let with_font = |bench: &Bench, args: &[&str]| {
        let home = bench.path("home");
        let out = bench.command(args).env("HOME", home).output().unwrap();
        assert!(out.status.success(), "{args:?}: {}", String::from_utf8_lossy(&out.stderr));
    };
    with_font(&here, &["bundle", "word.kite.toml"]);
    with_font(&here, &["emit", "word.kite.toml", "-o", "here.nc"]);
    let bytes = std::fs::read(here.path("word.kite.zip")).unwrap();
    let zip = ZipArchive::new(Cursor::new(bytes)).unwrap();
    let fonts: Vec<&str> = zip.file_names().filter(|name| name.starts_with("fonts/")).collect();
    assert_eq!(fonts.len(), 1, "the one that it is drawn with: {fonts:?}");
    // There nobody has it.
    let there = carried(&here, "word.kite.zip");
    std::fs::create_dir(there.path("home")).unwrap();
    with_font(&there, &["emit", "word.kite.zip", "-o", "there.nc"]);
    assert_eq!(there.read("there.nc"), here.read("here.nc"));
    // Drawn in another font it would be another program.
    here.write("word.kite.toml", shape.replace("font = \"DejaVu Sans Mono\"\n", ""));
    with_font(&here, &["emit", "word.kite.toml", "-o", "plain.nc"]);
    assert_ne!(here.read("plain.nc"), here.read("here.nc"));
}

/// The text of a file in a bundle.
fn inside(bench: &Bench, bundle: &str, name: &str) -> String {
    let file = std::fs::File::open(bench.path(bundle)).unwrap();
    let mut archive = ZipArchive::new(file).unwrap();
    let mut text = String::new();
    archive.by_name(name).unwrap().read_to_string(&mut text).unwrap();
    text
}

#[test]
fn a_report_tells_what_a_helper_needs_and_no_folder_of_the_computer() {
    let here = demo();
    let job = "hubs.kite.toml";
    for (job, machine) in [(job, "tube-laser"), ("sail-panel.kite.toml", "bench-laser")] {
        let rig = ["--tcp", "127.0.0.1:0", "--pace", "max", "--once", "--machine", machine];
        let rig = RigProcess::start(&here, &rig);
        here.ok(&["run", job, "--to", &rig.link, "--confirmed", "--plain"]);
    }
    let listed = here.ok(&["bundle", job, "--report", "-o", "a.kite.zip"]);
    let whole = here.path("").canonicalize().unwrap();
    let mut all = String::new();
    for name in ["about", "look", "check", "plan", "run"] {
        assert!(listed.contains(&format!("report/{name}.json")), "{listed}");
        all.push_str(&inside(&here, "a.kite.zip", &format!("report/{name}.json")));
    }
    all.push_str(&inside(&here, "a.kite.zip", "report/program.nc"));
    for folder in [whole.to_str().unwrap(), here.path("").to_str().unwrap(), "/tmp/", "/home/"] {
        assert!(!all.contains(folder), "{folder} in {all}");
    }
    // It is what the commands say there.
    let there = carried(&here, "a.kite.zip");
    let json = |text: &str| serde_json::from_str::<serde_json::Value>(text).unwrap();
    let report = |name: &str| json(&inside(&there, "a.kite.zip", &format!("report/{name}.json")));
    assert_eq!(report("plan")["seconds"], there.json(&["plan", "a.kite.zip"])["seconds"]);
    assert_eq!(
        report("check"),
        json(&there.run(&["check", "a.kite.zip", "--json"]).out.replace("a.kite.zip/", ""))
    );
    assert!(
        report("run")["job"].as_str().unwrap().contains("hubs"),
        "the last run was another job's"
    );
    assert_eq!(report("run")["link"], "tcp");
    let program = inside(&there, "a.kite.zip", "report/program.nc");
    assert_eq!(program, there.ok(&["emit", "a.kite.zip", "-o", "-"]));
    // One without a report has nothing of it, and of a refused job there is no program.
    here.ok(&["bundle", job, "-o", "b.kite.zip"]);
    assert!(!here.ok(&["bundle", job, "-o", "b.kite.zip", "--force"]).contains("report/"));
    let at =
        here.read(job).lines().find(|line| line.starts_with("at ")).map(str::to_string).unwrap();
    here.change(job, &at, "at = [\"890 mm\", \"-10 mm\"]");
    let listed = here.ok(&["bundle", job, "--report", "-o", "c.kite.zip"]);
    assert!(listed.contains("report/check.json") && !listed.contains("program.nc"), "{listed}");
    assert!(inside(&here, "c.kite.zip", "report/check.json").contains("off-bed"));
}

#[test]
fn a_report_does_not_say_where_the_machine_is_nor_what_somebody_noted_in_its_profile() {
    let here = demo();
    let job = "sail-panel.kite.toml";
    here.change(
        "bench-laser.machine.toml",
        "to = \"rig:\"",
        "# behind the shed, code 4711\nto = \"tcp:192.0.2.77:2323\" # the grey box",
    );
    let mut photo = std::fs::read(here.path("bow-photo.jpg")).unwrap();
    // A comment as the picture's second segment.
    let text = b"taken at 12.3456 N";
    let comment = [&[0xff, 0xfe, 0, text.len() as u8 + 2][..], text].concat();
    photo.splice(2..2, comment);
    here.write("bow-photo.jpg", photo);
    here.ok(&[
        "begin",
        "bow-photo.jpg",
        "--width",
        "50 mm",
        "--machine",
        "bench-laser",
        "-o",
        "photo.kite.toml",
    ]);
    for job in [job, "photo.kite.toml"] {
        here.ok(&["bundle", job, "--report", "-o", "a.kite.zip", "--force"]);
        let mut archive =
            zip::ZipArchive::new(std::fs::File::open(here.path("a.kite.zip")).unwrap()).unwrap();
        for n in 0..archive.len() {
            let mut file = archive.by_index(n).unwrap();
            let mut content = Vec::new();
            std::io::Read::read_to_end(&mut file, &mut content).unwrap();
            let content = String::from_utf8_lossy(&content).into_owned();
            for private in ["192.0.2.77", "4711", "grey box", "12.3456"] {
                assert!(!content.contains(private), "{job}: {} says {private}", file.name());
            }
        }
        // It is the same machine, and the same program.
        let there = carried(&here, "a.kite.zip");
        assert_eq!(
            there.ok(&["emit", "a.kite.zip", "-o", "-"]),
            here.ok(&["emit", job, "-o", "-"])
        );
    }
    // One for oneself is as it was.
    here.ok(&["bundle", job, "-o", "own.kite.zip"]);
    assert!(inside(&here, "own.kite.zip", "bench-laser.machine.toml").contains("192.0.2.77"));
}

#[test]
fn a_mark_is_not_written_into_a_bundle() {
    let here = demo();
    here.ok(&["bundle", "hubs.kite.toml", "-o", "a.kite.zip"]);
    for job in ["a.kite.zip", "a.kite.zip/hubs.kite.toml"] {
        let told = here.refused(2, &["head", "mark", job, "1", "--to", "rig:"]);
        assert!(told.contains("nobody edits a bundle"), "{told}");
    }
}
