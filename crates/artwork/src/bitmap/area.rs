//! Areas on a bitmap: what lies in one, or beside it, becomes white.

use super::Bitmap;
use rayon::prelude::*;
use tinkite_base::geometry::{Affine, Point};

/// Which pixels become white.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whitened {
    /// Those in the area: something lies over them.
    Inside,
    /// Those beside it: it is what of the bitmap shows.
    Outside,
}

impl Bitmap {
    /// Makes pixels white whose middles lie in an area of rings that do not cross, or beside it; `to_plane`
    /// carries pixels to the plane of the rings. How many of them were not white before.
    pub fn whiten(&mut self, rings: &[Vec<Point>], to_plane: Affine, which: Whitened) -> usize {
        if to_plane.determinant() == 0.0 {
            return 0;
        }
        let rows = crossings(rings, to_plane.inverse(), self.height);
        let width = self.width as usize;
        let pixels = self.grey.par_chunks_mut(width.max(1)).zip(rows);
        pixels
            .map(|(row, mut at)| {
                at.sort_unstable_by(f64::total_cmp);
                // A pixel belongs to the area in which its middle lies.
                let pixel = |x: f64| ((x - 0.5).ceil().max(0.0) as usize).min(width);
                let mut changed = 0;
                let mut white = |from: usize, to: usize| {
                    for grey in row.get_mut(from..to.max(from)).unwrap_or_default() {
                        changed += usize::from(*grey != u8::MAX);
                        *grey = u8::MAX;
                    }
                };
                let mut done = 0;
                for pair in at.chunks_exact(2) {
                    let (from, to) = (pixel(pair[0]), pixel(pair[1]));
                    match which {
                        Whitened::Inside => white(from, to),
                        Whitened::Outside => white(done, from),
                    }
                    done = done.max(to);
                }
                if which == Whitened::Outside {
                    white(done, width);
                }
                changed
            })
            .sum()
    }
}

/// For each row of pixels where the edges of rings cross its middle, in pixels from the left.
fn crossings(rings: &[Vec<Point>], to_pixels: Affine, height: u32) -> Vec<Vec<f64>> {
    let mut rows: Vec<Vec<f64>> = vec![Vec::new(); height as usize];
    for ring in rings {
        let points: Vec<Point> = ring.iter().map(|p| to_pixels * *p).collect();
        let ends = points.iter().skip(1).chain(points.first());
        for (a, b) in points.iter().zip(ends) {
            let (low, high) = if a.y < b.y { (a, b) } else { (b, a) };
            // Rows whose middles lie from the lower end on, the upper one not counted.
            let first = (low.y - 0.5).ceil().max(0.0);
            let behind = (high.y - 0.5).ceil().min(f64::from(height));
            let mut row = first;
            while row < behind {
                let along = (row + 0.5 - low.y) / (high.y - low.y);
                rows[row as usize].push(low.x + along * (high.x - low.x));
                row += 1.0;
            }
        }
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(x0: f64, y0: f64, x1: f64, y1: f64) -> Vec<Point> {
        [(x0, y0), (x1, y0), (x1, y1), (x0, y1)].map(Point::from).to_vec()
    }

    /// Rows of a black bitmap of 8 x 6 pixels at 1 mm to the pixel, y up: # is black.
    fn left(rings: &[Vec<Point>], which: Whitened) -> Vec<String> {
        let mut bitmap = Bitmap { width: 8, height: 6, grey: vec![0; 48] };
        let to_plane = Affine::new([1.0, 0.0, 0.0, -1.0, 0.0, 6.0]);
        let changed = bitmap.whiten(rings, to_plane, which);
        assert_eq!(changed, bitmap.grey.iter().filter(|grey| **grey == u8::MAX).count());
        let sign = |grey: &u8| if *grey == 0 { '#' } else { '.' };
        bitmap.grey.chunks(8).map(|row| row.iter().map(sign).collect()).collect()
    }

    #[test]
    fn areas_and_holes_are_white_inside_or_outside() {
        let ring = [square(1.0, 1.0, 7.0, 5.0), square(3.0, 2.0, 5.0, 4.0)];
        let rows = ["########", "#......#", "#..##..#", "#..##..#", "#......#", "########"];
        assert_eq!(left(&ring, Whitened::Inside), rows);
        let rows = ["........", ".######.", ".##..##.", ".##..##.", ".######.", "........"];
        assert_eq!(left(&ring, Whitened::Outside), rows);
        // Beyond its edges nothing goes wrong; nothing at all leaves nothing.
        assert!(
            left(&[square(-9.0, -9.0, 99.0, 99.0)], Whitened::Inside)
                .join("")
                .chars()
                .all(|c| c == '.')
        );
        assert!(left(&[], Whitened::Outside).join("").chars().all(|c| c == '.'));
        assert!(left(&[], Whitened::Inside).join("").chars().all(|c| c == '#'));
    }
}
