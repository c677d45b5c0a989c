//! Which stops lie near which.

use crate::order::tour::Stop;
use rayon::prelude::*;
use static_aabb2d_index::{Control, NeighborPriorityQueue, StaticAABB2DIndexBuilder};
use tinkite_base::geometry::{Point, hull};

/// How many near neighbours are looked for from each place of a stop, and from how many places of its outline at most:
/// fewer where stops are many, so that all together are no more than this.
const FROM_ONE_PLACE: usize = 4;
const PLACES: usize = 64;
const FEWEST_PLACES: usize = 4;
const ALL_PLACES: usize = 96_000;

/// Places are this part of the distance apart that stops have where they lie evenly.
const PART: f64 = 0.2;

/// Places that are held together where they are looked for.
const IN_A_NODE: usize = 8;

/// How many near neighbours are tried for each stop, and how many more where it is one of theirs.
const NEIGHBOURS: usize = 8;
const MOST_NEIGHBOURS: usize = 24;

/// A stop near another one.
#[derive(Debug, Clone, Copy)]
pub(super) struct Neighbour {
    pub(super) stop: usize,
    /// How far apart the places of their outlines are by which they were found, mm: their outlines are no farther.
    pub(super) away: f64,
}

/// For each stop the stops whose outlines come nearest to its own, and those that it is so near to, the nearest first.
pub(super) fn neighbours(stops: &[Stop]) -> Vec<Vec<Neighbour>> {
    let most = (ALL_PLACES / stops.len().max(1)).clamp(FEWEST_PLACES, PLACES);
    let round = hull(stops.iter().map(Stop::bounds)).unwrap_or_default();
    let count = stops.len().max(1) as f64;
    // Of stops in a row the area is none.
    let evenly = (round.area() / count).sqrt().max(round.width().max(round.height()) / count);
    // A small stop is found by one place as well as by many.
    let places = |stop: usize| {
        let size = stops[stop].bounds().size();
        let wanted = (size.width.max(size.height) / (evenly * PART)).ceil();
        stops[stop].points_spread(most.min(wanted.max(1.0) as usize)).map(move |p| (p, stop))
    };
    let all: Vec<(Point, usize)> = (0..stops.len()).flat_map(places).collect();
    let mut index = StaticAABB2DIndexBuilder::new_with_node_size(all.len(), IN_A_NODE);
    for (p, _) in &all {
        index.add(p.x, p.y, p.x, p.y);
    }
    // It fails only where there are more or fewer than were said.
    let Ok(index) = index.build() else { return vec![Vec::new(); stops.len()] };
    let found: Vec<Vec<Neighbour>> = (0..stops.len())
        .into_par_iter()
        .map_init(NeighborPriorityQueue::new, |queue, own| {
            let mut near: Vec<(f64, usize)> = Vec::new();
            // What is farther away than those that are tried is not looked for.
            let mut farthest = f64::INFINITY;
            for (place, _) in places(own) {
                let mut seen = 0;
                let mut meet = |n: usize, away: f64| {
                    if away > farthest {
                        return Control::Break(());
                    }
                    let (_, other) = all[n];
                    if other == own {
                        return Control::Continue;
                    }
                    match near.iter_mut().find(|(_, known)| *known == other) {
                        Some((known, _)) => *known = known.min(away),
                        None => {
                            seen += 1;
                            near.push((away, other));
                        }
                    }
                    match seen >= FROM_ONE_PLACE || near.len() >= stops.len() - 1 {
                        true => Control::Break(()),
                        false => Control::Continue,
                    }
                };
                index.visit_neighbors_with_queue(place.x, place.y, &mut meet, queue);
                near.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
                near.truncate(NEIGHBOURS);
                farthest = near.get(NEIGHBOURS - 1).map_or(f64::INFINITY, |(away, _)| *away);
            }
            near.into_iter().map(|(square, stop)| Neighbour { away: square.sqrt(), stop }).collect()
        })
        .collect();
    let mut near = found.clone();
    for (own, found) in found.iter().enumerate() {
        for other in found {
            let theirs = &mut near[other.stop];
            if theirs.len() < MOST_NEIGHBOURS && theirs.iter().all(|n| n.stop != own) {
                theirs.push(Neighbour { stop: own, ..*other });
            }
        }
    }
    for near in &mut near {
        near.sort_by(|a, b| a.away.total_cmp(&b.away).then(a.stop.cmp(&b.stop)));
    }
    near
}
