//! Selectors that find nothing: most often a name that was typed wrongly.

use crate::Sheet;
use tinkite_artwork::{Artwork, Unread};
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_job::select::{ArtworkKind, Condition, Origin, ShapeInfo, Take};
use tinkite_job::takeable::Takeable;
use tinkite_job::{ArtworkUse, Job};

/// The takes of an artwork's own keys, and which of them found something.
pub(super) struct Sought<'j> {
    takes: Vec<(&'static str, &'j Take, bool)>,
    origin: Origin,
    takeable: Takeable,
}

impl<'j> Sought<'j> {
    /// `artwork` is as it was read.
    pub(super) fn of(how: &'j ArtworkUse, artwork: &Artwork) -> Self {
        let leave_out = how.leave_out.iter().map(|take| ("leave-out", take, false));
        let paint = how.paint.iter().flat_map(|paint| &paint.take);
        let takes = leave_out.chain(paint.map(|take| ("paint", take, false))).collect();
        let mut sought = Self { takes, origin: how.origin(), takeable: Takeable::default() };
        if sought.takes.is_empty() {
            return sought;
        }
        for shape in &artwork.shapes {
            let origin = Some(&sought.origin);
            sought.takeable.add(&ShapeInfo { shape, open: false, origin });
        }
        let origin = sought.origin.clone();
        let images = artwork.images.iter().map(|image| (Unread::Bitmap, &image.source));
        for (unread, source) in artwork.unread.iter().map(|(u, source)| (*u, source)).chain(images)
        {
            let thing = (unread, source, &origin);
            sought.takeable.add(&thing);
            sought.mark(|take| take.holds(&thing, false));
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
            problems.push(finding_nothing(&self.takeable, message, take).at(Location::file(job)));
        }
    }
}

/// The problem of a take that finds nothing, with what can be taken.
fn finding_nothing(takeable: &Takeable, message: String, take: &Take) -> Problem {
    let help = format!("{}; correct it, or take it out", takeable.instead_of(&[take]));
    Problem::warning(Code::TakesNothing, message, help)
}

/// Tells of exceptions in the steps' takes that except nothing.
pub(super) fn exceptions(sheet: &Sheet, job: &Job, problems: &mut Problems) {
    let mut takeable = None;
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
            let takeable = takeable.get_or_insert_with(|| sheet.takeable());
            let message = format!(
                "not in step \"{}\" excepts nothing: no shape has {}",
                step.name,
                take.describe()
            );
            let problem = finding_nothing(takeable, message, take);
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
