//! The page itself.

use super::played;
use super::sketch::sketch;
use crate::plan::{self, StepRow};
use crate::png::{Painter, encode};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use tinkite_core::job::StockSize;
use tinkite_core::picture::{self, Canvas, Look};
use tinkite_core::problem::{Problem, Severity};
use tinkite_core::quantity::{LengthUnit, clock, plain};
use tinkite_files::hint;
use tinkite_files::load::{self, Made, SourceFile};

/// The picture on the page, px.
const PICTURE: Canvas = Canvas { width: 1280, height: 800 };

/// Rows of steps, and of what is told, that are printed; the page has all of them.
const PRINTED_STEPS: usize = 16;
const PRINTED_TOLD: usize = 6;
const PRINTED_FILES: usize = 8;

/// Height of a line in print, mm.
const LINE: f64 = 4.1;

/// Height of the paper between its margins that is left on the shorter of the two usual sheets, mm.
const PAPER: f64 = 252.0;

/// The job sheet.
pub(super) fn page(made: &Made) -> String {
    let job = &made.job;
    let problems = load::locate(made.compiled.problems.clone(), &made.sources);
    let told: Vec<&Problem> = problems.iter().collect();
    let checks = checks(made);
    let look = Look { canvas: PICTURE, ..Look::default() };
    let picture = embed(&picture::job(&made.compiled, job, &look));
    let seconds = made.compiled.within.planned().totals.seconds();
    let print = Print::of(made, &checks, &told);
    let markup = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:";
                title { (job.name) }
                style { (PreEscaped(include_str!("sheet.css"))) }
            }
            body style=(print.style()) {
                main {
                    header {
                        h1 { (job.name) }
                        span { "on " (job.machine.name) }
                        @if let Some(stock) = stock(made) { span { (stock) } }
                        span.long data-seconds=(seconds) { (clock(seconds)) }
                        span.faint.screen id="ends" {}
                    }
                    section.picture {
                        img src=(picture) alt={ "the job " (job.name) " on its bed" } width="1280" height="800";
                    }
                    (player())
                    (steps(made))
                    div.pair {
                        (lies(made))
                        (before(&checks))
                    }
                    @if !told.is_empty() { (told_section(&told)) }
                    (how_made(made))
                }
                script type="application/json" id="run" { (PreEscaped(played::json(made))) }
                script { (PreEscaped(include_str!("sheet.js"))) }
            }
        }
    };
    markup.into_string()
}

/// A picture of more bytes than this is a bitmap on the page.
const LARGEST_SVG: usize = 400_000;

/// The picture as the page holds it.
fn embed(svg: &str) -> String {
    let painted = |dense| encode(&Painter::default().paint_dense(svg, dense).ok()?, None).ok();
    let fine = || painted(2).filter(|png| png.len() <= LARGEST_SVG).or_else(|| painted(1));
    match (svg.len() > LARGEST_SVG).then(fine).flatten() {
        Some(png) => format!("data:image/png;base64,{}", STANDARD.encode(png)),
        None => format!("data:image/svg+xml;base64,{}", STANDARD.encode(svg)),
    }
}

/// How large things are in print, so that all stand on one page.
struct Print {
    /// Height of the picture, mm.
    picture: f64,
    /// Factor of every letter.
    fit: f64,
}

impl Print {
    fn of(made: &Made, checks: &[String], told: &[&Problem]) -> Self {
        let steps = made.compiled.steps.len().min(PRINTED_STEPS + 1) as f64;
        // Lines of so many letters, each so high; what stands beside the sketch has half of the width.
        let lines = |text: &str, letters: usize| text.chars().count().div_ceil(letters) as f64;
        let told_lines = |problem: &&Problem| {
            lines(&problem.message, 100) + lines(&hint::help(problem), 115) + 0.3
        };
        let said: f64 = told.iter().take(PRINTED_TOLD).map(told_lines).sum();
        let said = said + if told.len() > PRINTED_TOLD { 1.0 } else { 0.0 };
        let files = (made.parts.len().min(PRINTED_FILES + 1) + made.job.set.len()) as f64;
        let checks: f64 = checks.iter().map(|check| lines(check, 46) + 0.15).sum();
        let beside = (checks * LINE).max(54.0);
        // Heights of rows at their full size, measured in print, mm.
        let rows = 14.0 + (12.0 + steps * 4.8) + (9.0 + beside) + (15.0 + files * 3.7);
        let rows = rows + if told.is_empty() { 0.0 } else { 10.0 + said * LINE };
        let (least, most) = (58.0, 116.0);
        let picture = (PAPER - rows).clamp(least, most);
        Self { picture, fit: ((PAPER - picture) / rows).clamp(0.55, 1.0) }
    }

    fn style(&self) -> String {
        format!("--picture: {}mm; --fit: {}", plain(self.picture, 1), plain(self.fit, 3))
    }
}

fn stock(made: &Made) -> Option<String> {
    let stock = made.job.stock.as_ref();
    let size = stock.and_then(|stock| match stock.size.as_ref()? {
        StockSize::Fixed { width, depth } => {
            Some(format!("{} x {} mm", plain(*width, 1), plain(*depth, 1)))
        }
        StockSize::Drawn(_) => made.compiled.stock.as_ref().map(|stock| {
            let (wide, deep) = (stock.bounds.width(), stock.bounds.height());
            format!("{} x {} mm at most, as drawn", plain(wide, 1), plain(deep, 1))
        }),
        StockSize::Round(_) => None,
    });
    let thick = stock
        .and_then(|stock| stock.thickness)
        .map(|thick| format!("{} mm thick", plain(thick, 2)));
    let words: Vec<String> =
        [made.job.material.clone(), size, thick].into_iter().flatten().collect();
    (!words.is_empty()).then(|| words.join(", "))
}

/// What is looked at before the run: what the job needs, and what the machine's profile asks.
fn checks(made: &Made) -> Vec<String> {
    let mut checks: Vec<String> =
        stock(made).map(|stock| format!("stock: {stock}")).into_iter().collect();
    checks.push(format!("zero: {}", made.job.placement.zero.words()));
    checks.extend(made.job.lens.as_ref().map(|lens| format!("lens: {lens}")));
    checks.extend(
        plan::focus_words(made, LengthUnit::Millimetre).map(|focus| format!("focus: {focus}")),
    );
    checks.extend(made.job.machine.attendance.checklist.iter().cloned());
    checks
}

fn player() -> Markup {
    html! {
        section.player aria-label="the run, played" {
            h2 { "The run" }
            canvas id="play" tabindex="0" role="img" aria-label="where the head is and what it has burnt" {}
            input id="time" type="range" min="0" value="0" aria-label="time in the run";
            div.controls {
                button.main id="go" type="button" { "Play" }
                button id="back" type="button" { "SourceFile before" }
                button id="on" type="button" { "Next part" }
                label { "pace " select id="pace" {
                    option value="1" { "true time" }
                    option value="10" { "10 times" }
                    option value="60" { "60 times" }
                    option value="whole" selected { "all in 30 s" }
                } }
                label { "colour " select id="colour" {
                    option value="step" { "step" }
                    option value="power" { "power" }
                    option value="speed" { "speed" }
                    option value="depth" { "depth" }
                } }
                label { input id="travel" type="checkbox"; "travel" }
                button id="farther" type="button" aria-label="smaller" { "−" }
                button id="nearer" type="button" aria-label="larger" { "+" }
                button id="fit" type="button" { "All" }
            }
            p.now { b id="clock" {} br; span id="what" {} br; span id="figures" {} br; span.faint id="scale" {} }
            p.keys { "Drag to move, wheel or two fingers for size. Keys on the picture: space plays, N and P go by parts, arrows move, + − 0 change the size." }
        }
    }
}

fn steps(made: &Made) -> Markup {
    let rows = plan::rows(made, LengthUnit::Millimetre);
    let mut begins = 0.0;
    let starts: Vec<f64> = rows
        .iter()
        .map(|row| {
            let at = begins;
            begins += row.seconds;
            at
        })
        .collect();
    let all = rows.len();
    let by_recipe = rows.iter().any(|row| row.recipe.is_some());
    let colours = picture::StepColours::of(&made.compiled, &made.job);
    html! {
        section.steps {
            h2 { "Steps" }
            div.wide { table {
                thead { tr {
                    th {} th { "step" } th { "make" }
                    th.number { "passes" } th.number { "mm/s" } th.number { "power %" } th.number { "S" }
                    th.number { "burn mm" } th.number { "begins" } th.number { "time" } @if by_recipe { th { "recipe" } }
                } }
                tbody {
                    @for (n, (row, start)) in rows.iter().zip(starts).enumerate() { (step(row, start, n >= PRINTED_STEPS, by_recipe, &colours)) }
                    @if all > PRINTED_STEPS {
                        tr.more { td colspan="11" { "and " (all - PRINTED_STEPS) " more on the page" } }
                    }
                }
            } }
        }
    }
}

fn step(
    row: &StepRow,
    start: f64,
    beyond: bool,
    by_recipe: bool,
    colours: &picture::StepColours,
) -> Markup {
    html! {
        tr.beyond[beyond] data-step=(row.name) data-seconds=(row.seconds) data-burn=(row.burn_mm) {
            td.which { span.swatch style={ "background:" (colours.step(row.number)) } {} (row.number + 1) }
            td { (row.name) }
            td { (row.make) }
            td.number { (row.passes) }
            td.number { (row.speed) }
            td.number { (row.power) @if let Some((text, unit)) = &row.reading { " = " (text) " " (unit) } }
            td.number { (row.s) }
            td.number { (plain(row.burn_mm, 0)) }
            td.number { (clock(start)) }
            td.number { (clock(row.seconds)) }
            @if by_recipe { td { (row.recipe.as_deref().unwrap_or("")) } }
        }
    }
}

fn lies(made: &Made) -> Markup {
    let planned = made.compiled.within.planned();
    let frame = planned.segments().frame();
    let totals = &planned.totals;
    html! {
        section.sketch {
            h2 { "Where it lies" }
            @if let Some(burnt) = totals.burnt { p { "burns " (frame.span(burnt, 2, LengthUnit::Millimetre)) } }
            @if let Some(reached) = totals.reached { p.faint { "the head goes " (frame.span(reached, 2, LengthUnit::Millimetre)) } }
            p { "counts from " (made.job.placement.zero.words()) }
            (sketch(made))
        }
    }
}

fn before(checks: &[String]) -> Markup {
    html! {
        section {
            h2 { "Before the start" }
            ul { @for check in checks { li { label { input type="checkbox"; (check) } } } }
        }
    }
}

fn told_section(told: &[&Problem]) -> Markup {
    html! {
        section.told {
            h2 { "Told of this job" }
            ul {
                @for (n, problem) in told.iter().enumerate() {
                    li.warning[problem.severity != Severity::Note].beyond[n >= PRINTED_TOLD] data-code=(problem.code.text()) {
                        (problem.message) br; small { (hint::help(problem)) }
                    }
                }
            }
            @if told.len() > PRINTED_TOLD {
                p.more { "and " (told.len() - PRINTED_TOLD) " more on the page" }
            }
        }
    }
}

fn how_made(made: &Made) -> Markup {
    let row = |n: usize, part: &SourceFile| {
        html! {
            tr.beyond[n >= PRINTED_FILES] {
                td { (part.name) } td.number { (part.bytes) } td.sum { (part.sha256) }
            }
        }
    };
    html! {
        section.made {
            h2 { "How it was made" }
            p { "tinkite " (env!("CARGO_PKG_VERSION")) ", for " (made.job.machine.dialect.name()) }
            @for set in &made.job.set { p { "set for this sheet: " (set) } }
            div.wide { table {
                thead { tr { th { "file" } th.number { "bytes" } th { "SHA-256" } } }
                tbody {
                    @for (n, part) in made.parts.iter().enumerate() { (row(n, part)) }
                    @if made.parts.len() > PRINTED_FILES {
                        tr.more { td colspan="3" { "and " (made.parts.len() - PRINTED_FILES) " more on the page" } }
                    }
                }
            } }
        }
    }
}
