//! Sampling: how dark a bitmap is in each cell of the rows that will burn it.

use rayon::prelude::*;
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::{Affine, Point};

/// The cells of the rows, in the frame whose first axis runs along them.
pub(super) struct Cells {
    pub(super) columns: usize,
    pub(super) rows: usize,
    /// Where the first cell of a row begins, mm.
    pub(super) start: f64,
    /// Height of the middle of row 0, mm.
    pub(super) first: f64,
    /// Size of a cell either way, mm.
    pub(super) spacing: f64,
}

/// A cell is looked at in at most this many places along each side.
const MOST_SAMPLES: f64 = 8.0;

/// Darkness of every cell, row by row: the mean over the cell of what `tone` makes of the pixels.
/// Beyond the bitmap there is nothing to burn. `to_pixels` carries the frame to the bitmap's pixels.
pub(super) fn darkness(
    bitmap: &Bitmap,
    to_pixels: Affine,
    cells: &Cells,
    tone: &[u8; 256],
) -> Vec<u8> {
    let [a, b, c, d, ..] = to_pixels.as_coeffs();
    // As many samples as pixels go into a cell, so that no thin line is missed.
    let across = (a.hypot(b).max(c.hypot(d)) * cells.spacing - 0.01).ceil();
    let many = (across / MOST_SAMPLES).ceil();
    if many > 1.0 {
        // Where more go into it, squares of them become one first.
        let fewer = reduce(bitmap, many as usize, tone);
        let as_it_is = std::array::from_fn(|n| n as u8);
        return darkness(&fewer, Affine::scale(1.0 / many) * to_pixels, cells, &as_it_is);
    }
    let samples = across.clamp(1.0, MOST_SAMPLES);
    let step = cells.spacing / samples;
    let count = samples as usize;
    let one = |column: usize, row: usize| -> u8 {
        let u = cells.start + column as f64 * cells.spacing + step / 2.0;
        let v = cells.first + (row as f64 - 0.5) * cells.spacing + step / 2.0;
        let mut sum = 0_u32;
        for j in 0..count {
            for i in 0..count {
                let p = to_pixels * Point::new(u + i as f64 * step, v + j as f64 * step);
                sum += u32::from(pixel(bitmap, p).map_or(0, |grey| tone[usize::from(grey)]));
            }
        }
        let all = (count * count) as u32;
        ((sum + all / 2) / all) as u8
    };
    let mut levels = vec![0; cells.columns * cells.rows];
    levels.par_chunks_mut(cells.columns).enumerate().for_each(|(row, levels)| {
        for (column, level) in levels.iter_mut().enumerate() {
            *level = one(column, row);
        }
    });
    levels
}

/// Squares of `side` pixels as one: the mean of what `tone` makes of them.
fn reduce(bitmap: &Bitmap, side: usize, tone: &[u8; 256]) -> Bitmap {
    let (width, height) = (bitmap.width as usize, bitmap.height as usize);
    let (columns, rows) = (width.div_ceil(side), height.div_ceil(side));
    let mut grey = vec![0; columns * rows];
    grey.par_chunks_mut(columns).enumerate().for_each(|(row, line)| {
        let from = row * side..((row + 1) * side).min(height);
        for (column, mean) in line.iter_mut().enumerate() {
            let across = column * side..((column + 1) * side).min(width);
            let count = (from.len() * across.len()) as u32;
            let sum: u32 = from
                .clone()
                .flat_map(|y| &bitmap.grey[y * width + across.start..y * width + across.end])
                .map(|grey| u32::from(tone[usize::from(*grey)]))
                .sum();
            *mean = ((sum + count / 2) / count) as u8;
        }
    });
    Bitmap { width: columns as u32, height: rows as u32, grey }
}

fn pixel(bitmap: &Bitmap, p: Point) -> Option<u8> {
    let inside = p.x >= 0.0 && p.y >= 0.0;
    let (x, y) = (p.x as usize, p.y as usize);
    let (width, height) = (bitmap.width as usize, bitmap.height as usize);
    (inside && x < width && y < height).then(|| bitmap.grey[y * width + x])
}

#[cfg(test)]
mod tests {
    use super::*;

    fn checks(side: u32) -> Bitmap {
        let grey =
            (0..side * side).map(|n| if (n % side + n / side).is_multiple_of(2) { 0 } else { 255 });
        Bitmap { width: side, height: side, grey: grey.collect() }
    }

    const TONE: fn() -> [u8; 256] = || std::array::from_fn(|n| 255 - n as u8);

    #[test]
    fn pixel_for_pixel_nothing_changes() {
        let bitmap = checks(4);
        let cells = Cells { columns: 4, rows: 4, start: 0.0, first: 0.05, spacing: 0.1 };
        let levels = darkness(&bitmap, Affine::scale(10.0), &cells, &TONE());
        let wanted: Vec<u8> = bitmap.grey.iter().map(|g| 255 - g).collect();
        assert_eq!(levels, wanted);
    }

    #[test]
    fn far_coarser_cells_are_means_of_all_their_pixels() {
        // One pixel in 40 x 40 is black: whichever it is, it counts the same.
        for black in [0_usize, 777, 1599] {
            let grey = (0..1600).map(|n| if n == black { 0 } else { 255 }).collect();
            let bitmap = Bitmap { width: 40, height: 40, grey };
            let cells = Cells { columns: 1, rows: 1, start: 0.0, first: 2.0, spacing: 4.0 };
            let tone = std::array::from_fn(|n| if n == 0 { 255 } else { 0 });
            let levels = darkness(&bitmap, Affine::scale(10.0), &cells, &tone);
            // 255 / 1600 is less than half a level; twenty of them are three.
            assert!(levels[0] <= 1, "{levels:?}");
        }
        let striped = Bitmap {
            width: 40,
            height: 40,
            grey: (0..1600).map(|n| if n % 10 == 3 { 0 } else { 255 }).collect(),
        };
        let cells = Cells { columns: 1, rows: 1, start: 0.0, first: 2.0, spacing: 4.0 };
        let levels = darkness(&striped, Affine::scale(10.0), &cells, &TONE());
        assert!(levels[0].abs_diff(26) <= 1, "a tenth is black: {levels:?}");
    }

    #[test]
    fn coarser_cells_are_means_and_beyond_the_bitmap_is_blank() {
        let bitmap = checks(4);
        let cells = Cells { columns: 3, rows: 2, start: 0.0, first: 0.1, spacing: 0.2 };
        let levels = darkness(&bitmap, Affine::scale(10.0), &cells, &TONE());
        assert_eq!(levels, [128, 128, 0, 128, 128, 0]);
    }
}
