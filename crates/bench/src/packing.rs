//! Mixed sheets of parts, and a general packing search that knows nothing of the product's: parts may overlap while it
//! runs, and are moved one at a time to where they overlap least, pairs that stay in each other's way counting more and
//! more. Whatever overlaps no longer is a layout; then the strip is made shorter.

use std::f64::consts::TAU;
use std::time::{Duration, Instant};

/// Side of a cell, mm.
const CELL: f64 = 0.5;

/// Between parts and to the edge of the stock, mm.
pub const GAP: f64 = 2.0;

/// Width of the stock, mm.
pub const WIDTH: f64 = 300.0;

/// Random numbers, the same every time (xorshift64*).
struct Random(u64);

impl Random {
    fn next(&mut self) -> f64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 11) as f64 / (1_u64 << 53) as f64
    }

    fn below(&mut self, most: usize) -> usize {
        (self.next() * most as f64) as usize
    }

    fn between(&mut self, low: f64, high: f64) -> f64 {
        low + self.next() * (high - low)
    }
}

/// A kind of part: its outline, mm, and how many there are.
#[derive(Debug, Clone)]
pub struct PartKind {
    /// Corners.
    pub outline: Vec<[f64; 2]>,
    /// How many.
    pub count: usize,
}

impl PartKind {
    fn area(&self) -> f64 {
        let points = &self.outline;
        let twice: f64 = (0..points.len())
            .map(|n| {
                let ([x, y], [u, v]) = (points[n], points[(n + 1) % points.len()]);
                x * v - u * y
            })
            .sum();
        twice.abs() / 2.0
    }
}

/// The parts of a sheet: plates, angles, triangles, stars with bays and slices of rings, of very different size.
#[must_use]
pub fn mixture(number: u64) -> Vec<PartKind> {
    let mut random = Random((number + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15));
    let mut kinds = Vec::new();
    let mut area = 0.0;
    while area < 0.5 * WIDTH * 280.0 {
        let size = random.between(12.0, 70.0);
        let other = size * random.between(0.3, 1.0);
        let round = |n: usize, radius: &mut dyn FnMut(usize) -> f64| -> Vec<[f64; 2]> {
            let at = |k: usize| (k as f64 / n as f64 * TAU).sin_cos();
            (0..n)
                .map(|k| {
                    let r = radius(k);
                    [r * at(k).1, r * at(k).0]
                })
                .collect()
        };
        let thick = random.between(0.25, 0.6);
        let outline = match random.below(5) {
            0 => vec![[0.0, 0.0], [size, 0.0], [size, other], [0.0, other]],
            1 => vec![
                [0.0, 0.0],
                [size, 0.0],
                [size, thick * other],
                [thick * size, thick * other],
                [thick * size, other],
                [0.0, other],
            ],
            2 => vec![[0.0, 0.0], [size, 0.0], [random.between(0.0, size), other]],
            3 => {
                let spikes = 4 + random.below(4);
                round(2 * spikes, &mut |k| if k % 2 == 0 { size / 2.0 } else { thick * size / 2.0 })
            }
            _ => {
                let sweep = random.between(1.0, 4.0);
                let at = |k: usize, r: f64| {
                    let (s, c) = (k as f64 / 16.0 * sweep).sin_cos();
                    [r * c, r * s]
                };
                let outer = (0..=16).map(|k| at(k, size / 2.0));
                outer.chain((0..=16).rev().map(|k| at(k, thick * size / 2.0))).collect()
            }
        };
        let kind = PartKind { outline, count: 1 + random.below(5) };
        area += kind.area() * kind.count as f64;
        kinds.push(kind);
    }
    kinds
}

/// What all parts cover, mm².
#[must_use]
pub fn area(kinds: &[PartKind]) -> f64 {
    kinds.iter().map(|kind| kind.area() * kind.count as f64).sum()
}

/// An outline as a drawing of its own.
#[must_use]
pub fn drawing(kind: &PartKind) -> String {
    let points: Vec<String> =
        kind.outline.iter().map(|[x, y]| format!("{:.4} {:.4}", x + 100.0, y + 100.0)).collect();
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="200mm" viewBox="0 0 200 200" fill="none"><path d="M{}Z" stroke="red"/></svg>"#,
        points.join("L")
    )
}

/// The job that packs them.
#[must_use]
pub fn job(kinds: &[PartKind]) -> String {
    let mut text = format!(
        "tinkite = 1\nmachine = \"bench-laser\"\n[stock]\nwidth = \"{WIDTH} mm\"\ndepth = \"295 mm\"\n[place]\npack = {{ gap = \"{GAP} mm\", turn = \"90 deg\" }}\n[[step]]\nname = \"cut\"\ntake = {{ stroke = \"red\" }}\nmake = \"cut\"\nspeed = \"20 mm/s\"\npower = \"50 %\"\n"
    );
    for (n, kind) in kinds.iter().enumerate() {
        text += &format!("[[artwork]]\nfile = \"{n}.svg\"\ncount = {}\n", kind.count);
    }
    text
}

/// A part in one direction: cells nearer than half the gap.
struct Mask {
    width: usize,
    height: usize,
    /// Rows of words.
    stride: usize,
    words: Vec<u64>,
}

impl Mask {
    fn of(outline: &[[f64; 2]]) -> Self {
        let low = [0, 1].map(|n| outline.iter().map(|p| p[n]).fold(f64::INFINITY, f64::min));
        let high = [0, 1].map(|n| outline.iter().map(|p| p[n]).fold(f64::NEG_INFINITY, f64::max));
        let cells = |n: usize| ((high[n] - low[n] + GAP) / CELL).ceil() as usize;
        let (width, height) = (cells(0), cells(1));
        let stride = width.div_ceil(64);
        let mut words = vec![0; stride * height];
        for y in 0..height {
            for x in 0..width {
                let at = |n: usize, cell: usize| low[n] - GAP / 2.0 + (cell as f64 + 0.5) * CELL;
                if near(outline, [at(0, x), at(1, y)]) {
                    words[y * stride + x / 64] |= 1 << (x % 64);
                }
            }
        }
        Self { width, height, stride, words }
    }

    /// How many cells of another lie on this one's, with its corner moved by so many cells.
    fn overlap(&self, other: &Self, (dx, dy): (isize, isize)) -> u32 {
        if dx < 0 {
            return other.overlap(self, (-dx, -dy));
        }
        let (by, shift) = (dx as usize / 64, dx as usize % 64);
        let rows = dy.max(0)..(self.height as isize).min(dy + other.height as isize);
        let mut cells = 0;
        for y in rows {
            let own = &self.words[y as usize * self.stride..][..self.stride];
            let theirs = &other.words[(y - dy) as usize * other.stride..][..other.stride];
            for (n, word) in theirs.iter().enumerate() {
                if let Some(own) = own.get(n + by) {
                    cells += (own & (word << shift)).count_ones();
                }
                if shift > 0
                    && let Some(own) = own.get(n + by + 1)
                {
                    cells += (own & (word >> (64 - shift))).count_ones();
                }
            }
        }
        cells
    }
}

/// Whether a place lies in an outline, or within half the gap of it.
fn near(outline: &[[f64; 2]], [x, y]: [f64; 2]) -> bool {
    let mut inside = false;
    for n in 0..outline.len() {
        let ([a, b], [c, d]) = (outline[n], outline[(n + 1) % outline.len()]);
        inside ^= (b > y) != (d > y) && x < a + (y - b) / (d - b) * (c - a);
        let along = [c - a, d - b];
        let share = ((x - a) * along[0] + (y - b) * along[1])
            / (along[0].powi(2) + along[1].powi(2)).max(1e-12);
        let share = share.clamp(0.0, 1.0);
        if (x - a - share * along[0]).hypot(y - b - share * along[1]) < GAP / 2.0 {
            return true;
        }
    }
    inside
}

/// A part as it lies: its direction and its lower left cell.
#[derive(Clone, Copy)]
struct Lies {
    turn: usize,
    at: [isize; 2],
}

/// How much depth of the stock the best layout takes that is found in so long, mm.
#[must_use]
pub fn search_for(kinds: &[PartKind], time: Duration, seed: u64) -> f64 {
    let begun = Instant::now();
    let mut random = Random(seed | 1);
    let masks: Vec<Vec<Mask>> = kinds
        .iter()
        .map(|kind| {
            let turned = |n: usize| -> Vec<[f64; 2]> {
                let (s, c) = [(0.0, 1.0), (1.0, 0.0), (0.0, -1.0), (-1.0, 0.0)][n];
                kind.outline.iter().map(|[x, y]| [c * x - s * y, s * x + c * y]).collect()
            };
            (0..4).map(|n| Mask::of(&turned(n))).collect()
        })
        .collect();
    let parts: Vec<usize> =
        kinds.iter().enumerate().flat_map(|(k, kind)| vec![k; kind.count]).collect();
    let wide = ((WIDTH - 2.0 * GAP + GAP) / CELL) as isize;
    let mut high = (area(kinds) / WIDTH / 0.5 / CELL) as isize;
    let place = |random: &mut Random, part: usize, high: isize| {
        let turn = random.below(4);
        let mask = &masks[parts[part]][turn];
        let room = [wide - mask.width as isize, high - mask.height as isize];
        room.iter()
            .all(|r| *r >= 0)
            .then(|| Lies { turn, at: room.map(|r| random.below(r as usize + 1) as isize) })
    };
    let mut best = f64::INFINITY;
    let mut lies: Vec<Lies> = (0..parts.len())
        .map(|part| {
            loop {
                if let Some(lies) = place(&mut random, part, high) {
                    break lies;
                }
            }
        })
        .collect();
    let count = parts.len();
    let mut weights = vec![1.0_f64; count * count];
    while begun.elapsed() < time {
        let cost = |lies: &[Lies], part: usize, one: Lies, weights: &[f64], most: f64| {
            let mask = &masks[parts[part]][one.turn];
            let mut cost = 0.0;
            for (n, other) in lies.iter().enumerate() {
                if n == part {
                    continue;
                }
                let theirs = &masks[parts[n]][other.turn];
                let by = [other.at[0] - one.at[0], other.at[1] - one.at[1]];
                let apart = by[0] >= mask.width as isize
                    || by[1] >= mask.height as isize
                    || -by[0] >= theirs.width as isize
                    || -by[1] >= theirs.height as isize;
                if apart {
                    continue;
                }
                let cells = mask.overlap(theirs, (by[0], by[1]));
                cost += weights[part * count + n] * f64::from(cells);
                if cost > most {
                    break;
                }
            }
            cost
        };
        // One round: every part that overlaps another is moved to where it overlaps least.
        let mut order: Vec<usize> = (0..count).collect();
        (0..count).for_each(|n| order.swap(n, random.below(count)));
        let mut overlaps = false;
        for part in order {
            let now = cost(&lies, part, lies[part], &weights, f64::INFINITY);
            if now == 0.0 {
                continue;
            }
            overlaps = true;
            let (mut least, mut found) = (now, lies[part]);
            for _ in 0..120 {
                let Some(tried) = place(&mut random, part, high) else { continue };
                let costs = cost(&lies, part, tried, &weights, least);
                if costs < least {
                    (least, found) = (costs, tried);
                }
            }
            // And down the hill from there, in smaller and smaller steps.
            for step in [8, 4, 2, 1, 1] {
                for way in [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [1, -1], [-1, 1], [-1, -1]] {
                    let mask = &masks[parts[part]][found.turn];
                    let at = [found.at[0] + step * way[0], found.at[1] + step * way[1]];
                    let inside = at[0] >= 0
                        && at[1] >= 0
                        && at[0] + mask.width as isize <= wide
                        && at[1] + mask.height as isize <= high;
                    let tried = Lies { at, ..found };
                    if inside {
                        let costs = cost(&lies, part, tried, &weights, least);
                        if costs < least {
                            (least, found) = (costs, tried);
                        }
                    }
                }
            }
            lies[part] = found;
        }
        if overlaps {
            for part in 0..count {
                for other in 0..part {
                    let (a, b) = (lies[part], lies[other]);
                    let by = (b.at[0] - a.at[0], b.at[1] - a.at[1]);
                    let (own, theirs) = (&masks[parts[part]][a.turn], &masks[parts[other]][b.turn]);
                    let more = if own.overlap(theirs, by) > 0 { 1.3 } else { 0.98 };
                    let weight = (weights[part * count + other] * more).max(1.0);
                    weights[part * count + other] = weight;
                    weights[other * count + part] = weight;
                }
            }
            continue;
        }
        let top =
            |part: usize, one: &Lies| one.at[1] + masks[parts[part]][one.turn].height as isize;
        let used = lies.iter().enumerate().map(|(n, one)| top(n, one)).max().unwrap_or(0);
        best = best.min(used as f64 * CELL + GAP);
        high = (used - 1).min((used as f64 * 0.99) as isize);
        for (part, lies) in lies.iter_mut().enumerate() {
            while top(part, lies) > high {
                match place(&mut random, part, high) {
                    Some(other) => *lies = other,
                    None if begun.elapsed() >= time => return best,
                    None => {}
                }
            }
        }
        weights.fill(1.0);
    }
    best
}
