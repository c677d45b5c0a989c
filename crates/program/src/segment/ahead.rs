//! Segments made in a thread of their own, a little ahead of whoever takes them.
//!
//! Making a segment costs about as much as planning or writing it. The order is that of the walk, so
//! what is made of them is the same on any number of cores.

use super::{Segment, Segments};
use std::panic::resume_unwind;
use std::sync::mpsc::sync_channel;
use std::thread;
use tinkite_base::problem::Problem;

/// Segments change threads in batches of this many.
const BATCH: usize = 1024;

/// The most batches that wait.
const AHEAD: usize = 4;

/// Why the walk ended early.
enum End {
    Problem(Problem),
    /// Nobody takes segments any more.
    Unwanted,
}

impl From<Problem> for End {
    fn from(problem: Problem) -> Self {
        Self::Problem(problem)
    }
}

impl Segments {
    /// Hands on what `with` makes of every segment, in running order; segments and that are made in
    /// another thread.
    ///
    /// # Errors
    /// As [`Self::walk`]; every segment before the one that cannot be made is handed on first.
    pub(crate) fn walk_ahead<T: Send, E: From<Problem>>(
        &self,
        mut with: impl FnMut(Segment) -> T + Send,
        mut each: impl FnMut(T) -> Result<(), E>,
    ) -> Result<(), E> {
        let (send, receive) = sync_channel::<Vec<T>>(AHEAD);
        thread::scope(|scope| {
            let maker = scope.spawn(move || {
                let mut batch = Vec::with_capacity(BATCH);
                let walked = self.walk(|segment| {
                    batch.push(with(segment));
                    if batch.len() < BATCH {
                        return Ok(());
                    }
                    let full = std::mem::replace(&mut batch, Vec::with_capacity(BATCH));
                    send.send(full).map_err(|_| End::Unwanted)
                });
                // Where nobody takes it there is nobody to be told.
                let _ = send.send(batch);
                walked
            });
            for item in receive.into_iter().flatten() {
                each(item)?;
            }
            match maker.join() {
                Ok(Err(End::Problem(problem))) => Err(problem.into()),
                Ok(_) => Ok(()),
                Err(panic) => resume_unwind(panic),
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::quantity::Power;

    #[derive(Debug, PartialEq)]
    struct Told(&'static str);

    impl From<Problem> for Told {
        fn from(problem: Problem) -> Self {
            Self(problem.code.text())
        }
    }

    /// A hatched square of many batches at 20 %, then a line at 50 %.
    fn segments() -> Segments {
        super::super::sample::segments(
            r#"<path d="M5 5h40v40h-40z"/><path d="M5 50h40" fill="none" stroke="red"/>"#,
            "[[step]]\ntake = { fill = \"black\" }\nmake = \"engrave\"\nspeed = \"100 mm/s\"\npower = \"20 %\"\nlines = { spacing = \"0.01 mm\" }\n[[step]]\ntake = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n",
        )
    }

    #[test]
    fn segments_made_ahead_are_those_of_the_walk() {
        let segments = segments();
        let mut walked = Vec::new();
        let walk: Result<(), Problem> = segments.walk(|segment| {
            walked.push(segment);
            Ok(())
        });
        let mut number = 0;
        let counted = |segment| {
            number += 1;
            (number, segment)
        };
        let mut ahead = Vec::new();
        let walk_ahead: Result<(), Problem> = segments.walk_ahead(counted, |(number, segment)| {
            ahead.push(segment);
            assert_eq!(number, ahead.len());
            Ok(())
        });
        assert!(walk.is_ok() && walk_ahead.is_ok());
        assert!(walked.len() > 10 * BATCH && walked == ahead);
    }

    #[test]
    fn who_has_had_enough_is_given_no_more() {
        let segments = segments();
        for enough in [1, BATCH, 3 * BATCH + 7] {
            let mut taken = 0;
            let ended: Result<(), Told> = segments.walk_ahead(
                |segment| segment,
                |_| {
                    taken += 1;
                    if taken < enough { Ok(()) } else { Err(Told("enough")) }
                },
            );
            assert_eq!((ended, taken), (Err(Told("enough")), enough));
        }
    }

    #[test]
    fn what_cannot_be_made_is_told_after_everything_before_it() {
        let whole = segments();
        let mut job = whole.job.clone();
        job.machine.beam.ceiling = Power(0.3);
        let segments = Segments::new(whole.placed.clone(), &job);
        let (mut walked, mut ahead) = (0, 0);
        let walk: Result<(), Told> = segments.walk(|_| {
            walked += 1;
            Ok(())
        });
        let walk_ahead: Result<(), Told> = segments.walk_ahead(
            |segment| segment,
            |_| {
                ahead += 1;
                Ok(())
            },
        );
        assert_eq!((walk, walk_ahead), (Err(Told("over-ceiling")), Err(Told("over-ceiling"))));
        assert!(walked > BATCH && walked == ahead, "{walked} {ahead}");
    }
}
