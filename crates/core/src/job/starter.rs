//! A job file to start from, written from an artwork: one step per colour, guesses said as guesses.

use super::machine::Machine;
use crate::artwork::layers::{Layer, PaintedBy, layers};
use crate::artwork::{Artwork, Fill, Odd, OddPaint, Shape, Stroke, Unread, trace};
use crate::colour::Colour;
use crate::geometry::region::FillRule;
use crate::geometry::{Point, Rect, Vec2};
use crate::problem::{Code, Problem, Problems};
use crate::quantity::plain;
use std::fmt::Write as _;

/// What a layer is guessed to be meant for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Guess {
    Engrave,
    Score,
    Cut,
}

impl Guess {
    fn word(self) -> &'static str {
        match self {
            Self::Engrave => "engrave",
            Self::Score => "score",
            Self::Cut => "cut",
        }
    }

    /// Speed in mm/s and power in percent to begin tests with.
    fn start(self) -> (f64, f64) {
        match self {
            Self::Engrave => (100.0, 20.0),
            Self::Score => (60.0, 15.0),
            Self::Cut => (15.0, 60.0),
        }
    }
}

/// Distance from the machine's zero corner at which a starter job lies, mm: room for run-up.
const MARGIN: f64 = 10.0;

/// Flattening for measuring layers, mm.
const TOLERANCE: f64 = 0.01;

/// What paint that is no colour becomes.
const INSTEAD: Colour = Colour::new(0x55, 0x55, 0x55);

/// Between drawings that lie side by side, mm.
const BETWEEN: f64 = 5.0;

/// What somebody says of the job before it is written.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Wishes {
    /// How wide the drawing is made, mm.
    pub width: Option<f64>,
    /// How high, mm.
    pub height: Option<f64>,
    /// Where its lower left corner lies, mm from the front left corner of the bed.
    pub at: Option<Point>,
    /// What it is made of, in words.
    pub material: Option<String>,
}

/// How large a drawing is made.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Made {
    /// Of its true size.
    scale: f64,
    /// It was too large for the bed.
    fitted: bool,
}

/// The size that was wished for, or the largest that lies on the bed with room for run-up; `between` of
/// its width keeps its size.
fn made(own: Rect, between: f64, wishes: &Wishes, machine: &Machine) -> Made {
    let wished = wishes.width.map(|width| width / own.width());
    let wished = wished.or(wishes.height.map(|height| height / own.height()));
    if let Some(scale) = wished.filter(|scale| scale.is_finite() && *scale > 0.0) {
        return Made { scale, fitted: false };
    }
    let room = |bed: f64, size: f64| (bed - 2.0 * MARGIN) / size.max(1e-9);
    let across = room(machine.bed.width - between, own.width() - between);
    let scale = across.min(room(machine.bed.depth, own.height()));
    // A drawing of the bed's own size is meant to fill it.
    let fits = own.width() <= machine.bed.width && own.height() <= machine.bed.depth;
    if fits || scale <= 0.0 {
        Made { scale: 1.0, fitted: false }
    } else {
        Made { scale, fitted: true }
    }
}

/// Writes a job file for drawings, each with what the job calls its file, on `machine`, which it
/// calls `machine_name`. The text reads back as a job that plans, as long as the drawings fit the
/// bed. Bitmaps of two tones that stand alone are traced, others are engraved; several drawings lie
/// side by side.
///
/// # Errors
/// Solid models, of which this version makes nothing.
pub fn starter(
    drawings: &[(String, Artwork)],
    machine: &Machine,
    machine_name: &str,
    wishes: &Wishes,
) -> Result<String, Problems> {
    let mut sorted: Vec<Begun> = Vec::new();
    for (file, artwork) in drawings {
        let begun = Begun::of(file, artwork)?;
        sorted.push(Begun { side_by_side: drawings.len() > 1, ..begun });
    }
    let mut all: Vec<Layer> = Vec::new();
    for layer in sorted.iter().flat_map(|begun| layers(&begun.artwork, TOLERANCE)) {
        match all.iter_mut().find(|l| l.colour == layer.colour && l.by == layer.by) {
            Some(known) => known.merge(&layer),
            None => all.push(layer),
        }
    }
    let layers = all;
    let mut steps: Vec<(Guess, &Layer, &str)> =
        layers.iter().filter_map(|layer| guess(layer, &layers)).collect();
    steps.sort_by_key(|(guess, ..)| *guess);
    let stem = drawings.first().map_or("job", |(file, _)| file.as_str());
    let stem = stem.rsplit(['/', '\\']).next().unwrap_or(stem);
    let name = stem.rsplit_once('.').map_or(stem, |(name, _)| name);
    let mut out = String::new();
    let _ = write!(
        out,
        "# A job to start from. Speeds and powers are guesses: try them on scrap first.\n\n\
         tinkite = 1\nname    = {}\nmachine = {}\n",
        quoted(name),
        quoted(machine_name)
    );
    if let Some(material) = &wishes.material {
        let _ = writeln!(out, "material = {}", quoted(material));
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
    let made = made(whole, between, wishes, machine);
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
    if let Some(extents) = extents {
        fits(extents, machine, wishes.at)?;
    }
    out.push_str(&place(extents, machine, wishes.at));
    let pictures = sorted.iter().any(|begun| !begun.artwork.images.is_empty());
    if pictures {
        image_step(&mut out, machine);
    }
    if steps.is_empty() && !pictures {
        out.push_str("\n# No colour was found that a step could take.\n");
    }
    let mut names: Vec<String> = Vec::new();
    for (guess, layer, why) in steps {
        let name = unique(&names, &format!("{} {}", guess.word(), layer.colour));
        step(&mut out, guess, layer, why, &name, machine);
        names.push(name);
    }
    for layer in layers.iter().filter(|layer| is_paper(layer)) {
        let what = if layer.by == PaintedBy::Fill { "fills" } else { "lines" };
        let _ = write!(
            out,
            "\n# White {what} ({}) are taken for paper: no step takes them, and what lies under them is not engraved.\n",
            layer.shapes
        );
    }
    Ok(out)
}

/// A drawing as its `[[artwork]]` will give it.
struct Begun {
    file: String,
    /// With its bitmaps traced, where they are all there is and have two tones only.
    artwork: Artwork,
    traced: bool,
    /// Kinds of paint that are no colour, which get one.
    repainted: Vec<&'static str>,
    side_by_side: bool,
}

impl Begun {
    fn of(file: &str, artwork: &Artwork) -> Result<Self, Problems> {
        let mut artwork = artwork.clone();
        if artwork.solid.is_some() {
            let help =
                "reliefs come in a later version; export the outline as SVG or DXF to cut it";
            let message = "a solid model cannot be burnt by this version";
            let place = crate::problem::Place::file(&artwork.file);
            return Err(Problem::error(Code::Solid, message, help).at(place).into());
        }
        let two_tone = |bitmap: &crate::artwork::Bitmap| {
            let between = bitmap.grey.iter().filter(|grey| (64..192).contains(*grey)).count();
            between * 10 < bitmap.grey.len()
        };
        let traced = artwork.shapes.is_empty()
            && !artwork.images.is_empty()
            && artwork.images.iter().filter_map(|i| i.bitmap.as_deref()).all(two_tone);
        if traced {
            artwork.unread.retain(|(unread, _)| *unread != Unread::Bitmap);
            for image in std::mem::take(&mut artwork.images) {
                let Some(bitmap) = &image.bitmap else { continue };
                let black = Colour::new(0, 0, 0);
                let fill = Some(Fill { colour: black, rule: FillRule::EvenOdd, veil: 0 });
                let found = trace::trace(bitmap, image.to_mm, &trace::Trace::default());
                let found = found.map_err(|p| p.at(image.source.place(&artwork.file)))?;
                let source = image.source;
                artwork.shapes.extend(found.paths.into_iter().map(|path| Shape {
                    path,
                    fill,
                    stroke: None,
                    source: source.clone(),
                    text: false,
                    odd: OddPaint::default(),
                }));
            }
        }
        let kinds = [("gradient", Odd::Gradient), ("pattern", Odd::Pattern)];
        let is = |odd| artwork.shapes.iter().any(|shape| shape.odd.is(odd));
        let repainted: Vec<&str> =
            kinds.into_iter().filter(|(_, odd)| is(*odd)).map(|(word, _)| word).collect();
        for shape in &mut artwork.shapes {
            if let Some((_, rule)) = shape.odd.fill {
                shape.fill = Some(Fill { colour: INSTEAD, rule, veil: 0 });
            }
            if shape.odd.stroke.is_some() {
                let width = shape.line_width();
                shape.stroke = Some(Stroke { colour: INSTEAD, width, veiled: false });
            }
        }
        artwork.unread.retain(|(unread, _)| *unread != Unread::Paint);
        Ok(Self { file: file.into(), artwork, traced, repainted, side_by_side: false })
    }

    /// Its `[[artwork]]`; `right` is where it begins when others lie left of it.
    fn text(&self, right: Option<f64>, made: Made) -> String {
        let mut out = format!("\n[[artwork]]\nfile = {}\n", quoted(&self.file));
        if let (Some(own), true) = (self.artwork.extents(), made.scale != 1.0) {
            let why = if made.fitted { ", too large for the bed" } else { "" };
            let side = |key, size: f64| {
                format!(
                    "{key} = \"{} mm\"   # drawn {} x {} mm{why}\n",
                    plain((size * made.scale * 1000.0).floor() / 1000.0, 3),
                    plain(own.width(), 2),
                    plain(own.height(), 2)
                )
            };
            out.push_str(&if own.width() > 0.0 {
                side("width", own.width())
            } else {
                side("height", own.height())
            });
        }
        if let Some(x) = right {
            let _ = writeln!(
                out,
                "at   = [\"{} mm\", \"0 mm\"]   # right of the one before it",
                plain(x, 3)
            );
        } else if self.side_by_side {
            out.push_str("at   = [\"0 mm\", \"0 mm\"]\n");
        }
        if self.traced {
            out.push_str(
                "trace = { threshold = \"50 %\", smooth = \"60 deg\", speck = \"0.3 mm\" }   # what is darker becomes an area\n",
            );
        }
        if !self.repainted.is_empty() {
            let one = |kind: &&str| {
                format!(
                    "{{ take = {{ kind = \"{kind}\" }}, fill = \"{INSTEAD}\", stroke = \"{INSTEAD}\" }}"
                )
            };
            let all: Vec<String> = self.repainted.iter().map(one).collect();
            let _ = writeln!(
                out,
                "paint = [{}]   # one plain colour in place of many; or leave-out = [{{ kind = \"{}\" }}]",
                all.join(", "),
                self.repainted[0]
            );
        }
        out.push_str(&leave_out(&self.artwork));
        let units = &self.artwork.units;
        let example =
            if self.artwork.format.is_bitmap() { "dpi = \"300 dpi\"" } else { "units = \"90/in\"" };
        if units.doubtful {
            let _ = writeln!(out, "# {example}   # a guess was needed: {}", units.source);
        }
        out
    }
}

fn quoted(text: &str) -> String {
    // TOML basic strings: these must be escaped (TOML 1.0, "String").
    let escaped: String = text
        .chars()
        .map(|c| match c {
            '"' => "\\\"".to_string(),
            '\\' => "\\\\".to_string(),
            c if c.is_control() => format!("\\u{:04X}", c as u32),
            c => c.to_string(),
        })
        .collect();
    format!("\"{escaped}\"")
}

fn unique(taken: &[String], name: &str) -> String {
    let mut candidate = name.to_string();
    let mut n = 2;
    while taken.contains(&candidate) {
        candidate = format!("{name} {n}");
        n += 1;
    }
    candidate
}

fn is_paper(layer: &Layer) -> bool {
    layer.colour == Colour::new(255, 255, 255)
}

/// What a layer is for, and why it is thought so; none for what is not to be burnt.
fn guess<'l>(layer: &'l Layer, all: &[Layer]) -> Option<(Guess, &'l Layer, &'static str)> {
    if is_paper(layer) {
        return None;
    }
    if layer.by == PaintedBy::Fill {
        return (layer.closed > 0).then_some((Guess::Engrave, layer, "a filled area"));
    }
    let [r, g, b] = layer.colour.rgb.map(i32::from);
    let strokes = all.iter().filter(|l| l.by == PaintedBy::Stroke && !is_paper(l)).count();
    let (guess, why) = if r > g + 60 && r > b + 60 {
        (Guess::Cut, "a red line")
    } else if strokes == 1 && layer.closed > 0 {
        (Guess::Cut, "the only colour of line")
    } else {
        (Guess::Score, "a line that is not red")
    };
    Some((guess, layer, why))
}

fn leave_out(artwork: &Artwork) -> String {
    let has = |kind: Unread| artwork.unread.iter().any(|(unread, _)| *unread == kind);
    let kinds: Vec<&str> = [(Unread::Text, "text"), (Unread::Bitmap, "bitmap")]
        .into_iter()
        .filter(|(kind, _)| has(*kind))
        .map(|(_, word)| word)
        .collect();
    if kinds.is_empty() {
        return String::new();
    }
    let tables: Vec<String> = kinds.iter().map(|kind| format!("{{ kind = \"{kind}\" }}")).collect();
    let bitmap = kinds.contains(&"bitmap");
    let why = if bitmap { "could not be read" } else { "no font for it" };
    format!("leave-out = [{}]   # {why}\n", tables.join(", "))
}

/// Where the lower left corner lies that nobody has placed, mm from the front left corner of the bed.
fn usual(extents: Rect, machine: &Machine) -> Point {
    let margin = |room: f64, size: f64| ((room - size) / 2.0).clamp(0.0, MARGIN);
    let bed = &machine.bed;
    Point::new(margin(bed.width, extents.width()), margin(bed.depth, extents.height()))
}

/// A job that would leave the bed is not begun.
fn fits(extents: Rect, machine: &Machine, at: Option<Point>) -> Result<(), Problem> {
    let at = at.unwrap_or_else(|| usual(extents, machine));
    let end = at + Vec2::new(extents.width(), extents.height());
    let bed = &machine.bed;
    // Sizes are written in thousandths.
    let over = [-at.x, -at.y, end.x - bed.width, end.y - bed.depth].into_iter().fold(0.0, f64::max);
    if over <= 2e-3 {
        return Ok(());
    }
    let message = format!(
        "{} x {} mm from {} mm from the left and {} mm from the front would leave the bed by {} mm",
        plain(extents.width(), 2),
        plain(extents.height(), 2),
        plain(at.x, 2),
        plain(at.y, 2),
        plain(over, 2)
    );
    Err(Problem::error(
        Code::NoRoom,
        message,
        "make it smaller (--width, --height), or move it (--at)",
    ))
}

fn place(extents: Option<Rect>, machine: &Machine, at: Option<Point>) -> String {
    let Some(extents) = extents else { return String::new() };
    let bed = &machine.bed;
    // Places in a job are on the machine's own axes.
    let at = machine
        .pointing
        .to_machine(at.unwrap_or_else(|| usual(extents, machine)).to_vec2() - bed.origin_offset());
    let (x, y) = (at.x + 0.0, at.y + 0.0);
    format!(
        "\n[place]\nanchor = \"bottom-left\"   # this corner of the drawing ({} x {} mm) …\nat     = [\"{} mm\", \"{} mm\"]   # … lies here\n",
        plain(extents.width(), 2),
        plain(extents.height(), 2),
        plain(x, 3),
        plain(y, 3)
    )
}

fn step(out: &mut String, guess: Guess, layer: &Layer, why: &str, name: &str, machine: &Machine) {
    let (speed, percent) = started(guess, machine);
    let key = layer.by.name();
    let closed_only = guess == Guess::Engrave && layer.open > 0;
    let kind = if closed_only { ", kind = \"closed\"" } else { "" };
    let _ = write!(
        out,
        "\n[[step]]\nname  = {}\ntake  = {{ {key} = \"{}\"{kind} }}   # {}\nmake  = \"{}\"   # guessed: {why}\nspeed = \"{} mm/s\"   # guessed\npower = \"{} %\"   # guessed\n",
        quoted(name),
        layer.colour,
        contents(layer),
        guess.word(),
        plain(speed, 2),
        plain(percent, 2)
    );
    if guess == Guess::Engrave {
        let spacing = machine.beam.width.max(0.1);
        let _ = writeln!(out, "lines = {{ spacing = \"{} mm\" }}   # guessed", plain(spacing, 3));
    }
    if closed_only {
        let _ = writeln!(
            out,
            "# {} open shapes of this fill cannot be engraved; close them to take them in",
            layer.open
        );
    }
}

/// Bitmaps that are engraved pixel by pixel.
fn image_step(out: &mut String, machine: &Machine) {
    let (speed, percent) = started(Guess::Engrave, machine);
    let _ = write!(
        out,
        "\n[[step]]\nname  = \"bitmaps\"\ntake  = {{ kind = \"bitmap\" }}\nmake  = \"engrave\"\nspeed = \"{} mm/s\"   # guessed\npower = \"{} %\"   # guessed: of black\nimage = {{ spacing = \"{} mm\", dither = \"floyd-steinberg\" }}   # or grey = true; docs/JOB-FILE.md has more\n",
        plain(speed, 2),
        plain(percent, 2),
        plain(machine.beam.width.max(0.1), 3)
    );
}

/// Speed in mm/s and power in percent to begin tests with, on this machine.
fn started(guess: Guess, machine: &Machine) -> (f64, f64) {
    let (speed, percent) = guess.start();
    let speed = speed.min(machine.x.top_speed).min(machine.y.top_speed);
    let percent = percent.min(machine.beam.ceiling.0 * 100.0);
    (speed, percent.max(machine.beam.floor / machine.beam.full * 100.0))
}

fn contents(layer: &Layer) -> String {
    let shapes =
        if layer.shapes == 1 { "1 shape".to_string() } else { format!("{} shapes", layer.shapes) };
    match layer.by {
        PaintedBy::Stroke => format!("{shapes}, {} mm of line", plain(layer.length, 0)),
        PaintedBy::Fill => format!("{shapes}, {} mm² inside", plain(layer.area, 0)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::job::machine;
    use crate::{Choice, compile};

    fn begun(svg: &str) -> String {
        let machine =
            machine::read("m", include_str!("../../../cli/demo/bench-laser.machine.toml")).unwrap();
        let artwork = crate::artwork::read("art.svg", svg.as_bytes(), &Default::default()).unwrap();
        let drawings = [("we\"ird.svg".to_string(), artwork.clone())];
        let text = starter(&drawings, &machine, "bench-laser", &Wishes::default()).unwrap();
        let job = crate::job::read("a.kite.toml", &text, machine)
            .unwrap_or_else(|p| panic!("{p:#?}\n{text}"));
        compile(artwork, &job, &Choice::default()).unwrap_or_else(|p| panic!("{p:#?}\n{text}"));
        text
    }

    #[test]
    fn what_is_begun_reads_back_and_compiles() {
        let text = begun(include_str!("../../../cli/demo/sail-panel.svg"));
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
        let open = begun(&page(
            r#"<path d="M0 0h9v9" fill="black"/><rect width="5" height="5"/><text y="9">a</text>"#,
        ));
        assert!(open.contains("kind = \"closed\"") && open.contains("leave-out"), "{open}");
        let paper = begun(&page(
            r##"<rect width="80" height="80" fill="#fff"/><circle r="9" cx="20" cy="20" fill="none" stroke="#333"/>"##,
        ));
        assert!(
            paper.contains("taken for paper") && paper.contains("the only colour of line"),
            "{paper}"
        );
    }
}
