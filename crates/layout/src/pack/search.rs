//! In which order, and turned how, parts are laid so that they need least stock: each goes to the lowest place that
//! is free for it, and orders are tried in turn.
//!
//! Where a part may lie beside those that lie already is known for every cell beforehand (a no-fit polygon in cells:
//! J. A. Bennell, J. F. Oliveira, "The geometry of nesting problems", 2008). The work is counted in words of cells,
//! never by the clock, and candidates are compared in a fixed order: the same parts always lie the same.

use super::bits::Bits;
use rayon::prelude::*;
use std::sync::OnceLock;
use tinkite_base::random::Xorshift;

/// The most words of cells that a search goes through: a quarter of a second on two cores where one sheet is enough, since
/// its parts are moved about afterwards, and more than a second where it decides on the number of sheets.
const ONE_SHEET: u64 = 30_000_000;
const MORE_SHEETS: u64 = 150_000_000;

/// Orders that are tried at once; a fixed number, so that the result does not hang on the number of cores.
const AT_ONCE: usize = 8;

/// The most times that this is done.
const MOST_ROUNDS: u64 = 500;

/// Where a part lies.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Lay {
    /// Which of the parts.
    pub(super) part: usize,
    /// Which of the directions.
    pub(super) turn: usize,
    /// Its lower left cell.
    pub(super) at: (usize, usize),
}

/// A kind of part in one direction, where it lies, and how large it is; cells.
#[derive(Debug, Clone, Copy)]
pub(super) struct Placed {
    pub(super) which: usize,
    pub(super) at: (usize, usize),
    pub(super) size: (usize, usize),
}

/// What is laid, in cells.
pub(super) struct Cells {
    /// Cells that no part may touch.
    pub(super) outside: Bits,
    /// The cells of each kind in each direction that are held against those outside, in planes of the same size, where
    /// they are fewer than the kind's own: the gap is none to the edge.
    pub(super) bare: Option<Vec<Vec<Bits>>>,
    /// For each kind of part its cells in each direction.
    pub(super) kinds: Vec<Vec<Bits>>,
    /// The kind of each part.
    pub(super) parts: Vec<usize>,
}

/// How good a layout is: parts that fit nowhere, sheets, how far the last one is used away from the operator and
/// across, and the sum of all tops.
type Score = (usize, usize, usize, usize, u64);

#[derive(Clone)]
struct Layout {
    score: Score,
    sheets: Vec<Vec<Lay>>,
    work: u64,
}

/// Which place of several is best for a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Rule {
    /// Its upper edge is lowest.
    Top,
    /// Its lower edge is.
    Bottom,
    /// Among what is laid already, where there is room; else its upper edge is lowest.
    Among,
}

/// A way to lay: an order of the parts, a direction that some must have, and a rule.
#[derive(Clone)]
struct Attempt {
    order: Vec<usize>,
    turns: Vec<Option<usize>>,
    rule: Rule,
}

pub(super) struct Search<'a> {
    pub(super) cells: &'a Cells,
    pub(super) turns: usize,
    /// For each kind and direction where it may not lie in an empty room; `None` where it is larger than the room.
    empty: Vec<Option<Bits>>,
    /// For two kinds with their directions where the second cannot lie beside the first.
    beside: Vec<OnceLock<Bits>>,
}

/// One sheet while it is filled.
struct Filling {
    maps: Vec<Option<(Bits, usize, usize)>>,
    laid: Vec<(usize, (usize, usize))>,
    full: Vec<bool>,
    /// How far it is used, across and away from the operator.
    used: (usize, usize),
}

impl<'a> Search<'a> {
    pub(super) fn of(cells: &'a Cells) -> Self {
        let turns = cells.kinds.first().map_or(1, Vec::len);
        let all = turns * cells.kinds.len();
        let room = &cells.outside;
        let empty = |own: &Bits| {
            let width = (room.width + 1).checked_sub(own.width).filter(|w| *w > 0)?;
            let height = (room.height + 1).checked_sub(own.height).filter(|h| *h > 0)?;
            let mut map = Bits::new(width, height);
            let by = |size: usize| 1 - size as isize;
            map.take(&room.forbidden(own), (by(own.width), by(own.height)));
            Some(map)
        };
        let held = cells.bare.as_ref().unwrap_or(&cells.kinds);
        let empty = held.par_iter().flatten().map(empty).collect();
        Self { cells, turns, empty, beside: (0..all * all).map(|_| OnceLock::new()).collect() }
    }

    /// The cells of a kind of part in one direction.
    pub(super) fn kind(&self, which: usize) -> &Bits {
        &self.cells.kinds[which / self.turns][which % self.turns]
    }

    fn beside(&self, first: usize, second: usize) -> &Bits {
        let all = self.turns * self.cells.kinds.len();
        // Which of the two is moved makes no difference, but that it is seen from the other side.
        self.beside[first * all + second].get_or_init(|| match first <= second {
            true => self.kind(first).forbidden(self.kind(second)),
            false => self.beside(second, first).turned(),
        })
    }

    /// How many places there are across and away from the operator for a kind in one direction; `None` where it is larger
    /// than the room.
    pub(super) fn room(&self, which: usize) -> Option<(usize, usize)> {
        self.empty[which].as_ref().map(|map| (map.width, map.height))
    }

    /// The least height that a part has in a direction in which the room holds it.
    pub(super) fn least_height(&self, part: usize) -> Option<usize> {
        let kind = self.cells.parts[part] * self.turns;
        let turns = (kind..kind + self.turns).filter(|which| self.room(*which).is_some());
        turns.map(|which| self.kind(which).height).min()
    }

    /// How many cells of the stock parts may take.
    pub(super) fn free(&self) -> usize {
        self.cells.outside.width * self.cells.outside.height - self.cells.outside.count()
    }

    /// How many cells a part takes.
    pub(super) fn copies_taken(&self, part: usize) -> usize {
        self.cells.kinds[self.cells.parts[part]].first().map_or(0, Bits::count)
    }

    /// How much depth of the room parts use.
    pub(super) fn depth(&self, sheet: &[Lay]) -> usize {
        let tops = sheet.iter().map(|lay| lay.at.1 + self.kind(self.which(*lay)).height);
        tops.max().unwrap_or(0)
    }

    /// The number of a part's kind in its direction.
    pub(super) fn which(&self, lay: Lay) -> usize {
        self.cells.parts[lay.part] * self.turns + lay.turn
    }

    /// A kind of part in one direction at a place.
    pub(super) fn lying(&self, which: usize, at: (usize, usize)) -> Placed {
        let own = self.kind(which);
        Placed { which, at, size: (own.width, own.height) }
    }

    /// How far a part lies in another, cells, no more than `most`; 0 where they are apart.
    pub(super) fn overlap(&self, part: &Placed, other: &Placed, most: usize) -> usize {
        // It is the same the other way round: one map for both is read from memory half as often.
        let (part, other) = if other.which <= part.which { (part, other) } else { (other, part) };
        // Counted from the first place at which they could meet.
        let x = (part.at.0 + part.size.0).wrapping_sub(other.at.0 + 1);
        let y = (part.at.1 + part.size.1).wrapping_sub(other.at.1 + 1);
        if x >= part.size.0 + other.size.0 - 1 || y >= part.size.1 + other.size.1 - 1 {
            return 0;
        }
        self.beside(other.which, part.which).depth(x, y, most)
    }

    /// How far a part lies over the edge of the stock, cells.
    pub(super) fn outside(&self, part: &Placed) -> usize {
        self.empty[part.which].as_ref().map_or(0, |map| map.depth(part.at.0, part.at.1, usize::MAX))
    }

    /// The lowest place that is free for a part in one direction.
    fn place(
        &self,
        filling: &mut Filling,
        which: usize,
        rule: Rule,
        work: &mut u64,
    ) -> Option<(usize, usize)> {
        let empty = self.empty[which].as_ref()?;
        let own = self.kind(which);
        let (map, seen, low) = filling.maps[which].get_or_insert_with(|| (empty.clone(), 0, 0));
        for (other, at) in &filling.laid[*seen..] {
            let beside = self.beside(*other, which);
            let by = |at: usize, size: usize| at as isize + 1 - size as isize;
            map.take(beside, (by(at.0, own.width), by(at.1, own.height)));
            *work += beside.size() as u64;
        }
        *seen = filling.laid.len();
        let (right, top) = filling.used;
        if rule == Rule::Among && right >= own.width && top >= own.height {
            *work += map.size() as u64 / 4;
            let among = map.first_free_within(right + 1 - own.width);
            if let Some(at) = among.filter(|at| at.1 + own.height <= top) {
                return Some(at);
            }
        }
        let found = map.first_free(*low)?;
        *work += ((found.1 - *low + 1) * map.width / 64 + 1) as u64;
        *low = found.1;
        Some(found)
    }

    fn lay(&self, way: &Attempt) -> Layout {
        let count = self.turns * self.cells.kinds.len();
        let mut layout = Layout { score: (0, 0, 0, 0, 0), sheets: Vec::new(), work: 0 };
        let mut rest = way.order.clone();
        while !rest.is_empty() {
            let mut filling = Filling {
                maps: vec![None; count],
                laid: Vec::new(),
                full: vec![false; self.cells.kinds.len()],
                used: (0, 0),
            };
            let mut sheet = Vec::new();
            let mut left = Vec::new();
            for part in rest {
                let kind = self.cells.parts[part];
                let turns = match way.turns[part] {
                    Some(turn) => turn..turn + 1,
                    None => 0..self.turns,
                };
                let free = |turn: usize, filling: &mut Filling, work: &mut u64| {
                    let which = kind * self.turns + turn;
                    let at = self.place(filling, which, way.rule, work)?;
                    let edge = match way.rule {
                        Rule::Top | Rule::Among => at.1 + self.kind(which).height,
                        Rule::Bottom => at.1,
                    };
                    Some((edge, at.0, turn, at))
                };
                let mut best = None;
                if !filling.full[kind] {
                    best = turns.filter_map(|t| free(t, &mut filling, &mut layout.work)).min();
                    if best.is_none() && way.turns[part].is_some() {
                        // Rather lying otherwise than not at all.
                        best = (0..self.turns)
                            .filter_map(|t| free(t, &mut filling, &mut layout.work))
                            .min();
                    }
                    filling.full[kind] = best.is_none();
                }
                let Some((_, _, turn, at)) = best else {
                    left.push(part);
                    continue;
                };
                let which = kind * self.turns + turn;
                filling.laid.push((which, at));
                sheet.push(Lay { part, turn, at });
                let own = at.1 + self.kind(which).height;
                let used = &mut filling.used;
                *used = (used.0.max(at.0 + self.kind(which).width), used.1.max(own));
                layout.score.4 += own as u64;
            }
            if sheet.is_empty() {
                layout.score.0 = left.len();
                break;
            }
            layout.sheets.push(sheet);
            layout.score.1 = layout.sheets.len();
            (layout.score.3, layout.score.2) = filling.used;
            rest = left;
        }
        layout
    }

    /// The first ways: large parts before small ones, by several measures.
    fn first_ways(&self) -> Vec<Attempt> {
        let kind = |part: usize| &self.cells.kinds[self.cells.parts[part]][0];
        let measures: [fn(&Bits) -> usize; 4] = [
            |bits| bits.width * bits.height,
            |bits| bits.height,
            |bits| bits.width,
            |bits| bits.width.max(bits.height),
        ];
        let count = self.cells.parts.len();
        let mut ways = Vec::new();
        for rule in [Rule::Top, Rule::Bottom, Rule::Among] {
            for measure in measures {
                let mut order: Vec<usize> = (0..count).collect();
                order.sort_by_key(|part| {
                    (std::cmp::Reverse(measure(kind(*part))), self.cells.parts[*part], *part)
                });
                ways.push(Attempt { order, turns: vec![None; count], rule });
            }
            // All in one direction, for each.
            for turn in (0..self.turns).filter(|_| self.turns > 1) {
                let way = ways[0].clone();
                ways.push(Attempt { turns: vec![Some(turn); count], rule, ..way });
            }
        }
        ways
    }
}

/// Another way that differs a little.
fn mutate(way: &Attempt, turns: usize, seed: u64) -> Attempt {
    let mut random = Xorshift::seeded(seed);
    let mut way = way.clone();
    let count = way.order.len();
    for _ in 0..=random.below(3) {
        match random.below(if turns > 1 { 4 } else { 2 }) {
            0 => {
                let (a, b) = (random.below(count), random.below(count));
                way.order.swap(a, b);
            }
            1 => {
                let from = random.below(count);
                let part = way.order.remove(from);
                way.order.insert(random.below(count), part);
            }
            2 => {
                let part = random.below(count);
                way.turns[part] = Some(random.below(turns));
            }
            _ => {
                let part = random.below(count);
                way.turns[part] = None;
            }
        }
    }
    way
}

/// The best order that is found: for each sheet where its parts lie.
pub(super) fn sheets(search: &Search<'_>, effort: u64) -> Vec<Vec<Lay>> {
    let turns = search.turns;
    let mut best: Option<(Layout, Attempt)> = None;
    let mut spent = 0;
    let mut try_all = |ways: Vec<Attempt>, best: &mut Option<(Layout, Attempt)>| {
        let laid: Vec<(Layout, Attempt)> =
            ways.into_par_iter().map(|way| (search.lay(&way), way)).collect();
        spent += laid.iter().map(|(layout, _)| layout.work).sum::<u64>();
        for (layout, way) in laid {
            if best.as_ref().is_none_or(|(known, _)| layout.score <= known.score) {
                *best = Some((layout, way));
            }
        }
        spent
    };
    try_all(search.first_ways(), &mut best);
    for round in 0..MOST_ROUNDS * effort {
        let Some((layout, way)) = &best else { break };
        let most = if layout.sheets.len() > 1 { MORE_SHEETS } else { ONE_SHEET };
        let seeds = (0..AT_ONCE as u64).map(|n| round * AT_ONCE as u64 + n + 1);
        let ways = seeds.map(|seed| mutate(way, turns, seed)).collect();
        if try_all(ways, &mut best) > most * effort {
            break;
        }
    }
    best.map(|(layout, _)| layout.sheets).unwrap_or_default()
}
