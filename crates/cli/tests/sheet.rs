//! Job sheets: the page, its figures and its playback, in a real browser where there is one.

use crate::common::Bench;
use crate::common::browser::{browser, driven, printed_pages};
use std::collections::BTreeMap;

/// The demo's files, each job of which has a sheet.
const FILES: [&str; 12] = [
    "sail-panel.kite.toml",
    "sail-panel.svg",
    "medal.kite.toml",
    "medal.stl",
    "hubs.kite.toml",
    "spar-hub.dxf",
    "reel-barrel.kite.toml",
    "reel-label.svg",
    "reel-laser.machine.toml",
    "tube-laser.machine.toml",
    "workshop.recipes.toml",
    "kite-sky.kite.toml",
];

fn bench() -> Bench {
    let bench = Bench::new();
    FILES.iter().for_each(|file| bench.demo(file));
    bench.demo("kite-sky.png");
    bench
}

fn sheet(bench: &Bench, job: &str) -> String {
    let file = format!("{job}.html");
    bench.ok(&["draw", &format!("{job}.kite.toml"), "-o", &file, "--force"]);
    file
}

/// Moves the slider to shares of the run and says what the page says there; `pixels` is a sum over the picture.
const AT: &str = "
  const frames = async n => { for (let k = 0; k < n; k++) await new Promise(r => requestAnimationFrame(r)); };
  const slider = document.getElementById('time'), canvas = document.getElementById('play');
  const word = id => document.getElementById(id).textContent;
  const pixels = () => {
    const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
    let sum = 0;
    for (let n = 0; n < data.length; n += 4) sum = (sum * 31 + data[n] + 7 * data[n + 1] + 13 * data[n + 2]) % 1000000007;
    return sum;
  };
  const at = async share => {
    slider.value = String(share * Number(slider.max));
    slider.dispatchEvent(new Event('input'));
    await frames(12);
    return { share, time: Number(slider.value), clock: word('clock'), what: word('what'), figures: word('figures'), pixels: pixels() };
  };
  await frames(12);
";

#[test]
fn the_page_says_what_the_plan_says() {
    let bench = bench();
    for job in ["sail-panel", "medal", "hubs", "reel-barrel", "kite-sky"] {
        let page = bench.read(&sheet(&bench, job));
        let plan = bench.json(&["plan", &format!("{job}.kite.toml")]);
        let number = |key: &str, from: usize| -> f64 {
            let at = page[from..].find(key).unwrap() + from + key.len();
            page[at..].split('"').next().unwrap().parse().unwrap()
        };
        let all = number("class=\"long\" data-seconds=\"", 0);
        assert!((all - plan["seconds"].as_f64().unwrap()).abs() < 1e-3, "{job}");
        for step in plan["steps"].as_array().unwrap() {
            let row = page.find(&format!("data-step={}", step["name"])).unwrap();
            let seconds = number("data-seconds=\"", row);
            assert!((seconds - step["seconds"].as_f64().unwrap()).abs() < 1e-3, "{job} {step}");
            let burn = number("data-burn=\"", row);
            assert!((burn - step["burn_mm"].as_f64().unwrap()).abs() < 1e-3, "{job} {step}");
        }
        for problem in plan["problems"].as_array().unwrap() {
            assert!(page.contains(&format!("data-code=\"{}\"", problem["code"].as_str().unwrap())));
        }
        // Nothing is asked of any other place.
        assert!(
            !page.contains("http://")
                || page.matches("http://").count() == page.matches("http://www.w3.org").count()
        );
        assert!(!page.contains("https://") && page.contains("default-src 'none'"));
    }
    // The files, as they are on the disk.
    let page = bench.read("sail-panel.html");
    for file in ["sail-panel.kite.toml", "sail-panel.svg", "bench-laser.machine.toml"] {
        let digest = hmac_sha256::Hash::hash(std::fs::read(bench.path(file)).unwrap().as_slice());
        let hex: String = digest.iter().map(|byte| format!("{byte:02x}")).collect();
        assert!(page.contains(&hex), "{file}");
    }
    // The same job gives the same page.
    let before = page;
    assert_eq!(bench.read(&sheet(&bench, "sail-panel")), before);
}

#[test]
fn names_cannot_break_out_of_the_page() {
    let bench = bench();
    let evil = "</script><img src=x onerror=alert(1)>&amp;";
    bench.change(
        "sail-panel.kite.toml",
        "name     = \"Sail panel\"",
        &format!("name     = '{evil}'"),
    );
    let page = bench.read(&sheet(&bench, "sail-panel"));
    assert!(!page.contains("<img src=x"), "a name is a name");
    assert!(page.contains("&lt;/script&gt;&lt;img src=x onerror=alert(1)&gt;&amp;amp;"));
    assert_eq!(page.matches("</script>").count(), 2);
    let Some(name) = browser() else { return };
    let title = driven(
        &name,
        &bench,
        "sail-panel.html",
        (1280, 800),
        "return document.querySelector('h1').textContent;",
    );
    assert_eq!(title, evil);
}

#[test]
fn the_slider_moves_the_picture_and_the_words_are_those_of_the_program() {
    let Some(name) = browser() else { return };
    let bench = bench();
    for job in ["sail-panel", "hubs", "medal", "reel-barrel"] {
        let page = sheet(&bench, job);
        let script = format!(
            "{AT} const found = []; for (const share of [0.0001, 0.13, 0.34, 0.5, 0.71, 0.93, 1]) found.push(await at(share)); const whole = found.at(-1).pixels; document.getElementById('travel').click(); await frames(30); return {{ found, travel: pixels() !== whole }};"
        );
        let out = driven(&name, &bench, &page, (1280, 1400), &script);
        let found = out["found"].as_array().unwrap();
        let pixels: Vec<i64> = found.iter().map(|one| one["pixels"].as_i64().unwrap()).collect();
        assert!(pixels.windows(2).all(|two| two[0] != two[1]), "{job}: {pixels:?}");
        assert_eq!(out["travel"], true, "{job}: travel is not shown");
        // Each moment against the program: the line that is named has the power that is said in force.
        bench.ok(&["emit", &format!("{job}.kite.toml"), "-o", "p.nc", "--force"]);
        let text = bench.read("p.nc");
        let mut power: BTreeMap<usize, f64> = BTreeMap::new();
        let (mut s, mut lit) = (0.0, false);
        for (n, line) in text.lines().enumerate() {
            let code = line.split([';', '(']).next().unwrap();
            for word in ["M3", "M4"] {
                lit |= code.contains(word);
            }
            lit &= !code.contains("M5");
            if let Some((_, rest)) = code.split_once('S') {
                let end =
                    rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
                s = rest[..end].parse().unwrap();
            }
            let rapid = code.trim_start().starts_with("G0");
            power.insert(n + 1, if lit && !rapid { s } else { 0.0 });
        }
        let total = bench.json(&["plan", &format!("{job}.kite.toml")])["seconds"].as_f64().unwrap();
        let mut burning = 0;
        for one in &found[..6] {
            let figures = one["figures"].as_str().unwrap();
            let after = |key: &str| -> Option<f64> {
                let at = figures.find(key)? + key.len();
                let end = figures[at..].find([' ', ')']).unwrap_or(figures.len() - at);
                figures[at..at + end].parse().ok()
            };
            let line = after("line ").unwrap() as usize;
            let said = after("(S").unwrap_or(0.0);
            assert!(
                (power[&line] - said).abs() < 0.05,
                "{job} line {line} {}: {figures}",
                power[&line]
            );
            burning += usize::from(said > 0.0);
            let time = one["time"].as_f64().unwrap();
            assert!((time - total * one["share"].as_f64().unwrap()).abs() < total / 1e4 + 0.01);
        }
        assert!(burning >= 2, "{job}: the beam is hardly on: {found:?}");
        let last = found.last().unwrap();
        assert_eq!(last["what"], "the end");
        assert!(
            (last["time"].as_f64().unwrap() - total).abs() < 0.01 + total * 1e-6,
            "{last} {total}"
        );
    }
}

#[test]
fn keys_parts_colours_and_less_motion_work() {
    let Some(name) = browser() else { return };
    let bench = bench();
    let page = sheet(&bench, "medal");
    let script = format!(
        "{AT}
        const key = async key => {{ canvas.dispatchEvent(new KeyboardEvent('keydown', {{ key, bubbles: true }})); await frames(12); }};
        const press = async id => {{ document.getElementById(id).click(); await frames(12); }};
        await at(0);
        const parts = [];
        for (let n = 0; n < 4; n++) {{ await key('n'); parts.push(word('what')); }}
        await key('p');
        const back = word('what');
        await at(1);
        const seen = [pixels()];
        for (const value of ['power', 'speed', 'depth']) {{
          document.getElementById('colour').value = value;
          document.getElementById('colour').dispatchEvent(new Event('change'));
          await frames(30);
          seen.push(pixels());
        }}
        await key('+');
        seen.push(pixels());
        await key('ArrowLeft');
        seen.push(pixels());
        await key('0');
        seen.push(pixels());
        await at(0);
        await key(' ');
        const going = word('go');
        await frames(40);
        await key(' ');
        return {{ parts, back, seen, going, went: Number(slider.value), stopped: word('go'), focusable: canvas.tabIndex }};"
    );
    let out = driven(&name, &bench, &page, (1280, 1400), &script);
    let parts: Vec<&str> =
        out["parts"].as_array().unwrap().iter().map(|p| p.as_str().unwrap()).collect();
    assert!(parts[1].contains("layer 2 of 8") && parts[1].contains("0.1 mm deep"), "{parts:?}");
    assert_eq!(out["back"], parts[2]);
    let seen: Vec<i64> =
        out["seen"].as_array().unwrap().iter().map(|p| p.as_i64().unwrap()).collect();
    let different: std::collections::BTreeSet<_> = seen[..6].iter().collect();
    assert_eq!(different.len(), 6, "colours and size change the picture: {seen:?}");
    assert_eq!(seen[6], seen[3], "all of it again");
    assert_eq!((&out["going"], &out["stopped"]), (&"Pause".into(), &"Play".into()));
    assert!(out["went"].as_f64().unwrap() > 0.0);
    assert_eq!(out["focusable"], 0);
}

#[test]
fn it_fits_a_phone_and_one_sheet_of_paper() {
    let Some(name) = browser() else { return };
    let bench = bench();
    let wide = "return [document.documentElement.scrollWidth, innerWidth];";
    for job in ["sail-panel", "medal", "hubs", "reel-barrel", "kite-sky"] {
        let page = sheet(&bench, job);
        for size in [(390, 844), (1280, 800)] {
            let out = driven(&name, &bench, &page, size, wide);
            assert_eq!(out[0], out[1], "{job} at {size:?}");
        }
        for paper in ["A4", "Letter"] {
            assert_eq!(printed_pages(&name, &bench, &page, paper), 1, "{job} on {paper}");
        }
    }
    // Thirty steps, and as many things to look at as a profile may have.
    let checks: Vec<String> =
        (0..12).map(|n| format!("\"point {n} of what is looked at\"")).collect();
    let profile = bench.read("bench-laser.machine.toml");
    bench.write(
        "bench-laser.machine.toml",
        format!("{profile}\n[run]\nchecklist = [{}]\n", checks.join(", ")),
    );
    let step = |n: usize| {
        format!(
            "[[step]]\nname = \"mark {n}\"\ntake = {{ stroke = \"#0000ff\" }}\nmake = \"score\"\nspeed = \"{} mm/s\"\npower = \"20 %\"\n",
            n + 20
        )
    };
    let steps: String = (0..30).map(step).collect();
    let job = bench.read("sail-panel.kite.toml");
    bench.write("long.kite.toml", format!("{job}\n{steps}"));
    let page = sheet(&bench, "long");
    for paper in ["A4", "Letter"] {
        assert_eq!(printed_pages(&name, &bench, &page, paper), 1, "a long one on {paper}");
    }
}
