//! Selectors that find nothing: most often a name that was typed wrongly.

use crate::Sheet;
use std::collections::BTreeSet;
use tinkite_artwork::Artwork;
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy, nearest};
use tinkite_job::select::{ArtworkKind, Condition, Origin, ShapeInfo, Take};
use tinkite_job::{ArtworkUse, Job};

/// The takes of an artwork's own keys, and which of them found something.
pub(super) struct Sought<'j> {
    takes: Vec<(&'static str, &'j Take, bool)>,
    origin: Origin,
    names: Names,
}

impl<'j> Sought<'j> {
    /// `artwork` is as it was read.
    pub(super) fn of(how: &'j ArtworkUse, artwork: &Artwork) -> Self {
        let leave_out = how.leave_out.iter().map(|take| ("leave-out", take, false));
        let paint = how.paint.iter().flat_map(|paint| &paint.take);
        let takes = leave_out.chain(paint.map(|take| ("paint", take, false))).collect();
        let mut sought = Self { takes, origin: how.origin(), names: Names::default() };
        if sought.takes.is_empty() {
            return sought;
        }
        for shape in &artwork.shapes {
            let colours = [shape.stroke.map(|s| s.colour), shape.fill.map(|f| f.colour)];
            sought.names.add(&shape.source, colours.into_iter().flatten().map(|c| c.to_string()));
        }
        let origin = sought.origin.clone();
        for (unread, source) in &artwork.unread {
            sought.names.add(source, std::iter::empty());
            sought.mark(|take| take.holds(&(*unread, source, &origin), false));
        }
        for image in &artwork.images {
            sought.names.add(&image.source, std::iter::empty());
            let bitmap = tinkite_artwork::Unread::Bitmap;
            sought.mark(|take| take.holds(&(bitmap, &image.source, &origin), false));
        }
        sought
    }

    fn mark(&mut self, holds: impl Fn(&Take) -> bool) {
        for (_, take, found) in &mut self.takes {
            *found = *found || holds(take);
        }
    }

    /// Looks through the shapes, before any of them is painted or left out.
    pub(super) fn shapes(&mut self, artwork: &Artwork, tolerance: f64) {
        let origin = self.origin.clone();
        for shape in &artwork.shapes {
            if self.takes.iter().all(|(.., found)| *found) {
                return;
            }
            let open = shape.contours(tolerance).iter().any(|contour| !contour.closed);
            let info = ShapeInfo { shape, open, origin: Some(&origin) };
            self.mark(|take| take.holds(&info, false));
        }
    }

    /// Tells of those that found nothing.
    pub(super) fn report(self, job: &str, problems: &mut Problems) {
        for (key, take, _) in self.takes.iter().filter(|(.., found)| !found) {
            let message = format!(
                "{key} finds nothing in {}: no shape has {}",
                self.origin.file,
                take.describe()
            );
            let problem = self.names.finding_nothing(message, take);
            problems.push(problem.at(Location::file(job)));
        }
    }
}

/// What things are called.
#[derive(Default)]
struct Names {
    ids: BTreeSet<String>,
    groups: BTreeSet<String>,
    colours: BTreeSet<String>,
}

impl Names {
    fn add(&mut self, source: &tinkite_artwork::Source, colours: impl Iterator<Item = String>) {
        self.ids.extend(source.id.clone());
        self.groups.extend(source.groups.iter().cloned());
        self.colours.extend(colours);
    }

    /// The problem of a take that finds nothing, with what may have been meant.
    fn finding_nothing(&self, message: String, take: &Take) -> Problem {
        let near = |name: &str, all: &BTreeSet<String>| {
            nearest(name, all.iter().map(String::as_str))
                .map(|near| format!("did you mean \"{near}\"?"))
        };
        let meant = take.0.iter().find_map(|condition| match condition {
            Condition::Id(id) if !self.ids.contains(id) => near(id, &self.ids),
            Condition::Group(name) if !self.groups.contains(name) => near(name, &self.groups),
            Condition::Colour(c) | Condition::Stroke(c) | Condition::Fill(c) => {
                let text = c.to_string();
                (!self.colours.contains(&text)).then(|| near(&text, &self.colours)).flatten()
            }
            _ => None,
        });
        let problem = |help: String| Problem::warning(Code::TakesNothing, message, help);
        match meant {
            Some(near) => problem(near),
            None => problem("correct it, or take it out".into()).with_remedy(Remedy::Look),
        }
    }
}

/// Tells of exceptions in the steps' takes that except nothing.
pub(super) fn exceptions(sheet: &Sheet, job: &Job, problems: &mut Problems) {
    let mut names = Names::default();
    let mut listed = false;
    for step in &job.steps {
        for take in step.take.iter().flat_map(takes_behind_not) {
            let shapes = sheet.shapes.iter().any(|laid| take.holds(&laid.info(), true));
            let images = || sheet.images.iter().any(|laid| take.holds(laid, true));
            let open_kind = take.0.iter().any(|c| {
                matches!(c, Condition::ArtworkKind(ArtworkKind::Open | ArtworkKind::Closed))
            });
            if shapes || images() || open_kind {
                continue;
            }
            if !listed {
                listed = true;
                for laid in &sheet.shapes {
                    let shape = &laid.shape;
                    let colours = [shape.stroke.map(|s| s.colour), shape.fill.map(|f| f.colour)];
                    names.add(&shape.source, colours.into_iter().flatten().map(|c| c.to_string()));
                }
            }
            let message = format!(
                "not in step \"{}\" excepts nothing: no shape has {}",
                step.name,
                take.describe()
            );
            let problem = names.finding_nothing(message, take);
            let place = Location { span: Some(step.span.clone()), ..Location::file(&job.file) };
            problems.push(problem.at(place));
        }
    }
}

/// The takes behind `not`.
fn takes_behind_not(take: &Take) -> Vec<&Take> {
    let mut all = Vec::new();
    for condition in &take.0 {
        if let Condition::Not(takes) = condition {
            all.extend(takes);
        }
    }
    all
}
