//! Acceleration and junction deviation out of how long steps really took.
//!
//! Least squares on the planner itself: what it says of each step, with both values changed, is brought as near
//! to what was measured as it goes (Levenberg and Marquardt; the unknowns are logarithms, so that neither value
//! can fall below zero).

/// How long a step was planned to take and took, s.
pub type Seconds = f64;

/// What is sought.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unknowns {
    /// What the accelerations of X and Y are multiplied by.
    pub acceleration: f64,
    /// Junction deviation, mm.
    pub corner: f64,
}

/// What the measured times say of one value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Value {
    /// The value.
    pub value: f64,
    /// How far it may be off, as a share of it (one standard deviation); `None` where the times say so little
    /// that it stays as it was.
    pub error: Option<f64>,
}

/// What came out.
#[derive(Debug, Clone, PartialEq)]
pub struct Fitted {
    /// What the accelerations are multiplied by.
    pub acceleration: Value,
    /// Junction deviation, mm.
    pub corner: Value,
    /// Numbers of the steps that took so much longer or shorter that something else was the matter: a hold, a
    /// hand at the speed. They do not count.
    pub left_out: Vec<usize>,
    /// How far the plan of all others is off as it is, and with what came out: root mean square of shares.
    pub off: [f64; 2],
}

/// Times are read off a controller that tells where it is a few times a second, s; and no plan knows better
/// than this share of a step.
const READ_TO: Seconds = 0.3;
const KNOWN_TO: f64 = 0.005;

/// A value that is not known better than to this share is not taken for known.
const KNOWN: f64 = 0.4;

/// Steps that are this many times as far off as the middle one have been interfered with.
const STRANGE: f64 = 6.0;

/// Where the search ends: no machine has an acceleration or a corner that is farther from what its profile says.
const FARTHEST: f64 = 50.0;

const MOST_ROUNDS: usize = 30;
const ROUNDS_OF_WEIGHTS: usize = 8;

/// Fits both unknowns to `taken`, beginning with what the profile says; `planned` says what the planner makes of
/// the same steps. None for fewer than three steps, and where nothing can be said.
#[must_use]
pub fn fitted(
    taken: &[Seconds],
    profile: Unknowns,
    planned: impl Fn(Unknowns) -> Vec<Seconds>,
) -> Option<Fitted> {
    let first = planned(profile);
    if first.len() != taken.len() || taken.len() < 3 {
        return None;
    }
    let mut search = Search { taken, profile, planned: &planned, weights: vec![1.0; taken.len()] };
    // What is far off counts for less and less, so that what fits the others is found in spite of it.
    let mut residuals = Vec::new();
    let mut middle = 0.5;
    for _ in 0..ROUNDS_OF_WEIGHTS {
        let found = search.descend([true, true])?;
        residuals = search.residuals(&planned(found.unknowns));
        let mut sizes: Vec<f64> = residuals.iter().map(|r| r.abs()).collect();
        sizes.sort_by(f64::total_cmp);
        middle = sizes[sizes.len() / 2].max(0.5);
        let weight = |r: &f64| 1.0 / (1.0 + (r / (2.0 * middle)).powi(2));
        search.weights = residuals.iter().map(weight).collect();
    }
    let strange = |n: &usize| residuals[*n].abs() > STRANGE * middle;
    let left_out: Vec<usize> = (0..taken.len()).filter(strange).collect();
    if taken.len() - left_out.len() < 3 {
        return None;
    }
    search.weights = (0..taken.len()).map(|n| if strange(&n) { 0.0 } else { 1.0 }).collect();
    let found = search.best()?;
    let off = |planned: &[Seconds]| {
        let shares = (0..taken.len()).filter(|n| search.weights[*n] > 0.0);
        let shares: Vec<f64> = shares.map(|n| (planned[n] - taken[n]) / taken[n]).collect();
        (shares.iter().map(|share| share * share).sum::<f64>() / shares.len() as f64).sqrt()
    };
    let off = [off(&first), off(&planned(found.unknowns))];
    let [acceleration, corner] = found.errors;
    Some(Fitted {
        acceleration: Value { value: found.unknowns.acceleration, error: acceleration },
        corner: Value { value: found.unknowns.corner, error: corner },
        left_out,
        off,
    })
}

struct Search<'a, P> {
    taken: &'a [Seconds],
    profile: Unknowns,
    planned: &'a P,
    /// How much each step counts, 0 to 1.
    weights: Vec<f64>,
}

struct Best {
    unknowns: Unknowns,
    /// Shares; none for a value that was held.
    errors: [Option<f64>; 2],
}

impl<P: Fn(Unknowns) -> Vec<Seconds>> Search<'_, P> {
    /// How far each step's plan is off, in parts of what it can be known to.
    fn residuals(&self, planned: &[Seconds]) -> Vec<f64> {
        let off = |(taken, planned): (&Seconds, &Seconds)| {
            (planned - taken) / READ_TO.hypot(KNOWN_TO * taken)
        };
        self.taken.iter().zip(planned).map(off).collect()
    }

    /// The same as each counts.
    fn weigh(&self, way: [f64; 2]) -> Vec<f64> {
        let all = self.residuals(&(self.planned)(self.at(way)));
        all.iter().zip(&self.weights).map(|(r, weight)| r * weight.sqrt()).collect()
    }

    fn at(&self, way: [f64; 2]) -> Unknowns {
        Unknowns {
            acceleration: self.profile.acceleration * way[0].exp(),
            corner: self.profile.corner * way[1].exp(),
        }
    }

    /// The best that both give; where one of them is not known by that, the best that the other gives alone.
    fn best(&self) -> Option<Best> {
        let both = self.descend([true, true])?;
        let known = both.errors.map(|error| error.is_some_and(|error| error <= KNOWN));
        if known == [true, true] {
            return Some(both);
        }
        // A corner matters less than an acceleration nearly always. What is not known makes what goes with it
        // less certain.
        for free in [[true, false], [false, true]] {
            let one = self.descend(free)?;
            let n = usize::from(free[1]);
            let error = one.errors[n].zip(both.errors[n]).map(|(own, both)| own.max(both));
            if error.or(one.errors[n]).is_some_and(|error| error <= KNOWN) {
                let mut errors = [None, None];
                errors[n] = error.or(one.errors[n]);
                return Some(Best { errors, ..one });
            }
        }
        Some(Best { unknowns: self.profile, errors: [None, None] })
    }

    fn descend(&self, free: [bool; 2]) -> Option<Best> {
        let cost = |r: &[f64]| r.iter().map(|r| r * r).sum::<f64>();
        let residuals = |way| self.weigh(way);
        let (mut way, mut damping) = ([0.0, 0.0], 1e-2);
        let mut here = residuals(way);
        let mut slopes = self.slopes(way, &here, free, &residuals);
        for _ in 0..MOST_ROUNDS {
            let [[a, b], [_, d]] = normal(&slopes);
            let down = gradient(&slopes, &here);
            // A value that is held has no slope, and a value without a slope is not moved.
            let (p, q) = (a * (1.0 + damping) + 1e-9, d * (1.0 + damping) + 1e-9);
            let size = p * q - b * b;
            let step = [(b * down[1] - q * down[0]) / size, (b * down[0] - p * down[1]) / size];
            let bound = FARTHEST.ln();
            let next = [0, 1].map(|n| (way[n] + step[n].clamp(-1.0, 1.0)).clamp(-bound, bound));
            if !next.iter().all(|v| v.is_finite()) {
                return None;
            }
            let there = residuals(next);
            if cost(&there) < cost(&here) {
                let gained = cost(&here) - cost(&there);
                let moved = (0..2).any(|n| (next[n] - way[n]).abs() > 1e-4);
                (way, here, damping) = (next, there, damping / 5.0);
                if !moved || gained < 1e-9 * cost(&here) {
                    break;
                }
                slopes = self.slopes(way, &here, free, &residuals);
            } else if damping > 1e6 {
                break;
            } else {
                damping *= 5.0;
            }
        }
        let [[a, b], [_, d]] = normal(&slopes);
        let count = self.weights.iter().filter(|weight| **weight > 0.0).count();
        let unknown = free.iter().filter(|free| **free).count();
        let spread = (cost(&here) / (count - unknown).max(1) as f64).max(1.0);
        let variance = match free {
            [true, true] => [d / (a * d - b * b), a / (a * d - b * b)],
            _ => [1.0 / a, 1.0 / d],
        };
        let error = |n: usize| {
            let error = (variance[n] * spread).sqrt();
            // At the end of the search nothing is known.
            let within = way[n].abs() < FARTHEST.ln() * 0.999;
            (free[n] && error.is_finite() && within).then_some(error)
        };
        Some(Best { unknowns: self.at(way), errors: [error(0), error(1)] })
    }

    /// How the residuals change with each unknown.
    fn slopes(
        &self,
        way: [f64; 2],
        here: &[f64],
        free: [bool; 2],
        residuals: &impl Fn([f64; 2]) -> Vec<f64>,
    ) -> [Vec<f64>; 2] {
        const STEP: f64 = 0.03;
        [0, 1].map(|n| {
            if !free[n] {
                return vec![0.0; here.len()];
            }
            let mut there = way;
            there[n] += STEP;
            residuals(there).iter().zip(here).map(|(there, here)| (there - here) / STEP).collect()
        })
    }
}

/// Products of the slopes.
fn normal([p, q]: &[Vec<f64>; 2]) -> [[f64; 2]; 2] {
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    [[dot(p, p), dot(p, q)], [dot(q, p), dot(q, q)]]
}

/// Products of the slopes and the residuals.
fn gradient(slopes: &[Vec<f64>; 2], here: &[f64]) -> [f64; 2] {
    [0, 1].map(|n| slopes[n].iter().zip(here).map(|(slope, r)| slope * r).sum())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Steps of lines with corners between them: a trapezoid's closed form, and a corner's speed.
    fn plan(unknowns: Unknowns) -> Vec<Seconds> {
        let acceleration = 1000.0 * unknowns.acceleration;
        let steps = [
            (4000, 2.0, 120.0),
            (900, 8.0, 60.0),
            (300, 0.5, 40.0),
            (50, 180.0, 200.0),
            (2000, 1.0, 80.0),
        ];
        let corner = (acceleration * unknowns.corner).sqrt();
        steps
            .iter()
            .map(|(lines, length, speed): &(i32, f64, f64)| {
                let low = corner.min(*speed);
                let top = (low * low + acceleration * length).sqrt().min(*speed);
                let ramps = (top * top - low * low) / acceleration;
                let seconds = 2.0 * (top - low) / acceleration + (length - ramps) / top;
                f64::from(*lines) * seconds
            })
            .collect()
    }

    const PROFILE: Unknowns = Unknowns { acceleration: 1.0, corner: 0.01 };

    #[test]
    fn what_was_planned_with_comes_back() {
        for (acceleration, corner) in [(0.4, 0.02), (2.5, 0.05), (1.0, 0.01), (0.2, 0.1)] {
            let taken = plan(Unknowns { acceleration, corner });
            let fitted = fitted(&taken, PROFILE, plan).unwrap();
            assert!((fitted.acceleration.value / acceleration - 1.0).abs() < 0.02, "{fitted:?}");
            assert!((fitted.corner.value / corner - 1.0).abs() < 0.05, "{fitted:?}");
            assert!(fitted.off[1] < 1e-3 && fitted.left_out.is_empty(), "{fitted:?}");
        }
    }

    #[test]
    fn a_step_that_was_held_does_not_count() {
        let mut taken = plan(Unknowns { acceleration: 0.5, corner: 0.01 });
        taken[3] += 45.0;
        let fitted = fitted(&taken, PROFILE, plan).unwrap();
        assert_eq!(fitted.left_out, [3]);
        assert!((fitted.acceleration.value - 0.5).abs() < 0.02, "{fitted:?}");
    }

    #[test]
    fn what_times_do_not_depend_on_is_not_said() {
        // Long lines at one speed: neither matters.
        let slow = |_: Unknowns| vec![100.0, 200.0, 50.0, 70.0];
        let nothing = fitted(&[101.0, 201.0, 50.4, 70.6], PROFILE, slow).unwrap();
        assert_eq!((nothing.acceleration.error, nothing.corner.error), (None, None));
        assert_eq!((nothing.acceleration.value, nothing.corner.value), (1.0, 0.01));
        let straight = |u: Unknowns| plan(Unknowns { corner: 1e-9, ..u });
        let one = fitted(&straight(Unknowns { acceleration: 0.6, corner: 0.0 }), PROFILE, straight);
        let one = one.unwrap();
        assert!((one.acceleration.value - 0.6).abs() < 0.01, "{one:?}");
        assert_eq!((one.corner.value, one.corner.error), (0.01, None));
        assert_eq!(fitted(&[1.0, 2.0], PROFILE, |_| vec![1.0, 2.0]), None);
    }
}
