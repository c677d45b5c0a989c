//! The whole picture of a job before it is burnt.

use super::burns;
use super::canvas::{Canvas, worth_showing};
use super::detail::Detail;
use super::frame::{self, Ground, View};
use super::legend::{self, ColourScale, Entry, Legend, Signs};
use super::magnified;
use super::marks;
use super::palette::TRAVEL;
use super::photo;
use super::show::{self, Show};
use super::step_colours::StepColours;
use super::turned;
use super::underlay;
use crate::compile::Compiled;
use std::fmt::Write as _;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::count;
use tinkite_base::quantity::{LengthUnit, clock, plain};
use tinkite_job::{Fill, Job};
use tinkite_program::mapping::Purpose;
use tinkite_program::plan::Planned;
use tinkite_program::program::s_words;
use tinkite_program::segment::Act;

/// What of a job is drawn, and how.
#[derive(Debug, Clone, Copy, Default)]
pub struct Look {
    /// Size of the picture.
    pub canvas: Canvas,
    /// What colours stand for; none: for steps.
    pub show: Option<Show>,
    /// What part of the bed is shown, mm on the machine's axes; none: what is worth showing.
    pub window: Option<Rect>,
}

/// The view of a job and what lies under it; where the object in the rotary is drawn, if there is one.
pub(super) fn view_of(compiled: &Compiled, job: &Job, look: &Look) -> (View, Ground, Option<Vec2>) {
    let totals = &compiled.within.planned().totals;
    let field = job.field();
    let to_bed = |r: Rect| r + field.zero;
    let stock = compiled.stock.clone();
    let burnt = totals.burnt.map(to_bed).unwrap_or_default();
    let reach = totals
        .worked
        .map_or(burnt, to_bed)
        .union(stock.as_ref().map_or(burnt, |stock| stock.bounds));
    let ground = Ground { bed: field.rect, stock };
    let canvas = look.canvas;
    let window = look.window.map(|machine| {
        let corner = |x, y| field.plane(Point::new(x, y));
        Rect::from_points(corner(machine.x0, machine.y0), corner(machine.x1, machine.y1))
    });
    if let (None, Some(surface)) = (window, compiled.within.planned().segments().frame().surface())
    {
        let (view, middle) = turned::view(surface, &field, reach, canvas);
        return (view, ground, Some(middle));
    }
    // A photo is there to be seen whole.
    let all = || match compiled.photo {
        Some(_) => ground.bed,
        None => worth_showing(ground.bed, reach),
    };
    let shown = window.unwrap_or_else(all);
    (View::new(canvas.width, canvas.height, shown), ground, None)
}

/// The job on its bed, as an SVG document.
#[must_use]
pub fn job(compiled: &Compiled, job: &Job, look: &Look) -> String {
    let planned = compiled.within.planned();
    let totals = &planned.totals;
    let field = job.field();
    let origin = field.zero;
    let (view, ground, object) = view_of(compiled, job, look);
    let paths = planned.segments().sequence().paths().len();
    let colours = StepColours::of(compiled, job);
    let detail = Detail::for_paths(if look.window.is_some() { paths / 4 } else { paths });

    let mut out = String::with_capacity(64 << 10);
    frame::open(&mut out, &view, &ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    if let Some(photo) = &compiled.photo {
        photo::draw(&mut out, &view, photo);
    }
    for underlay in &compiled.underlays {
        underlay::draw(&mut out, &view, underlay);
    }
    if detail.travel {
        draw_travel(&mut out, &view, planned, origin);
    }
    let (shown, scale, stands) = match look.show {
        None => (
            burns::draw(&mut out, &view, planned.segments(), (job, &colours), &detail),
            None,
            false,
        ),
        Some(what) => {
            let (scale, stands) = show::draw(&mut out, &view, compiled, job, what, detail.stroke);
            (burns::Shown::default(), Some(scale), stands)
        }
    };
    let extents = totals.burnt.map(|r| r + origin).unwrap_or_default();
    let hidden = match look.show {
        None => marks::draw(
            &mut out,
            &view,
            (planned.segments(), extents),
            (compiled, &colours),
            job,
            &detail,
        ),
        Some(_) => 0,
    };
    if field.fixed && field.around.is_none() {
        frame::off_bed(&mut out, &view, ground.bed);
    }
    let sample = magnified::sample(&view, planned.segments(), job).filter(|_| look.show.is_none());
    if let Some(sample) = &sample {
        sample.mark(&mut out, &view);
    }
    frame::extents(&mut out, &view, extents);
    out.push_str("</g>\n");
    match planned.segments().frame().surface() {
        Some(surface) => {
            frame::rulers_along(&mut out, &view, field.into(), &|x| surface.along(x));
        }
        None => frame::rulers(&mut out, &view, field.into()),
    }
    frame::origin(&mut out, &view, field.into());
    if let Some(middle) = object {
        turned::draw(&mut out, &view, middle, planned, (job, &colours));
    }
    let mut notes = detail.notes(paths);
    if hidden > 0 {
        notes.push(format!("{paths} paths: {} hidden", count(hidden, "number")));
    }
    notes.extend(shown.notes);
    if look.show.is_none() {
        notes.extend(colours.unseen(compiled));
    }
    let whole =
        view.shown.contains(ground.bed.center()) && view.shown.width() >= ground.bed.width();
    let marked = look.show.is_none();
    let pierces = compiled.steps.iter().any(|n| totals.steps[*n].pierces > 0);
    let zero_shown = view.shown.inflate(1e-6, 1e-6).contains(origin.to_point());
    let entries = entries(compiled, job, &colours, look.show.is_some());
    let scale = scale.or_else(|| squares_scale(&colours));
    let signs = Signs {
        starts: detail.starts && marked,
        arrows: marked,
        travel: detail.travel,
        origin: zero_shown.then(|| job.placement.zero.words()),
        pierces: stands || (detail.starts && marked && pierces),
        drawn: shown.drawn,
        bridges: shown.bridges,
        leads: shown.leads,
        paints: entries.iter().any(|entry| entry.drawn.is_some()),
    };
    let legend = Legend {
        title: job.name.clone(),
        subtitle: job.machine.name.clone(),
        entries,
        totals: vec![
            format!("burn {} mm, travel {} mm", plain(totals.burn(), 0), plain(totals.travel(), 0)),
            format!("about {} in all", clock(totals.seconds())),
            totals.burnt.map_or_else(String::new, |r| {
                planned.segments().frame().span(
                    r,
                    if object.is_some() { 1 } else { 2 },
                    LengthUnit::Millimetre,
                )
            }),
        ],
        notes,
        scale,
        signs,
    };
    let overview = !whole && field.fixed && field.around.is_none();
    let below =
        legend::draw(&mut out, &view, &legend, overview.then_some((ground.bed, view.shown)));
    if let Some(sample) = &sample {
        sample.draw(&mut out, below, &colours);
    }
    out.push_str("</svg>\n");
    out
}

/// What the colours of a test sheet's squares mean.
fn squares_scale(colours: &StepColours) -> Option<ColourScale> {
    let squares = colours.squares.as_ref()?;
    Some(ColourScale {
        title: squares.title.clone(),
        low: squares.low.clone(),
        high: squares.high.clone(),
    })
}

/// The steps, but for squares that a scale explains; `shows` tells whether colours stand for something else.
fn entries(compiled: &Compiled, job: &Job, colours: &StepColours, shows: bool) -> Vec<Entry> {
    let planned = compiled.within.planned();
    let drawn = |number: usize| {
        // A test sheet was drawn by nobody.
        if job.swatch.is_some() {
            return None;
        }
        let drawn = compiled.paints.get(number)?.drawn?.to_string();
        (drawn != colours.step(number)).then_some(drawn)
    };
    let entry = |number: &usize| {
        let step = &job.steps[*number];
        let totals = &planned.totals.steps[*number];
        let passes = match step.passes.len() {
            1 => String::new(),
            n => format!(", {n} passes"),
        };
        let how = step.operation.engrave().map_or_else(String::new, |engrave| {
            let what = match &engrave.fill {
                Fill::Lines(_) => "lines",
                Fill::Rings(_) => "rings",
                Fill::Image(_) => "pixels",
                Fill::Relief(_) => "layers of lines",
            };
            format!(", {what} {} mm apart", plain(engrave.spacing(), 3))
        });
        let recipe = step.recipe.as_ref().map_or(String::new(), |used| match &used.own[..] {
            [] => ", by recipe".into(),
            own => format!(", by recipe but {}", own.join(", ")),
        });
        Entry {
            colour: (!shows).then(|| colours.step(*number).to_string()),
            drawn: drawn(*number).filter(|_| !shows),
            title: format!("{} {}", number + 1, step.name),
            lines: vec![
                format!("{}{how}{passes}", step.operation.name()),
                format!("{}, {} = {}", step.speed(), step.power(), s_words(totals.s)),
                format!("{} mm, {}{recipe}", plain(totals.burn, 0), clock(totals.seconds)),
            ],
        }
    };
    let is_square = |number: &&usize| {
        colours.squares.as_ref().is_some_and(|squares| squares.steps.contains(*number))
    };
    compiled.steps.iter().filter(|number| shows || !is_square(number)).map(entry).collect()
}

/// Travel between paths, from the machine's zero on; not the small steps inside an engraving.
fn draw_travel(out: &mut String, view: &View, planned: &Planned, origin: Vec2) {
    let mut d = String::new();
    let mut before = None;
    planned.trace(|traced| {
        let Act::Move(way) = traced.segment.act else { return };
        let of = traced.segment.of;
        if way.purpose != Purpose::Travel {
            before = Some(of);
            return;
        }
        if before == Some(of) {
            return;
        }
        let (from, piece) = planned.segments().piece(&way);
        let (a, b) = (view.px(from + origin), view.px(piece.end() + origin));
        if a.distance(b) > 2.0 {
            let _ = write!(d, "M{:.1} {:.1}L{:.1} {:.1}", a.x, a.y, b.x, b.y);
        }
    });
    let _ = writeln!(
        out,
        r#"<path d="{d}" fill="none" stroke="{TRAVEL}" stroke-width="0.9" stroke-dasharray="5 4"/>"#
    );
}
