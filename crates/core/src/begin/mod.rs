//! A job file to start from, written from an artwork: one step per colour, guesses said as guesses.

mod begun;
mod guess;
mod line;
mod place;
mod recipes;
mod said;
mod settings;
mod showing;
mod steps;

pub use begun::RENDER_DPI;
use begun::{Begun, has_pale_paint, is_photograph};
pub use place::{BegunSize, SizeBy};
use place::{fits, made, place};
use recipes::Recipes;
pub use said::{Deed, Said, WORDS};
use settings::Settings;
pub use settings::{Setting, SettingKey};
use showing::layers;
use std::fmt::Write as _;
use steps::BegunStep;
pub use steps::Decision;
use tinkite_artwork::layers::{Layer, PaintedBy};
use tinkite_artwork::{Artwork, mark_outermost};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Point, Rect, drawn_bounds};
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy};
use tinkite_base::quantity::plain;
use tinkite_job::Zero;
use tinkite_job::recipe::{Shelf, Wanted};
use tinkite_machine::section::quote;
use tinkite_machine::{Machine, profile_name};

/// Flattening for measuring layers, mm.
const TOLERANCE: f64 = 0.01;

/// A line whose sides lie this near to those of the drawing is round everything, mm.
const ROUND: f64 = 0.5;

/// More steps than this are not written when nobody says how many.
const MOST_STEPS: usize = 12;

/// What somebody takes in who puts something round into the rotary.
const ROTARY: &str = "\n# Round an object in the rotary:\n# [rotary]\n# hold     = \"chuck\"      # or \"rollers\"\n# diameter = \"70 mm\"      # as measured\n";

/// Between drawings that lie side by side, mm.
const BETWEEN: f64 = 5.0;

/// What somebody says of the job before it is written.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Wishes {
    /// How wide the drawing is made, mm.
    pub width: Option<f64>,
    /// How high, mm.
    pub height: Option<f64>,
    /// Whether it is made smaller where it is too large for the bed.
    pub fit: bool,
    /// Where its lower left corner lies, mm from the front left corner of the bed.
    pub at: Option<Point>,
    /// What it is made of, in words.
    pub material: Option<String>,
    /// How thick it is, mm.
    pub thickness: Option<f64>,
    /// Books in which settings for that are looked for.
    pub shelf: Shelf,
    /// At most so many steps, where colours can be gathered; not said: 12.
    pub steps: Option<usize>,
    /// What is done with which parts; of the others it is guessed.
    pub said: Vec<Said>,
    /// How it is done.
    pub settings: Vec<Setting>,
    /// What the job counts from.
    pub zero: Zero,
}

/// A job file to start from.
#[derive(Debug, Clone, PartialEq)]
pub struct Started {
    /// Its text.
    pub text: String,
    /// How large each drawing is drawn and made.
    pub sizes: Vec<BegunSize>,
    /// What was decided of each part, in the order of the steps.
    pub decisions: Vec<Decision>,
    /// What was decided that a person should know.
    pub problems: Problems,
}

/// Writes a job file for drawings, each with what the job calls its file, on `machine`, which it
/// calls `machine_name`. The text reads back as a job that plans, as long as the drawings fit the
/// bed. A drawing keeps the size that it was drawn in; where nobody chose that, it is made to fit the bed. Bitmaps of two tones that stand alone are traced, others are engraved; several drawings lie
/// side by side.
///
/// # Errors
/// Drawings in which nothing is there to burn, and such as would leave the bed; words for nothing in the drawing, two
/// words for one thing, and values that cannot be.
pub fn starter(
    drawings: &[(String, Artwork)],
    machine: &Machine,
    machine_name: &str,
    wishes: &Wishes,
) -> Result<Started, Problems> {
    let bitmaps = |said: &Said| said.what.trim() == "bitmaps" && said.deed == Deed::Engrave;
    let traces = !wishes.said.iter().any(bitmaps);
    let mut sorted: Vec<Begun> = Vec::new();
    for (file, artwork) in drawings {
        let mut begun = Begun::of(file, artwork, drawings.len() > 1, traces)?;
        mark_outermost(&mut begun.artwork.shapes, TOLERANCE);
        sorted.push(begun);
    }
    let mut settings = Settings::new(&wishes.settings, machine)?;
    let parts = said::parts(&wishes.said, &mut sorted)?;
    let unsaid = said::unsaid(&parts, &sorted);
    let layers_of = |(begun, unsaid): (&Begun, &Artwork)| layers(&begun.artwork, unsaid, TOLERANCE);
    let mut all: Vec<Layer> = Vec::new();
    for layer in sorted.iter().zip(&unsaid).flat_map(layers_of) {
        match all.iter_mut().find(|l| l.colour == layer.colour && l.by == layer.by) {
            Some(known) => known.merge(&layer),
            None => all.push(layer),
        }
    }
    let layers = all;
    let round = round_everything(&sorted);
    let guesses = steps::planned(&layers, wishes.steps.unwrap_or(MOST_STEPS), &round);
    let mut planned = BegunStep::said(&parts, &sorted);
    planned.extend(BegunStep::guessed(&guesses, &parts, &sorted));
    steps::sort(&mut planned);
    let pictures = [false, true].map(|rendered| {
        let flat = sorted.iter().filter(|begun| begun.artwork.solid.is_none());
        let images = flat.flat_map(|begun| &begun.artwork.images);
        let bitmaps = images.filter(|i| i.rendered == rendered).filter_map(|i| i.bitmap.as_deref());
        let grey = if rendered { has_pale_paint } else { is_photograph };
        let (any, photograph) = bitmaps.fold((false, false), |(_, p), b| (true, p || grey(b)));
        let kind = if rendered { "rendered" } else { "bitmap" };
        any.then_some(steps::Pictures { kind, photograph })
    });
    let solids: Vec<f64> = sorted
        .iter()
        .filter(|begun| !begun.artwork.images.is_empty())
        .filter_map(|begun| begun.artwork.solid.as_ref().map(|solid| solid.size[2]))
        .filter(|height| *height > 0.0)
        .collect();
    if planned.is_empty() && pictures.iter().all(Option::is_none) && solids.is_empty() {
        return Err(nothing(drawings, &layers).into());
    }
    let stem = drawings.first().map_or("job", |(file, _)| file.as_str());
    let stem = stem.rsplit(['/', '\\']).next().unwrap_or(stem);
    let name = stem.rsplit_once('.').map_or(stem, |(name, _)| name);
    let mut out = String::new();
    let _ = write!(
        out,
        "# A job to start from. Speeds and powers are guesses: try them on scrap first.\n\n\
         tinkite = 1\nname    = {}\nmachine = {}\n",
        quote(name),
        quote(machine_name)
    );
    if let Some(material) = &wishes.material {
        let _ = writeln!(out, "material = {}", quote(material));
    }
    if let Some(mm) = wishes.thickness {
        let _ = writeln!(out, "stock   = {{ thickness = \"{} mm\" }}", plain(mm, 3));
    }
    // Side by side at their true sizes.
    let sizes: Vec<Rect> = sorted.iter().filter_map(|begun| begun.artwork.extents()).collect();
    let between = BETWEEN * sizes.len().saturating_sub(1) as f64;
    let whole = match sizes[..] {
        [one] => one,
        _ => Rect::new(
            0.0,
            0.0,
            sizes.iter().map(Rect::width).sum::<f64>() + between,
            sizes.iter().map(Rect::height).fold(0.0, f64::max),
        ),
    };
    let unchosen = sorted.iter().all(Begun::counts_pixels);
    let made = made(whole, between, (wishes, unchosen), machine);
    let sizes: Vec<BegunSize> = sorted.iter().filter_map(|begun| begun.size(made)).collect();
    let file = drawings.first().map_or("", |(_, artwork)| artwork.file.as_str());
    let told = if made.by == SizeBy::Wish {
        Problems::new()
    } else {
        place::sizes(&sizes, whole, machine, file)
    };
    let too_large = !told.is_empty() && made.by == SizeBy::Drawing;
    let mut problems: Problems = sorted.iter().filter_map(Begun::beyond_page).collect();
    problems.extend(told);
    let mut extents: Option<Rect> = None;
    for begun in &sorted {
        let right = extents.map(|all| all.x1 + BETWEEN);
        out.push_str(&begun.text(right, made));
        if let Some(own) = begun.artwork.extents().map(|own| own.scale_from_origin(made.scale)) {
            let own = match right {
                Some(x) => Rect::new(x, 0.0, x + own.width(), own.height()),
                None if sorted.len() > 1 => Rect::new(0.0, 0.0, own.width(), own.height()),
                None => own,
            };
            extents = Some(extents.map_or(own, |all| all.union(own)));
        }
    }
    // A drawing that is larger than the bed is begun all the same, and told.
    if let Some(extents) = extents
        && (!too_large || wishes.at.is_some())
        && wishes.zero == Zero::Bed
    {
        fits(extents, machine, wishes.at)?;
    }
    out.push_str(&place(extents, machine, wishes));
    if machine.rotary.is_some() {
        out.push_str(ROTARY);
    }
    let mut decisions = Vec::new();
    let said_bitmaps = parts.iter().any(|part| part.is_bitmaps());
    for pictures in pictures.iter().flatten() {
        let pictures = (pictures, said_bitmaps);
        decisions.push(steps::picture_step(&mut out, pictures, machine, &mut settings));
    }
    if !solids.is_empty() {
        let how = (machine, &mut settings);
        decisions.push(steps::relief_step(&mut out, &solids, wishes.thickness, how));
    }
    let wanted = Wanted {
        material: wishes.material.clone().unwrap_or_default(),
        thickness: wishes.thickness,
        machine: profile_name(machine_name).into(),
        lens: None,
        watts: machine.full_watts(),
    };
    let mut recipes = Recipes::new(&wishes.shelf, &wanted);
    let how = (machine, &mut settings);
    decisions.extend(steps::write(&mut out, &planned, how, &mut |make| recipes.find(make)));
    problems.extend(recipes.missing(file));
    for part in parts.iter().filter(|part| part.said.deed == Deed::LeaveOut) {
        decisions.push(steps::left_out(part));
    }
    let names: Vec<String> = decisions.iter().filter_map(|one| one.step.clone()).collect();
    settings.unused(&names)?;
    for layer in layers.iter().filter(|layer| steps::is_paper(layer)) {
        let what = if layer.by == PaintedBy::Fill { "fills" } else { "lines" };
        let white = match layer.colour == Colour::WHITE {
            true => "White".to_string(),
            false => format!("Nearly white ({})", layer.colour),
        };
        decisions.push(Decision {
            step: None,
            make: None,
            take: String::new(),
            what: vec![layer.colour.to_string()],
            contents: tinkite_base::problem::count(layer.shapes, "shape"),
            said: false,
            why: "paper".into(),
            settings: Vec::new(),
        });
        let paper = format!(
            "{white} {what} ({}) are taken for paper: no step takes them, and what lies under them is not engraved.",
            layer.shapes
        );
        let _ = write!(out, "\n{}", line::remark(&paper));
    }
    Ok(Started { text: out, sizes, decisions, problems })
}

/// The colours of lines round everything that is drawn.
fn round_everything(drawings: &[Begun]) -> Vec<Colour> {
    let mut colours = Vec::new();
    for begun in drawings {
        let Some(all) = begun.artwork.extents() else { continue };
        for shape in begun.artwork.shapes.iter().filter(|shape| shape.source.outermost) {
            let Some(own) = drawn_bounds(&shape.path) else { continue };
            let near = |a: f64, b: f64| (a - b).abs() <= ROUND;
            let round = near(own.x0, all.x0) && near(own.x1, all.x1);
            if round && near(own.y0, all.y0) && near(own.y1, all.y1) {
                colours.extend(shape.stroke.map(|stroke| stroke.colour));
            }
        }
    }
    colours
}

/// Why there is nothing to begin.
fn nothing(drawings: &[(String, Artwork)], layers: &[Layer]) -> Problem {
    let file = drawings.first().map_or("", |(_, artwork)| artwork.file.as_str());
    let external = drawings
        .iter()
        .any(|(_, a)| a.problems.iter().any(|problem| problem.code == Code::ExternalImage));
    let unread = drawings.iter().any(|(_, artwork)| !artwork.unread.is_empty());
    let (message, help) = if !layers.is_empty() {
        (
            "nothing here can be burnt: what shows is white, which is bare stock, or has no area",
            "give what is meant to be burnt another colour",
        )
    } else if external {
        (
            "nothing here can be burnt: the picture lies outside the file, and is never fetched",
            "embed it in the drawing program, or begin with the picture itself",
        )
    } else if unread {
        (
            "nothing here can be burnt: what is drawn cannot be read",
            "turn it into outlines in the drawing program",
        )
    } else {
        (
            "nothing here can be burnt: nothing is drawn",
            "draw a line or an area, and show its layer",
        )
    };
    let problem = Problem::error(Code::Nothing, message, help).at(Location::file(file));
    if unread { problem.with_remedy(Remedy::Look) } else { problem }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Choice, compile};
    use tinkite_machine as machine;

    fn begin_text(svg: &str) -> String {
        let machine =
            machine::read("m", include_str!("../../../../demo/bench-laser.machine.toml")).unwrap();
        let artwork = tinkite_import::read("art.svg", svg.as_bytes(), &Default::default()).unwrap();
        let drawings = [("we\"ird.svg".to_string(), artwork.clone())];
        let text = starter(&drawings, &machine, "bench-laser", &Wishes::default()).unwrap().text;
        let job = tinkite_job::read("a.kite.toml", &text, machine)
            .unwrap_or_else(|p| panic!("{p:#?}\n{text}"));
        compile(artwork, &job, &Choice::default()).unwrap_or_else(|p| panic!("{p:#?}\n{text}"));
        text
    }

    #[test]
    fn what_is_begun_reads_back_and_compiles() {
        let text = begin_text(include_str!("../../../../demo/sail-panel.svg"));
        let makes: Vec<_> = text.lines().filter(|l| l.starts_with("make")).collect();
        assert_eq!(makes.len(), 3);
        assert!(
            makes[0].contains("engrave") && makes[1].contains("score") && makes[2].contains("cut")
        );
    }

    #[test]
    fn odd_drawings_begin_as_well() {
        let page = |body: &str| {
            format!(
                r#"<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="80mm" viewBox="0 0 80 80">{body}</svg>"#
            )
        };
        let open = begin_text(&page(
            r#"<path d="M0 0h9v9" fill="black"/><rect width="5" height="5"/><text y="9">a</text>"#,
        ));
        assert!(open.contains("2 shapes, 53 mm² show") && open.contains("leave-out"), "{open}");
        let paper = begin_text(&page(
            r##"<rect width="80" height="80" fill="#fff"/><circle r="9" cx="20" cy="20" fill="none" stroke="#333"/>"##,
        ));
        assert!(
            paper.contains("taken for paper") && paper.contains("the only colour of line"),
            "{paper}"
        );
    }
}
