//! How long the head takes along and between rows, as the planner reckons it.

use crate::gaps::Gaps;
use crate::rows::RowOrder;
use tinkite_job::{Directions, Job, Step};
use tinkite_machine::Travel;

/// One row of a group.
#[derive(Debug, Clone, Copy)]
pub(super) struct RowSum {
    pub(super) row: u32,
    pub(super) first: f64,
    pub(super) last: f64,
    /// From the first burnt place to the last, s.
    pub(super) inside: f64,
}

/// How the head moves along and between rows.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Pacing {
    /// While burning, mm/s.
    pub(super) speed: f64,
    /// Across gaps and between areas, mm/s.
    pub(super) travel: f64,
    /// mm/s².
    pub(super) acceleration: f64,
    pub(super) run_up: f64,
    pub(super) gaps: Gaps,
    pub(super) spacing: f64,
    pub(super) directions: Directions,
}

impl Pacing {
    /// Of a step's rows on the job's machine.
    pub(crate) fn of(walk: &RowOrder, step: &Step, job: &Job) -> Self {
        let (top, acceleration) = job.frame().limits(walk.along);
        let travel = match job.machine.travel {
            Travel::Rapid => top,
            Travel::Feed(speed) => speed.0.min(top),
        };
        Self {
            speed: step.speed().0.min(top),
            travel,
            acceleration,
            run_up: walk.run_up,
            gaps: walk.gaps,
            spacing: walk.spacing,
            directions: walk.directions,
        }
    }

    /// Blanks up to this long are crossed at burning speed, and quicker than any turn, mm.
    pub(crate) fn short_gap(&self) -> f64 {
        self.gaps.short
    }

    /// From standing to standing over a distance (mm), s.
    pub(super) fn hop(&self, distance: f64) -> f64 {
        let Self { travel, acceleration, .. } = *self;
        if distance < travel * travel / acceleration {
            2.0 * (distance / acceleration).sqrt()
        } else {
            distance / travel + travel / acceleration
        }
    }

    /// From one burnt stretch of a row to the next over a gap (mm), s: at burning speed, or in travel where
    /// that is quicker.
    pub(super) fn gap(&self, gap: f64) -> f64 {
        let Self { speed, travel, acceleration, gaps, .. } = *self;
        if gap <= gaps.short {
            return gap / speed;
        }
        let free = gap - 2.0 * gaps.settle;
        let dark = 2.0 * gaps.settle / speed;
        let peak = (speed * speed + acceleration * free).sqrt();
        if peak <= travel {
            return dark + 2.0 * (peak - speed) / acceleration;
        }
        let hurrying = (travel * travel - speed * speed) / acceleration;
        dark + 2.0 * (travel - speed) / acceleration + (free - hurrying) / travel
    }

    /// What a row takes beside what lies between its first and its last burnt place, s: from standing to speed, and
    /// back.
    pub(super) fn ends(&self) -> f64 {
        2.0 * self.run_up / self.speed + self.speed / self.acceleration
    }

    /// From the end of one row to the beginning of another, s; in the mean of both ways of walking them.
    pub(super) fn turn(&self, a: &RowSum, b: &RowSum) -> f64 {
        let up = f64::from(a.row.abs_diff(b.row)) * self.spacing;
        let over = |along: f64| self.hop(up.hypot(along));
        match self.directions {
            Directions::Both => (over(b.first - a.first) + over(b.last - a.last)) / 2.0,
            Directions::One => over(a.last - b.first + 2.0 * self.run_up),
        }
    }
}
