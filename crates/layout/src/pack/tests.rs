//! What the packer gives is measured by the outlines themselves.

use super::*;
use proptest::prelude::*;

const ROOM: Rect = Rect::new(5.0, 3.0, 205.0, 153.0);

fn room() -> Room {
    Room { bounds: ROOM, edge: None }
}

fn pack(gap: f64, directions: u32) -> Pack {
    let turn = |n| f64::from(n) * std::f64::consts::TAU / f64::from(directions);
    Pack { gap, margin: gap, turns: (0..directions).map(turn).collect() }
}

fn kind(own: Vec<Vec<Point>>, pack: &Pack) -> PartKind {
    let grown = region::grow(&own, pack.gap / 2.0 + FINE, FINE);
    let turned = |rings: &[Vec<Point>], turn: f64| -> Vec<Vec<Point>> {
        rings.iter().map(|r| r.iter().map(|p| Affine::rotate(turn) * *p).collect()).collect()
    };
    PartKind {
        area: region::area(&own),
        grown: pack.turns.iter().map(|turn| turned(&grown, *turn)).collect(),
        own: pack.turns.iter().map(|turn| turned(&own, *turn)).collect(),
    }
}

/// The distance between two segments.
fn between(a: (Point, Point), b: (Point, Point)) -> f64 {
    let to = |p: Point, (from, to): (Point, Point)| {
        let along = to - from;
        let share = ((p - from).dot(along) / along.hypot2().max(1e-12)).clamp(0.0, 1.0);
        p.distance(from + along * share)
    };
    let side = |p: Point, (from, to): (Point, Point)| (to - from).cross(p - from);
    if side(a.0, b) * side(a.1, b) < 0.0 && side(b.0, a) * side(b.1, a) < 0.0 {
        return 0.0;
    }
    to(a.0, b).min(to(a.1, b)).min(to(b.0, a)).min(to(b.1, a))
}

fn edges(rings: &[Vec<Point>]) -> Vec<(Point, Point)> {
    rings.iter().flat_map(|r| (0..r.len()).map(move |n| (r[n], r[(n + 1) % r.len()]))).collect()
}

fn contains(rings: &[Vec<Point>], p: Point) -> bool {
    let crossed = edges(rings).into_iter().filter(|(a, b)| {
        (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)
    });
    crossed.count() % 2 == 1
}

/// Places 0.05 mm inside of every edge's middle.
fn beside_edges(rings: &[Vec<Point>]) -> Vec<Point> {
    let inward = |(a, b): (Point, Point)| {
        let along = (b - a) / (b - a).hypot();
        a.midpoint(b) + Vec2::new(-along.y, along.x) * 0.05
    };
    edges(rings).into_iter().map(inward).filter(|p| contains(rings, *p)).collect()
}

/// Holds a layout to what was asked for, with nothing that the packer itself knows: outlines where they come to lie,
/// distances between their segments, and points of one inside the other.
fn hold(sheets: &Sheets, kinds: &[PartKind], kind_of: &[usize], pack: &Pack) {
    let mut seen: Vec<usize> = sheets.iter().flatten().map(|(part, ..)| *part).collect();
    seen.sort_unstable();
    seen.dedup();
    assert_eq!(seen.len(), sheets.iter().map(Vec::len).sum::<usize>(), "each part once");
    for sheet in sheets {
        let laid: Vec<Vec<Vec<Point>>> = sheet
            .iter()
            .map(|(part, turn, by)| {
                let own = &kinds[kind_of[*part]].own[0];
                let to_bed = Affine::translate(*by) * Affine::rotate(pack.turns[*turn]);
                own.iter().map(|ring| ring.iter().map(|p| to_bed * *p).collect()).collect()
            })
            .collect();
        for (n, one) in laid.iter().enumerate() {
            let around = bounds(one);
            let room = ROOM.inflate(1e-6, 1e-6);
            assert!(room.union(around) == room, "{around:?} is not in {ROOM:?}");
            for other in &laid[..n] {
                let near = around.inflate(pack.gap, pack.gap).overlaps(bounds(other));
                if !near {
                    continue;
                }
                for (inner, outer) in [(one, other), (other, one)] {
                    let inside = beside_edges(inner).into_iter().find(|p| contains(outer, *p));
                    assert!(inside.is_none(), "one in the other at {inside:?}");
                }
                let (own, theirs) = (edges(one), edges(other));
                let least = own
                    .iter()
                    .flat_map(|a| theirs.iter().map(|b| between(*a, *b)))
                    .fold(f64::INFINITY, f64::min);
                assert!(least >= pack.gap - 1e-6, "{least} mm apart, not {}", pack.gap);
            }
        }
    }
}

fn ring(points: &[(f64, f64)]) -> Vec<Point> {
    points.iter().map(|p| Point::from(*p)).collect()
}

fn circle(radius: f64) -> Vec<Point> {
    (0..64)
        .map(|n| {
            Point::ZERO + Vec2::from_angle(f64::from(n) / 64.0 * std::f64::consts::TAU) * radius
        })
        .collect()
}

fn depth(sheets: &Sheets, kinds: &[PartKind], kind_of: &[usize]) -> f64 {
    top(&sheets[sheets.len() - 1], kinds, kind_of) - ROOM.y0
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 6, ..ProptestConfig::default() })]
    #[test]
    fn parts_keep_the_gap_and_stay_on_the_stock(
        shapes in proptest::collection::vec(proptest::collection::vec(4.0..25.0f64, 3..9), 1..4),
        counts in proptest::collection::vec(1usize..7, 4),
        gap in prop_oneof![Just(0.0), 0.2..4.0f64],
        directions in 1u32..5,
    ) {
        let pack = pack(gap, directions);
        // Stars: a radius in each direction, so that they have bays.
        let star = |radii: &Vec<f64>| vec![(0..radii.len()).map(|n| {
            Point::ZERO + Vec2::from_angle(n as f64 / radii.len() as f64 * std::f64::consts::TAU) * radii[n]
        }).collect::<Vec<_>>()];
        let kinds: Vec<PartKind> = shapes.iter().map(|radii| kind(star(radii), &pack)).collect();
        let kind_of: Vec<usize> = (0..kinds.len()).flat_map(|k| std::iter::repeat_n(k, counts[k])).collect();
        let (sheets, left) = by_outlines(&kinds, &kind_of, &room(), &pack, 0);
        prop_assert!(left.is_empty());
        hold(&sheets, &kinds, &kind_of, &pack);
        prop_assert_eq!(sheets.iter().map(Vec::len).sum::<usize>(), kind_of.len());
    }
}

#[test]
fn small_parts_lie_in_the_holes_of_large_ones() {
    let pack = pack(1.0, 1);
    let mut hole = circle(40.0);
    hole.reverse();
    let kinds = [kind(vec![circle(60.0), hole], &pack), kind(vec![circle(12.0)], &pack)];
    let kind_of = [0, 1, 1, 1, 1];
    let (sheets, _) = by_outlines(&kinds, &kind_of, &room(), &pack, 1);
    hold(&sheets, &kinds, &kind_of, &pack);
    // Nothing reaches beyond the large one, and it alone is 120 mm wide and high.
    assert!((depth(&sheets, &kinds, &kind_of) - 120.0).abs() < 0.3);
    let right = sheets[0]
        .iter()
        .map(|(part, turn, by)| bounds(&kinds[kind_of[*part]].own[*turn]).x1 + by.x);
    assert!(right.fold(0.0, f64::max) < ROOM.x0 + 120.3);
}

#[test]
fn triangles_are_turned_into_each_other() {
    let pack = pack(0.0, 2);
    let kinds = [kind(vec![ring(&[(0.0, 0.0), (40.0, 0.0), (20.0, 30.0)])], &pack)];
    let kind_of = [0; 9];
    let (sheets, left) = by_outlines(&kinds, &kind_of, &room(), &pack, 1);
    assert!(left.is_empty());
    hold(&sheets, &kinds, &kind_of, &pack);
    // Nine triangles, every second one upside down, are 40 + 8 × 20 = 200 mm wide: one row of 30 mm. Cells cost a little,
    // so that the last one may lie above: two rows at worst, where rows and columns take two as well.
    let rows = by_rows(&kinds[0], 9, ROOM, &pack).unwrap();
    assert!(depth(&sheets, &kinds, &kind_of) <= depth(&rows, &kinds, &kind_of) + 0.3);
}

#[test]
fn rectangles_lie_no_worse_than_in_rows_and_columns() {
    let pack = pack(2.0, 4);
    for (width, height, count) in
        [(38.4, 20.0, 30), (61.0, 33.0, 11), (98.9, 10.0, 26), (7.0, 9.0, 300)]
    {
        let kinds =
            [kind(vec![ring(&[(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)])], &pack)];
        let kind_of = vec![0; count];
        let rows = by_rows(&kinds[0], count, ROOM, &pack).unwrap();
        hold(&rows, &kinds, &kind_of, &pack);
        let (sheets, left) = by_outlines(&kinds, &kind_of, &room(), &pack, 0);
        assert!(left.is_empty());
        hold(&sheets, &kinds, &kind_of, &pack);
    }
}

#[test]
fn parts_without_a_gap_touch_along_their_edges() {
    let pack = pack(0.0, 1);
    let rectangle = |w: f64, h: f64| vec![ring(&[(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)])];
    let kinds = [kind(rectangle(43.1, 20.7), &pack), kind(rectangle(17.3, 20.7), &pack)];
    let kind_of = [0, 0, 0, 1, 1, 1];
    let (sheets, _) = by_outlines(&kinds, &kind_of, &room(), &pack, 0);
    hold(&sheets, &kinds, &kind_of, &pack);
    // 181.2 mm side by side on 200 mm, each two not further apart than both are grown.
    let mut spans: Vec<(f64, f64)> = sheets[0]
        .iter()
        .map(|(part, turn, by)| {
            let around = bounds(&kinds[kind_of[*part]].own[*turn]) + *by;
            assert!((around.y0 - ROOM.y0).abs() < 1e-6, "{around:?}");
            (around.x0, around.x1)
        })
        .collect();
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    assert!((spans[0].0 - ROOM.x0).abs() < 1e-6, "{spans:?}");
    assert!(spans.windows(2).all(|p| (p[1].0 - p[0].1 - 2.0 * FINE).abs() < 1e-6), "{spans:?}");
}

#[test]
fn a_part_pushed_down_rests_on_what_it_meets_first() {
    let pack = pack(0.0, 1);
    let peak = vec![ring(&[(0.0, 0.0), (30.0, 0.0), (15.0, 10.0)])];
    let kinds = [kind(peak, &pack)];
    // One 50 mm above another, the same way up: it comes down until base meets peak.
    let at = |y: f64| (ROOM.origin() + Vec2::new(0.0, y)).to_vec2();
    let mut sheet = vec![(0, 0, at(1.0)), (1, 0, at(51.0))];
    settle::settle(&mut sheet, &kinds, &[0, 0], &room());
    assert!((sheet[0].2.y - ROOM.y0).abs() < 1e-6, "{sheet:?}");
    let above = sheet[1].2.y - ROOM.y0 - 10.0;
    // Grown corners are round: the peak reaches a little less far than an edge.
    assert!((0.0..2.1 * FINE).contains(&above), "{above}");
}
