//! Segments of small drawings, for tests of this room.

use super::Segments;
use crate::mapping;
use tinkite_layout::lay_out;
use tinkite_machine::{self as machine, Machine};
use tinkite_toolpath::order;

/// The demo's machine.
pub(super) fn machine() -> Machine {
    let text = include_str!("../../../../demo/bench-laser.machine.toml");
    machine::read("m", text).unwrap()
}

/// A drawing on a page of 60 x 60 mm, and the steps of its job.
pub(super) fn segments(drawing: &str, steps: &str) -> Segments {
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="60mm" viewBox="0 0 60 60">{drawing}</svg>"#
    );
    let text = format!("tinkite = 1\n[[artwork]]\nfile = \"a.svg\"\n{steps}");
    let job = tinkite_job::read("job", &text, machine()).unwrap();
    let art = tinkite_import::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let (sheet, _) = lay_out(art.into(), &job).unwrap();
    let steps: Vec<usize> = (0..job.steps.len()).collect();
    let made = tinkite_toolpath::make(&sheet, &job, &steps).unwrap();
    let placed =
        mapping::place(order::arrange(made.paths, &job, job.field().zero.to_point()), &job);
    Segments::new(placed, &job)
}
