//! What every step takes of the sheet.

use std::collections::BTreeSet;
use tinkite_job::{Engrave, Job, Operation, Step};
use tinkite_layout::{LaidShape, Sheet};

/// What one step takes.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Taken {
    /// Numbers of the shapes in the sheet.
    pub shapes: Vec<usize>,
    /// Numbers of the bitmaps in the sheet.
    pub images: Vec<usize>,
}

impl Taken {
    /// Whether the step takes nothing at all.
    #[must_use]
    pub(crate) fn is_nothing(&self) -> bool {
        self.shapes.is_empty() && self.images.is_empty()
    }

    /// How many things it takes.
    #[must_use]
    pub fn count(&self) -> usize {
        self.shapes.len() + self.images.len()
    }
}

/// What every step takes.
pub(super) fn select(sheet: &Sheet, job: &Job) -> Vec<Taken> {
    let mut taken = vec![Taken::default(); job.steps.len()];
    for (n, laid) in sheet.shapes.iter().enumerate() {
        if laid.contours.is_empty() {
            continue;
        }
        job.taking(&laid.info()).for_each(|step| taken[step].shapes.push(n));
    }
    for (n, laid) in sheet.images.iter().enumerate() {
        job.taking(laid).for_each(|step| taken[step].images.push(n));
    }
    taken
}

/// All shapes that steps of the same kind as `step` take, in drawing order.
pub(super) fn steps_alike<'s>(
    sheet: &'s Sheet,
    job: &Job,
    step: &Step,
    taken: &[Taken],
) -> Vec<&'s LaidShape> {
    let alike = |other: &Step| {
        matches!(
            (&step.operation, &other.operation),
            (Operation::Cut(_), Operation::Cut(_)) | (Operation::Score(_), Operation::Score(_))
        )
    };
    let all: BTreeSet<usize> = job
        .steps
        .iter()
        .zip(taken)
        .filter(|(other, _)| alike(other))
        .flat_map(|(_, taken)| taken.shapes.iter().copied())
        .collect();
    all.into_iter().map(|n| &sheet.shapes[n]).collect()
}

/// The shapes that bound the area of a step.
pub(super) fn bounds<'s>(sheet: &'s Sheet, engrave: &Engrave) -> Vec<&'s LaidShape> {
    let holds = |laid: &&LaidShape| {
        !laid.contours.is_empty() && engrave.boundary.iter().any(|t| t.holds(&laid.info(), false))
    };
    sheet.shapes.iter().filter(holds).collect()
}
