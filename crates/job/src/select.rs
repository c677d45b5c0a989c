//! `take`: which shapes a step takes, or the artwork leaves out.

use super::{Job, Step};
use tinkite_artwork::{Odd, Shape, Source, Unread};
use tinkite_base::colour::Colour;
use tinkite_base::problem::{Code, Problem, Remedy};
use tinkite_base::quantity::Length;
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// Kinds of artwork that `kind` tells apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ArtworkKind {
    /// Shapes with at least one line whose ends do not meet.
    Open,
    /// Shapes whose lines are all closed.
    Closed,
    /// Live text.
    Text,
    /// Bitmaps.
    Bitmap,
    /// Solids.
    Solid,
    /// Painted with a gradient.
    Gradient,
    /// Painted with a pattern.
    Pattern,
    /// Changed by a mask, a filter or a blend mode; render alone can take it.
    Effect,
    /// The bitmap of what has no plain colour.
    Rendered,
    /// What lies wholly beyond the page of its drawing.
    OffPage,
    /// Closed, and inside no other closed shape of its drawing.
    Outermost,
}

/// One condition on a shape.
#[derive(Debug, Clone, PartialEq)]
pub enum Condition {
    /// Stroke or fill has this colour.
    Colour(Colour),
    /// The stroke has this colour.
    Stroke(Colour),
    /// The fill has this colour.
    Fill(Colour),
    /// A group or layer of this name is round it.
    Group(String),
    /// Its id, or its name by its place in the drawing.
    Id(String),
    /// It comes from this file, as the job names it.
    File(String),
    /// It comes from the artwork of this name.
    Artwork(String),
    /// Its stroke is at most this wide, mm.
    Hairline(f64),
    /// Its kind.
    ArtworkKind(ArtworkKind),
    /// No other step takes it.
    Rest,
    /// None of these alternatives hold.
    Not(Vec<Take>),
}

/// Conditions that must all hold.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Take(pub Vec<Condition>);

/// Which artwork of the job something comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Origin {
    /// Its file, as the job names it.
    pub file: String,
    /// Its name.
    pub name: Option<String>,
}

/// What a take looks at.
pub trait Taken {
    /// The colours of its line and of its inside.
    fn colours(&self) -> (Option<Colour>, Option<Colour>);
    /// How wide its line is drawn, mm.
    fn stroke_width(&self) -> Option<f64>;
    /// Where it was drawn.
    fn source(&self) -> &Source;
    /// Whether it is of that kind.
    fn is_kind(&self, kind: ArtworkKind) -> bool;
    /// Which artwork of the job it comes from.
    fn origin(&self) -> Option<&Origin>;
}

/// A shape, with what only its curves can tell.
pub struct ShapeInfo<'a> {
    /// The shape.
    pub shape: &'a Shape,
    /// Whether one of its lines has ends.
    pub open: bool,
    /// None for what the job draws itself.
    pub origin: Option<&'a Origin>,
}

impl Taken for ShapeInfo<'_> {
    fn colours(&self) -> (Option<Colour>, Option<Colour>) {
        (self.shape.stroke.map(|s| s.colour), self.shape.fill.map(|f| f.colour))
    }
    fn stroke_width(&self) -> Option<f64> {
        self.shape.stroke.map(|stroke| stroke.width)
    }
    fn source(&self) -> &Source {
        &self.shape.source
    }
    fn is_kind(&self, kind: ArtworkKind) -> bool {
        match kind {
            ArtworkKind::Open => self.open,
            ArtworkKind::Closed => !self.open,
            ArtworkKind::Text => self.shape.text,
            ArtworkKind::Bitmap | ArtworkKind::Rendered | ArtworkKind::Solid => false,
            ArtworkKind::Effect => self.shape.odd.is(Odd::Effect),
            ArtworkKind::Gradient => self.shape.odd.is(Odd::Gradient),
            ArtworkKind::Pattern => self.shape.odd.is(Odd::Pattern),
            ArtworkKind::OffPage => self.shape.source.off_page,
            ArtworkKind::Outermost => self.shape.source.outermost,
        }
    }
    fn origin(&self) -> Option<&Origin> {
        self.origin
    }
}

impl Taken for (Unread, &Source, &Origin) {
    fn colours(&self) -> (Option<Colour>, Option<Colour>) {
        (None, None)
    }
    fn stroke_width(&self) -> Option<f64> {
        None
    }
    fn source(&self) -> &Source {
        self.1
    }
    fn is_kind(&self, kind: ArtworkKind) -> bool {
        matches!(
            (kind, self.0),
            (ArtworkKind::Text, Unread::Text | Unread::Flowed)
                | (ArtworkKind::Bitmap, Unread::Bitmap)
        )
    }
    fn origin(&self) -> Option<&Origin> {
        Some(self.2)
    }
}

/// Which paint of a thing a step burns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Burnt {
    /// Its line.
    pub line: bool,
    /// Its inside.
    pub inside: bool,
}

impl Job {
    /// The steps that take a thing. `rest` in a step means: taken by no step that does not itself ask for the
    /// rest; of a thing whose inside alone is taken, the line is left for steps that follow lines.
    pub fn taking(&self, thing: &impl Taken) -> impl Iterator<Item = usize> {
        let takes = |step: &Step, rest| step.take.iter().any(|take| take.holds(thing, rest));
        let asks = |step: &Step| step.take.iter().any(Take::asks_for_rest);
        let firm = || self.steps.iter().filter(|step| !asks(step));
        let rest = !firm().any(|step| takes(step, false));
        let line_left = !rest && self.leaves_line(thing, firm());
        let left = |step: &Step| rest || (line_left && step.operation.follow().is_some());
        let all: Vec<usize> = (0..self.steps.len())
            .filter(|step| takes(&self.steps[*step], left(&self.steps[*step])))
            .collect();
        all.into_iter()
    }

    /// Whether some steps burn the inside of a thing and leave its line, which has a colour of its own.
    pub fn leaves_line<'s>(
        &self,
        thing: &impl Taken,
        steps: impl Iterator<Item = &'s Step>,
    ) -> bool {
        let (Some(line), Some(inside)) = thing.colours() else { return false };
        if line == inside || line == Colour::WHITE {
            return false;
        }
        let mut burnt = Burnt::default();
        for step in steps {
            for take in step.take.iter().filter(|take| take.holds(thing, false)) {
                let meant = take.means(line, inside);
                let follows = step.operation.follow().is_some();
                burnt.line |= meant.line || follows;
                burnt.inside |= meant.inside;
            }
        }
        burnt.inside && !burnt.line
    }
}

impl Take {
    /// Whether a condition, or one that must not hold, is of this kind.
    pub(crate) fn asks_for(&self, kind: ArtworkKind) -> bool {
        self.0.iter().any(|condition| match condition {
            Condition::ArtworkKind(asked) => *asked == kind,
            Condition::Not(takes) => takes.iter().any(|take| take.asks_for(kind)),
            _ => false,
        })
    }

    /// Whether every condition holds; `rest` says whether no other step takes the thing.
    pub fn holds(&self, thing: &impl Taken, rest: bool) -> bool {
        let (stroke, fill) = thing.colours();
        self.0.iter().all(|condition| match condition {
            Condition::Colour(c) => stroke == Some(*c) || fill == Some(*c),
            Condition::Stroke(c) => stroke == Some(*c),
            Condition::Fill(c) => fill == Some(*c),
            Condition::Group(name) => thing.source().groups.iter().any(|g| g == name),
            Condition::Id(id) => thing.source().is_called(id),
            Condition::File(file) => thing.origin().is_some_and(|o| o.file == *file),
            Condition::Artwork(name) => {
                thing.origin().is_some_and(|o| o.name.as_ref().unwrap_or(&o.file) == name)
            }
            Condition::Hairline(most) => thing.stroke_width().is_some_and(|w| w <= most + 1e-9),
            Condition::ArtworkKind(kind) => thing.is_kind(*kind),
            Condition::Rest => rest,
            Condition::Not(takes) => !takes.iter().any(|take| take.holds(thing, rest)),
        })
    }

    /// Which paint of a thing with these colours it names; both where it names neither.
    fn means(&self, line: Colour, inside: Colour) -> Burnt {
        let mut meant = Burnt::default();
        for condition in &self.0 {
            match condition {
                Condition::Colour(c) => {
                    meant.line |= *c == line;
                    meant.inside |= *c == inside;
                }
                Condition::Stroke(_) | Condition::Hairline(_) => meant.line = true,
                Condition::Fill(_) => meant.inside = true,
                _ => {}
            }
        }
        match meant {
            Burnt { line: false, inside: false } => Burnt { line: true, inside: true },
            meant => meant,
        }
    }

    /// Whether it names the line of a thing alone, not its inside.
    #[must_use]
    pub fn means_line_alone(&self) -> bool {
        let names = |f: fn(&Condition) -> bool| self.0.iter().any(f);
        names(|c| matches!(c, Condition::Stroke(_) | Condition::Hairline(_)))
            && !names(|c| matches!(c, Condition::Fill(_) | Condition::Colour(_)))
    }

    /// Whether it asks what other steps take.
    pub(crate) fn asks_for_rest(&self) -> bool {
        self.0.iter().any(|condition| match condition {
            Condition::Rest => true,
            Condition::Not(takes) => takes.iter().any(Self::asks_for_rest),
            _ => false,
        })
    }

    /// How people would say it.
    #[must_use]
    pub fn describe(&self) -> String {
        let parts = self.0.iter().map(|condition| match condition {
            Condition::Colour(c) => format!("colour {c}"),
            Condition::Stroke(c) => format!("stroke {c}"),
            Condition::Fill(c) => format!("fill {c}"),
            Condition::Group(name) => format!("group \"{name}\""),
            Condition::Id(id) => format!("id \"{id}\""),
            Condition::File(file) => format!("file \"{file}\""),
            Condition::Artwork(name) => format!("artwork \"{name}\""),
            Condition::Hairline(w) => format!("hairline up to {w} mm"),
            Condition::ArtworkKind(kind) => {
                let word =
                    KINDS.iter().find(|(_, known)| known == kind).map_or("", |(word, _)| word);
                format!("kind \"{word}\"")
            }
            Condition::Rest => "the rest".into(),
            Condition::Not(_) => "not something".into(),
        });
        parts.collect::<Vec<_>>().join(" and ")
    }
}

/// Words for kinds.
pub(crate) const KINDS: [(&str, ArtworkKind); 11] = [
    ("open", ArtworkKind::Open),
    ("closed", ArtworkKind::Closed),
    ("text", ArtworkKind::Text),
    ("bitmap", ArtworkKind::Bitmap),
    ("solid", ArtworkKind::Solid),
    ("gradient", ArtworkKind::Gradient),
    ("pattern", ArtworkKind::Pattern),
    ("effect", ArtworkKind::Effect),
    ("rendered", ArtworkKind::Rendered),
    ("off-page", ArtworkKind::OffPage),
    ("outermost", ArtworkKind::Outermost),
];

/// Reads `key` as one table of conditions or a list of alternatives; problems are reported.
pub(super) fn read(section: &Section<'_, '_>, key: &'static str) -> Vec<Take> {
    if let Some(value) = section.value(key)
        && !matches!(value.get_ref(), DeValue::Table(_) | DeValue::Array(_))
    {
        section.report(
            Problem::error(
                Code::WrongType,
                format!(
                    "{key} in {} should be a table of conditions or a list of such tables",
                    section.name
                ),
                format!("write for example {key} = {{ stroke = \"red\" }}"),
            ),
            value.span(),
        );
        return Vec::new();
    }
    let sections = section.sections(key);
    // Nothing left out is what an empty list says there; a list that takes nothing is a mistake.
    let empty =
        section.value(key).and_then(|v| v.get_ref().as_array()).is_some_and(|a| a.is_empty());
    if empty && key != "leave-out" {
        section.report(no_condition(key), section.span_of(key));
    }
    sections.into_iter().map(one).collect()
}

fn no_condition(name: &str) -> Problem {
    Problem::error(
        Code::EmptyTake,
        format!("{name} has no condition"),
        "name a stroke, fill, colour, group, id, file, artwork, hairline or kind; rest = true takes what no other step takes",
    )
    .with_remedy(Remedy::Look)
}

fn one(section: Section<'_, '_>) -> Take {
    let mut conditions = Vec::new();
    let colour = |key: &'static str| {
        let text = section.text(key)?;
        match text.parse::<Colour>() {
            Ok(colour) => Some(colour),
            Err(message) => {
                let problem = Problem::error(
                    Code::Colour,
                    message.to_string(),
                    "write a colour like \"#1a2b3c\" or \"red\"",
                );
                section.report(problem, section.span_of(key));
                None
            }
        }
    };
    conditions.extend(colour("colour").map(Condition::Colour));
    conditions.extend(colour("stroke").map(Condition::Stroke));
    conditions.extend(colour("fill").map(Condition::Fill));
    conditions.extend(section.text("group").map(|name| Condition::Group(name.into())));
    conditions.extend(section.text("id").map(|id| Condition::Id(id.into())));
    conditions.extend(section.text("file").map(|file| Condition::File(file.into())));
    conditions.extend(section.text("artwork").map(|name| Condition::Artwork(name.into())));
    conditions.extend(section.positive::<Length>("hairline").map(|w| Condition::Hairline(w.0)));
    conditions.extend(section.choice("kind", &KINDS).map(Condition::ArtworkKind));
    if section.flag("rest") == Some(true) {
        conditions.push(Condition::Rest);
    }
    if section.has("not") {
        conditions.push(Condition::Not(read(&section, "not")));
    }
    // A key that is not known is told by its name.
    let nothing_said = section.table().is_empty() || section.flag("rest") == Some(false);
    if conditions.is_empty() && nothing_said {
        section.report(no_condition(&section.name), section.whole_span());
    }
    section.finish();
    Take(conditions)
}
