//! Blue noise: thresholds without a pattern, by voids and clusters (R. Ulichney, "The void-and-cluster method for
//! dither array generation", 1993).

use std::sync::OnceLock;

/// Cells along each side; the square repeats.
pub(super) const SIDE: usize = 64;

/// How far a point is felt, cells: Ulichney's choice.
const SIGMA: f64 = 1.5;

/// The threshold of each cell, 0 to 1.
pub(super) fn thresholds() -> &'static [f32] {
    static MADE: OnceLock<Vec<f32>> = OnceLock::new();
    MADE.get_or_init(make)
}

/// Points on a square that repeats, and how crowded each cell is.
struct Points {
    set: Vec<bool>,
    crowd: Vec<f64>,
    /// How much a point is felt so many cells away.
    felt: Vec<f64>,
}

impl Points {
    fn new() -> Self {
        let away = |n: usize| n.min(SIDE - n) as f64;
        let felt = (0..SIDE * SIDE).map(|n| {
            let d2 = away(n % SIDE).powi(2) + away(n / SIDE).powi(2);
            (-d2 / (2.0 * SIGMA * SIGMA)).exp()
        });
        let all = SIDE * SIDE;
        Self { set: vec![false; all], crowd: vec![0.0; all], felt: felt.collect() }
    }

    fn put(&mut self, at: usize, there: bool) {
        self.set[at] = there;
        let sign = if there { 1.0 } else { -1.0 };
        let (x, y) = (at % SIDE, at / SIDE);
        for (n, crowd) in self.crowd.iter_mut().enumerate() {
            let (dx, dy) = ((n % SIDE + SIDE - x) % SIDE, (n / SIDE + SIDE - y) % SIDE);
            *crowd += sign * self.felt[dy * SIDE + dx];
        }
    }

    /// The point in the thickest crowd.
    fn cluster(&self) -> usize {
        self.best(true, |a, b| a > b)
    }

    /// The empty cell that is farthest from any.
    fn void(&self) -> usize {
        self.best(false, |a, b| a < b)
    }

    fn best(&self, of: bool, better: fn(f64, f64) -> bool) -> usize {
        let mut best: Option<usize> = None;
        for n in (0..self.set.len()).filter(|n| self.set[*n] == of) {
            if best.is_none_or(|best| better(self.crowd[n], self.crowd[best])) {
                best = Some(n);
            }
        }
        best.unwrap_or(0)
    }
}

fn make() -> Vec<f32> {
    let all = SIDE * SIDE;
    let mut points = Points::new();
    // A tenth of the cells, strewn by a fixed sequence (a linear congruence), then spread until nothing moves.
    let mut seed = 12_345_u64;
    let tenth = all / 10;
    let mut count = 0;
    while count < tenth {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let at = (seed >> 33) as usize % all;
        if !points.set[at] {
            points.put(at, true);
            count += 1;
        }
    }
    for _ in 0..all {
        let crowded = points.cluster();
        points.put(crowded, false);
        let empty = points.void();
        points.put(empty, true);
        if crowded == empty {
            break;
        }
    }
    let mut ranks = vec![0_usize; all];
    let spread = points.set.clone();
    for rank in (0..tenth).rev() {
        let at = points.cluster();
        points.put(at, false);
        ranks[at] = rank;
    }
    for (at, there) in spread.into_iter().enumerate() {
        if there {
            points.put(at, true);
        }
    }
    for rank in tenth..all {
        let at = points.void();
        points.put(at, true);
        ranks[at] = rank;
    }
    ranks.into_iter().map(|rank| (rank as f32 + 0.5) / all as f32).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_threshold_is_there_once_and_neighbours_are_far_apart() {
        let made = thresholds();
        let mut sorted = made.to_vec();
        sorted.sort_by(f32::total_cmp);
        assert!(sorted.iter().enumerate().all(|(n, t)| (t * 4096.0 - n as f32 - 0.5).abs() < 1e-2));
        // In a light grey no two burnt cells touch: chance alone would let a third of them.
        let burnt = |x: usize, y: usize| made[(y % SIDE) * SIDE + x % SIDE] < 0.1;
        let touching = (0..SIDE * SIDE)
            .map(|n| (n % SIDE, n / SIDE))
            .filter(|(x, y)| burnt(*x, *y) && (burnt(x + 1, *y) || burnt(*x, y + 1)))
            .count();
        assert_eq!(touching, 0);
    }
}
