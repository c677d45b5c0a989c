//! Drawing the entities, blocks within blocks, and keeping account of what was not drawn.

use super::entity::{Entity, Paint};
use super::tables::{Shows, Tables};
use super::{curves, hatch, text};
use crate::Reading;
use std::collections::BTreeMap;
use tinkite_artwork::{Fill, OddPaint, Shape, Source, Stroke, Unread};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::{Affine, BezPath, Vec2};
use tinkite_base::problem::{Code, Location, Problem, Problems, count, few};

/// Blocks within blocks deeper than this are a mistake.
const DEEPEST: usize = 32;

/// More lines than this are refused: blocks within blocks can make billions of few.
const MOST_SHAPES: usize = 1_000_000;

/// More entities than this are refused, those that draw nothing included.
const MOST_MET: usize = 10 * MOST_SHAPES;

/// How near curves that no cubic can follow are drawn, mm.
const TOLERANCE: f64 = 1e-4;

/// Copies along one side of an array.
const MOST_COPIES: i64 = 10_000;

/// Kinds that never draw anything on the part itself.
const SILENT: [&str; 6] = ["VIEWPORT", "SEQEND", "ATTDEF", "VERTEX", "ENDSEC", "ENDTAB"];

/// What came out.
#[derive(Default)]
pub(super) struct Drawn {
    pub(super) shapes: Vec<Shape>,
    /// For each shape, whether it may be one of several that make up an outline.
    pub(super) loose: Vec<bool>,
    pub(super) unread: Vec<(Unread, Source)>,
}

/// Where an entity is drawn, and what it inherits there.
#[derive(Clone)]
struct DrawContext {
    to_mm: Affine,
    /// Colour and layer of the block reference round it.
    colour: Option<Colour>,
    layer: Option<String>,
    /// Names of the blocks round it, outermost first.
    blocks: Vec<String>,
    line: Option<u32>,
}

pub(super) struct Drawer<'d, 't> {
    tables: &'d Tables<'t>,
    how: &'d Reading<'d>,
    start: DrawContext,
    out: Drawn,
    /// What is left out, by why, with how many.
    hidden: BTreeMap<String, usize>,
    paper: usize,
    unknown: BTreeMap<String, usize>,
    broken: Vec<String>,
    /// References to blocks that cannot be drawn: whether they draw themselves, what they are called, their line.
    lost: Vec<(bool, String, Option<u32>)>,
    /// Texts drawn in the font at hand.
    texts: usize,
    /// Entities met so far, those that draw nothing included.
    met: usize,
    too_many: bool,
}

impl<'d, 't> Drawer<'d, 't> {
    pub(super) fn new(tables: &'d Tables<'t>, how: &'d Reading<'d>, to_mm: Affine) -> Self {
        Self {
            tables,
            how,
            start: DrawContext { to_mm, colour: None, layer: None, blocks: Vec::new(), line: None },
            out: Drawn::default(),
            hidden: BTreeMap::new(),
            paper: 0,
            unknown: BTreeMap::new(),
            broken: Vec::new(),
            lost: Vec::new(),
            texts: 0,
            met: 0,
            too_many: false,
        }
    }

    /// Draws `entities`.
    ///
    /// # Errors
    /// More lines than anyone could mean.
    pub(super) fn run(
        mut self,
        entities: &[Entity<'t>],
        file: &str,
        problems: &mut Problems,
    ) -> Result<Drawn, Problems> {
        let start = self.start.clone();
        self.all(entities, &start);
        if self.too_many {
            return Err(Problem::error(
                Code::TooMuch,
                format!("the drawing has more than {MOST_SHAPES} lines when its blocks are drawn"),
                "simplify it in the CAD program, or export only the part to be burnt",
            )
            .at(Location::file(file))
            .into());
        }
        self.report(file, problems);
        Ok(self.out)
    }

    fn all(&mut self, entities: &[Entity<'t>], context: &DrawContext) {
        let mut at = 0;
        while let Some(entity) = entities.get(at) {
            at += 1;
            let followers = |kinds: &[&str]| {
                entities[at..].iter().take_while(|e| kinds.contains(&e.kind)).count()
            };
            // Vertices and attributes follow what they belong to.
            let own = match entity.kind {
                "POLYLINE" => followers(&["VERTEX"]),
                "INSERT" if entity.whole_or(66, 0) == 1 => followers(&["ATTRIB"]),
                _ => 0,
            };
            let children = &entities[at..at + own];
            at += own;
            self.one(entity, children, context);
            if self.too_many {
                return;
            }
        }
    }

    fn one(&mut self, entity: &Entity<'t>, children: &[Entity<'t>], context: &DrawContext) {
        self.met += 1;
        if self.met > MOST_MET {
            self.too_many = true;
            return;
        }
        // Layer "0" inside a block is the layer of whatever draws the block.
        let layer = match (&context.layer, entity.layer()) {
            (Some(outer), "0") => outer.clone(),
            (_, own) => own.to_string(),
        };
        if entity.on_paper() {
            self.paper += 1;
            return;
        }
        if SILENT.contains(&entity.kind) {
            return;
        }
        let inserts = entity.kind == "INSERT";
        let why = match self.tables.layer(&layer).shows {
            _ if entity.invisible() => Some("made invisible".into()),
            Shows::Frozen => Some(format!("on the hidden layer \"{layer}\"")),
            // What a block has on layer 0 is on this one; the rest of it shows.
            Shows::Off if !inserts => Some(format!("on the hidden layer \"{layer}\"")),
            Shows::Unplotted if !inserts => {
                Some(format!("on the layer \"{layer}\", which is not plotted"))
            }
            _ => None,
        };
        if let Some(why) = why {
            *self.hidden.entry(why).or_default() += 1;
            return;
        }
        let colour = match entity.paint() {
            Paint::Colour(colour) => colour,
            Paint::ByLayer => self.tables.layer(&layer).colour,
            Paint::ByBlock => context.colour.unwrap_or(Colour::new(0, 0, 0)),
        };
        let source = Source {
            id: entity.handle(),
            groups: [layer.clone()].into_iter().chain(context.blocks.iter().cloned()).collect(),
            line: context.line.or(Some(entity.line)).filter(|line| *line > 0),
            ..Source::default()
        };
        if inserts {
            self.insert(entity, context, colour, &layer, &source);
            children.iter().for_each(|child| self.one(child, &[], context));
            return;
        }
        let scale = context.to_mm.determinant().abs().sqrt().max(1e-12);
        let curves = match entity.kind {
            "POLYLINE" => polyline(entity, children),
            "HATCH" => Some(hatch::of(entity, TOLERANCE / scale)),
            _ => curves::of(entity, TOLERANCE / scale),
        };
        if let Some(curves) = curves {
            if curves.path.elements().is_empty() {
                self.broken.push(format!("{} ({})", entity.kind, source.label()));
                return;
            }
            let width = entity.whole_or(370, -1).max(0) as f64 / 100.0;
            let shape = shape(context.to_mm * curves.path, colour, curves.filled, width, source);
            return self.push(shape, curves.loose);
        }
        match text::of(entity) {
            Some(words) => self.words(&words, context, colour, source),
            None => *self.unknown.entry(entity.kind.to_string()).or_default() += 1,
        }
    }

    fn push(&mut self, shape: Shape, loose: bool) {
        self.out.shapes.push(shape);
        self.out.loose.push(loose);
        self.too_many = self.out.shapes.len() >= MOST_SHAPES;
    }

    fn insert(
        &mut self,
        entity: &Entity<'t>,
        context: &DrawContext,
        colour: Colour,
        layer: &str,
        source: &Source,
    ) {
        let name = entity.text(2).to_string();
        let tables = self.tables;
        let again = context.blocks.iter().any(|b| b.eq_ignore_ascii_case(&name));
        let Some(block) = tables.block(&name).filter(|_| !again && context.blocks.len() < DEEPEST)
        else {
            let called = format!("\"{name}\" ({})", source.label());
            self.lost.push((again, called, source.line));
            return;
        };
        let factor = |code| entity.real_or(code, 1.0);
        let (columns, rows) = (entity.whole_or(70, 1), entity.whole_or(71, 1));
        if columns > MOST_COPIES || rows > MOST_COPIES {
            self.too_many = true;
            return;
        }
        let at = entity.point(10).unwrap_or_default().to_vec2();
        for row in 0..rows.max(1) {
            for column in 0..columns.max(1) {
                let (dx, dy) = (entity.real_or(44, 0.0), entity.real_or(45, 0.0));
                let offset = Vec2::new(column as f64 * dx, row as f64 * dy);
                let placed = entity.plane()
                    * Affine::translate(at)
                    * Affine::rotate(entity.real_or(50, 0.0).to_radians())
                    * Affine::translate(offset)
                    * Affine::scale_non_uniform(factor(41), factor(42))
                    * Affine::translate(-block.base.to_vec2());
                let inner = DrawContext {
                    to_mm: context.to_mm * placed,
                    colour: Some(colour),
                    layer: Some(layer.to_string()),
                    blocks: context.blocks.iter().cloned().chain([name.clone()]).collect(),
                    // People find the reference, not the definition.
                    line: source.line,
                };
                self.all(&block.entities, &inner);
                if self.too_many {
                    return;
                }
                if block.entities.is_empty() {
                    return;
                }
            }
        }
    }

    fn words(
        &mut self,
        words: &text::Words,
        context: &DrawContext,
        colour: Colour,
        source: Source,
    ) {
        let Ok(drawn) = words.set(self.how.fonts) else {
            self.out.unread.push((Unread::Text, source));
            return;
        };
        self.texts += usize::from(!drawn.is_empty());
        for (own, path) in drawn {
            let path = context.to_mm * path;
            let shape = shape(path, own.unwrap_or(colour), true, 0.0, source.clone());
            let fill = shape.fill.map(|f| Fill { rule: FillRule::NonZero, ..f });
            self.push(Shape { text: true, fill, ..shape }, false);
        }
    }

    fn report(&mut self, file: &str, problems: &mut Problems) {
        let listed = |all: &BTreeMap<String, usize>| {
            let words: Vec<String> = all.iter().map(|(what, n)| format!("{n} {what}")).collect();
            few(&words, 8)
        };
        let whole = |problem: Problem| problem.at(Location::file(file));
        if !self.hidden.is_empty() {
            problems.push(whole(Problem::note(
                Code::Hidden,
                format!("left out: {}", listed(&self.hidden)),
                "show them in the CAD program if they are meant to be burnt",
            )));
        }
        if self.paper > 0 {
            problems.push(whole(Problem::note(
                Code::Hidden,
                format!("left out: {} on a sheet for printing", count(self.paper, "thing")),
                "only what is drawn in the model is read",
            )));
        }
        if !self.unknown.is_empty() {
            problems.push(whole(Problem::warning(
                Code::NotRead,
                format!("kinds of entity that are not read: {}", listed(&self.unknown)),
                "explode them into lines in the CAD program if they are meant to be burnt",
            )));
        }
        if !self.broken.is_empty() {
            problems.push(whole(
                Problem::warning(
                    Code::BrokenEntity,
                    format!(
                        "{} without sound numbers: {}",
                        count(self.broken.len(), "entity"),
                        few(&self.broken, 6)
                    ),
                    "they are left out; draw them again",
                )
                .naming(self.broken.clone()),
            ));
        }
        if self.texts > 0 {
            problems.push(whole(Problem::note(
                Code::PlainFont,
                format!("{} drawn in the plain font of this machine: fonts of CAD programs are not read", count(self.texts, "text")),
                "turn the text into outlines in the CAD program if its letters matter",
            )));
        }
        for itself in [true, false] {
            let lost: Vec<_> = self.lost.iter().filter(|(again, ..)| *again == itself).collect();
            let Some((.., line)) = lost.first() else { continue };
            let names: Vec<String> = lost.iter().map(|(_, called, _)| called.clone()).collect();
            let why = if itself { "draw themselves" } else { "are not in the file, or too deep" };
            let what = count(lost.len(), "block");
            let message = format!("{what} left out, which {why}: {}", few(&names, 3));
            let help = "mend the blocks in the CAD program";
            let place = Location { line: *line, ..Location::file(file) };
            problems.push(Problem::warning(Code::LostBlock, message, help).at(place).naming(names));
        }
    }
}

fn shape(path: BezPath, colour: Colour, filled: bool, width: f64, source: Source) -> Shape {
    let fill = filled.then_some(Fill { colour, rule: FillRule::EvenOdd, veil: 0 });
    let stroke = (!filled).then_some(Stroke { colour, width, veiled: false });
    Shape { path, fill, stroke, source, text: false, odd: OddPaint::default(), painted: 0 }
}

/// An old polyline with its vertices; meshes are not read.
fn polyline(entity: &Entity<'_>, vertices: &[Entity<'_>]) -> Option<curves::Curves> {
    let flags = entity.whole_or(70, 0);
    if flags & (16 | 64) != 0 {
        return None;
    }
    // Points of the control frame of a fitted curve are not on it.
    let on_curve = |v: &&Entity<'_>| v.whole_or(70, 0) & 16 == 0;
    let vertices: Vec<curves::Vertex> = vertices
        .iter()
        .filter(on_curve)
        .filter_map(|v| Some((v.point(10)?, v.real_or(42, 0.0))))
        .collect();
    let closed = flags & 1 == 1;
    let path = entity.plane() * curves::polyline(&vertices, closed);
    Some(curves::Curves { path, filled: false, loose: !closed })
}
