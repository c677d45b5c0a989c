//! The picture of what is wrong: every shape in its own colour, and a numbered ring round each
//! place where there is trouble.

use super::Canvas;
use super::frame::{View, text};
use super::palette::{BED, FAINT_INK, INK};
use super::subject::Subject;
use std::fmt::Write as _;
use tinkite_artwork::Artwork;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{Problem, Problems, Severity};
use tinkite_layout::Sheet;

/// Rings of one problem: the first few show where to look.
const MOST_RINGS: usize = 12;

/// Radius of a ring, px.
const RING: f64 = 11.0;

/// The trouble of a drawing, on its page.
#[must_use]
pub fn drawing_trouble(artwork: &Artwork, problems: &Problems, canvas: Canvas) -> String {
    draw(&Subject::drawing(artwork), problems, canvas)
}

/// The trouble of a job, on its bed.
#[must_use]
pub fn job_trouble(
    sheet: &Sheet,
    job: &tinkite_job::Job,
    problems: &Problems,
    canvas: Canvas,
) -> String {
    draw(&Subject::job(sheet, job), problems, canvas)
}

fn draw(subject: &Subject<'_>, problems: &Problems, canvas: Canvas) -> String {
    let spots = problems.iter().flat_map(|p| &p.spots).map(|p| Rect::from_points(*p, *p));
    let view = subject.view(spots, canvas);
    subject.draw(&view, |out| rings(out, &view, problems), |out, at| list(out, &view, at, problems))
}

/// The colour of a severity: darker is worse.
fn colour(severity: Severity) -> &'static str {
    match severity {
        Severity::Error => "#a3123a",
        Severity::Warning => "#b05a00",
        Severity::Note => "#46618a",
    }
}

fn rings(out: &mut String, view: &View, problems: &Problems) {
    // Numbers that would lie on one another step aside.
    let mut taken: Vec<Point> = Vec::new();
    for (n, problem) in problems.iter().enumerate() {
        let colour = colour(problem.severity);
        for spot in problem.spots.iter().take(MOST_RINGS) {
            let at = view.px(*spot);
            let _ = writeln!(
                out,
                r#"<circle cx="{:.1}" cy="{:.1}" r="{RING}" fill="none" stroke="{colour}" stroke-width="2"/>"#,
                at.x, at.y
            );
            let mut badge = at + Vec2::new(RING * 1.2, -RING * 1.2);
            while taken.iter().any(|p| p.distance(badge) < 15.0) {
                badge += Vec2::new(16.0, 0.0);
            }
            taken.push(badge);
            number(out, badge, n + 1, colour);
        }
    }
}

fn number(out: &mut String, at: Point, number: usize, colour: &str) {
    let _ = writeln!(out, r#"<circle cx="{:.1}" cy="{:.1}" r="8" fill="{colour}"/>"#, at.x, at.y);
    let style = format!(r#"font-size="11" font-weight="bold" fill="{BED}" text-anchor="middle""#);
    text(out, at + Vec2::new(0.0, 4.0), &style, &number.to_string());
}

/// Characters of a line in the list.
const COLUMN: usize = 42;

fn list(out: &mut String, view: &View, at: Point, problems: &Problems) {
    let (x, mut y) = (at.x, at.y);
    let ink = |size: u32, more: &str| format!(r#"font-size="{size}" fill="{INK}" {more}"#);
    let faint = format!(r#"font-size="12" fill="{FAINT_INK}""#);
    if problems.is_empty() {
        text(out, Point::new(x, y), &ink(13, ""), "nothing is wrong or doubtful");
    }
    for (n, problem) in problems.iter().enumerate() {
        let lines = wrap(&problem.message);
        // What does not fit is said, not squeezed.
        if y + 16.0 * (lines.len() + 2) as f64 > view.height - 20.0 {
            let left = format!("and {} more, which the report lists", problems.len() - n);
            text(out, Point::new(x, y), &faint, &left);
            return;
        }
        entry(out, Point::new(x, y), n + 1, problem, &lines);
        y += 16.0 * lines.len() as f64 + 26.0;
    }
}

fn entry(out: &mut String, at: Point, n: usize, problem: &Problem, lines: &[String]) {
    let colour = colour(problem.severity);
    number(out, at + Vec2::new(8.0, -4.0), n, colour);
    let title = format!(r#"font-size="13" font-weight="bold" fill="{INK}""#);
    text(out, at + Vec2::new(24.0, 0.0), &title, problem.code.text());
    let style = format!(r#"font-size="12" fill="{INK}""#);
    for (row, content) in lines.iter().enumerate() {
        text(out, at + Vec2::new(24.0, 16.0 * (row + 1) as f64), &style, content);
    }
}

/// A message in lines of the column's width, at most four.
fn wrap(message: &str) -> Vec<String> {
    const MOST: usize = 4;
    let mut lines: Vec<String> = vec![String::new()];
    for word in message.split(' ') {
        let last = lines.last().map_or(0, |line| line.chars().count());
        if last > 0 && last + 1 + word.chars().count() > COLUMN {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    if lines.len() > MOST {
        lines.truncate(MOST);
        if let Some(line) = lines.last_mut() {
            line.push_str(" …");
        }
    }
    lines
}
