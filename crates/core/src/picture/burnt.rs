//! What a beam did on a bed.

use super::canvas::Canvas;
use super::canvas::worth_showing;
use super::frame::{self, Cross, Ground, View};
use super::legend::{self, Legend, Signs};
use super::turned::across;
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect};
use tinkite_machine::Machine;
use tinkite_machine::frame::Frame;

/// One straight stretch that a beam burnt, the machine's own positions (mm).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BurntMark {
    /// Where it began.
    pub from: Point,
    /// Where it ended.
    pub to: Point,
    /// S while it burnt.
    pub s: f64,
}

/// What stands over the legend.
#[derive(Debug, Clone, Copy)]
pub struct Words<'a> {
    /// Whose marks they are.
    pub title: &'a str,
    /// What is shown.
    pub subtitle: &'a str,
}

/// What a beam did on a bed: darker where S was higher. `facts` stand in the legend.
#[must_use]
pub fn burnt(
    marks: &[BurntMark],
    machine: &Machine,
    words: &Words<'_>,
    facts: Vec<String>,
    canvas: Canvas,
) -> String {
    on_the_bed(&shaded(marks), &SHADES, machine, words, facts, canvas)
}

/// Marks, each with its shade: the darker, the stronger.
fn shaded(marks: &[BurntMark]) -> Vec<(Point, Point, usize)> {
    let most = marks.iter().map(|m| m.s).fold(1.0, f64::max);
    let shade = |s: f64| ((s / most) * (SHADES.len() - 1) as f64).round() as usize;
    marks.iter().map(|m| (m.from, m.to, shade(m.s).min(SHADES.len() - 1))).collect()
}

/// What a beam did on a round object, its surface unrolled: marks lie along it and around it (mm), `around` is all the
/// way round.
#[must_use]
pub fn burnt_round(
    marks: &[BurntMark],
    around: f64,
    words: &Words<'_>,
    facts: Vec<String>,
    canvas: Canvas,
) -> String {
    let reach = marks.iter().map(|m| Rect::from_points(m.from, m.to)).reduce(|a, b| a.union(b));
    let reach = reach.unwrap_or(Rect::new(0.0, 0.0, around, around));
    let aside = 0.1 * reach.width().max(around / 4.0);
    // Once round from where it begins, however often the object has turned before.
    let first = (reach.y0 / around.max(1e-9)).floor() * around;
    let bed = Rect::new(reach.x0 - aside, first, reach.x1 + aside, (first + around).max(reach.y1));
    let view = View::new(canvas.width, canvas.height, bed.inflate(0.0, 0.03 * bed.height()));
    let mut drawn: Vec<String> = vec![String::new(); SHADES.len()];
    for (from, to, shade) in shaded(marks) {
        let (a, b) = (view.px(from), view.px(to));
        let _ = write!(drawn[shade], "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y);
    }
    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &Ground { bed, stock: None });
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    stroke(&mut out, &drawn, &SHADES);
    frame::extents(&mut out, &view, reach);
    out.push_str("</g>\n");
    for seam in [first, first + around] {
        across(&mut out, &view, seam, "none", "seam");
    }
    frame::rulers(&mut out, &view, Cross::default());
    let legend = plain_legend(words, facts, None);
    legend::draw(&mut out, &view, &legend, None);
    out.push_str("</svg>\n");
    out
}

/// Draws path data, each in its colour.
fn stroke(out: &mut String, drawn: &[String], colours: &[&str]) {
    for (d, colour) in drawn.iter().zip(colours) {
        if !d.is_empty() {
            let _ = writeln!(
                out,
                r#"<path d="{d}" fill="none" stroke="{colour}" stroke-width="1" stroke-linecap="round"/>"#
            );
        }
    }
}

/// A legend of facts alone.
fn plain_legend(words: &Words<'_>, facts: Vec<String>, origin: Option<&'static str>) -> Legend {
    Legend {
        title: words.title.into(),
        subtitle: words.subtitle.into(),
        entries: Vec::new(),
        totals: facts,
        notes: Vec::new(),
        scale: None,
        signs: Signs { origin, ..Signs::default() },
    }
}

/// Lines in the machine's own positions (mm), each in one of `colours`, on the bed.
pub(super) fn on_the_bed(
    lines: &[(Point, Point, usize)],
    colours: &[&str],
    machine: &Machine,
    words: &Words<'_>,
    facts: Vec<String>,
    canvas: Canvas,
) -> String {
    let zero = Cross::from(machine);
    let origin = zero.at;
    let frame = Frame::flat(machine);
    let on_bed = |p: Point| frame.point([p.x, p.y]) + origin;
    let ground = Ground { bed: machine.bed.rect(), stock: None };
    let reach = lines
        .iter()
        .map(|(from, to, _)| Rect::from_points(on_bed(*from), on_bed(*to)))
        .reduce(|a, b| a.union(b))
        .unwrap_or(ground.bed);
    let view = View::new(canvas.width, canvas.height, worth_showing(ground.bed, reach));
    let mut drawn: Vec<String> = vec![String::new(); colours.len()];
    for (from, to, colour) in lines {
        let (a, b) = (view.px(on_bed(*from)), view.px(on_bed(*to)));
        let Some(d) = drawn.get_mut(*colour) else { continue };
        let _ = write!(d, "M{:.2} {:.2}L{:.2} {:.2}", a.x, a.y, b.x, b.y);
    }
    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    stroke(&mut out, &drawn, colours);
    frame::off_bed(&mut out, &view, ground.bed);
    frame::extents(&mut out, &view, reach);
    out.push_str("</g>\n");
    frame::rulers(&mut out, &view, zero);
    frame::origin(&mut out, &view, zero);
    let whole = view.shown.width() >= ground.bed.width();
    let shows_zero = view.shown.inflate(1e-6, 1e-6).contains(origin.to_point());
    let legend = plain_legend(words, facts, shows_zero.then_some("the machine's zero"));
    legend::draw(&mut out, &view, &legend, (!whole).then_some((ground.bed, view.shown)));
    out.push_str("</svg>\n");
    out
}

/// Char on wood, from faint to strong.
const SHADES: [&str; 6] = ["#d8b98c", "#c19a63", "#9c7440", "#744f27", "#4a2f15", "#1f1208"];
