//! Parts moved apart: on a sheet that is made shorter, or on which one more is put, parts overlap at first, and are moved
//! one at a time to where they overlap least, until none does.
//!
//! Pairs that stay in each other's way count more and more, so that the search leaves where it is stuck (J. Egeblad,
//! B. K. Nielsen, A. Odgaard, "Fast neighborhood search for two- and three-dimensional nesting problems", 2007). How far
//! two parts overlap is how far one has to be moved, across or away from the operator, to lie free of the other. The
//! work is counted and random numbers are the same ones every time, so that the same parts always lie the same.

use super::search::{Lay, Placed, Search};
use rayon::prelude::*;
use std::collections::BTreeSet;
use tinkite_base::random::Xorshift;

/// Pairs of parts that are looked at for each part of the sheet, and the most of them: two to three seconds on two cores.
const WORK_PER_PART: u64 = 3_000_000;
const MOST_WORK: u64 = 115_000_000;

/// Pairs that are looked at for each part of a sheet before one more is given up, and the most for all of those.
const WORK_TO_FILL: u64 = 40_000;
const MOST_TO_FILL: u64 = 45_000_000;

/// One more part is tried on so many sheets at once, those with most room.
const SHEETS_AT_ONCE: usize = 4;

/// A sheet of more parts stays as it lies: what weighs them against each other would take memory by their square.
const MOST_PARTS: usize = 1_000;

/// Attempts are compared so often.
const COMPARED: u64 = 8;

/// By which share of its depth each of the attempts that run at once wants the sheet shorter; a fixed number of them, so
/// that the result does not hang on the number of cores.
const SHORTER: [f64; 4] = [0.0015, 0.004, 0.008, 0.015];

/// Places that are tried for a part that overlaps others.
const PLACES: usize = 60;

/// A pair that overlaps after a round counts so many times as much, and one that does not so many times; 1 at least, and
/// no more than what numbers can still be added to.
const MORE: f32 = 1.3;
const LESS: f32 = 0.97;
const HEAVIEST: f32 = 1e5;

/// Steps by which a place is moved to a better one near it, in cells.
const STEPS: [isize; 7] = [32, 16, 8, 4, 2, 1, 1];

/// No part gets farther on its way downhill.
const FARTHEST: usize = 65;

/// Parts in the room, which may overlap.
#[derive(Clone)]
struct Overlapping {
    lying: Vec<Placed>,
    /// What the overlap of two parts counts; the last of a row is the edge of the stock.
    weights: Vec<f32>,
    /// The depth that is wanted, cells.
    depth: usize,
    random: Xorshift,
}

/// Lays the parts of one sheet into less depth, where the search finds how.
pub(super) fn shorten(search: &Search<'_>, sheet: &mut [Lay], effort: u64) {
    if sheet.len() > MOST_PARTS {
        return;
    }
    let most = effort * MOST_WORK.min(WORK_PER_PART * sheet.len() as u64);
    let least = sheet.iter().filter_map(|lay| search.least_height(lay.part)).max().unwrap_or(0);
    let mut used = search.depth(sheet);
    let mut seed = 0;
    let mut attempts: Vec<Overlapping> = Vec::new();
    let mut spent = 0;
    while spent < most && used > least {
        attempts.retain(|one| one.depth < used);
        for share in SHORTER.iter().skip(attempts.len()) {
            seed += 1;
            let less = (used as f64 * share).ceil() as usize;
            let depth = used.saturating_sub(less).max(least);
            attempts.push(Overlapping::of(search, sheet, depth, seed));
        }
        let at_a_time = most / (COMPARED * SHORTER.len() as u64);
        let came: Vec<(u64, bool)> =
            attempts.par_iter_mut().map(|one| one.separate(search, at_a_time)).collect();
        for (one, (work, apart)) in attempts.iter().zip(came) {
            spent += work;
            let depth = one.slots_used();
            if apart && depth < used {
                used = depth;
                one.put_back(search, sheet);
            }
        }
    }
}

/// Lays parts of the last sheet on others, the smallest first, where the search finds room among what lies there. A sheet
/// on which nothing is left is none.
pub(super) fn fill(search: &Search<'_>, sheets: &mut Vec<Vec<Lay>>, effort: u64) {
    let Some(mut last) = sheets.pop() else { return };
    last.sort_by_key(|lay| (search.copies_taken(lay.part), lay.part));
    let area = |sheet: &[Lay]| sheet.iter().map(|lay| search.copies_taken(lay.part)).sum::<usize>();
    let mut free: Vec<usize> =
        sheets.iter().map(|sheet| search.free().saturating_sub(area(sheet))).collect();
    // Sheets on which there was no room for a kind.
    let mut refused: BTreeSet<(usize, usize)> = BTreeSet::new();
    let mut spent = 0;
    let mut kept = Vec::new();
    for lay in last {
        let (kind, size) = (search.cells.parts[lay.part], search.copies_taken(lay.part));
        let mut roomy: Vec<usize> = (0..sheets.len())
            .filter(|n| free[*n] >= size && !refused.contains(&(kind, *n)))
            .filter(|n| sheets[*n].len() < MOST_PARTS && spent < effort * MOST_TO_FILL)
            .collect();
        roomy.sort_by_key(|n| (std::cmp::Reverse(free[*n]), *n));
        roomy.truncate(SHEETS_AT_ONCE);
        let tried: Vec<(u64, Option<Vec<Lay>>)> = roomy
            .par_iter()
            .map(|n| {
                let mut more = sheets[*n].clone();
                more.push(lay);
                let seed = lay.part as u64 + 1;
                let mut one = Overlapping::of(search, &more, search.cells.outside.height, seed);
                let (work, apart) = one.separate(search, WORK_TO_FILL * more.len() as u64);
                one.put_back(search, &mut more);
                (work, apart.then_some(more))
            })
            .collect();
        spent += tried.iter().map(|(work, _)| work).sum::<u64>();
        let found = roomy.iter().zip(tried).find_map(|(n, (_, sheet))| {
            refused.extend(sheet.is_none().then_some((kind, *n)));
            Some((*n, sheet?))
        });
        match found {
            Some((n, sheet)) => {
                free[n] -= size;
                sheets[n] = sheet;
            }
            None => kept.push(lay),
        }
    }
    if !kept.is_empty() {
        sheets.push(kept);
    }
}

impl Overlapping {
    /// A sheet, pushed into so much depth.
    fn of(search: &Search<'_>, sheet: &[Lay], depth: usize, seed: u64) -> Self {
        let count = sheet.len();
        let mut one = Self {
            lying: sheet.iter().map(|lay| search.lying(search.which(*lay), lay.at)).collect(),
            weights: vec![1.0; count * (count + 1)],
            depth,
            random: Xorshift::seeded(seed),
        };
        one.push_in(search);
        one
    }

    /// Writes where parts lie now into the sheet that they were.
    fn put_back(&self, search: &Search<'_>, sheet: &mut [Lay]) {
        for (lay, lying) in sheet.iter_mut().zip(&self.lying) {
            (lay.turn, lay.at) = (lying.which % search.turns, lying.at);
        }
    }

    /// How much depth parts use.
    fn slots_used(&self) -> usize {
        self.lying.iter().map(|lying| lying.at.1 + lying.size.1).max().unwrap_or(0)
    }

    /// Pushes what lies beyond the depth that is wanted back over its edge, turned where it is too high.
    fn push_in(&mut self, search: &Search<'_>) {
        for part in 0..self.lying.len() {
            let mut lying = self.lying[part];
            if self.room(search, lying.which).is_none() {
                let first = lying.which - lying.which % search.turns;
                let lower = (first..first + search.turns).find(|w| self.room(search, *w).is_some());
                lying = search.lying(lower.unwrap_or(lying.which), lying.at);
            }
            if let Some((wide, high)) = self.room(search, lying.which) {
                lying.at = (lying.at.0.min(wide - 1), lying.at.1.min(high - 1));
            }
            self.lying[part] = lying;
        }
    }

    /// How many places a kind in one direction has across and within the depth that is wanted.
    fn room(&self, search: &Search<'_>, which: usize) -> Option<(usize, usize)> {
        let (wide, _) = search.room(which)?;
        let high = (self.depth + 1).checked_sub(search.kind(which).height)?;
        (high > 0).then_some((wide, high))
    }

    /// Moves parts until none overlaps another, or the work is done; says whether none does.
    fn separate(&mut self, search: &Search<'_>, most: u64) -> (u64, bool) {
        let mut work = 0;
        let count = self.lying.len();
        let mut order: Vec<usize> = (0..count).collect();
        while work < most {
            for n in (1..count).rev() {
                order.swap(n, self.random.below(n + 1));
            }
            let mut overlaps = false;
            for part in &order {
                overlaps |= self.better(search, *part, &mut work);
            }
            if !overlaps {
                return (work, true);
            }
            self.weigh(search);
            work += (count * count / 2) as u64;
        }
        (work, false)
    }

    /// Moves a part that overlaps others to where it does less; says whether it overlapped any.
    fn better(&mut self, search: &Search<'_>, part: usize, work: &mut u64) -> bool {
        let now = self.lying[part];
        let all: Vec<usize> = (0..self.lying.len()).filter(|other| *other != part).collect();
        let mut best = (self.cost(search, part, &now, f32::INFINITY, &all, work), now);
        if best.0 == 0.0 {
            return false;
        }
        let first = now.which - now.which % search.turns;
        let mut found = (f32::INFINITY, now);
        for _ in 0..PLACES {
            let which = first + self.random.below(search.turns);
            let Some((wide, high)) = self.room(search, which) else { continue };
            let at = (self.random.below(wide), self.random.below(high));
            let tried = search.lying(which, at);
            let cost = self.cost(search, part, &tried, found.0, &all, work);
            if cost < found.0 {
                found = (cost, tried);
            }
        }
        for begun in [best, found] {
            let near = self.downhill(search, part, begun, work);
            if near.0 < best.0 {
                best = near;
            }
        }
        self.lying[part] = best.1;
        true
    }

    /// From a place to better ones near it, by smaller and smaller steps.
    fn downhill(
        &self,
        search: &Search<'_>,
        part: usize,
        begun: (f32, Placed),
        work: &mut u64,
    ) -> (f32, Placed) {
        let mut best = begun;
        let Some((wide, high)) = self.room(search, best.1.which) else { return best };
        let near = self.near(part, &begun.1);
        *work += self.lying.len() as u64;
        for step in STEPS {
            let middle = best.1.at;
            for (dx, dy) in [(1, 0), (-1, 0), (0, 1), (0, -1), (1, 1), (1, -1), (-1, 1), (-1, -1)] {
                let moved = |at: usize, by: isize, many: usize| {
                    at.checked_add_signed(by * step).filter(|to| *to < many)
                };
                let (Some(x), Some(y)) = (moved(middle.0, dx, wide), moved(middle.1, dy, high))
                else {
                    continue;
                };
                let tried = Placed { at: (x, y), ..best.1 };
                let cost = self.cost(search, part, &tried, best.0, &near, work);
                if cost < best.0 {
                    best = (cost, tried);
                }
            }
            if best.0 == 0.0 {
                break;
            }
        }
        best
    }

    /// The other parts that a part may meet on its way downhill.
    fn near(&self, part: usize, lying: &Placed) -> Vec<usize> {
        let within = |at: usize, size: usize, to: usize, theirs: usize| {
            at < to + theirs + FARTHEST && to < at + size + FARTHEST
        };
        let meets = |other: &Placed| {
            within(lying.at.0, lying.size.0, other.at.0, other.size.0)
                && within(lying.at.1, lying.size.1, other.at.1, other.size.1)
        };
        (0..self.lying.len()).filter(|n| *n != part && meets(&self.lying[*n])).collect()
    }

    /// What it counts that a part lies here beside some others; `most` or more where that is plain early.
    fn cost(
        &self,
        search: &Search<'_>,
        part: usize,
        lying: &Placed,
        most: f32,
        others: &[usize],
        work: &mut u64,
    ) -> f32 {
        let count = self.lying.len();
        let weights = &self.weights[part * (count + 1)..(part + 1) * (count + 1)];
        let mut cost = weights[count] * search.outside(lying) as f32;
        *work += others.len() as u64;
        for n in others {
            // No farther than it takes to see that this is not better.
            let enough = ((most - cost) / weights[*n]).max(0.0) as usize;
            let overlap = search.overlap(lying, &self.lying[*n], enough.saturating_add(2));
            cost += weights[*n] * overlap as f32;
            if cost >= most {
                break;
            }
        }
        cost
    }

    /// Lets pairs that overlap count more, and others less.
    fn weigh(&mut self, search: &Search<'_>) {
        let count = self.lying.len();
        let changed = |weight: f32, overlap: usize| {
            (weight * if overlap > 0 { MORE } else { LESS }).clamp(1.0, HEAVIEST)
        };
        for part in 0..count {
            let edge = part * (count + 1) + count;
            self.weights[edge] = changed(self.weights[edge], search.outside(&self.lying[part]));
            for other in 0..part {
                let overlap = search.overlap(&self.lying[part], &self.lying[other], 1);
                let weight = changed(self.weights[part * (count + 1) + other], overlap);
                self.weights[part * (count + 1) + other] = weight;
                self.weights[other * (count + 1) + part] = weight;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::bits::Bits;
    use super::super::search::Cells;
    use super::*;
    use proptest::prelude::*;

    /// A plane whose rows are taken from one cell up to another.
    fn rows(width: usize, spans: &[(usize, usize)]) -> Bits {
        let mut bits = Bits::new(width, spans.len());
        spans.iter().enumerate().for_each(|(y, (from, after))| bits.set_span(y, *from, *after));
        bits
    }

    /// Holds a sheet to what it must be, cell by cell.
    fn hold(cells: &Cells, sheet: &[Lay]) {
        let mut taken = std::collections::BTreeSet::new();
        for lay in sheet {
            let own = &cells.kinds[cells.parts[lay.part]][lay.turn];
            for y in 0..own.height {
                for x in (0..own.width).filter(|x| own.is_taken(*x, y)) {
                    let at = (lay.at.0 + x, lay.at.1 + y);
                    assert!(at.0 < cells.outside.width && at.1 < cells.outside.height, "{lay:?}");
                    assert!(!cells.outside.is_taken(at.0, at.1), "{lay:?} off the stock");
                    assert!(taken.insert(at), "two parts at {at:?}");
                }
            }
        }
    }

    #[test]
    fn angles_in_a_pile_are_laid_into_each_other() {
        // Two of these make a rectangle of 20 cells by 30, one turned by half a turn.
        let angle: Vec<_> = (0..20).map(|y| (0, if y < 10 { 20 } else { 10 })).collect();
        let turned: Vec<_> = (0..20).map(|y| (if y < 10 { 10 } else { 0 }, 20)).collect();
        let all = Cells {
            outside: Bits::new(41, 200),
            bare: None,
            kinds: vec![vec![rows(20, &angle), rows(20, &turned)]],
            parts: vec![0; 6],
        };
        let pile = |part| Lay { part, turn: 0, at: (0, 30 * part) };
        let mut sheet: Vec<Lay> = (0..6).map(pile).collect();
        let search = Search::of(&all);
        hold(&all, &sheet);
        shorten(&search, &mut sheet, 1);
        hold(&all, &sheet);
        // Six of 300 cells on 41 across: 44 at the very least, 60 where each two lie in a rectangle of their own.
        assert!((44..=60).contains(&search.depth(&sheet)), "{}", search.depth(&sheet));
    }

    #[test]
    fn what_never_comes_apart_is_given_up() {
        let all = Cells {
            outside: Bits::new(10, 40),
            bare: None,
            kinds: vec![vec![rows(10, &[(0, 10); 10])]],
            parts: vec![0; 3],
        };
        let search = Search::of(&all);
        let lay = |part| Lay { part, turn: 0, at: (0, 10 * part) };
        let sheet: Vec<Lay> = (0..3).map(lay).collect();
        let mut one = Overlapping::of(&search, &sheet, 29, 1);
        let (work, apart) = one.separate(&search, 1_000_000);
        assert!(!apart && work >= 1_000_000);
        // Thousands of rounds later all can still be weighed against each other.
        assert!(one.weights.iter().all(|weight| (1.0..=HEAVIEST).contains(weight)));
        let mut sheet = sheet;
        shorten(&search, &mut sheet, 1);
        assert_eq!(search.depth(&sheet), 30);
    }

    #[test]
    fn a_part_alone_on_its_sheet_is_laid_among_others_where_they_leave_room() {
        let angle: Vec<_> = (0..20).map(|y| (0, if y < 10 { 20 } else { 10 })).collect();
        let turned: Vec<_> = (0..20).map(|y| (if y < 10 { 10 } else { 0 }, 20)).collect();
        let all = |height| Cells {
            outside: Bits::new(20, height),
            bare: None,
            kinds: vec![vec![rows(20, &angle), rows(20, &turned)]],
            parts: vec![0; 4],
        };
        let lay = |part, y| Lay { part, turn: 0, at: (0, y) };
        let two = || vec![vec![lay(0, 0), lay(1, 20), lay(2, 40)], vec![lay(3, 0)]];
        // Four take 60 rows where each two lie in each other, and three no fewer where they do not.
        let enough = all(64);
        let mut sheets = two();
        fill(&Search::of(&enough), &mut sheets, 1);
        assert_eq!(sheets.iter().map(Vec::len).collect::<Vec<_>>(), [4]);
        hold(&enough, &sheets[0]);
        // Below a bar there is room for cells enough, but for no fourth part; and nothing is lost.
        let mut barred = all(67);
        barred.outside.set_span(15, 0, 20);
        let begun = vec![
            vec![lay(0, 16), Lay { part: 1, turn: 1, at: (0, 26) }, lay(2, 46)],
            vec![lay(3, 16)],
        ];
        let mut sheets = begun.clone();
        hold(&barred, &sheets[0]);
        fill(&Search::of(&barred), &mut sheets, 1);
        assert_eq!(sheets, begun);
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]
        #[test]
        fn a_shorter_sheet_is_free_of_overlaps_and_on_the_stock(
            sizes in proptest::collection::vec((3usize..14, 3usize..14), 2..5),
            counts in proptest::collection::vec(1usize..4, 4),
            bites in proptest::collection::vec((0usize..40, 0usize..60, 1usize..8), 0..5),
        ) {
            let rectangle = |w: usize, h: usize| rows(w, &vec![(0, w); h]);
            let mut outside = Bits::new(40, 120);
            bites.iter().for_each(|(x, y, many)| outside.set_span(*y, *x, x + many));
            let all = Cells {
                outside,
                bare: None,
                kinds: sizes.iter().map(|(w, h)| vec![rectangle(*w, *h), rectangle(*h, *w)]).collect(),
                parts: (0..sizes.len()).flat_map(|k| std::iter::repeat_n(k, counts[k])).collect(),
            };
            let (mut sheets, left) = super::super::best(&all, 0);
            prop_assert!(left.is_empty() && sheets.len() == 1);
            let search = Search::of(&all);
            let before = search.depth(&sheets[0]);
            shorten(&search, &mut sheets[0], 1);
            hold(&all, &sheets[0]);
            prop_assert!(search.depth(&sheets[0]) <= before);
            prop_assert_eq!(sheets[0].len(), all.parts.len());
        }
    }
}
