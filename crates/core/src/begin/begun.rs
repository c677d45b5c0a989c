//! A drawing, and what its `[[artwork]]` says.

use super::line::{commented, remark};
use super::place::{BegunSize, Made, SizeBy};
use tinkite_artwork::{
    Artwork, Bitmap, Fill, Format, Image, Odd, OddPaint, Shape, Stroke, Unread, trace,
};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::FillRule;
use tinkite_base::problem::{Code, Location, Problem, Problems, count};
use tinkite_base::quantity::plain;
use tinkite_job::Take;
use tinkite_job::select::{ArtworkKind, Condition, Origin, ShapeInfo};
use tinkite_machine::section::quote;

/// What paint that is no colour becomes.
const INSTEAD: Colour = Colour::new(0x55, 0x55, 0x55);

/// How finely a job that is begun draws what has no plain colour: ten pixels to each mm, as fine as beams
/// are wide.
pub const RENDER_DPI: u32 = 254;

/// Lighter pixels than this are not burnt, 0 to 255.
const LIGHTEST: u8 = 250;

/// Paper that was scanned may be this dark, 0 to 255.
const PAPER: u8 = 230;

/// Whether a bitmap has many middle greys; others are line art, which a threshold of a half burns or not.
pub(super) fn is_photograph(bitmap: &Bitmap) -> bool {
    let between = bitmap.grey.iter().filter(|grey| (64..192).contains(*grey)).count();
    between * 10 >= bitmap.grey.len() || is_pale(bitmap, PAPER, 1.0)
}

/// Whether a page that was drawn loses much by a threshold of a half: its ground is white, so that what is pale was
/// meant.
pub(super) fn has_pale_paint(bitmap: &Bitmap) -> bool {
    is_photograph(bitmap) || is_pale(bitmap, LIGHTEST, 1.0 / 3.0)
}

/// Whether of the pixels that are darker than `white` at least this share is lighter than a half.
fn is_pale(bitmap: &Bitmap, white: u8, share: f64) -> bool {
    let below = |light: u8| bitmap.grey.iter().filter(|grey| **grey < light).count();
    let (shown, dark) = (below(white), below(128));
    shown > 0 && (shown - dark) as f64 >= share * shown as f64
}

/// A drawing as its `[[artwork]]` will give it.
pub(super) struct Begun {
    file: String,
    /// With its bitmaps traced, where they are all there is and have two tones only.
    pub(super) artwork: Artwork,
    traced: bool,
    /// Kinds of paint that are no colour, which get one.
    repainted: Vec<&'static str>,
    /// Its bitmaps show nothing, and are left out.
    blank: bool,
    /// Kinds of paint of which nothing shows.
    unseen: Vec<&'static str>,
    side_by_side: bool,
    /// How many of its shapes lie wholly beyond its page, and are left out.
    off_page: usize,
    /// What somebody leaves out, each with how much that is.
    left: Vec<(Vec<Take>, String)>,
    /// Paints that somebody takes away from shapes that keep another: what `paint` says of each.
    unpainted: Vec<String>,
}

impl Begun {
    /// A drawing as a job takes it; a bitmap of two tones that stands alone is traced where `traces` allows it.
    ///
    /// # Errors
    /// Effects that can only be drawn as the page shows them.
    pub(super) fn of(
        file: &str,
        artwork: &Artwork,
        side_by_side: bool,
        traces: bool,
    ) -> Result<Self, Problems> {
        let mut artwork = artwork.clone();
        let drawn = artwork.shapes.len();
        artwork.shapes.retain(|shape| !shape.source.off_page);
        let off_page = drawn - artwork.shapes.len();
        let traced = traces
            && artwork.solid.is_none()
            && artwork.shapes.is_empty()
            && !artwork.images.is_empty()
            && artwork
                .images
                .iter()
                .filter_map(|i| i.bitmap.as_deref())
                .all(|bitmap| !is_photograph(bitmap));
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
                    painted: image.painted,
                }));
            }
        }
        let kinds = [("gradient", Odd::Gradient), ("pattern", Odd::Pattern)];
        let is = |odd| artwork.shapes.iter().any(|shape| shape.odd.is(odd));
        let repainted: Vec<&str> =
            kinds.into_iter().filter(|(_, odd)| is(*odd)).map(|(word, _)| word).collect();
        for shape in artwork.shapes.iter_mut().filter(|shape| !shape.odd.is(Odd::Rendered)) {
            if let Some((_, rule)) = shape.odd.fill {
                shape.fill = Some(Fill { colour: INSTEAD, rule, veil: 0 });
            }
            if shape.odd.stroke.is_some() {
                let width = shape.line_width();
                shape.stroke = Some(Stroke { colour: INSTEAD, width, veiled: false });
            }
        }
        artwork.unread.retain(|(unread, _)| *unread != Unread::Paint);
        let effects = |(unread, _): &&(Unread, _)| *unread == Unread::Effect;
        let effects: Vec<_> = artwork.unread.iter().filter(effects).cloned().collect();
        if !effects.is_empty() {
            // Nothing that a job could say would make it run.
            let mut problems = Problems::new();
            let all = Unread::problems(&effects, &artwork.file);
            all.into_iter().for_each(|problem| problems.push(problem));
            return Err(problems);
        }
        let blank = |image: &Image| {
            image.bitmap.as_ref().is_none_or(|b| b.grey.iter().all(|grey| *grey > LIGHTEST))
        };
        let blank = artwork.solid.is_none()
            && !artwork.images.is_empty()
            && artwork.images.iter().all(blank);
        // What was drawn of gradients and patterns shows nothing either.
        let rendered = artwork.images.iter().any(|image| image.rendered);
        let faint = artwork.faint;
        let unseen = [("gradient", faint.gradient), ("pattern", faint.pattern)];
        let unseen: Vec<&str> = unseen
            .into_iter()
            .filter(|(_, faint)| *faint && blank && rendered)
            .map(|(kind, _)| kind)
            .collect();
        if blank {
            artwork.images.clear();
            artwork.unread.retain(|(unread, _)| *unread != Unread::Bitmap);
        }
        Ok(Self {
            file: file.into(),
            artwork,
            traced,
            repainted,
            blank,
            side_by_side,
            off_page,
            unseen,
            left: Vec::new(),
            unpainted: Vec::new(),
        })
    }

    /// What takes compare with.
    pub(super) fn origin(&self) -> Origin {
        Origin { file: self.file.clone(), name: None }
    }

    /// Writes down that shapes are left out.
    pub(super) fn leave_shapes_out(&mut self, takes: Vec<Take>, shapes: usize) {
        self.left.push((takes, count(shapes, "shape")));
    }

    /// Leaves its bitmaps out.
    pub(super) fn leave_bitmaps_out(&mut self) {
        let bitmaps = Take(vec![Condition::ArtworkKind(ArtworkKind::Bitmap)]);
        self.left.push((vec![bitmaps], count(self.artwork.images.len(), "bitmap")));
        self.artwork.images.clear();
        self.artwork.unread.retain(|(unread, _)| *unread != Unread::Bitmap);
    }

    /// Writes down that shapes with this line and this inside lose both: what is said of one paint alone would be all
    /// that counts.
    pub(super) fn take_both_paints_away(&mut self, line: Colour, inside: Colour) {
        let take = Take(vec![Condition::Stroke(line), Condition::Fill(inside)]);
        let entry = format!("{{ take = {}, stroke = \"none\", fill = \"none\" }}", take.to_toml());
        if !self.unpainted.contains(&entry) {
            self.unpainted.insert(0, entry);
        }
    }

    /// Writes down that the paint which a take names goes, and the shape with its other paint stays; `drawn` are all
    /// shapes that there were.
    pub(super) fn take_paint_away(&mut self, take: &Take, drawn: &[Shape]) {
        let origin = self.origin();
        let is_there = |take: &Take| {
            let info = |shape| ShapeInfo { shape, open: false, origin: Some(&origin) };
            drawn.iter().any(|shape| take.holds(&info(shape), false))
        };
        let mut entry = |of: &[Condition], none: &str| {
            let named = |c: &&Condition| {
                !matches!(c, Condition::Colour(_) | Condition::Stroke(_) | Condition::Fill(_))
            };
            let others = take.0.iter().filter(named).cloned();
            let take = Take(of.iter().cloned().chain(others).collect());
            if is_there(&take) {
                self.unpainted.push(format!("{{ take = {}, {none} }}", take.to_toml()));
            }
        };
        for condition in &take.0 {
            match condition {
                Condition::Colour(c) => {
                    let (line, inside) = (Condition::Stroke(*c), Condition::Fill(*c));
                    // The first that takes a shape counts.
                    entry(&[line.clone(), inside.clone()], "stroke = \"none\", fill = \"none\"");
                    entry(&[line], "stroke = \"none\"");
                    entry(&[inside], "fill = \"none\"");
                }
                Condition::Stroke(_) => entry(std::slice::from_ref(condition), "stroke = \"none\""),
                Condition::Hairline(_) => entry(&[], "stroke = \"none\""),
                Condition::Fill(_) => entry(std::slice::from_ref(condition), "fill = \"none\""),
                _ => {}
            }
        }
    }

    /// What is told of shapes that its page does not show.
    pub(super) fn beyond_page(&self) -> Option<Problem> {
        let many = (self.off_page > 0).then(|| count(self.off_page, "shape"))?;
        let message = format!("{many} beyond the page left out");
        let help =
            "nobody sees them there; take { kind = \"off-page\" } out of leave-out to burn them";
        Some(Problem::note(Code::OffPage, message, help).at(Location::file(&self.file)))
    }

    /// How large it is drawn, and how large it is made; none of what has no size.
    pub(super) fn size(&self, made: Made) -> Option<BegunSize> {
        let own = self.artwork.extents()?;
        let drawn = (own.width(), own.height());
        Some(BegunSize {
            file: self.file.clone(),
            drawn,
            made: (drawn.0 * made.scale, drawn.1 * made.scale),
            by: made.by,
        })
    }

    /// Whether nobody chose how large it is drawn: it counts in pixels, or says no size at all. Cameras and screens
    /// write 72 or 96 dpi into their pictures, whatever becomes of them.
    pub(super) fn counts_pixels(&self) -> bool {
        let units = &self.artwork.units;
        let unchosen = |dpi: f64| (units.mm_per_unit - 25.4 / dpi).abs() < 1e-3;
        units.doubtful || self.artwork.format.is_bitmap() && (unchosen(72.0) || unchosen(96.0))
    }

    /// Its `[[artwork]]`; `right` is where it begins when others lie left of it.
    pub(super) fn text(&self, right: Option<f64>, made: Made) -> String {
        let mut out = format!("\n[[artwork]]\nfile = {}\n", quote(&self.file));
        if let (Some(own), true) = (self.artwork.extents(), made.scale != 1.0) {
            let why = if made.by == SizeBy::Bed { ", too large for the bed" } else { "" };
            let side = |key, size: f64| {
                let (size, drawn) = (
                    plain((size * made.scale * 1000.0).floor() / 1000.0, 3),
                    (plain(own.width(), 2), plain(own.height(), 2)),
                );
                commented(
                    &format!("{key} = \"{size} mm\""),
                    &format!("drawn {} x {} mm{why}", drawn.0, drawn.1),
                )
            };
            out.push_str(&if own.width() > 0.0 {
                side("width", own.width())
            } else {
                side("height", own.height())
            });
        }
        if let Some(x) = right {
            let at = format!("at   = [\"{} mm\", \"0 mm\"]", plain(x, 3));
            out += &commented(&at, "right of the one before it");
        } else if self.side_by_side {
            out.push_str("at   = [\"0 mm\", \"0 mm\"]\n");
        }
        if self.traced {
            out += &commented(
                "trace = { speck = \"0.3 mm\" }",
                "line art: what is darker than 50 % becomes an area",
            );
            out += &remark(
                "its pixels instead: take trace out, and give a step take = { kind = \"bitmap\" } and image = { spacing = \"0.1 mm\", threshold = \"50 %\" }",
            );
        }
        if !self.unpainted.is_empty() {
            // With what nobody sees the order does not matter: those have no plain paint.
            let mut all = self.unpainted.clone();
            let instead = |kind: &&str| {
                format!(
                    "{{ take = {{ kind = \"{kind}\" }}, fill = \"{INSTEAD}\", stroke = \"{INSTEAD}\" }}"
                )
            };
            all.extend(self.repainted.iter().map(instead));
            out += &commented(&format!("paint = [{}]", all.join(", ")), "left out, as said");
        } else if !self.repainted.is_empty() {
            let one = |kind: &&str| {
                format!(
                    "{{ take = {{ kind = \"{kind}\" }}, fill = \"{INSTEAD}\", stroke = \"{INSTEAD}\" }}"
                )
            };
            let all: Vec<String> = self.repainted.iter().map(one).collect();
            let why = format!(
                "one plain colour in place of many; as the page shows it: render = \"{RENDER_DPI} dpi\" in its place; or leave-out = [{{ kind = \"{}\" }}]",
                self.repainted[0]
            );
            out += &commented(&format!("paint = [{}]", all.join(", ")), &why);
        }
        if !self.unseen.is_empty() {
            let one = |kind: &&str| {
                format!("{{ take = {{ kind = \"{kind}\" }}, fill = \"none\", stroke = \"none\" }}")
            };
            let all: Vec<String> = self.unseen.iter().map(one).collect();
            out += &commented(&format!("paint = [{}]", all.join(", ")), "nothing of it shows");
        }
        if let Some(image) = self.artwork.images.iter().find(|image| image.rendered) {
            let [step, ..] = image.to_mm.as_coeffs();
            out += &commented(
                &format!("render = \"{} dpi\"", plain(25.4 / step, 2)),
                "masks, filters and the like, drawn as the page shows them",
            );
        }
        if self.blank {
            out += &commented("only = \"vectors\"", "the bitmaps show nothing");
        }
        out.push_str(&leave_out(&self.artwork, self.off_page, &self.left));
        let units = &self.artwork.units;
        let example = match self.artwork.format {
            format if format.is_bitmap() => "dpi = \"300 dpi\"",
            Format::Dxf => "units = \"1/mm\" or \"1/in\"",
            _ => "units = \"90/in\"",
        };
        if units.doubtful {
            out += &commented(
                &format!("# {example}"),
                &format!("a guess was needed: {}", units.source),
            );
        }
        out
    }
}

/// What cannot be read, by name; by kind where it has none.
fn leave_out(artwork: &Artwork, off_page: usize, left: &[(Vec<Take>, String)]) -> String {
    let mut tables: Vec<String> = Vec::new();
    let mut why: Vec<String> = Vec::new();
    if off_page > 0 {
        tables.push("{ kind = \"off-page\" }".into());
        why.push(format!("{} beyond the page", count(off_page, "shape")));
    }
    for (kinds, word, reason) in [
        (&[Unread::Text][..], "text", "no font for it"),
        (&[Unread::Flowed][..], "text", "text that flows in a box"),
        (&[Unread::Bitmap][..], "bitmap", "could not be read"),
    ] {
        let lost: Vec<_> =
            artwork.unread.iter().filter(|(unread, _)| kinds.contains(unread)).collect();
        if lost.is_empty() {
            continue;
        }
        why.push(reason.into());
        // By kind, where nothing of that kind can be read: else what can be would go with it.
        let readable = match word {
            "text" => artwork.shapes.iter().any(|shape| shape.text),
            _ => artwork.images.iter().any(|image| image.bitmap.is_some()),
        };
        let names: Option<Vec<&String>> = lost.iter().map(|(_, at)| at.id.as_ref()).collect();
        let one = match names.filter(|_| readable) {
            Some(names) => names.iter().map(|id| format!("{{ id = {} }}", quote(id))).collect(),
            None => vec![format!("{{ kind = \"{word}\" }}")],
        };
        tables.extend(one.into_iter().filter(|table| !tables.contains(table)).collect::<Vec<_>>());
    }
    for (takes, many) in left {
        tables.extend(takes.iter().map(Take::to_toml));
        why.push(format!("{many} as said"));
    }
    if tables.is_empty() {
        return String::new();
    }
    commented(&format!("leave-out = [{}]", tables.join(", ")), &why.join("; "))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// So many pixels of each light.
    fn of(lights: &[(u8, usize)]) -> Bitmap {
        let grey: Vec<u8> = lights.iter().flat_map(|(light, n)| vec![*light; *n]).collect();
        Bitmap { width: grey.len() as u32, height: 1, grey }
    }

    #[test]
    fn what_a_threshold_would_lose_is_no_line_art() {
        // Its lights, and whether it goes by greys: as a bitmap, and as a page that was drawn.
        for (lights, bitmap, page) in [
            (&[(255, 900), (0, 100)][..], false, false),
            (&[(255, 500), (128, 500)], true, true),
            // Pale and nothing else; pale beside as much black; paper that was scanned; nothing.
            (&[(255, 900), (196, 100)], true, true),
            (&[(255, 900), (196, 50), (0, 50)], false, true),
            (&[(240, 1000)], false, true),
            (&[(255, 1000)], false, false),
            // Edges that are drawn softly.
            (&[(255, 900), (200, 20), (0, 80)], false, false),
        ] {
            let found = (is_photograph(&of(lights)), has_pale_paint(&of(lights)));
            assert_eq!(found, (bitmap, page), "{lights:?}");
        }
    }
}
