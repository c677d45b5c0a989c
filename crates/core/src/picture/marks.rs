//! Where paths start, in which order, and which way they run.

use super::detail::Detail;
use super::frame::{self, View};
use super::legend;
use super::palette::{BED, FAINT_INK, INK};
use super::room::Room;
use super::step_colours::StepColours;
use crate::compile::Compiled;
use std::sync::Arc;
use tinkite_base::geometry::{Piece, Point, Rect, Vec2};
use tinkite_job::Job;
use tinkite_program::segment::Segments;
use tinkite_toolpath::Burn;

/// Size of a number, px: of a digit across, and of all down.
const DIGIT: f64 = 7.0;
const HIGH: f64 = 10.0;

/// How far numbers stand from what they number, px: as near as there is room, with a fine line from the second on.
const AWAY: [f64; 3] = [5.0, 13.0, 22.0];

/// Paths smaller than this get no start point, which would hide them, px.
const SMALL: f64 = 9.0;

/// More paths than this are many.
const MANY: usize = 120;

/// Where a number has room beside a point.
fn find_room(room: &Room, at: Point, words: &str, rings: usize) -> Option<(Rect, bool)> {
    let width = DIGIT * words.len() as f64;
    for (n, away) in AWAY.into_iter().take(rings).enumerate() {
        for (x, y) in [
            (1.0, -1.0),
            (1.0, 1.0),
            (-1.0, -1.0),
            (-1.0, 1.0),
            (1.0, 0.0),
            (-1.0, 0.0),
            (0.0, -1.0),
            (0.0, 1.0),
        ] {
            let middle =
                Point::new(at.x + x * (away + width / 2.0), at.y + y * (away + HIGH / 2.0));
            let rect = Rect::new(
                middle.x - width / 2.0,
                middle.y - HIGH / 2.0,
                middle.x + width / 2.0,
                middle.y + HIGH / 2.0,
            );
            if room.is_free(rect.inflate(1.0, 1.0)) {
                return Some((rect, n > 0));
            }
        }
    }
    None
}

/// What copies are called that differ from each other, along their upper edges where there is room.
fn name_parts(out: &mut String, view: &View, room: &mut Room, parts: &[(Arc<str>, Rect)]) {
    for (words, around) in parts {
        let around = view.px_rect(*around);
        let width = DIGIT * words.len() as f64;
        let across = (0..).map(|n| around.x0 + AWAY[1] * f64::from(n));
        let across = across.take_while(|x| *x == around.x0 || x + width < around.x1);
        let heights = [around.y0 - AWAY[0] - HIGH, around.y0 + AWAY[0], around.y1 - AWAY[0] - HIGH];
        let places = across.flat_map(|x| heights.map(|y| Rect::new(x, y, x + width, y + HIGH)));
        let Some(rect) = places.into_iter().find(|rect| room.is_free(rect.inflate(1.0, 1.0)))
        else {
            continue;
        };
        room.take(rect.inflate(2.0, 1.0));
        let style = format!(
            r#"font-size="11" font-weight="bold" fill="{INK}" stroke="{BED}" stroke-width="2.5" paint-order="stroke""#
        );
        frame::text(out, Point::new(rect.x0, rect.y1 - 1.0), &style, words);
    }
}

/// Start points with their turn, arrows, and numbers where there is room: never on a line or on one another. How
/// many numbers found none.
pub(super) fn draw(
    out: &mut String,
    view: &View,
    (segments, extents): (&Segments, Rect),
    (compiled, colours): (&Compiled, &StepColours),
    job: &Job,
    detail: &Detail,
) -> usize {
    let mut room = Room::new(view.width, view.height);
    let paths = segments.sequence().paths();
    let around: Vec<Option<Rect>> =
        paths.iter().map(|path| room.take_path(view, &path.burn)).collect();
    frame::extents_words(view, extents).into_iter().for_each(|words| room.take(words));
    name_parts(out, view, &mut room, &compiled.parts);
    let seen = view.px_rect(view.shown);
    let mut starts: Vec<(usize, Point)> = Vec::new();
    for (n, path) in paths.iter().enumerate() {
        // Letters are read: nothing is written over them.
        if compiled.paints.get(path.step).is_some_and(|paint| paint.only_text) {
            continue;
        }
        let colour = colours.step(path.step);
        for (at, direction) in arrow_places(view, &path.burn, detail.arrows) {
            legend::arrow(out, at, direction, colour);
            room.take(Rect::from_center_size(at, (9.0, 9.0)));
        }
        let at = view.px(path.burn.ends().0);
        if !detail.starts || !seen.contains(at) {
            continue;
        }
        let large = around[n].is_some_and(|r| r.width().max(r.height()) >= SMALL);
        let pierces = job.steps[path.step].operation.follow().is_some_and(|f| f.pierce.is_some());
        if large && pierces {
            legend::pierce_point(out, at, colour);
        } else if large {
            legend::start_point(out, at, colour);
        }
        room.take(Rect::from_center_size(at, (7.0, 7.0)));
        starts.push((n, at));
    }
    // Where there are many, a number far from its path would be taken for another's.
    let rings = if paths.len() <= MANY { AWAY.len() } else { 1 };
    let mut hidden = 0;
    for (n, at) in starts.into_iter().filter(|_| detail.numbers) {
        let words = (n + 1).to_string();
        let Some((rect, far)) = find_room(&room, at, &words, rings) else {
            hidden += 1;
            continue;
        };
        room.take(rect.inflate(2.0, 1.0));
        if far {
            let near = Point::new(at.x.clamp(rect.x0, rect.x1), at.y.clamp(rect.y0, rect.y1));
            frame::line(out, at, near, &format!(r#"stroke="{FAINT_INK}" stroke-width="0.6""#));
        }
        let style = format!(
            r#"font-size="11" fill="{INK}" stroke="{BED}" stroke-width="2.5" paint-order="stroke""#
        );
        frame::text(out, Point::new(rect.x0, rect.y1 - 1.0), &style, &words);
    }
    hidden
}

/// Pieces as long as this get an arrow each, px.
const LONG: f64 = 120.0;

/// Paths get one where a piece of them is as long as this, or all of them twice as long, px.
const ENOUGH: f64 = 26.0;

/// Where arrows stand, and which way the path is walked there (canvas, y down): in the middle of each long piece;
/// where no piece is long and `short` paths have arrows as well, on the longest piece, or half-way along.
fn arrow_places(view: &View, burn: &Burn, short: bool) -> Vec<(Point, Vec2)> {
    let down = |v: Vec2| Vec2::new(v.x, -v.y);
    match burn {
        Burn::Line(line) => {
            let px = |(from, piece): (Point, &Piece)| piece.length(from) * view.scale;
            let middle = |(from, piece): (Point, &Piece)| {
                let (before, after) = (piece.point_at(from, 0.49), piece.point_at(from, 0.51));
                (view.px(before.midpoint(after)), down(after - before) / (after - before).hypot())
            };
            let long: Vec<_> =
                line.contour.walk().filter(|one| px(*one) >= LONG).map(middle).collect();
            if !long.is_empty() || !short {
                return long;
            }
            let longest = line.contour.walk().max_by(|a, b| px(*a).total_cmp(&px(*b)));
            if let Some(one) = longest.filter(|one| px(*one) >= ENOUGH) {
                return vec![middle(one)];
            }
            let length = line.contour.length();
            if length * view.scale < 2.0 * ENOUGH {
                return Vec::new();
            }
            let (at, along) = line.contour.at(length / 2.0);
            vec![(view.px(at), down(along))]
        }
        Burn::Rows(rows) => {
            let first = || {
                let row = rows.rows().next()?;
                let (from, to, _) = row.stretches().next()?;
                let long = from.distance(to) * view.scale > ENOUGH;
                long.then(|| (view.px(from.midpoint(to)), down(row.direction())))
            };
            if short { first().into_iter().collect() } else { Vec::new() }
        }
    }
}
