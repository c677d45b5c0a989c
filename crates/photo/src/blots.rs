//! Dark blots on a picture that could be marks: filled squares or discs, seen from wherever.

use tinkite_artwork::Bitmap;
use tinkite_base::geometry::{Point, Vec2};
use visioncortex::BinaryImage;
use visioncortex::clusters::Cluster;

/// The longer side of the picture in which marks are looked for, pixels.
const SIDE: u32 = 1400;

/// A pixel is dark where it is below this share of what is round it.
const DARK: f64 = 0.82;

/// Smaller blots are specks, pixels.
const SMALLEST: f64 = 30.0;

/// The picture made smaller, and by how much.
pub(crate) struct Small {
    pub(crate) picture: Bitmap,
    /// Pixels of the picture in one of the small one, along a side.
    pub(crate) scale: f64,
}

/// Made smaller by the mean of whole blocks.
pub(crate) fn smaller(picture: &Bitmap) -> Small {
    let by = picture.width.max(picture.height).div_ceil(SIDE).max(1);
    let (width, height) = ((picture.width / by).max(1), (picture.height / by).max(1));
    let mut grey = Vec::with_capacity((width * height) as usize);
    for y in 0..height {
        for x in 0..width {
            let mut sum = 0u64;
            for row in y * by..(y + 1) * by {
                let start = (row * picture.width + x * by) as usize;
                sum += picture.grey[start..start + by as usize]
                    .iter()
                    .map(|v| u64::from(*v))
                    .sum::<u64>();
            }
            grey.push((sum / u64::from(by * by)) as u8);
        }
    }
    Small { picture: Bitmap { width, height, grey }, scale: f64::from(by) }
}

/// A dark blot that could be a mark.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Blot {
    /// Pixels, from the upper left corner.
    pub(crate) middle: Point,
    /// Pixels.
    pub(crate) area: f64,
}

/// Dark blots that are parallelograms or ellipses: of the former the area is twelve times the root of the determinant of the
/// second moments, whatever their slant.
pub(crate) fn blots(picture: &Bitmap) -> Vec<Blot> {
    let (w, h) = (picture.width as usize, picture.height as usize);
    // Sums of everything above and to the left, to have the mean of any rectangle at once.
    let mut sums = vec![0u64; (w + 1) * (h + 1)];
    for y in 0..h {
        let mut row = 0u64;
        for x in 0..w {
            row += u64::from(picture.grey[y * w + x]);
            sums[(y + 1) * (w + 1) + x + 1] = sums[y * (w + 1) + x + 1] + row;
        }
    }
    let reach = (w.max(h) / 12).max(6);
    let mut dark = BinaryImage::new_w_h(w, h);
    for y in 0..h {
        let (y0, y1) = (y.saturating_sub(reach), (y + reach + 1).min(h));
        for x in 0..w {
            let (x0, x1) = (x.saturating_sub(reach), (x + reach + 1).min(w));
            let at = |x: usize, y: usize| sums[y * (w + 1) + x];
            let sum = at(x1, y1) + at(x0, y0) - at(x0, y1) - at(x1, y0);
            let mean = sum as f64 / ((x1 - x0) * (y1 - y0)) as f64;
            if f64::from(picture.grey[y * w + x]) < mean * DARK {
                dark.set_pixel(x, y, true);
            }
        }
    }
    let most = (w * h) as f64 / 60.0;
    let clusters = dark.to_clusters(false);
    clusters.clusters.iter().filter_map(|cluster| blot(cluster, most)).collect()
}

fn blot(cluster: &Cluster, most: f64) -> Option<Blot> {
    let area = cluster.points.len() as f64;
    if area < SMALLEST || area > most {
        return None;
    }
    let sum = cluster
        .points
        .iter()
        .fold((0.0, 0.0), |(x, y), p| (x + f64::from(p.x), y + f64::from(p.y)));
    let mean = Vec2::new(sum.0 / area, sum.1 / area);
    let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
    for p in &cluster.points {
        let (dx, dy) = (f64::from(p.x) - mean.x, f64::from(p.y) - mean.y);
        xx += dx * dx;
        xy += dx * dy;
        yy += dy * dy;
    }
    let moments = ((xx * yy - xy * xy).max(0.0)).sqrt() / area;
    let (sum, difference) = (xx + yy, ((xx - yy).powi(2) + 4.0 * xy * xy).sqrt());
    let slender = (sum + difference) / (sum - difference).max(1e-9);
    let filled = area / (12.0 * moments).max(1e-9);
    // A pixel is no point: small blots come out a little fuller.
    let middle = Point::new(mean.x + 0.5, mean.y + 0.5);
    ((0.82..=1.25).contains(&filled) && slender < 9.0).then_some(Blot { middle, area })
}
