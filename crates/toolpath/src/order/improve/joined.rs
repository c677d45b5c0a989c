//! Another first tour: of the shortest joins.

use super::neighbours::Neighbour;
use crate::order::entries;
use crate::order::tour::{Stop, Visit, greedy};
use tinkite_base::geometry::Point;

/// Of all pairs of neighbours the nearest are joined first, as long as nothing gets a third join and no ring is closed;
/// the pieces of tour that come of it are visited one after the other, the nearest end next (J. L. Bentley, "Fast
/// algorithms for geometric traveling salesman problems", 1992). Nothing has to come before anything here.
pub(super) fn join(stops: &[Stop], start: Point, near: &[Vec<Neighbour>]) -> Vec<Visit> {
    let pieces = pieces(near);
    let middle = |stop: usize| stops[stop].bounds().center();
    let lines: Vec<Stop> = pieces
        .iter()
        .map(|piece| Stop::line(middle(piece[0]), middle(piece[piece.len() - 1]), true))
        .collect();
    let mut visits = Vec::with_capacity(stops.len());
    for line in greedy(&lines, &vec![None; lines.len()], start) {
        let piece = pieces[line.stop].iter().map(|stop| Visit { stop: *stop, entry: 0 });
        if line.entry == 0 { visits.extend(piece) } else { visits.extend(piece.rev()) }
    }
    entries::shortest(stops, start, visits)
}

/// Stops in rows, each beside those that it is joined to.
fn pieces(near: &[Vec<Neighbour>]) -> Vec<Vec<usize>> {
    let pairs = |(n, near): (usize, &Vec<Neighbour>)| {
        let pair = move |other: &Neighbour| (other.away, n.min(other.stop), n.max(other.stop));
        near.iter().map(pair).collect::<Vec<_>>()
    };
    let mut pairs: Vec<(f64, usize, usize)> = near.iter().enumerate().flat_map(pairs).collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
    let mut joins: Vec<Vec<usize>> = vec![Vec::new(); near.len()];
    // For each end of a piece its other end.
    let mut other_end: Vec<usize> = (0..near.len()).collect();
    for (_, a, b) in pairs {
        if joins[a].len() < 2 && joins[b].len() < 2 && other_end[a] != b {
            joins[a].push(b);
            joins[b].push(a);
            let (first, last) = (other_end[a], other_end[b]);
            (other_end[first], other_end[last]) = (last, first);
        }
    }
    let mut taken = vec![false; near.len()];
    let mut pieces = Vec::new();
    for end in (0..near.len()).filter(|n| joins[*n].len() < 2) {
        let mut piece = Vec::new();
        let mut next = Some(end).filter(|end| !taken[*end]);
        while let Some(stop) = next {
            taken[stop] = true;
            piece.push(stop);
            next = joins[stop].iter().copied().find(|joined| !taken[*joined]);
        }
        if !piece.is_empty() {
            pieces.push(piece);
        }
    }
    pieces
}
