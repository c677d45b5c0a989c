//! Sharpening by an unsharp mask: what a blurred picture lacks is added.

use rayon::prelude::*;
use tinkite_job::Sharpen;

/// Makes darkness differ more from what lies about it: `d + amount · (d − blurred d)`, blurred by a bell (Gauss)
/// whose standard deviation is the radius. `pitch` is the size of a cell, mm.
pub(super) fn sharpen(levels: &mut [u8], width: usize, how: &Sharpen, pitch: f64) {
    let sigma = how.radius / pitch;
    let reach = (3.0 * sigma).ceil().max(1.0) as usize;
    let bell: Vec<f32> =
        (0..=reach).map(|n| (-0.5 * (n as f64 / sigma).powi(2)).exp() as f32).collect();
    let from: Vec<f32> = levels.iter().map(|level| f32::from(*level)).collect();
    let rows = levels.len() / width;
    let weighed = |count: usize, at: usize, value: &dyn Fn(usize) -> f32| {
        let first = at.saturating_sub(reach);
        let (mut sum, mut weight) = (0.0, 0.0);
        for n in first..(at + reach + 1).min(count) {
            let share = bell[n.abs_diff(at)];
            sum += share * value(n);
            weight += share;
        }
        sum / weight
    };
    let mut across = vec![0.0; from.len()];
    across.par_chunks_mut(width).zip(from.par_chunks(width)).for_each(|(to, from)| {
        for (n, to) in to.iter_mut().enumerate() {
            *to = weighed(width, n, &|m| from[m]);
        }
    });
    levels.par_chunks_mut(width).enumerate().for_each(|(row, line)| {
        for (column, level) in line.iter_mut().enumerate() {
            let blurred = weighed(rows, row, &|m| across[m * width + column]);
            let own = from[row * width + column];
            *level = (own + how.amount as f32 * (own - blurred)).round().clamp(0.0, 255.0) as u8;
        }
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn edges_differ_more_and_plain_greys_stay() {
        let how = Sharpen { radius: 0.2, amount: 1.0 };
        let mut plain = vec![90; 400];
        sharpen(&mut plain, 20, &how, 0.1);
        assert!(plain.iter().all(|level| *level == 90));
        let mut edge: Vec<u8> = (0..400).map(|n| if n % 20 < 10 { 80 } else { 160 }).collect();
        sharpen(&mut edge, 20, &how, 0.1);
        let row = &edge[200..220];
        assert!(row[9] < 60 && row[10] > 180, "{row:?}");
        assert!(row[0].abs_diff(80) <= 1 && row[19].abs_diff(160) <= 1, "{row:?}");
    }
}
