//! A plane of cells that are taken or free, and where one such plane can lie beside another.

use tinkite_base::geometry::Point;

/// Cells, row by row from below, 64 to a word.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Bits {
    pub(super) width: usize,
    pub(super) height: usize,
    /// Words in a row.
    stride: usize,
    words: Vec<u64>,
}

const WORD: usize = 64;

/// Fewer rows that are alike are gone through one by one.
const FEW_ROWS: usize = 4;

impl Bits {
    pub(super) fn new(width: usize, height: usize) -> Self {
        let stride = width.div_ceil(WORD);
        Self { width, height, stride, words: vec![0; stride * height] }
    }

    /// How many words it takes.
    pub(super) fn size(&self) -> usize {
        self.words.len()
    }

    /// How many cells are taken.
    pub(super) fn count(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    fn row(&self, y: usize) -> &[u64] {
        &self.words[y * self.stride..(y + 1) * self.stride]
    }

    fn row_mut(&mut self, y: usize) -> &mut [u64] {
        &mut self.words[y * self.stride..(y + 1) * self.stride]
    }

    /// Takes the cells `from..after` of a row.
    pub(super) fn set_span(&mut self, y: usize, from: usize, after: usize) {
        let after = after.min(self.width);
        let row = self.row_mut(y);
        let mut x = from;
        while x < after {
            let end = (x / WORD + 1) * WORD;
            let many = end.min(after) - x;
            let mask = if many == WORD { u64::MAX } else { (1 << many) - 1 };
            row[x / WORD] |= mask << (x % WORD);
            x += many;
        }
    }

    /// Runs of taken cells in a row: the first, and the one behind the last.
    fn runs(&self, y: usize) -> Vec<(usize, usize)> {
        let mut runs = Vec::new();
        let mut x = 0;
        while let Some(from) = self.next(x, y, true) {
            let after = self.next(from, y, false).unwrap_or(self.width);
            runs.push((from, after));
            x = after;
        }
        runs
    }

    /// The first cell of a row from `x` on that is taken, or free.
    fn next(&self, x: usize, y: usize, taken: bool) -> Option<usize> {
        let row = self.row(y);
        let mut at = x / WORD;
        let mut from = x % WORD;
        while at < self.stride {
            let word = if taken { row[at] } else { !row[at] } >> from;
            if word != 0 {
                let found = at * WORD + from + word.trailing_zeros() as usize;
                return (found < self.width).then_some(found);
            }
            at += 1;
            from = 0;
        }
        None
    }

    /// Whether a cell is taken.
    pub(super) fn is_taken(&self, x: usize, y: usize) -> bool {
        self.words[y * self.stride + x / WORD] >> (x % WORD) & 1 == 1
    }

    /// How many cells a taken one is from the nearest free one in its row or column, where all cells beyond the plane are
    /// free; 0 for a free one, and `most` where it is so far or farther.
    pub(super) fn depth(&self, x: usize, y: usize, most: usize) -> usize {
        if !self.is_taken(x, y) {
            return 0;
        }
        // No farther along the column than what is known already.
        let most = most.min(self.height - y).min(y + 1);
        let most = (1..most)
            .find(|by| !self.is_taken(x, y + by) || !self.is_taken(x, y - by))
            .unwrap_or(most);
        let right = self.next(x, y, false).unwrap_or(self.width) - x;
        most.min(right).min(self.free_before(x, y))
    }

    /// How many cells the nearest free one to the left of a cell is away.
    fn free_before(&self, x: usize, y: usize) -> usize {
        let row = self.row(y);
        let mut at = x / WORD;
        let mut free = !row[at] << (WORD - 1 - x % WORD);
        let mut behind = 0;
        loop {
            if free != 0 {
                return behind + free.leading_zeros() as usize;
            }
            behind += if behind == 0 { x % WORD + 1 } else { WORD };
            if at == 0 {
                return behind;
            }
            at -= 1;
            free = !row[at];
        }
    }

    /// The lowest row from `low` on with a free cell among its first `width` ones, and the leftmost such cell in it.
    pub(super) fn first_free(&self, low: usize) -> Option<(usize, usize)> {
        (low..self.height).find_map(|y| Some((self.next(0, y, false)?, y)))
    }

    /// The lowest free cell among the first `width` of each row, and the leftmost such cell in it.
    pub(super) fn first_free_within(&self, width: usize) -> Option<(usize, usize)> {
        let near = |y: usize| self.next(0, y, false).filter(|x| *x < width);
        (0..self.height).find_map(|y| Some((near(y)?, y)))
    }

    /// Takes what `other` has, moved by whole cells; what lands outside is left out.
    pub(super) fn take(&mut self, other: &Self, (dx, dy): (isize, isize)) {
        for y in 0..other.height {
            let to = y as isize + dy;
            if to < 0 || to >= self.height as isize {
                continue;
            }
            let width = self.width;
            let row = self.row_mut(to as usize);
            take_shifted(row, other.row(y), dx);
            // What lies behind the last cell is no cell.
            let spare = row.len() * WORD - width;
            if let (Some(last), 1..) = (row.last_mut(), spare) {
                *last &= u64::MAX >> spare;
            }
        }
    }

    /// Where `other` cannot lie because a cell of it would be one of these: its lower left corner, counted from
    /// `(1 - other.width, 1 - other.height)`.
    pub(super) fn forbidden(&self, other: &Self) -> Self {
        // Either can be moved over the other; alike rows are moved at once.
        match self.bands() < other.bands() {
            true => other.collide(self).turned(),
            false => self.collide(other),
        }
    }

    /// How many times a row is not like the one below it.
    fn bands(&self) -> usize {
        1 + (1..self.height).filter(|y| self.row(*y) != self.row(y - 1)).count()
    }

    /// What `forbidden` says, by moving `other`.
    fn collide(&self, other: &Self) -> Self {
        let mut all = Self::new(self.width + other.width - 1, self.height + other.height - 1);
        if self.words.iter().all(|word| *word == 0) {
            return all;
        }
        // Each cell and the 2^n - 1 to its right: two of one of them, one over the other, make any length.
        let mut wider = vec![self.clone()];
        let mut y = 0;
        while y < other.height {
            let many =
                1 + (y + 1..other.height).take_while(|n| other.row(*n) == other.row(y)).count();
            let low = (other.height - y - many) as isize;
            for (from, after) in other.runs(y) {
                let power = (after - from).ilog2() as usize;
                while wider.len() <= power {
                    let last = &wider[wider.len() - 1];
                    wider.push(last.twice((1 << (wider.len() - 1), 0)));
                }
                let x = (other.width - after) as isize;
                let rest = after - from - (1 << power);
                if many < FEW_ROWS {
                    for row in 0..many as isize {
                        all.take(&wider[power], (x, low + row));
                        all.take(&wider[power], (x + rest as isize, low + row));
                    }
                    continue;
                }
                // Alike rows in the same way.
                let mut tall = wider[power].twice((rest, 0));
                let power = many.ilog2();
                (0..power).for_each(|n| tall = tall.twice((0, 1 << n)));
                all.take(&tall, (x, low));
                all.take(&tall, (x, low + many as isize - (1 << power)));
            }
            y += many;
        }
        all
    }

    /// These cells, and the same ones moved to the right and up.
    fn twice(&self, (right, up): (usize, usize)) -> Self {
        let mut twice = Self::new(self.width + right, self.height + up);
        twice.take(self, (0, 0));
        twice.take(self, (right as isize, up as isize));
        twice
    }

    /// These cells turned by half a turn.
    pub(super) fn turned(&self) -> Self {
        let spare = self.stride * WORD - self.width;
        let turned = |row: &[u64]| -> Vec<u64> {
            // What was the spare end of the row is its beginning now.
            let word = |n: usize| row.len().checked_sub(n + 1).map_or(0, |n| row[n].reverse_bits());
            let over = |n: usize| if spare == 0 { 0 } else { word(n + 1) << (WORD - spare) };
            (0..row.len()).map(|n| word(n) >> spare | over(n)).collect()
        };
        let words = (0..self.height).rev().flat_map(|y| turned(self.row(y))).collect();
        Self { words, ..*self }
    }

    /// The cells, `cell` mm wide, that closed rings touch anywhere (even-odd); the plane's lower left corner lies at
    /// `origin`.
    pub(super) fn touching(
        rings: &[Vec<Point>],
        origin: Point,
        cell: f64,
        (width, height): (usize, usize),
    ) -> Self {
        let mut all = Self::new(width, height);
        let place = |p: Point| ((p.x - origin.x) / cell, (p.y - origin.y) / cell);
        let column = |x: f64| (x.max(0.0) as usize).min(width);
        let mut crossings: Vec<Vec<f64>> = vec![Vec::new(); height];
        for ring in rings {
            for (n, from) in ring.iter().enumerate() {
                let (a, b) = (place(*from), place(ring[(n + 1) % ring.len()]));
                let (low, high) = if a.1 <= b.1 { (a, b) } else { (b, a) };
                let slope = if high.1 > low.1 { (high.0 - low.0) / (high.1 - low.1) } else { 0.0 };
                let at = |y: f64| low.0 + (y - low.1) * slope;
                let first = low.1.floor().max(0.0) as usize;
                for (y, crossed) in crossings.iter_mut().enumerate().skip(first) {
                    let (bottom, top) = (y as f64, y as f64 + 1.0);
                    if bottom > high.1 {
                        break;
                    }
                    let (from, to) = match high.1 > low.1 {
                        true => (at(bottom.max(low.1)), at(top.min(high.1))),
                        false => (low.0, high.0),
                    };
                    let (left, right) = (from.min(to), from.max(to));
                    if right >= 0.0 {
                        all.set_span(y, column(left.floor()), column(right.floor()) + 1);
                    }
                    let middle = bottom + 0.5;
                    if (low.1..high.1).contains(&middle) {
                        crossed.push(at(middle));
                    }
                }
            }
        }
        for (y, mut row) in crossings.into_iter().enumerate() {
            row.sort_by(f64::total_cmp);
            for pair in row.chunks_exact(2) {
                all.set_span(y, column(pair[0]), column(pair[1].ceil()));
            }
        }
        all
    }
}

/// Takes a row into another, moved by cells. This is where packing spends its time: plain loops over slices of one length
/// become vector instructions, and stay quick where little is optimised.
#[allow(clippy::needless_range_loop)]
fn take_shifted(to: &mut [u64], from: &[u64], by: isize) {
    let (words, bits) = (by.div_euclid(WORD as isize), by.rem_euclid(WORD as isize));
    let other = (WORD as isize - bits) % WORD as isize;
    // What reaches over from the word below; nothing where whole words are moved.
    let over = if bits == 0 { 0 } else { u64::MAX };
    let put = |to: &mut [u64], at: isize, word: u64| {
        if at >= 0 && at < to.len() as isize {
            to[at as usize] |= word;
        }
    };
    let (Some(first), Some(last)) = (from.first(), from.last()) else { return };
    put(to, words, first << bits);
    put(to, words + from.len() as isize, (last >> other) & over);
    // All between, as far as it lands inside.
    let start = (words + 1).max(0);
    let end = (words + from.len() as isize).min(to.len() as isize);
    if start >= end {
        return;
    }
    let count = (end - start) as usize;
    let high = (start - words) as usize;
    let to = &mut to[start as usize..end as usize];
    let (low, high) = (&from[high - 1..high - 1 + count], &from[high..high + count]);
    for n in 0..count {
        to[n] |= high[n] << bits | (low[n] >> other) & over;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn plane(width: usize, height: usize, cells: &[(usize, usize)]) -> Bits {
        let mut bits = Bits::new(width, height);
        cells.iter().for_each(|(x, y)| bits.set_span(y % height, x % width, x % width + 1));
        bits
    }

    proptest! {
        #[test]
        fn a_place_is_forbidden_exactly_where_a_cell_would_be_taken_twice(
            (own, width) in (proptest::collection::vec((0usize..200, 0usize..9), 0..40), 1usize..150),
            (other, narrow) in (proptest::collection::vec((0usize..90, 0usize..6), 1..30), 1usize..80),
            alike in 0usize..=6,
        ) {
            let own = plane(width, 9, &own);
            // The lowest rows are alike.
            let rows = |y: usize| if y % 6 < alike { 0..alike } else { y % 6..y % 6 + 1 };
            let other: Vec<_> =
                other.iter().flat_map(|(x, y)| rows(*y).map(move |y| (*x, y))).collect();
            let other = plane(narrow, 6, &other);
            let forbidden = own.forbidden(&other);
            for y in 0..forbidden.height {
                for x in 0..forbidden.width {
                    let at = (x as isize + 1 - narrow as isize, y as isize - 5);
                    let twice = (0..6).any(|v| (0..narrow).any(|u| {
                        let (x, y) = (at.0 + u as isize, at.1 + v as isize);
                        let inside = (0..width as isize).contains(&x) && (0..9).contains(&y);
                        other.is_taken(u, v) && inside && own.is_taken(x as usize, y as usize)
                    }));
                    prop_assert_eq!(forbidden.is_taken(x, y), twice, "{} {}", x, y);
                }
            }
            // The other way round it is the same, seen from the other part.
            prop_assert_eq!(other.collide(&own).turned(), own.collide(&other));
        }

        #[test]
        fn depth_is_the_least_way_to_a_free_cell_in_row_or_column(
            (cells, width) in (proptest::collection::vec((0usize..200, 0usize..12), 0..900), 1usize..150),
            most in 1usize..90,
        ) {
            let bits = plane(width, 12, &cells);
            let free = |x: isize, y: isize| {
                let inside = (0..width as isize).contains(&x) && (0..12).contains(&y);
                !(inside && bits.is_taken(x as usize, y as usize))
            };
            for y in 0..12_isize {
                for x in 0..width as isize {
                    let out = |n: isize| {
                        free(x + n, y) || free(x - n, y) || free(x, y + n) || free(x, y - n)
                    };
                    let least = (0..).find(|n| out(*n)).unwrap_or(0) as usize;
                    let depth = bits.depth(x as usize, y as usize, most);
                    prop_assert_eq!(depth, least.min(most), "{} {}", x, y);
                }
            }
        }

        #[test]
        fn every_cell_that_rings_touch_is_taken_and_few_others(
            ring in proptest::collection::vec((0.0..20.0f64, 0.0..20.0f64), 3..9),
        ) {
            let ring: Vec<Point> = ring.into_iter().map(Point::from).collect();
            let bits = Bits::touching(std::slice::from_ref(&ring), Point::ZERO, 0.5, (40, 40));
            let inside = |p: Point| {
                let edges = (0..ring.len()).map(|n| (ring[n], ring[(n + 1) % ring.len()]));
                let crossed = edges.filter(|(a, b)| (a.y > p.y) != (b.y > p.y)
                    && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x));
                crossed.count() % 2 == 1
            };
            for y in 0..40 {
                for x in 0..40 {
                    // Places all over the cell: one inside the rings takes it.
                    let touched = (0..16).any(|n| {
                        let (u, v) = (f64::from(n % 4) / 4.0 + 0.1, f64::from(n / 4) / 4.0 + 0.1);
                        inside(Point::new((x as f64 + u) * 0.5, (y as f64 + v) * 0.5))
                    });
                    prop_assert!(!touched || bits.is_taken(x, y), "{} {}", x, y);
                }
            }
        }
    }

    #[test]
    fn the_first_free_cell_is_the_lowest_and_then_the_leftmost() {
        let mut bits = Bits::new(70, 3);
        bits.set_span(0, 0, 70);
        bits.set_span(1, 0, 66);
        assert_eq!(bits.first_free(0), Some((66, 1)));
        assert_eq!(bits.first_free_within(66), Some((0, 2)));
        bits.set_span(1, 66, 70);
        assert_eq!(bits.first_free(0), Some((0, 2)));
        bits.set_span(2, 0, 70);
        assert_eq!(bits.first_free(0), None);
    }
}
