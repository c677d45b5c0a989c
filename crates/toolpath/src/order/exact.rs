//! Few paths: every sequence is tried.

use super::tour::{Stop, Visit};
use tinkite_base::geometry::Point;

/// The most stops of which all sequences are tried: 7! sequences, each line from either end, most of them cut short.
pub(super) const FEW: usize = 7;

/// A search that holds the best tour so far.
struct Search<'a> {
    stops: &'a [Stop],
    before: &'a [Option<usize>],
    gone: Vec<Visit>,
    best: (f64, Vec<Visit>),
}

/// The shortest tour of few stops that keeps every precedence, `visits` or a better one. Loops are
/// entered where they are nearest.
pub(super) fn shortest(
    stops: &[Stop],
    before: &[Option<usize>],
    start: Point,
    visits: Vec<Visit>,
) -> Vec<Visit> {
    if visits.len() > FEW {
        return visits;
    }
    let mut at = start;
    let mut length = 0.0;
    for visit in &visits {
        length += at.distance(stops[visit.stop].entry(*visit));
        at = stops[visit.stop].exit(*visit);
    }
    let mut search = Search { stops, before, gone: Vec::new(), best: (length, visits) };
    search.from(start, 0.0);
    search.best.1
}

impl Search<'_> {
    fn from(&mut self, at: Point, length: f64) {
        if self.gone.len() == self.stops.len() {
            self.best = (length, self.gone.clone());
            return;
        }
        for stop in 0..self.stops.len() {
            let done = |n: usize| self.gone.iter().any(|visit| visit.stop == n);
            let waits = (0..self.stops.len()).any(|n| self.before[n] == Some(stop) && !done(n));
            if done(stop) || waits {
                continue;
            }
            let nearest = self.stops[stop].best_entry(stop, at, None);
            let other = self.stops[stop].other_end(nearest);
            for visit in std::iter::once(nearest).chain(other) {
                let way = length + at.distance(self.stops[stop].entry(visit));
                // Less than a nanometre shorter is the same.
                if way + 1e-6 < self.best.0 {
                    self.gone.push(visit);
                    self.from(self.stops[stop].exit(visit), way);
                    self.gone.pop();
                }
            }
        }
    }
}
