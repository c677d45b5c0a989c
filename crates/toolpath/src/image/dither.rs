//! Dithering: black and white that look grey.

use super::noise;
use tinkite_job::Dither;

/// Where a part of the error goes: columns to the right, rows on, and its weight.
type Share = (i32, usize, f32);

/// The spread of a published error-diffusion filter, as shares of the whole error.
fn shares(dither: Dither) -> Vec<Share> {
    let table = |divisor: f32, rows: &[&[(i32, f32)]]| -> Vec<Share> {
        let rows = rows.iter().enumerate();
        rows.flat_map(|(y, row)| row.iter().map(move |(x, w)| (*x, y, w / divisor))).collect()
    };
    match dither {
        Dither::FloydSteinberg => table(16.0, &[&[(1, 7.0)], &[(-1, 3.0), (0, 5.0), (1, 1.0)]]),
        Dither::JarvisJudiceNinke => table(
            48.0,
            &[
                &[(1, 7.0), (2, 5.0)],
                &[(-2, 3.0), (-1, 5.0), (0, 7.0), (1, 5.0), (2, 3.0)],
                &[(-2, 1.0), (-1, 3.0), (0, 5.0), (1, 3.0), (2, 1.0)],
            ],
        ),
        Dither::Stucki => table(
            42.0,
            &[
                &[(1, 8.0), (2, 4.0)],
                &[(-2, 2.0), (-1, 4.0), (0, 8.0), (1, 4.0), (2, 2.0)],
                &[(-2, 1.0), (-1, 2.0), (0, 4.0), (1, 2.0), (2, 1.0)],
            ],
        ),
        Dither::Burkes => table(
            32.0,
            &[&[(1, 8.0), (2, 4.0)], &[(-2, 2.0), (-1, 4.0), (0, 8.0), (1, 4.0), (2, 2.0)]],
        ),
        Dither::Sierra => table(
            32.0,
            &[
                &[(1, 5.0), (2, 3.0)],
                &[(-2, 2.0), (-1, 4.0), (0, 5.0), (1, 4.0), (2, 2.0)],
                &[(-1, 2.0), (0, 3.0), (1, 2.0)],
            ],
        ),
        Dither::SierraTwoRow => table(
            16.0,
            &[&[(1, 4.0), (2, 3.0)], &[(-2, 1.0), (-1, 2.0), (0, 3.0), (1, 2.0), (2, 1.0)]],
        ),
        Dither::SierraLite => table(4.0, &[&[(1, 2.0)], &[(-1, 1.0), (0, 1.0)]]),
        Dither::Atkinson => {
            table(8.0, &[&[(1, 1.0), (2, 1.0)], &[(-1, 1.0), (0, 1.0), (1, 1.0)], &[(0, 1.0)]])
        }
        Dither::Bayer(_) | Dither::BlueNoise => Vec::new(),
    }
}

/// Turns darkness into 0 or 255, row by row. `spill` is which share of each neighbour a burnt cell darkens, as
/// the spot is wider than the cell; only diffusion reckons with it.
pub(super) fn dither(levels: &mut [u8], width: usize, dither: Dither, spill: f32) {
    match dither {
        Dither::Bayer(side) => dither_by_matrix(levels, width, side as usize),
        Dither::BlueNoise => noisy(levels, width),
        _ => diffuse(levels, width, &shares(dither), spill),
    }
}

fn noisy(levels: &mut [u8], width: usize) {
    let thresholds = noise::thresholds();
    for (y, row) in levels.chunks_mut(width).enumerate() {
        for (x, level) in row.iter_mut().enumerate() {
            let limit = thresholds[y % noise::SIDE * noise::SIDE + x % noise::SIDE];
            *level = if f32::from(*level) / 255.0 > limit { 255 } else { 0 };
        }
    }
}

fn dither_by_matrix(levels: &mut [u8], width: usize, side: usize) {
    let cells = (side * side) as f64;
    for (y, row) in levels.chunks_mut(width).enumerate() {
        for (x, level) in row.iter_mut().enumerate() {
            let limit = (f64::from(bayer(x % side, y % side, side)) + 0.5) / cells * 255.0;
            *level = if f64::from(*level) > limit { 255 } else { 0 };
        }
    }
}

/// Rank of a cell in Bayer's square of `side` (a power of two) cells.
fn bayer(x: usize, y: usize, side: usize) -> u32 {
    if side <= 1 {
        return 0;
    }
    let half = side / 2;
    let quarter = match (x / half, y / half) {
        (0, 0) => 0,
        (1, 1) => 1,
        (1, 0) => 2,
        _ => 3,
    };
    4 * bayer(x % half, y % half, half) + quarter
}

fn diffuse(levels: &mut [u8], width: usize, shares: &[Share], spill: f32) {
    // Errors on their way to the row at hand and to the two after it.
    let mut errors = [vec![0.0_f32; width], vec![0.0; width], vec![0.0; width]];
    // How dark each cell of the row before, of this and of the next is already, 0 to 255.
    let mut dark = [vec![0.0_f32; width], vec![0.0; width], vec![0.0; width]];
    for row in levels.chunks_mut(width) {
        for x in 0..width {
            let wanted = f32::from(row[x]) + errors[0][x];
            let before = dark[1][x];
            // What burning gives beside what is dark already: here, and over the edges of the neighbours.
            let more = |dark: f32| (255.0 - dark) * spill;
            let mut given = 255.0 - before;
            if spill > 0.0 {
                given += more(dark[0][x]) + more(dark[2][x]);
                given += if x > 0 { more(dark[1][x - 1]) } else { 0.0 };
                given += if x + 1 < width { more(dark[1][x + 1]) } else { 0.0 };
            }
            let burns = wanted - before >= given / 2.0;
            row[x] = if burns { 255 } else { 0 };
            // What falls on cells that come later is seen when they are reached.
            let mut error = wanted - if burns { 255.0 } else { before };
            if burns {
                dark[1][x] = 255.0;
                if spill > 0.0 {
                    let past = more(dark[0][x]) + if x > 0 { more(dark[1][x - 1]) } else { 0.0 };
                    error -= past;
                    dark[0][x] += more(dark[0][x]);
                    if x > 0 {
                        dark[1][x - 1] += more(dark[1][x - 1]);
                    }
                    if x + 1 < width {
                        dark[1][x + 1] += more(dark[1][x + 1]);
                    }
                    dark[2][x] += more(dark[2][x]);
                }
            }
            for (dx, dy, weight) in shares {
                let to = x as i64 + i64::from(*dx);
                if (0..width as i64).contains(&to) {
                    errors[*dy][to as usize] += error * weight;
                }
            }
        }
        errors.rotate_left(1);
        errors[2].fill(0.0);
        dark.rotate_left(1);
        dark[2].fill(0.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Dither; 12] = [
        Dither::FloydSteinberg,
        Dither::JarvisJudiceNinke,
        Dither::Stucki,
        Dither::Burkes,
        Dither::Sierra,
        Dither::SierraTwoRow,
        Dither::SierraLite,
        Dither::Atkinson,
        Dither::Bayer(2),
        Dither::Bayer(4),
        Dither::Bayer(8),
        Dither::BlueNoise,
    ];

    /// Mean darkness of a plain grey after dithering, in levels.
    fn mean(dither_by: Dither, grey: u8) -> f64 {
        let mut levels = vec![grey; 128 * 128];
        dither(&mut levels, 128, dither_by, 0.0);
        assert!(levels.iter().all(|l| *l == 0 || *l == 255));
        levels.iter().map(|l| f64::from(*l)).sum::<f64>() / (128.0 * 128.0)
    }

    #[test]
    fn every_dither_keeps_black_white_and_the_mean_of_grey() {
        for dither_by in ALL {
            assert_eq!(mean(dither_by, 0), 0.0, "{dither_by:?}");
            assert_eq!(mean(dither_by, 255), 255.0, "{dither_by:?}");
            // Bayer's small squares have few greys; Atkinson's keeps three quarters of the error.
            let slack = match dither_by {
                Dither::Bayer(2) => 64.0,
                Dither::Bayer(4) => 16.0,
                Dither::Atkinson => 24.0,
                _ => 4.0,
            };
            for grey in [64, 100, 128, 190] {
                let off = (mean(dither_by, grey) - f64::from(grey)).abs();
                assert!(off <= slack, "{dither_by:?} {grey}: off by {off}");
            }
        }
    }

    #[test]
    fn a_wedge_is_as_dark_as_it_was() {
        // Seventeen greys from white to black, each a square of 128 pixels.
        let off = |by| {
            let greys = (0..=16).map(|n| (n * 255 / 16) as u8);
            greys.map(|grey| (mean(by, grey) - f64::from(grey)).abs() / 255.0).sum::<f64>() / 17.0
        };
        for by in ALL {
            let most = match by {
                // Five greys and seventeen are all that their squares can tell; Atkinson gives up a quarter.
                Dither::Bayer(2) => 0.07,
                Dither::Atkinson => 0.08,
                _ => 0.01,
            };
            assert!(off(by) <= most, "{by:?}: off by {:.4}", off(by));
        }
    }

    /// How dark cells are when each burnt one darkens a share of its four neighbours as well.
    fn seen_darkness(levels: &[u8], width: usize, spill: f64) -> f64 {
        let rows = levels.len() / width;
        let burnt = |x: i64, y: i64| {
            let inside = x >= 0 && y >= 0 && (x as usize) < width && (y as usize) < rows;
            inside && levels[y as usize * width + x as usize] > 0
        };
        let mut sum = 0.0;
        for n in 0..levels.len() {
            let (x, y) = ((n % width) as i64, (n / width) as i64);
            let about = [(1, 0), (-1, 0), (0, 1), (0, -1)];
            let near = about.iter().filter(|(dx, dy)| burnt(x + dx, y + dy)).count();
            sum += if burnt(x, y) { 1.0 } else { 1.0 - (1.0 - spill).powi(near as i32) };
        }
        sum / levels.len() as f64
    }

    #[test]
    fn a_spot_that_is_wider_than_its_cell_is_reckoned_with() {
        for dither_by in [Dither::FloydSteinberg, Dither::JarvisJudiceNinke, Dither::Stucki] {
            for grey in [30_u8, 64, 128, 200] {
                let mut levels = vec![grey; 200 * 200];
                dither(&mut levels, 200, dither_by, 0.25);
                let off = seen_darkness(&levels, 200, 0.25) - f64::from(grey) / 255.0;
                assert!(off.abs() < 0.01, "{dither_by:?} {grey}: off by {off:.4}");
            }
        }
    }

    #[test]
    fn filters_hand_on_the_whole_error_but_for_atkinsons() {
        for dither_by in
            ALL.into_iter().filter(|d| !matches!(d, Dither::Bayer(_) | Dither::BlueNoise))
        {
            let sum: f32 = shares(dither_by).iter().map(|(_, _, weight)| weight).sum();
            let wanted = if dither_by == Dither::Atkinson { 0.75 } else { 1.0 };
            assert!((sum - wanted).abs() < 1e-6, "{dither_by:?} {sum}");
        }
    }

    #[test]
    fn bayers_square_of_four_is_the_published_one() {
        let square: Vec<u32> = (0..16).map(|n| bayer(n % 4, n / 4, 4)).collect();
        assert_eq!(square, [0, 8, 2, 10, 12, 4, 14, 6, 3, 11, 1, 9, 15, 7, 13, 5]);
    }
}
