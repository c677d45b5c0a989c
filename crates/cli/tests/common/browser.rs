//! A browser without a window, for pages that are written.

use super::Bench;
use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};

/// Names under which one is found.
const NAMES: [&str; 2] = ["chromium", "chromium-browser"];

/// The browser of this computer. Where `TINKITE_BROWSER` is set it must be there.
pub(crate) fn browser() -> Option<String> {
    let runs = |name: &str| {
        Command::new(name)
            .arg("--version")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status()
            .is_ok_and(|status| status.success())
    };
    let found = NAMES.iter().find(|name| runs(name)).map(|name| (*name).to_string());
    if found.is_none() {
        assert!(
            std::env::var_os("TINKITE_BROWSER").is_none(),
            "TINKITE_BROWSER asks for a browser, and there is none"
        );
        // Whoever reads the output of the tests shall know.
        let _ = writeln!(std::io::stderr(), "there is no browser here: the page was not opened");
    }
    found
}

fn start(name: &str, bench: &Bench, page: &Path, more: &[&str]) -> String {
    let profile = format!("--user-data-dir={}", bench.path(".browser").display());
    let fixed = ["--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", &profile];
    let out = Command::new(name)
        .args(fixed)
        .args(more)
        .arg(format!("file://{}", page.display()))
        .output()
        .unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8_lossy(&out.stdout).into_owned()
}

/// Opens a page in a window of this size, has `script` (the body of an async function) run in it, and gives back
/// what that returns. An error in any script of the page is a failure.
pub(crate) fn driven(
    name: &str,
    bench: &Bench,
    page: &str,
    size: (u32, u32),
    script: &str,
) -> serde_json::Value {
    let html = bench.read(page);
    // Frames come by the clock of timers, which the browser runs ahead.
    let watch = "<script>window.requestAnimationFrame = f => setTimeout(() => f(performance.now()), 16); window.wrong = []; addEventListener('error', e => wrong.push(e.message)); addEventListener('unhandledrejection', e => wrong.push(String(e.reason)));</script>";
    let drive = format!(
        "<script>addEventListener('load', async () => {{ let found; try {{ found = await (async () => {{ {script} }})(); }} catch (e) {{ wrong.push(String(e.stack)); }} const out = document.createElement('pre'); out.id = 'driven'; out.textContent = JSON.stringify({{ found, wrong }}); document.body.append(out); }});</script>"
    );
    let html = html.replacen("<head>", &format!("<head>{watch}"), 1);
    let html = html.replacen("</body>", &format!("{drive}</body>"), 1);
    bench.write("driven.html", html);
    let window = format!("--window-size={},{}", size.0, size.1);
    let more = [window.as_str(), "--virtual-time-budget=60000", "--dump-dom"];
    let dom = start(name, bench, &bench.path("driven.html"), &more);
    let from = dom.find("<pre id=\"driven\">");
    assert!(from.is_some(), "the page's script gave nothing back: {dom}");
    let from = from.unwrap();
    let text = &dom[from + 17..];
    let text = &text[..text.find("</pre>").unwrap()];
    let text = text.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&");
    let value: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!(value["wrong"], serde_json::json!([]), "the page's scripts fail");
    value["found"].clone()
}

/// How many pages it prints on this paper.
pub(crate) fn printed_pages(name: &str, bench: &Bench, page: &str, paper: &str) -> usize {
    let style = format!("<style>@page {{ size: {paper} }}</style></head>");
    bench.write("printed.html", bench.read(page).replacen("</head>", &style, 1));
    let pdf = format!("--print-to-pdf={}", bench.path("printed.pdf").display());
    start(name, bench, &bench.path("printed.html"), &["--no-pdf-header-footer", &pdf]);
    let bytes = std::fs::read(bench.path("printed.pdf")).unwrap();
    let text = String::from_utf8_lossy(&bytes);
    text.matches("/Type /Page\n").count() + text.matches("/Type /Page ").count()
}
