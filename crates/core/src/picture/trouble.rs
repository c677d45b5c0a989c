//! The picture of what is wrong: every shape in its own colour, and a numbered ring round each
//! place where there is trouble.

use super::Canvas;
use super::frame::{self, Ground, LEGEND, View, text};
use super::palette::{BED, FAINT_INK, INK};
use std::fmt::Write as _;
use tinkite_artwork::Artwork;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Contour, Piece, Point, Rect, Vec2, hull};
use tinkite_base::problem::{Problem, Problems, Severity};
use tinkite_layout::Sheet;

/// Rings of one problem: the first few show where to look.
const MOST_RINGS: usize = 12;

/// Radius of a ring, px.
const RING: f64 = 11.0;

/// Shapes are drawn this near to what they are, mm.
const TOLERANCE: f64 = 0.02;

/// A shape as the picture shows it.
struct Shown {
    contours: Vec<Contour>,
    stroke: Option<Colour>,
    fill: Option<Colour>,
}

/// What a picture of trouble is about.
struct Subject<'a> {
    title: &'a str,
    subtitle: String,
    shapes: Vec<Shown>,
    /// Page or bed.
    ground: Ground,
    /// Where the rulers' zero lies.
    zero: frame::Cross,
    /// Whether the ground is a flat bed that the job must not leave.
    on_bed: bool,
}

/// The trouble of a drawing, on its page.
#[must_use]
pub fn drawing_trouble(artwork: &Artwork, problems: &Problems, canvas: Canvas) -> String {
    let shown = |shape: &tinkite_artwork::Shape| Shown {
        contours: shape.contours(TOLERANCE),
        stroke: shape.stroke.map(|s| s.colour),
        fill: shape.fill.map(|f| f.colour),
    };
    let shapes: Vec<Shown> = artwork.shapes.iter().map(shown).collect();
    let page = artwork.page.map(|(width, height)| Rect::new(0.0, 0.0, width, height));
    let page = page.or(artwork.extents()).unwrap_or_default();
    let ground = Ground { bed: page, stock: None };
    let subtitle = format!("{}, on its page", artwork.format.name());
    let subject = Subject {
        title: &artwork.file,
        subtitle,
        shapes,
        ground,
        zero: frame::Cross::default(),
        on_bed: false,
    };
    draw(&subject, problems, canvas)
}

/// The trouble of a job, on its bed.
#[must_use]
pub fn job_trouble(
    sheet: &Sheet,
    job: &tinkite_job::Job,
    problems: &Problems,
    canvas: Canvas,
) -> String {
    let shown = |laid: &tinkite_layout::LaidShape| Shown {
        contours: laid.contours.clone(),
        stroke: laid.shape.stroke.map(|s| s.colour),
        fill: laid.shape.fill.map(|f| f.colour),
    };
    let field = job.field();
    let subject = Subject {
        title: &job.name,
        subtitle: format!("on {}", job.machine.name),
        shapes: sheet.shapes.iter().map(shown).collect(),
        ground: Ground { bed: field.rect, stock: sheet.stock.clone() },
        zero: field.into(),
        on_bed: field.fixed && field.around.is_none(),
    };
    draw(&subject, problems, canvas)
}

fn draw(subject: &Subject<'_>, problems: &Problems, canvas: Canvas) -> String {
    let lines = subject.shapes.iter().flat_map(|s| s.contours.iter().map(Contour::bounds));
    let spots = problems.iter().flat_map(|p| &p.spots).map(|p| Rect::from_points(*p, *p));
    let all = hull(lines.chain(spots)).unwrap_or(subject.ground.bed);
    let margin = 0.08 * all.width().max(all.height()).max(1.0);
    let view = View::new(canvas.width, canvas.height, all.inflate(margin, margin));
    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &subject.ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    for shape in &subject.shapes {
        outline(&mut out, &view, shape);
    }
    if subject.on_bed {
        frame::off_bed(&mut out, &view, subject.ground.bed);
    }
    rings(&mut out, &view, problems);
    out.push_str("</g>\n");
    frame::rulers(&mut out, &view, subject.zero);
    list(&mut out, &view, subject, problems);
    out.push_str("</svg>\n");
    out
}

fn outline(out: &mut String, view: &View, shape: &Shown) {
    let mut d = String::new();
    for contour in &shape.contours {
        let at = view.px(contour.start);
        let _ = write!(d, "M{:.2} {:.2}", at.x, at.y);
        for (from, piece) in contour.walk() {
            let mut chord = |p: Point| {
                let p = view.px(p);
                let _ = write!(d, "L{:.2} {:.2}", p.x, p.y);
            };
            match piece {
                Piece::Line { to } => chord(*to),
                Piece::Arc { .. } => piece.flatten(from, 0.2 / view.scale, chord),
            }
        }
        if contour.closed {
            d.push('Z');
        }
    }
    if d.is_empty() {
        return;
    }
    let fill = shape.fill.map_or("none".to_string(), |colour| colour.to_string());
    let stroke = shape.stroke.map_or("none".to_string(), |colour| colour.to_string());
    let _ = writeln!(
        out,
        r#"<path d="{d}" fill="{fill}" fill-opacity="0.25" fill-rule="evenodd" stroke="{stroke}" stroke-width="1.3"/>"#
    );
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

fn list(out: &mut String, view: &View, subject: &Subject<'_>, problems: &Problems) {
    let x = view.width - LEGEND + 24.0;
    let mut y = 30.0;
    let ink = |size: u32, more: &str| format!(r#"font-size="{size}" fill="{INK}" {more}"#);
    let bold = r#"font-weight="bold""#;
    let title: String = subject.title.chars().take(30).collect();
    text(out, Point::new(x, y), &ink(16, bold), &title);
    y += 19.0;
    let faint = format!(r#"font-size="12" fill="{FAINT_INK}""#);
    text(out, Point::new(x, y), &faint, &subject.subtitle);
    y += 30.0;
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
