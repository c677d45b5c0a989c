//! Screens: greys as dots or lines that grow, as print does it.

use rayon::prelude::*;
use tinkite_base::geometry::Vec2;
use tinkite_job::{Screen, ScreenKind};

/// Places along each side of a period at which a dot's growth is known.
const FINE: usize = 96;

/// Turns darkness into 0 or 255: what lies in a dot or line that is as large as the darkness asks for. `along` and
/// `across` are unit vectors of the rows, `pitch` the size of a cell, mm; the screen lies still on the bed.
pub(super) fn screen(
    levels: &mut [u8],
    width: usize,
    how: &Screen,
    (start, first): (f64, f64),
    pitch: f64,
    angle: f64,
) {
    let ranks = ranks();
    let turned = how.angle - angle;
    let (u, v) = (
        Vec2::new(turned.cos(), turned.sin()) / how.period,
        Vec2::new(-turned.sin(), turned.cos()) / how.period,
    );
    levels.par_chunks_mut(width).enumerate().for_each(|(row, line)| {
        for (column, level) in line.iter_mut().enumerate() {
            let p = Vec2::new(start + (column as f64 + 0.5) * pitch, first + row as f64 * pitch);
            let place = [u.dot(p).rem_euclid(1.0), v.dot(p).rem_euclid(1.0)];
            let rank = match how.kind {
                // A line grows to both sides evenly.
                ScreenKind::Rows => (2.0 * place[1] - 1.0).abs(),
                ScreenKind::Dots => {
                    let n = place.map(|p| ((p * FINE as f64) as usize).min(FINE - 1));
                    ranks[n[1] * FINE + n[0]]
                }
            };
            *level = if f64::from(*level) / 255.0 > rank { 255 } else { 0 };
        }
    });
}

/// When each place of a period is burnt: the share of the period that is burnt before it. Dots grow from the
/// middle as round ones, meet at their neighbours' at half, and leave round holes.
fn ranks() -> Vec<f64> {
    let wave = |n: usize| (std::f64::consts::TAU * (n as f64 + 0.5) / FINE as f64).cos();
    let height = |n: usize| wave(n % FINE) + wave(n / FINE);
    let mut order: Vec<usize> = (0..FINE * FINE).collect();
    order.sort_by(|a, b| height(*a).total_cmp(&height(*b)).then(a.cmp(b)));
    let mut ranks = vec![0.0; FINE * FINE];
    for (rank, place) in order.into_iter().enumerate() {
        ranks[place] = (rank as f64 + 0.5) / (FINE * FINE) as f64;
    }
    ranks
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn screens_burn_as_much_as_is_dark() {
        for kind in [ScreenKind::Dots, ScreenKind::Rows] {
            for grey in [0_u8, 26, 77, 128, 200, 255] {
                let how = Screen { kind, period: 0.47, angle: 0.6 };
                let mut levels = vec![grey; 600 * 600];
                screen(&mut levels, 600, &how, (3.1, 0.2), 0.05, 0.2);
                let mean = levels.iter().map(|l| f64::from(*l)).sum::<f64>() / 360_000.0;
                assert!((mean - f64::from(grey)).abs() < 2.0, "{kind:?} {grey}: {mean}");
            }
        }
    }

    #[test]
    fn lines_lie_as_far_apart_as_was_asked() {
        let how = Screen { kind: ScreenKind::Rows, period: 0.5, angle: 0.0 };
        let mut levels = vec![128; 20 * 100];
        screen(&mut levels, 20, &how, (0.0, 0.025), 0.05, 0.0);
        let column: Vec<u8> = levels.iter().step_by(20).copied().collect();
        let begins = column.windows(2).filter(|two| two[0] == 0 && two[1] == 255).count();
        assert_eq!(begins, 10, "5 mm of lines 0.5 mm apart");
    }
}
