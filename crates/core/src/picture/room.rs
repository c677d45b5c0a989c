//! Room on a picture: where nothing is drawn yet, so that words can stand there.

use super::frame::View;
use tinkite_base::geometry::{Point, Rect};
use tinkite_toolpath::Burn;

/// Side of a cell, px.
const CELL: f64 = 3.0;

/// A picture in cells that are taken or free.
pub(super) struct Room {
    columns: usize,
    rows: usize,
    taken: Vec<bool>,
}

impl Room {
    /// An empty picture of so many px.
    pub(super) fn new(width: f64, height: f64) -> Self {
        let count = |px: f64| (px / CELL).ceil().max(1.0) as usize;
        let (columns, rows) = (count(width), count(height));
        Self { columns, rows, taken: vec![false; columns * rows] }
    }

    /// The cells that a rectangle touches, as ranges of columns and rows; `None` where it leaves the picture.
    fn cells(&self, r: Rect) -> Option<(std::ops::Range<usize>, std::ops::Range<usize>)> {
        if r.x0 < 0.0 || r.y0 < 0.0 {
            return None;
        }
        let (x0, y0) = ((r.x0 / CELL) as usize, (r.y0 / CELL) as usize);
        let (x1, y1) = ((r.x1 / CELL).ceil() as usize, (r.y1 / CELL).ceil() as usize);
        (x1 <= self.columns && y1 <= self.rows).then_some((x0..x1, y0..y1))
    }

    /// Whether nothing lies in a rectangle that is on the picture.
    pub(super) fn is_free(&self, r: Rect) -> bool {
        self.cells(r).is_some_and(|(across, mut down)| {
            down.all(|y| !self.taken[y * self.columns..][across.clone()].contains(&true))
        })
    }

    /// Something lies in a rectangle.
    pub(super) fn take(&mut self, r: Rect) {
        let clipped = Rect::new(
            r.x0.max(0.0),
            r.y0.max(0.0),
            r.x1.min(self.columns as f64 * CELL),
            r.y1.min(self.rows as f64 * CELL),
        );
        if clipped.x0 >= clipped.x1 || clipped.y0 >= clipped.y1 {
            return;
        }
        if let Some((across, down)) = self.cells(clipped) {
            for y in down {
                self.taken[y * self.columns..][across.clone()].fill(true);
            }
        }
    }

    /// A straight line runs from here to there.
    pub(super) fn take_line(&mut self, from: Point, to: Point) {
        let count = (from.distance(to) / CELL).ceil().clamp(1.0, 1e5) as usize;
        for n in 0..=count {
            let p = from.lerp(to, n as f64 / count as f64);
            if p.x >= 0.0 && p.y >= 0.0 {
                let (x, y) = ((p.x / CELL) as usize, (p.y / CELL) as usize);
                if x < self.columns && y < self.rows {
                    self.taken[y * self.columns + x] = true;
                }
            }
        }
    }

    /// What a path burns; the rectangle round it, px.
    pub(super) fn take_path(&mut self, view: &View, burn: &Burn) -> Option<Rect> {
        let mut around: Option<Rect> = None;
        let mut grow = |p: Point| {
            let at = Rect::from_points(p, p);
            around = Some(around.map_or(at, |r| r.union(at)));
        };
        match burn {
            Burn::Line(line) => {
                for (from, piece) in line.contour.walk() {
                    let mut a = view.px(from);
                    grow(a);
                    piece.flatten(from, 0.5 / view.scale, |to| {
                        let b = view.px(to);
                        self.take_line(a, b);
                        grow(b);
                        a = b;
                    });
                }
            }
            Burn::Rows(rows) => {
                for row in rows.rows() {
                    for (from, to, _) in row.stretches() {
                        let (a, b) = (view.px(from), view.px(to));
                        self.take_line(a, b);
                        grow(a);
                        grow(b);
                    }
                }
            }
        }
        around
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_taken_is_not_free_and_all_else_is() {
        let mut room = Room::new(300.0, 200.0);
        assert!(room.is_free(Rect::new(0.0, 0.0, 299.0, 199.0)));
        room.take(Rect::new(100.0, 50.0, 130.0, 60.0));
        room.take_line(Point::new(0.0, 150.0), Point::new(290.0, 20.0));
        assert!(!room.is_free(Rect::new(125.0, 55.0, 140.0, 80.0)));
        assert!(!room.is_free(Rect::new(0.0, 140.0, 20.0, 160.0)));
        assert!(room.is_free(Rect::new(10.0, 10.0, 60.0, 40.0)));
        // Words that would leave the picture have no room there.
        assert!(!room.is_free(Rect::new(-5.0, 10.0, 20.0, 20.0)));
        assert!(!room.is_free(Rect::new(290.0, 10.0, 310.0, 20.0)));
        room.take(Rect::new(-50.0, -50.0, 900.0, 900.0));
        assert!(!room.is_free(Rect::new(200.0, 150.0, 210.0, 160.0)));
    }
}
