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
            // A picture that is thinner than a block has less of one.
            let (last_x, last_y) =
                (((x + 1) * by).min(picture.width), ((y + 1) * by).min(picture.height));
            let (mut sum, mut count) = (0u64, 0u64);
            for row in y * by..last_y {
                let start = (row * picture.width) as usize;
                let block = &picture.grey[start + (x * by) as usize..start + last_x as usize];
                sum += block.iter().map(|v| u64::from(*v)).sum::<u64>();
                count += block.len() as u64;
            }
            grey.push((sum / count.max(1)) as u8);
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

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(width: u32, height: u32, dark: impl Fn(f64, f64) -> bool) -> Bitmap {
        let light = |x: u32, y: u32| {
            if dark(f64::from(x) + 0.5, f64::from(y) + 0.5) { 30 } else { 220 }
        };
        let grey = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let grey = grey.map(|(x, y)| light(x, y)).collect();
        Bitmap { width, height, grey }
    }

    #[test]
    fn squares_discs_and_slanted_ones_are_found_in_their_middles() {
        let picture = drawn(300, 200, |x, y| {
            let square = (40.0..60.0).contains(&x) && (30.0..50.0).contains(&y);
            let disc = (x - 150.0).hypot(y - 100.0) < 11.0;
            // A parallelogram: slanted by a third.
            let along = x - (y - 140.0) / 3.0;
            let slanted = (220.0..245.0).contains(&along) && (140.0..160.0).contains(&y);
            square || disc || slanted
        });
        let mut found = blots(&picture);
        found.sort_by(|a, b| a.middle.x.total_cmp(&b.middle.x));
        let want = [
            (Point::new(50.0, 40.0), 400.0),
            (Point::new(150.0, 100.0), std::f64::consts::PI * 121.0),
            (Point::new(232.5 + 10.0 / 3.0, 150.0), 500.0),
        ];
        assert_eq!(found.len(), want.len(), "{found:?}");
        for (blot, (middle, area)) in found.iter().zip(want) {
            assert!(blot.middle.distance(middle) < 0.3, "{blot:?} {middle}");
            assert!((blot.area / area - 1.0).abs() < 0.03, "{blot:?} {area}");
        }
    }

    #[test]
    fn specks_lines_rings_and_pale_places_are_no_marks() {
        let none = |dark: fn(f64, f64) -> bool| {
            let found = blots(&drawn(300, 200, dark));
            assert!(found.is_empty(), "{found:?}");
        };
        none(|x, y| (50.0..55.0).contains(&x) && (50.0..55.0).contains(&y));
        none(|x, y| (50.0..250.0).contains(&x) && (50.0..53.0).contains(&y));
        none(|x, y| (9.0..11.0).contains(&(x - 100.0).hypot(y - 100.0)));
        none(|x, y| (50.0..120.0).contains(&x) && (50.0..120.0).contains(&y));
        let mut pale = drawn(300, 200, |x, y| (x - 150.0).hypot(y - 100.0) < 11.0);
        pale.grey.iter_mut().filter(|grey| **grey == 30).for_each(|grey| *grey = 190);
        assert!(blots(&pale).is_empty(), "190 of 220 is no dark place");
    }

    #[test]
    fn a_smaller_picture_is_the_mean_of_its_blocks() {
        let wide = Bitmap {
            width: 2801,
            height: 2,
            grey: (0..5602).map(|n| (n % 2801 % 4) as u8 * 40).collect(),
        };
        let small = smaller(&wide);
        assert_eq!((small.scale, small.picture.width, small.picture.height), (3.0, 933, 1));
        assert_eq!(small.picture.grey[..3], [40, 53, 66], "of 0 40 80, of 120 0 40, of 80 120 0 …");
        let same = drawn(30, 20, |_, _| false);
        assert_eq!(smaller(&same).picture, same);
        let halves = Bitmap { width: 2800, height: 2, grey: [0, 100].repeat(2800) };
        let small = smaller(&halves);
        assert_eq!((small.picture.width, small.picture.height, small.scale), (1400, 1, 2.0));
        assert!(small.picture.grey.iter().all(|grey| *grey == 50));
    }
}
