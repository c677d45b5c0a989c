//! Which stretches of rows belong together: those that touch from row to row.

use super::pacing::Pacing;
use tinkite_base::geometry::scan::Span;

/// More areas than this are joined by gaps first, from short ones on.
const MOST_AREAS: usize = 3000;

/// Stretches that touch from row to row, together.
pub(super) fn areas(spans: &[Span], pacing: &Pacing) -> Vec<Vec<Span>> {
    let mut reach = 2.0 * pacing.spacing;
    loop {
        let of = touching(spans, reach);
        let count = of.iter().copied().max().map_or(0, |most| most + 1);
        if count <= MOST_AREAS {
            let mut areas: Vec<Vec<Span>> = vec![Vec::new(); count];
            for (span, area) in spans.iter().zip(of) {
                areas[area].push(*span);
            }
            return areas;
        }
        reach = (2.0 * reach).max(pacing.run_up / 2.0);
    }
}

/// Which area each stretch belongs to, areas counted from 0 in the order of their first stretches: those of one row
/// that are nearer to each other than `reach` (mm), and those of neighbouring rows that overlap, or nearly do.
fn touching(spans: &[Span], reach: f64) -> Vec<usize> {
    let mut root: Vec<usize> = (0..spans.len()).collect();
    fn find(root: &mut [usize], mut n: usize) -> usize {
        while root[n] != n {
            root[n] = root[root[n]];
            n = root[n];
        }
        n
    }
    let join = |root: &mut [usize], a: usize, b: usize| {
        let (a, b) = (find(root, a), find(root, b));
        root[a.max(b)] = a.min(b);
    };
    let (mut start, mut before) = (0, 0..0);
    for row in spans.chunk_by(|a, b| a.row == b.row) {
        let here = start..start + row.len();
        for n in here.clone().skip(1) {
            if spans[n].from - spans[n - 1].to <= reach {
                join(&mut root, n - 1, n);
            }
        }
        let follows = spans.get(before.start).is_some_and(|span| span.row + 1 == row[0].row);
        if follows && !before.is_empty() {
            let mut above = here.start;
            for below in before.clone() {
                while above < here.end && spans[above].to + reach < spans[below].from {
                    above += 1;
                }
                let overlaps = |n: usize| spans[n].from <= spans[below].to + reach;
                let mut n = above;
                while n < here.end && overlaps(n) {
                    join(&mut root, below, n);
                    n += 1;
                }
            }
        }
        start = here.end;
        before = here;
    }
    let mut names = vec![usize::MAX; spans.len()];
    let mut count = 0;
    (0..spans.len())
        .map(|n| {
            let root = find(&mut root, n);
            if names[root] == usize::MAX {
                names[root] = count;
                count += 1;
            }
            names[root]
        })
        .collect()
}
