//! What somebody says of the parts of a drawing: cut black, engrave the fills, leave green out.

use super::begun::Begun;
use std::collections::{BTreeMap, BTreeSet};
use tinkite_artwork::{Artwork, Shape};
use tinkite_base::colour::Colour;
use tinkite_base::problem::{Code, Problem, few, nearest};
use tinkite_job::Take;
use tinkite_job::select::{ArtworkKind, Condition, ShapeInfo};

/// What is done with a part of a drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Deed {
    /// Its lines are cut.
    Cut,
    /// Its lines are scored.
    Score,
    /// Its inside is engraved.
    Engrave,
    /// Nothing: it takes no part.
    LeaveOut,
}

impl Deed {
    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Cut => "cut",
            Self::Score => "score",
            Self::Engrave => "engrave",
            Self::LeaveOut => "leave out",
        }
    }
}

/// One thing that somebody says of a drawing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said {
    /// What is done.
    pub deed: Deed,
    /// With what: a colour, a layer's or shape's name, or one of the words of [`WORDS`].
    pub what: String,
}

/// Words for parts of any drawing.
pub const WORDS: [&str; 7] =
    ["outermost", "hairlines", "text", "fills", "lines", "bitmaps", "rest"];

/// Lines up to this width are hairlines, mm: a quarter of a point, as drawing programs call them.
pub(super) const HAIRLINE: f64 = 0.1;

/// Of two things that are said of one shape the one that says more counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Strength {
    Rest,
    Paint,
    Colour,
    Text,
    Hairlines,
    Outermost,
    Group,
    Name,
}

/// Which paint of a shape is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
struct Paint {
    line: bool,
    inside: bool,
}

impl Paint {
    fn overlaps(self, other: Self) -> bool {
        self.line && other.line || self.inside && other.inside
    }
}

/// A shape: which drawing, and which shape of it.
type At = (usize, usize);

/// A part of the drawings of which somebody said what is done with it.
#[derive(Debug, Clone)]
pub(super) struct Part<'s> {
    pub(super) said: &'s Said,
    /// What takes it, without what is said more closely of some of its shapes.
    takes: Vec<Take>,
    /// Takes of parts that are said more closely.
    not: Vec<Take>,
    shapes: BTreeSet<At>,
    strength: Strength,
}

impl Part<'_> {
    /// What a job's step or artwork says.
    pub(super) fn takes(&self) -> Vec<Take> {
        let without = |take: &Take| {
            let mut take = take.clone();
            if !self.not.is_empty() {
                take.0.push(Condition::Not(self.not.clone()));
            }
            take
        };
        self.takes.iter().map(without).collect()
    }

    /// Whether it is the bitmaps.
    pub(super) fn is_bitmaps(&self) -> bool {
        self.said.what == "bitmaps"
    }

    /// Whether it is all that nothing else takes.
    pub(super) fn is_rest(&self) -> bool {
        self.strength == Strength::Rest
    }

    /// How many shapes it takes.
    pub(super) fn shape_count(&self) -> usize {
        self.shapes.len()
    }

    /// The shapes of one drawing that it takes.
    pub(super) fn shapes_of(&self, drawing: usize) -> impl Iterator<Item = usize> {
        self.shapes.range((drawing, 0)..(drawing + 1, 0)).map(|(_, shape)| *shape)
    }

    /// Which paint of a shape it decides on.
    fn claims(&self, shape: &Shape) -> Paint {
        match self.said.deed {
            Deed::Cut | Deed::Score => Paint { line: true, inside: false },
            Deed::Engrave => Paint { line: false, inside: true },
            Deed::LeaveOut => self.leaves(shape),
        }
    }

    /// Which paint of a shape goes when it is left out: of one with two colours the one that was named.
    fn leaves(&self, shape: &Shape) -> Paint {
        let has = Paint { line: shape.stroke.is_some(), inside: shape.fill.is_some() };
        let mut named = Paint::default();
        for condition in self.takes.iter().flat_map(|take| &take.0) {
            match condition {
                Condition::Colour(c) => {
                    named.line |= shape.stroke.is_some_and(|stroke| stroke.colour == *c);
                    named.inside |= shape.fill.is_some_and(|fill| fill.colour == *c);
                }
                Condition::Stroke(c) => {
                    named.line |= shape.stroke.is_some_and(|stroke| stroke.colour == *c);
                }
                Condition::Fill(c) => {
                    named.inside |= shape.fill.is_some_and(|fill| fill.colour == *c);
                }
                Condition::Hairline(_) => named.line = true,
                _ => {}
            }
        }
        match named {
            Paint { line: false, inside: false } => has,
            named => named,
        }
    }

    /// Which paint of a shape nothing is guessed of any more: what is burnt, what was named, and all of what has no other.
    fn covers(&self, shape: &Shape) -> Paint {
        let claims = self.claims(shape);
        let names = |of: fn(&Condition) -> bool| self.takes.iter().flat_map(|take| &take.0).any(of);
        let line = names(|c| matches!(c, Condition::Stroke(_) | Condition::Hairline(_)));
        let inside = names(|c| matches!(c, Condition::Fill(_)));
        Paint {
            line: claims.line || line || claims.inside && shape.fill.is_none(),
            inside: claims.inside || inside || claims.line && shape.stroke.is_none(),
        }
    }
}

/// The parts that were said, each with the shapes that it takes; those that are left out have left `drawings`.
///
/// # Errors
/// Words for nothing in the drawings, two words for one thing, and words of which others leave nothing.
pub(super) fn parts<'s>(
    said: &'s [Said],
    drawings: &mut [Begun],
) -> Result<Vec<Part<'s>>, Problem> {
    let mut parts: Vec<Part<'s>> = Vec::new();
    for one in said {
        let part = resolve(one, drawings)?;
        let same = |other: &Part<'_>| other.takes == part.takes && other.said.deed == one.deed;
        if !parts.iter().any(same) {
            parts.push(part);
        }
    }
    let named: Vec<Take> =
        parts.iter().filter(|part| !part.is_rest()).flat_map(|part| part.takes.clone()).collect();
    for part in parts.iter_mut().filter(|part| part.is_rest()) {
        if part.said.deed == Deed::LeaveOut && !named.is_empty() {
            part.takes = vec![Take(vec![Condition::Not(named.clone())])];
            part.shapes = taken(&part.takes, drawings);
        }
    }
    rest_once(&parts, &named)?;
    settle(&mut parts, drawings)?;
    for (n, begun) in drawings.iter_mut().enumerate() {
        leave_out(&parts, n, begun);
    }
    // What has left them is taken by nothing.
    let burnt = |part: &&Part<'_>| part.said.deed != Deed::LeaveOut && !part.is_rest();
    let firm: Vec<Take> = parts.iter().filter(burnt).flat_map(Part::takes).collect();
    let others = taken(&firm, drawings);
    for part in parts.iter_mut().filter(|part| part.said.deed != Deed::LeaveOut) {
        part.shapes = taken(&part.takes(), drawings);
        if part.is_rest() {
            let all = drawings.iter().enumerate().flat_map(|(n, begun)| {
                (0..begun.artwork.shapes.len()).map(move |shape| (n, shape))
            });
            part.shapes = all.filter(|at| !others.contains(at)).collect();
        }
        if part.shapes.is_empty() && !part.is_bitmaps() {
            let Said { deed, what } = part.said;
            let message =
                format!("{} \"{what}\": what else was said leaves nothing of it", deed.word());
            let help = "of two things that are said of one shape the closer one counts: its name, its layer, outermost, hairlines, text, its colour, fills and lines, the rest";
            return Err(Problem::error(Code::TakesNothing, message, help));
        }
    }
    Ok(parts)
}

/// Whether the rest is said once, and beside something.
fn rest_once(parts: &[Part<'_>], named: &[Take]) -> Result<(), Problem> {
    let rest: Vec<&Part<'_>> = parts.iter().filter(|part| part.is_rest()).collect();
    if let [one, other, ..] = rest[..] {
        let (one, other) = (one.said.deed.word(), other.said.deed.word());
        let message = format!("{one} \"rest\" and {other} \"rest\" are the same shapes");
        return Err(Problem::error(Code::Contradiction, message, "say one of the two"));
    }
    if rest.iter().any(|part| part.said.deed == Deed::LeaveOut) && named.is_empty() {
        let message = "leave out \"rest\": nothing else was said, so it is everything";
        return Err(Problem::error(Code::TakesNothing, message, "say what is burnt as well"));
    }
    Ok(())
}

/// What one word means.
fn resolve<'s>(said: &'s Said, drawings: &[Begun]) -> Result<Part<'s>, Problem> {
    let what = said.what.trim();
    let one = |condition: Condition| vec![Take(vec![condition])];
    let shapes = || drawings.iter().flat_map(|begun| &begun.artwork.shapes);
    let by_name = || {
        let sources = drawings.iter().flat_map(|begun| {
            let images = begun.artwork.images.iter().map(|image| &image.source);
            begun.artwork.shapes.iter().map(|shape| &shape.source).chain(images)
        });
        let mut group = false;
        for source in sources {
            if source.is_called(what) {
                return Some((Condition::Id(what.into()), Strength::Name));
            }
            group |= source.groups.iter().any(|name| name == what);
        }
        group.then(|| (Condition::Group(what.into()), Strength::Group))
    };
    let colours = |fill: bool| -> Vec<Colour> {
        let of = |shape: &Shape| match fill {
            true => shape.fill.map(|fill| fill.colour),
            false => shape.stroke.map(|stroke| stroke.colour),
        };
        let all: BTreeSet<[u8; 3]> =
            shapes().filter_map(of).filter(|c| *c != Colour::WHITE).map(|c| c.rgb).collect();
        all.into_iter().map(|[r, g, b]| Colour::new(r, g, b)).collect()
    };
    let (takes, strength) = match what {
        "outermost" => (one(Condition::ArtworkKind(ArtworkKind::Outermost)), Strength::Outermost),
        "hairlines" => (one(Condition::Hairline(HAIRLINE)), Strength::Hairlines),
        "text" => (one(Condition::ArtworkKind(ArtworkKind::Text)), Strength::Text),
        "fills" => (
            colours(true).into_iter().map(|c| Take(vec![Condition::Fill(c)])).collect(),
            Strength::Paint,
        ),
        "lines" => (
            colours(false).into_iter().map(|c| Take(vec![Condition::Stroke(c)])).collect(),
            Strength::Paint,
        ),
        "bitmaps" => (one(Condition::ArtworkKind(ArtworkKind::Bitmap)), Strength::Paint),
        "rest" => (one(Condition::Rest), Strength::Rest),
        _ => match by_name() {
            Some((condition, strength)) => (one(condition), strength),
            None => {
                let colour: Colour = what.parse().map_err(|_| unknown(said, drawings))?;
                let line = colours(false).contains(&colour);
                let fill = colours(true).contains(&colour);
                let condition = match said.deed {
                    Deed::LeaveOut => Condition::Colour(colour),
                    Deed::Engrave if fill || !line => Condition::Fill(colour),
                    Deed::Cut | Deed::Score if fill && !line => Condition::Fill(colour),
                    _ => Condition::Stroke(colour),
                };
                (one(condition), Strength::Colour)
            }
        },
    };
    let part = Part { said, shapes: taken(&takes, drawings), takes, not: Vec::new(), strength };
    let bitmaps = drawings.iter().any(|begun| !begun.artwork.images.is_empty());
    let is_there = match what {
        "bitmaps" => bitmaps,
        "rest" => true,
        _ => !part.shapes.is_empty() || strength == Strength::Name,
    };
    if part.is_bitmaps() && matches!(said.deed, Deed::Cut | Deed::Score) {
        let message = format!("{} \"bitmaps\": a bitmap has no lines to follow", said.deed.word());
        let help = "engrave them; line art that stands alone is traced, and its lines are black";
        return Err(Problem::error(Code::TakesNothing, message, help));
    }
    if !is_there {
        return Err(unknown(said, drawings));
    }
    Ok(part)
}

/// The shapes that some takes take; those that ask for the rest take none here.
fn taken(takes: &[Take], drawings: &[Begun]) -> BTreeSet<At> {
    let mut all = BTreeSet::new();
    for (n, begun) in drawings.iter().enumerate() {
        let origin = begun.origin();
        for (m, shape) in begun.artwork.shapes.iter().enumerate() {
            let info = ShapeInfo { shape, open: false, origin: Some(&origin) };
            if takes.iter().any(|take| take.holds(&info, false)) {
                all.insert((n, m));
            }
        }
    }
    all
}

/// A word for nothing, with what was meant.
fn unknown(said: &Said, drawings: &[Begun]) -> Problem {
    let mut names: Vec<String> = Vec::new();
    let mut add = |name: String| {
        if !names.contains(&name) {
            names.push(name);
        }
    };
    for begun in drawings {
        for shape in &begun.artwork.shapes {
            let paints = [shape.stroke.map(|s| s.colour), shape.fill.map(|f| f.colour)];
            paints.into_iter().flatten().for_each(|colour| add(colour.to_string()));
            shape.source.groups.iter().cloned().for_each(&mut add);
        }
    }
    let ids = drawings.iter().flat_map(|begun| &begun.artwork.shapes);
    let ids = ids.flat_map(|shape| shape.source.names());
    let Said { deed, what } = said;
    let colour = what.parse::<Colour>().ok();
    let meant = colour.map_or_else(|| what.clone(), |colour| colour.to_string());
    let near = nearest(&meant, names.iter().map(String::as_str).chain(ids).chain(WORDS));
    let help = match near.filter(|near| *near != meant) {
        Some(near) => format!("did you mean \"{near}\"?"),
        None if names.is_empty() => "the drawing has neither lines nor fills".into(),
        None => format!("there is {}; or say {}", few(&names, 8), WORDS.join(", ")),
    };
    let message = format!("{} \"{what}\": nothing in the drawing is that", deed.word());
    Problem::error(Code::TakesNothing, message, help)
}

/// Of two parts that claim the same paint of a shape, the one that is said more closely has it.
fn settle(parts: &mut [Part<'_>], drawings: &[Begun]) -> Result<(), Problem> {
    for weak in 0..parts.len() {
        for strong in 0..parts.len() {
            if weak == strong || parts[weak].is_rest() || parts[strong].is_rest() {
                continue;
            }
            let (one, other) = (&parts[weak], &parts[strong]);
            let mut both = one.shapes.intersection(&other.shapes);
            let clash = |at: &&At| {
                let shape = &drawings[at.0].artwork.shapes[at.1];
                one.claims(shape).overlaps(other.claims(shape))
            };
            if both.find(clash).is_none() {
                continue;
            }
            let rank = |part: &Part<'_>| (part.strength, std::cmp::Reverse(part.shapes.len()));
            match rank(one).cmp(&rank(other)) {
                std::cmp::Ordering::Greater => {}
                // What is left out is gone before the others are looked for.
                std::cmp::Ordering::Less if other.said.deed == Deed::LeaveOut => {}
                std::cmp::Ordering::Less => {
                    let takes = other.takes.clone();
                    parts[weak].not.extend(takes);
                }
                std::cmp::Ordering::Equal if one.said.deed == other.said.deed => {
                    if weak > strong {
                        let takes = other.takes.clone();
                        parts[weak].not.extend(takes);
                    }
                }
                std::cmp::Ordering::Equal => {
                    let says = |part: &Part<'_>| {
                        format!("{} \"{}\"", part.said.deed.word(), part.said.what)
                    };
                    let message = format!("{} and {} are the same shapes", says(one), says(other));
                    let help = "say one of the two";
                    return Err(Problem::error(Code::Contradiction, message, help));
                }
            }
        }
    }
    for part in parts.iter_mut().filter(|part| !part.is_rest()) {
        part.shapes = taken(&part.takes(), drawings);
    }
    Ok(())
}

/// Takes what is left out from one of the drawings, whole shapes or one of their paints.
fn leave_out(parts: &[Part<'_>], drawing: usize, begun: &mut Begun) {
    let drawn = begun.artwork.shapes.clone();
    // Of each shape what goes, and how many parts take of it.
    let mut goes: BTreeMap<usize, (Paint, usize)> = BTreeMap::new();
    let left = || parts.iter().filter(|part| part.said.deed == Deed::LeaveOut);
    for part in left().filter(|part| !part.is_rest()) {
        if part.is_bitmaps() && !begun.artwork.images.is_empty() {
            begun.leave_bitmaps_out();
        }
        let own: Vec<usize> = part.shapes_of(drawing).collect();
        let keeps = |n: &usize| {
            let (shape, leaves) = (&drawn[*n], part.leaves(&drawn[*n]));
            shape.stroke.is_some() && !leaves.line || shape.fill.is_some() && !leaves.inside
        };
        // Of a shape that keeps a paint only the other one goes.
        if own.iter().any(keeps) {
            part.takes().iter().for_each(|take| begun.take_paint_away(take, &drawn));
        } else if !own.is_empty() {
            begun.leave_shapes_out(part.takes(), own.len());
        }
        for n in own {
            let leaves = part.leaves(&drawn[n]);
            let (paint, parts) = goes.entry(n).or_default();
            paint.line |= leaves.line;
            paint.inside |= leaves.inside;
            *parts += 1;
        }
    }
    for (n, (paint, parts)) in &goes {
        let shape = &mut begun.artwork.shapes[*n];
        shape.stroke = shape.stroke.filter(|_| !paint.line);
        shape.fill = shape.fill.filter(|_| !paint.inside);
        if let (true, Some(line), Some(inside)) = (*parts > 1, drawn[*n].stroke, drawn[*n].fill) {
            begun.take_both_paints_away(line.colour, inside.colour);
        }
    }
    let mut at = 0;
    begun.artwork.shapes.retain(|shape| {
        at += 1;
        !goes.contains_key(&(at - 1)) || shape.stroke.is_some() || shape.fill.is_some()
    });
    // The rest is what nobody named of what is there by then.
    for part in left().filter(|part| part.is_rest()) {
        let origin = begun.origin();
        let takes = part.takes();
        let stays = |shape: &Shape| {
            let info = ShapeInfo { shape, open: false, origin: Some(&origin) };
            !takes.iter().any(|take| take.holds(&info, false))
        };
        let before = begun.artwork.shapes.len();
        begun.artwork.shapes.retain(stays);
        let gone = before - begun.artwork.shapes.len();
        if gone > 0 {
            begun.leave_shapes_out(takes, gone);
        }
    }
}

/// The drawings without what was said of: nothing is guessed of that. Whole drawings where `rest` was said.
pub(super) fn unsaid(parts: &[Part<'_>], drawings: &[Begun]) -> Vec<Artwork> {
    let rest = parts.iter().any(Part::is_rest);
    let mut artworks: Vec<Artwork> = drawings.iter().map(|begun| begun.artwork.clone()).collect();
    for (n, artwork) in artworks.iter_mut().enumerate() {
        if rest {
            artwork.shapes.iter_mut().for_each(|shape| (shape.stroke, shape.fill) = (None, None));
        }
        for part in parts.iter().filter(|part| part.said.deed != Deed::LeaveOut) {
            for at in part.shapes_of(n) {
                let shape = &mut artwork.shapes[at];
                let covers = part.covers(&drawings[n].artwork.shapes[at]);
                shape.stroke = shape.stroke.filter(|_| !covers.line);
                shape.fill = shape.fill.filter(|_| !covers.inside);
            }
        }
    }
    artworks
}

/// What a guess of all shapes that `take` takes must leave to what was said.
pub(super) fn besides(take: &Take, parts: &[Part<'_>], drawings: &[Begun]) -> Vec<Take> {
    let own = taken(std::slice::from_ref(take), drawings);
    let line = take.means_line_alone();
    let said = parts.iter().filter(|part| part.said.deed != Deed::LeaveOut && !part.is_rest());
    let mut not = Vec::new();
    for part in said {
        let covers = |(n, m): &&At| {
            let covers = part.covers(&drawings[*n].artwork.shapes[*m]);
            if line { covers.line } else { covers.inside }
        };
        let both = || part.shapes.intersection(&own);
        let covered = both().filter(covers).count();
        if covered == both().count() && covered > 0 {
            not.extend(part.takes());
        } else {
            // Of the others it is guessed: those that are not are named one by one.
            let name = |(n, m): &At| drawings[*n].artwork.shapes[*m].source.own_name();
            let names = both().filter(covers).filter_map(name);
            not.extend(names.map(|name| Take(vec![Condition::Id(name.into())])));
        }
    }
    not
}
