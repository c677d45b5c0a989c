//! Photos made flat, against a camera that is worked out here.

use tinkite_core::geometry::Point;
use tinkite_core::photo::{Pixels, flat};

/// A camera over a bed of 400 x 300 mm: mm to pixels without its lens, as a pinhole has it.
struct Camera {
    /// Pixels of the picture.
    size: (u32, u32),
    /// The camera's place over the bed, mm, and its tilt about the axes across and away, radians.
    place: [f64; 3],
    tilt: (f64, f64),
    /// Pixels that a mm takes at a distance of 1 mm.
    focal: f64,
    /// The lens' coefficient.
    k: f64,
}

impl Camera {
    /// Where a place of the bed (mm) is seen.
    fn sees(&self, p: Point) -> Point {
        let [x, y, z] = [p.x - self.place[0], p.y - self.place[1], -self.place[2]];
        // Turned about X, then about Y; looking down.
        let (s, c) = self.tilt.0.sin_cos();
        let (y, z) = (y * c - z * s, y * s + z * c);
        let (s, c) = self.tilt.1.sin_cos();
        let (x, z) = (x * c + z * s, -x * s + z * c);
        let (w, h) = (f64::from(self.size.0), f64::from(self.size.1));
        let straight = Point::new(w / 2.0 + self.focal * x / -z, h / 2.0 - self.focal * y / -z);
        self.bent(straight)
    }

    /// The division model backwards, by halving: straight = bent / (1 + k r^2).
    fn bent(&self, straight: Point) -> Point {
        let centre = Point::new(f64::from(self.size.0) / 2.0, f64::from(self.size.1) / 2.0);
        let reach = centre.to_vec2().hypot();
        let from = straight - centre;
        let wanted = from.hypot() / reach;
        let (mut low, mut high) = (0.0_f64, 1.5_f64);
        for _ in 0..80 {
            let r = (low + high) / 2.0;
            if r / (1.0 + self.k * r * r) < wanted { low = r } else { high = r }
        }
        if wanted < 1e-12 { centre } else { centre + from * ((low + high) / 2.0 / wanted) }
    }

    /// The picture of a bed of squares of 20 mm, dark and light in turn: each pixel by the nearest of many places
    /// of the bed that are seen in it.
    fn picture(&self) -> Pixels {
        let (w, h) = (self.size.0 as usize, self.size.1 as usize);
        let mut rgb = vec![128_u8; w * h * 3];
        let step = 0.5;
        for row in -80..680 {
            for column in -80..880 {
                let p = Point::new(f64::from(column) * step, f64::from(row) * step);
                let at = self.sees(p);
                if at.x < 0.0 || at.y < 0.0 || at.x >= w as f64 || at.y >= h as f64 {
                    continue;
                }
                let dark = ((p.x / 20.0).floor() + (p.y / 20.0).floor()).rem_euclid(2.0) == 0.0;
                let n = (at.y as usize * w + at.x as usize) * 3;
                rgb[n..n + 3].copy_from_slice(&if dark { [40, 30, 20] } else { [220, 210, 190] });
            }
        }
        Pixels { width: self.size.0, height: self.size.1, rgb }
    }
}

fn camera(k: f64) -> Camera {
    Camera { size: (900, 700), place: [210.0, 120.0, 520.0], tilt: (0.12, -0.07), focal: 560.0, k }
}

const KNOWN: [(f64, f64); 9] = [
    (10.0, 10.0),
    (390.0, 10.0),
    (390.0, 290.0),
    (10.0, 290.0),
    (200.0, 150.0),
    (200.0, 12.0),
    (15.0, 150.0),
    (385.0, 160.0),
    (190.0, 285.0),
];

#[test]
fn a_bent_and_slanted_photo_comes_out_flat() {
    for k in [-0.12, 0.0, 0.08] {
        let camera = camera(k);
        let bed: Vec<Point> = KNOWN.map(Point::from).to_vec();
        let seen: Vec<Point> = bed.iter().map(|p| camera.sees(*p)).collect();
        let photo = flat("bed.png", camera.picture(), &seen, &bed).unwrap();
        assert!(photo.trueness.worst().unwrap() < 0.02, "k {k}: {:?}", photo.trueness);
        assert!((photo.lens.k - k).abs() < 0.01, "k {k}: {}", photo.lens.k);
        let (mut right, mut all) = (0, 0);
        for row in 0..28 {
            for column in 0..38 {
                let p = Point::new(
                    10.0 + f64::from(column) * 10.0 + 4.7,
                    10.0 + f64::from(row) * 10.0 + 5.2,
                );
                let dark = ((p.x / 20.0).floor() + (p.y / 20.0).floor()).rem_euclid(2.0) == 0.0;
                all += 1;
                right += usize::from((photo.at(p).unwrap()[0] < 128) == dark);
            }
        }
        assert_eq!(right, all, "k {k}: every square of the bed is where it lies");
    }
}

#[test]
fn how_true_it_is_follows_from_more_places_than_four() {
    let camera = camera(0.0);
    let bed: Vec<Point> = KNOWN.map(Point::from).to_vec();
    let mut seen: Vec<Point> = bed.iter().map(|p| camera.sees(*p)).collect();
    let picture = || Pixels { width: 900, height: 700, rgb: vec![0; 900 * 700 * 3] };
    let four = flat("bed.png", picture(), &seen[..4], &bed[..4]).unwrap();
    assert_eq!(four.trueness.worst(), None, "four fit whatever they are");
    assert!(four.words().contains("a fifth would say"));
    // One place is read 12 pixels beside where it is: about 11 mm.
    seen[4].x += 12.0;
    let wrong = flat("bed.png", picture(), &seen, &bed).unwrap();
    let worst = wrong.trueness.worst().unwrap();
    assert!((4.0..12.0).contains(&worst), "{worst}");
    assert_eq!(wrong.problem().severity, tinkite_core::problem::Severity::Warning);
}

#[test]
fn places_that_tell_nothing_are_refused_in_words() {
    let picture = || Pixels { width: 900, height: 700, rgb: vec![0; 900 * 700 * 3] };
    let bed = [(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0)].map(Point::from);
    let refused = |seen: &[(f64, f64)]| {
        let seen: Vec<Point> = seen.iter().map(|p| Point::from(*p)).collect();
        flat("bed.png", picture(), &seen, &bed[..seen.len()]).unwrap_err().message
    };
    assert!(refused(&[(1.0, 1.0), (2.0, 2.0), (3.0, 3.0), (4.0, 4.0)]).contains("on a line"));
    assert!(
        refused(&[(10.0, 10.0), (400.0, 10.0), (800.0, 10.0), (10.0, 600.0)]).contains("on a line")
    );
    assert!(
        refused(&[(10.0, 10.0), (950.0, 10.0), (800.0, 600.0), (10.0, 600.0)]).contains("beside")
    );
    assert!(refused(&[(10.0, 10.0), (800.0, 10.0), (800.0, 600.0)]).contains("3 places"));
    // Two places exchanged: no camera sees a bed like that.
    assert!(
        refused(&[(10.0, 600.0), (800.0, 600.0), (10.0, 10.0), (800.0, 10.0)]).contains("one side")
    );
    assert!(Pixels::read(b"no picture").is_err());
}
