//! The shapes of a drawing or of a job, each in its own colour, on their ground: what pictures of trouble and of names
//! are drawn over.

use super::Canvas;
use super::frame::{self, Ground, LEGEND, View, text};
use super::palette::{FAINT_INK, INK};
use std::fmt::Write as _;
use tinkite_artwork::Artwork;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Contour, Piece, Point, Rect, hull};
use tinkite_layout::Sheet;

/// Shapes are drawn this near to what they are, mm.
const TOLERANCE: f64 = 0.02;

/// A shape as the picture shows it.
pub(super) struct Shown {
    pub(super) contours: Vec<Contour>,
    stroke: Option<Colour>,
    fill: Option<Colour>,
    /// What nothing else in its drawing is called.
    pub(super) name: String,
}

/// What a picture is about.
pub(super) struct Subject<'a> {
    title: &'a str,
    subtitle: String,
    pub(super) shapes: Vec<Shown>,
    /// Page or bed.
    pub(super) ground: Ground,
    /// Where the rulers' zero lies.
    zero: frame::Cross,
    /// Whether the ground is a flat bed that the job must not leave.
    on_bed: bool,
}

impl<'a> Subject<'a> {
    /// A drawing, on its page.
    pub(super) fn drawing(artwork: &'a Artwork) -> Self {
        let shown = |shape: &tinkite_artwork::Shape| Shown {
            contours: shape.contours(TOLERANCE),
            stroke: shape.stroke.map(|s| s.colour),
            fill: shape.fill.map(|f| f.colour),
            name: shape.source.own_name().unwrap_or_default().into(),
        };
        let page = artwork.page.map(|(width, height)| Rect::new(0.0, 0.0, width, height));
        Self {
            title: &artwork.file,
            subtitle: format!("{}, on its page", artwork.format.name()),
            shapes: artwork.shapes.iter().map(shown).collect(),
            ground: Ground { bed: page.or(artwork.extents()).unwrap_or_default(), stock: None },
            zero: frame::Cross::default(),
            on_bed: false,
        }
    }

    /// A job, on its bed.
    pub(super) fn job(sheet: &Sheet, job: &'a tinkite_job::Job) -> Self {
        let shown = |laid: &tinkite_layout::LaidShape| Shown {
            contours: laid.contours.clone(),
            stroke: laid.shape.stroke.map(|s| s.colour),
            fill: laid.shape.fill.map(|f| f.colour),
            name: laid.shape.source.own_name().unwrap_or_default().into(),
        };
        let field = job.field();
        Self {
            title: &job.name,
            subtitle: format!("on {}", job.machine.name),
            shapes: sheet.shapes.iter().map(shown).collect(),
            ground: Ground { bed: field.rect, stock: sheet.stock.clone() },
            zero: field.into(),
            on_bed: field.fixed && field.around.is_none(),
        }
    }

    /// The part of the ground that holds the shapes, and `more`.
    pub(super) fn view(&self, more: impl Iterator<Item = Rect>, canvas: Canvas) -> View {
        let lines = self.shapes.iter().flat_map(|s| s.contours.iter().map(Contour::bounds));
        let all = hull(lines.chain(more)).unwrap_or(self.ground.bed);
        let margin = 0.08 * all.width().max(all.height()).max(1.0);
        View::new(canvas.width, canvas.height, all.inflate(margin, margin))
    }

    /// The picture, with `over` drawn over the shapes and `list` beside them.
    pub(super) fn draw(
        &self,
        view: &View,
        over: impl FnOnce(&mut String),
        list: impl FnOnce(&mut String, Point),
    ) -> String {
        let mut out = String::with_capacity(64 << 10);
        frame::open(&mut out, view, &self.ground);
        out.push_str("<g clip-path=\"url(#plot)\">\n");
        for shape in &self.shapes {
            outline(&mut out, view, shape);
        }
        if self.on_bed {
            frame::off_bed(&mut out, view, self.ground.bed);
        }
        over(&mut out);
        out.push_str("</g>\n");
        frame::rulers(&mut out, view, self.zero);
        let at = self.title(&mut out, view);
        list(&mut out, at);
        out.push_str("</svg>\n");
        out
    }

    /// Writes title and subtitle; where the list begins, px.
    fn title(&self, out: &mut String, view: &View) -> Point {
        let x = view.width - LEGEND + 24.0;
        let style = format!(r#"font-size="16" fill="{INK}" font-weight="bold""#);
        let title: String = self.title.chars().take(30).collect();
        text(out, Point::new(x, 30.0), &style, &title);
        let faint = format!(r#"font-size="12" fill="{FAINT_INK}""#);
        text(out, Point::new(x, 49.0), &faint, &self.subtitle);
        Point::new(x, 79.0)
    }
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
