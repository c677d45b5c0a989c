use super::*;
use crate::gaps::Gaps;
use tinkite_job::Directions;

fn pacing(speed: f64) -> Pacing {
    Pacing {
        speed,
        travel: 250.0,
        acceleration: 1500.0,
        run_up: 1.1 * speed * speed / 3000.0,
        gaps: Gaps::between(speed, 250.0, 1500.0, 0.5),
        spacing: 0.1,
        directions: Directions::Both,
    }
}

/// Rows of a rectangle.
fn rectangle(from: f64, to: f64, rows: std::ops::Range<u32>) -> Vec<Span> {
    rows.map(|row| Span { row, from, to, level: 1 }).collect()
}

fn sort(mut spans: Vec<Span>) -> Vec<Span> {
    spans.sort_by(before);
    spans
}

/// How long a head takes over a distance that it enters and leaves at `ends` mm/s, stepped through time.
fn time_of_step(distance: f64, ends: f64, top: f64, acceleration: f64) -> f64 {
    let (dt, mut at, mut speed, mut time) = (1e-6, 0.0, ends, 0.0);
    while at < distance {
        // What is needed to be slow enough again.
        let braking = (speed * speed - ends * ends).max(0.0) / (2.0 * acceleration);
        let faster = distance - at > braking + speed * dt;
        let change = if faster { acceleration } else { -acceleration } * dt;
        speed = (speed + change).clamp(ends.max(acceleration * dt), top);
        at += speed * dt;
        time += dt;
    }
    time
}

#[test]
fn gaps_and_hops_take_as_long_as_a_head_that_is_stepped_through_them() {
    let pacing = pacing(100.0);
    for gap in [10.0, 30.0, 80.0, 200.0] {
        let free = gap - 2.0 * 0.5;
        let slow = 2.0 * 0.5 / 100.0;
        let want = slow + time_of_step(free, 100.0, 250.0, 1500.0);
        assert!((pacing.gap(gap) - want).abs() < 0.002 * want, "{gap}: {}", pacing.gap(gap));
    }
    for hop in [0.5, 5.0, 60.0, 150.0] {
        let want = time_of_step(hop, 0.0, 250.0, 1500.0);
        assert!((pacing.hop(hop) - want).abs() < 0.02 * want, "{hop}: {} {want}", pacing.hop(hop));
    }
    assert_eq!(pacing.gap(3.0), 0.03);
}

#[test]
fn what_touches_from_row_to_row_is_one_area() {
    let pacing = pacing(60.0);
    // Two arms that meet at the top, and a speck between them.
    let mut spans = rectangle(0.0, 5.0, 0..30);
    spans.extend(rectangle(20.0, 25.0, 0..30));
    spans.extend(rectangle(0.0, 25.0, 30..35));
    spans.extend(rectangle(11.0, 12.0, 10..12));
    assert_eq!(areas(&sort(spans), &pacing).len(), 2);
    // The same without what joins them.
    let mut spans = rectangle(0.0, 5.0, 0..30);
    spans.extend(rectangle(20.0, 25.0, 0..30));
    assert_eq!(areas(&sort(spans), &pacing).len(), 2);
}

#[test]
fn near_ones_are_walked_together_and_far_ones_apart() {
    for (gap, groups) in [(1.0, 1), (250.0, 2)] {
        let mut spans = rectangle(0.0, 5.0, 0..40);
        spans.extend(rectangle(5.0 + gap, 10.0 + gap, 0..40));
        assert_eq!(quickest(sort(spans), &pacing(100.0)).len(), groups, "{gap} mm");
    }
}

#[test]
fn every_stretch_is_in_one_group_and_groups_are_never_slower_than_either_extreme() {
    let pacing = pacing(80.0);
    let mut seed = 7_u64;
    let mut random = |below: u64| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) % below
    };
    for _ in 0..60 {
        let mut spans = Vec::new();
        for n in 0..random(14) + 2 {
            // Each in a lane of its own, so that none lies on another.
            let from = n as f64 * 30.0 + random(10) as f64;
            let low = random(80) as u32;
            let wide = 1.0 + random(18) as f64;
            spans.extend(rectangle(from, from + wide, low..low + 5 + random(60) as u32));
        }
        let spans = sort(spans);
        let groups = quickest(spans.clone(), &pacing);
        assert_eq!(sort(groups.concat()), spans);
        assert_eq!(groups, quickest(spans.clone(), &pacing));
        let take = |groups: &[Vec<Span>]| {
            let groups: Vec<Group> = groups.iter().map(|one| Group::new(one, &pacing)).collect();
            seconds_of(&groups, &pacing)
        };
        let apart = take(&areas(&spans, &pacing));
        let together = take(std::slice::from_ref(&spans));
        assert!(take(&groups) <= apart.min(together) + 1e-9);
    }
}

/// What merging two groups is said to save is what it saves.
#[test]
fn savings_are_differences_of_whole_groups() {
    let pacing = pacing(60.0);
    let a = Group::new(&rectangle(0.0, 12.0, 3..50), &pacing);
    for (from, rows) in [(15.0, 0..20), (40.0, 10..90), (14.0, 20..30), (13.0, 48..60)] {
        let b = Group::new(&rectangle(from, from + 6.0, rows), &pacing);
        let (saves, _) = time_saved(&a, &b, &pacing);
        let both = a.clone().with(b.clone(), saves, &pacing);
        let again = Group::new(&both.clone().into_spans(), &pacing);
        assert!((both.seconds - again.seconds).abs() < 1e-9, "{} {}", both.seconds, again.seconds);
        assert_eq!(both.reach, again.reach);
    }
}
