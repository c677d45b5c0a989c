//! How far the head goes beyond the ends of rows: there it gets up to speed.

use super::{Fill, Job, Step};
use tinkite_base::geometry::Vec2;

impl Job {
    /// How long the run-up of rows along a unit vector must be, mm: so long that the head is at speed (v² / 2 a),
    /// with a tenth to spare, rounded up to a tenth of a millimetre.
    #[must_use]
    pub fn run_up(&self, step: &Step, along: Vec2) -> f64 {
        let (top, acceleration) = self.frame().limits(along);
        let speed = step.fastest().0.min(top);
        (1.1 * speed * speed / (2.0 * acceleration) * 10.0).ceil() / 10.0
    }

    /// How far the rows of a step reach beyond what they engrave, across and away, mm, whatever their angles;
    /// `None` for steps without rows.
    #[must_use]
    pub fn row_reach(&self, step: &Step) -> Option<Vec2> {
        let (angles, given): (Vec<f64>, Option<f64>) = match &step.operation.engrave()?.fill {
            Fill::Lines(lines) if !lines.quickest_angle => (lines.angles.clone(), lines.run_up),
            Fill::Image(image) => (vec![image.angle], image.run_up),
            Fill::Relief(relief) if relief.turn == 0.0 => {
                (relief.lines.angles.clone(), relief.lines.run_up)
            }
            Fill::Lines(lines) | Fill::Relief(super::Relief { lines, .. }) => {
                // They may run any way.
                (vec![0.0, std::f64::consts::FRAC_PI_2], lines.run_up)
            }
            Fill::Rings(_) => return None,
        };
        let reach = angles.into_iter().map(|angle| {
            let along = Vec2::from_angle(angle);
            let run_up = given.unwrap_or_else(|| self.run_up(step, along));
            Vec2::new(along.x.abs(), along.y.abs()) * run_up
        });
        Some(reach.fold(Vec2::ZERO, |a, b| Vec2::new(a.x.max(b.x), a.y.max(b.y))))
    }
}
