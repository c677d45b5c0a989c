//! Parts laid where their outlines fit, on as many sheets as it takes.

mod apart;
mod bits;
mod outline;
mod search;
mod settle;

use super::LaidImage;
use super::LaidStock;
use super::batch::Original;
use super::original::{self, Laid};
use bits::Bits;
use rayon::prelude::*;
use search::{Cells, Lay, Search};
use std::collections::{BTreeSet, HashMap};
use tinkite_base::geometry::region::Combine;
use tinkite_base::geometry::{Affine, Point, Rect, Vec2, corners, region};
use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy, count, few};
use tinkite_base::quantity::plain;
use tinkite_job::{Job, Pack};

/// Round corners of grown outlines are this near to the true ones, mm; outlines are grown by as much more, so that what
/// is asked for is kept.
const FINE: f64 = 0.004;

/// No cell is smaller, mm.
const FINEST: f64 = 0.05;

/// The most words of cells that all maps of the stock hold together.
const ROOM_WORDS: f64 = 3e6;

/// And all that say how two parts lie beside each other.
const PAIR_WORDS: f64 = 6e6;

/// The most words that are gone through to make those.
const PAIR_WORK: f64 = 3e8;

/// A part before it has a place: its shapes and bitmaps on the sheet.
pub(super) struct Part {
    pub(super) original: Original,
    pub(super) images: Vec<LaidImage>,
    /// How people find it.
    pub(super) name: String,
    /// Which copy of the job it belongs to, counted from 0.
    pub(super) copy: u32,
}

/// Parts on the sheet that was asked for.
pub(super) struct Packed {
    /// Each with what carries it to the bed.
    pub(super) parts: Vec<(Part, Affine)>,
    /// What is told of it.
    pub(super) told: Problem,
    /// How many sheets they take in all.
    pub(super) sheets: u32,
}

/// One layout: for each sheet its parts, with their directions and how they are moved when they are turned.
type Sheets = Vec<Vec<(usize, usize, Vec2)>>;

/// A kind of part: the area that it takes up in each direction, and grown by half the gap.
struct PartKind {
    own: Vec<Vec<Vec<Point>>>,
    grown: Vec<Vec<Vec<Point>>>,
    area: f64,
}

/// Where parts may lie, mm.
struct Room {
    bounds: Rect,
    /// Rings that bound it; `None` where it is the rectangle.
    edge: Option<Vec<Vec<Point>>>,
}

impl Room {
    /// What the margin leaves of the stock.
    fn of(stock: &LaidStock, pack: &Pack) -> Self {
        let Some(outline) = &stock.outline else {
            return Self { bounds: stock.bounds.inflate(-pack.margin, -pack.margin), edge: None };
        };
        let edge = region::grow(outline.rings(), -(pack.margin + FINE), FINE);
        Self { bounds: bounds(&edge), edge: Some(edge) }
    }

    /// What of it lies so far inside the bed that rows find their run-up.
    fn within_reach(self, overhang: Overhang, job: &Job) -> Self {
        let field = job.field();
        if overhang.is_none() || !field.fixed {
            return self;
        }
        let Overhang([left, front, right, back]) = overhang;
        let bed = field.rect;
        let reach = Rect::new(bed.x0 + left, bed.y0 + front, bed.x1 - right, bed.y1 - back);
        let bounds = self.bounds.intersect(reach);
        let edge =
            self.edge.map(|edge| region::combined(&edge, &[corners(reach)], Combine::Overlap));
        Self { bounds, edge }
    }
}

/// How far rows with their run-up reach beyond the outlines of parts, to the left, to the front, to the right and to
/// the back, mm: the most of any part.
#[derive(Clone, Copy)]
struct Overhang([f64; 4]);

impl Overhang {
    fn is_none(self) -> bool {
        self.0.iter().all(|side| *side <= 0.0)
    }

    /// Of a part that takes up `own`, turned as it may be.
    fn of(own: &[Vec<Point>], engraved: &[outline::Engraved], turns: &[f64]) -> Self {
        let mut most = Self([0.0; 4]);
        for turn in turns {
            let by = Affine::rotate(*turn);
            let turned = |points: &mut dyn Iterator<Item = &Point>| -> Option<Rect> {
                points.map(|p| by * *p).map(|p| Rect::from_points(p, p)).reduce(|a, b| a.union(b))
            };
            let Some(own) = turned(&mut own.iter().flatten()) else { continue };
            for one in engraved {
                let Some(rows) = turned(&mut one.points.iter()) else { continue };
                let rows = rows.inflate(one.reach.x, one.reach.y);
                let sides =
                    [own.x0 - rows.x0, own.y0 - rows.y0, rows.x1 - own.x1, rows.y1 - own.y1];
                most = most.or(Self(sides));
            }
        }
        most
    }

    fn or(self, other: Self) -> Self {
        Self(std::array::from_fn(|n| self.0[n].max(other.0[n])))
    }
}

/// Lays parts on `stock`.
///
/// # Errors
/// A part that is larger than the stock, and a sheet that is not needed.
pub(super) fn pack(
    parts: Vec<Part>,
    stock: &LaidStock,
    pack: &Pack,
    job: &Job,
    effort: u64,
) -> Result<Packed, Problem> {
    let (kinds, kind_of, overhang) = kinds(&parts, pack, job)?;
    let room = Room::of(stock, pack).within_reach(overhang, job);
    let (mut sheets, mut left) = by_outlines(&kinds, &kind_of, &room, pack, effort);
    let alike = kinds.len() == 1 && room.edge.is_none();
    let grid = alike.then(|| by_rows(&kinds[0], parts.len(), room.bounds, pack)).flatten();
    let depth = |sheets: &Sheets| {
        sheets.last().map_or(0.0, |sheet| top(sheet, &kinds, &kind_of) - room.bounds.y0)
    };
    if let Some(grid) = grid
        && (!left.is_empty() || (grid.len(), depth(&grid)) <= (sheets.len(), depth(&sheets) + 1e-6))
    {
        (sheets, left) = (grid, Vec::new());
    }
    if !left.is_empty() {
        let mut names: Vec<String> = left.iter().map(|part| parts[*part].name.clone()).collect();
        names.dedup();
        let free = match &room.edge {
            Some(_) => "what is free of the stock".to_string(),
            None => format!(
                "the {} x {} mm that are free",
                plain(room.bounds.width(), 2),
                plain(room.bounds.height(), 2)
            ),
        };
        let message =
            format!("{} too large for {free}: {}", count(left.len(), "part"), few(&names, 6));
        let help = match overhang.is_none() {
            true => "take larger stock, a smaller margin, or let parts turn: turn = \"90 deg\"",
            false => {
                "the bed needs room for the run-up of engraved rows as well: engrave slower, say a shorter run-up, or let parts turn: turn = \"90 deg\""
            }
        };
        return Err(Problem::error(Code::NoRoom, message, help).naming(names));
    }
    let wanted = job.placement.copies.sheet;
    let Some(sheet) = sheets.get(wanted as usize - 1) else {
        return Err(Problem::error(
            Code::NoRoom,
            format!("there is no sheet {wanted}: the parts take {}", count(sheets.len(), "sheet")),
            format!("say a sheet from 1 to {}", sheets.len()),
        ));
    };
    let told = tell(&parts, &kinds, &kind_of, (sheet, wanted, sheets.len()), (stock, &room), pack);
    let mut parts: Vec<Option<Part>> = parts.into_iter().map(Some).collect();
    let laid = sheet.iter().filter_map(|(part, turn, by)| {
        let to_bed = Affine::translate(*by) * Affine::rotate(pack.turns[*turn]);
        Some((parts[*part].take()?, to_bed))
    });
    let laid = laid.collect();
    let told = told.at(Location::file(&job.file));
    Ok(Packed { parts: laid, told, sheets: sheets.len() as u32 })
}

/// The kinds of parts, and which each part is of: parts that take up the same are of one; and how far rows reach
/// beyond them.
fn kinds(
    parts: &[Part],
    pack: &Pack,
    job: &Job,
) -> Result<(Vec<PartKind>, Vec<usize>, Overhang), Problem> {
    let solids: Vec<(Vec<Vec<Point>>, Overhang)> = parts
        .par_iter()
        .map(|part| {
            let mut ignored = Problems::new();
            let (original, images) = (part.original.clone(), part.images.clone());
            let laid: Laid = original::lay(original, images, Affine::IDENTITY, job, &mut ignored);
            let solid = outline::solid(&laid, job);
            let engraved = outline::engraved(&laid, job);
            let overhang = Overhang::of(&solid, &engraved, &pack.turns);
            (solid, overhang)
        })
        .collect();
    let mut known: HashMap<Vec<Vec<(i64, i64)>>, usize> = HashMap::new();
    let mut kinds = Vec::new();
    let mut kind_of = Vec::with_capacity(parts.len());
    let mut most = Overhang([0.0; 4]);
    for (part, (solid, overhang)) in parts.iter().zip(solids) {
        most = most.or(overhang);
        if solid.is_empty() {
            let message = format!("{} has no outline, so nothing says what it takes up", part.name);
            let help = "draw its outline, or take pack out of [place]";
            return Err(Problem::error(Code::SizeZero, message, help));
        }
        let key = |p: &Point| ((p.x * 1e4).round() as i64, (p.y * 1e4).round() as i64);
        let key: Vec<Vec<_>> = solid.iter().map(|ring| ring.iter().map(key).collect()).collect();
        let number = *known.entry(key).or_insert_with(|| {
            let grown = region::grow(&solid, pack.gap / 2.0 + FINE, FINE);
            let turned = |rings: &[Vec<Point>], turn: f64| -> Vec<Vec<Point>> {
                let by = Affine::rotate(turn);
                rings.iter().map(|ring| ring.iter().map(|p| by * *p).collect()).collect()
            };
            kinds.push(PartKind {
                own: pack.turns.iter().map(|turn| turned(&solid, *turn)).collect(),
                grown: pack.turns.iter().map(|turn| turned(&grown, *turn)).collect(),
                area: region::area(&solid),
            });
            kinds.len() - 1
        });
        kind_of.push(number);
    }
    Ok((kinds, kind_of, most))
}

fn bounds(rings: &[Vec<Point>]) -> Rect {
    let points = rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
    points.reduce(|a, b| a.union(b)).unwrap_or_default()
}

/// The upper edge of what lies on a sheet, mm.
fn top(sheet: &[(usize, usize, Vec2)], kinds: &[PartKind], kind_of: &[usize]) -> f64 {
    let tops =
        sheet.iter().map(|(part, turn, by)| bounds(&kinds[kind_of[*part]].own[*turn]).y1 + by.y);
    tops.fold(f64::NEG_INFINITY, f64::max)
}

/// How large cells are, mm: so small that what is lost between parts is little, and no smaller than memory and
/// time allow.
fn cell(kinds: &[PartKind], room: Rect) -> f64 {
    let sizes: Vec<Rect> =
        kinds.iter().flat_map(|kind| kind.grown.iter().map(|g| bounds(g))).collect();
    let mut room_words = 0.0;
    let (mut pair_words, mut pair_work) = (0.0, 0.0);
    let (wide, high) = sizes.iter().fold((0.0, 0.0), |(w, h), r| (w + r.width(), h + r.height()));
    let many = sizes.len() as f64;
    for size in &sizes {
        room_words += room.area() / 64.0;
        // Sums over all pairs with this one.
        pair_words += (size.width() * many + wide) * (size.height() + high / many) / 64.0;
        pair_work += size.height() * high * (size.width() + wide / many) / 64.0;
    }
    let by_room = (room_words / ROOM_WORDS).sqrt();
    let by_pairs = (pair_words / PAIR_WORDS).sqrt().max((pair_work / PAIR_WORK).cbrt());
    by_room.max(by_pairs).max(FINEST)
}

fn by_outlines(
    kinds: &[PartKind],
    kind_of: &[usize],
    room: &Room,
    pack: &Pack,
    effort: u64,
) -> (Sheets, Vec<usize>) {
    // Parts are grown by half the gap, and so is what they lie in.
    let free = room;
    let edge = room.edge.as_ref();
    let room = room.bounds.inflate(pack.gap / 2.0, pack.gap / 2.0);
    if room.width() <= 0.0 || room.height() <= 0.0 {
        return (Vec::new(), (0..kind_of.len()).collect());
    }
    let cell = cell(kinds, room);
    let whole = |length: f64| (length / cell - 1e-6).ceil().max(1.0) as usize;
    // Cells of some rings in the plane of others.
    let in_cells = |rings: &[Vec<Point>], plane: &[Vec<Point>]| {
        let around = bounds(plane);
        Bits::touching(
            rings,
            around.origin(),
            cell,
            (whole(around.width()), whole(around.height())),
        )
    };
    let down = |length: f64| ((length / cell + 1e-6).floor() as usize).max(1);
    let size = (down(room.width()), down(room.height()));
    let mut cells = Cells {
        outside: Bits::new(size.0, size.1),
        kinds: kinds
            .par_iter()
            .map(|kind| kind.grown.iter().map(|grown| in_cells(grown, grown)).collect())
            .collect(),
        bare: None,
        parts: kind_of.to_vec(),
    };
    if let Some(edge) = edge {
        // All that is not free, as rings round it and round what is.
        let mut outside = edge.clone();
        outside.push(corners(room.inflate(9.0 * cell, 9.0 * cell)));
        cells.outside = Bits::touching(&outside, room.origin(), cell, size);
        let bare = |kind: &PartKind| {
            kind.own.iter().zip(&kind.grown).map(|(own, grown)| in_cells(own, grown)).collect()
        };
        cells.bare = Some(kinds.par_iter().map(bare).collect());
    }
    let (sheets, left) = best(&cells, effort);
    let placed = |lay: &Lay| {
        let low = bounds(&kinds[kind_of[lay.part]].grown[lay.turn]).origin();
        let at = Vec2::new(lay.at.0 as f64, lay.at.1 as f64) * cell;
        (lay.part, lay.turn, room.origin() + at - low)
    };
    let mut sheets: Sheets =
        sheets.iter().map(|sheet| sheet.iter().map(placed).collect()).collect();
    sheets.iter_mut().for_each(|sheet| settle::settle(sheet, kinds, kind_of, free));
    (sheets, left)
}

/// The best layout that is found: for each sheet where its parts lie; and the parts that fit on no sheet.
fn best(cells: &Cells, effort: u64) -> (Vec<Vec<Lay>>, Vec<usize>) {
    let search = Search::of(cells);
    let mut sheets = search::sheets(&search, effort);
    apart::fill(&search, &mut sheets, effort);
    if let Some(last) = sheets.last_mut() {
        apart::shorten(&search, last, effort);
    }
    let laid: BTreeSet<usize> = sheets.iter().flatten().map(|lay| lay.part).collect();
    let left = (0..cells.parts.len()).filter(|part| !laid.contains(part)).collect();
    (sheets, left)
}

/// Rows and columns of parts that are all alike, all in the direction in which they take least; `None` where not even
/// one fits.
fn by_rows(kind: &PartKind, parts: usize, room: Rect, pack: &Pack) -> Option<Sheets> {
    let fit =
        |room: f64, size: f64| ((room - size + 1e-3) / (size + pack.gap).max(1e-9)).floor() + 1.0;
    let ways = (0..pack.turns.len()).filter_map(|turn| {
        let around = bounds(&kind.own[turn]);
        let (columns, rows) =
            (fit(room.width(), around.width()), fit(room.height(), around.height()));
        if columns < 1.0 || rows < 1.0 {
            return None;
        }
        let (columns, rows) = (columns as usize, rows as usize);
        let mut sheets: Sheets = Vec::new();
        for part in 0..parts {
            let here = part % (columns * rows);
            if here == 0 {
                sheets.push(Vec::new());
            }
            let pitch = (around.width() + pack.gap, around.height() + pack.gap);
            let at =
                Vec2::new((here % columns) as f64 * pitch.0, (here / columns) as f64 * pitch.1);
            sheets.last_mut()?.push((part, turn, room.origin() + at - around.origin()));
        }
        let last = (parts - 1) % (columns * rows) / columns;
        let depth = last as f64 * (around.height() + pack.gap) + around.height();
        Some((sheets.len(), depth, sheets))
    });
    ways.min_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1))).map(|(.., sheets)| sheets)
}

/// What is said of a sheet.
fn tell(
    parts: &[Part],
    kinds: &[PartKind],
    kind_of: &[usize],
    (sheet, number, sheets): (&[(usize, usize, Vec2)], u32, usize),
    (stock, room): (&LaidStock, &Room),
    pack: &Pack,
) -> Problem {
    let depth = top(sheet, kinds, kind_of) + pack.margin - stock.bounds.y0;
    let area: f64 = sheet.iter().map(|(part, ..)| kinds[kind_of[*part]].area).sum();
    let used = Rect { y1: stock.bounds.y0 + depth, ..stock.bounds };
    let used = match &room.edge {
        Some(_) => {
            region::area(&region::combined(&stock.rings(), &[corners(used)], Combine::Overlap))
        }
        None => used.area(),
    };
    let share = area / used.max(f64::MIN_POSITIVE);
    let laid = format!(
        "{} laid by outline: {} mm of the stock's depth are used, and parts fill {} % of that",
        count(sheet.len(), "part"),
        plain(depth, 1),
        plain(100.0 * share, 0)
    );
    if sheets == 1 {
        return Problem::note(Code::Sheets, laid, "");
    }
    let mut names: Vec<&str> = sheet.iter().map(|(part, ..)| parts[*part].name.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    let names: Vec<String> = names.into_iter().map(str::to_string).collect();
    let message = format!(
        "{laid}; {} take {sheets} sheets, and this is sheet {number} with {}",
        count(parts.len(), "part"),
        few(&names, 8)
    );
    let note = Problem::note(Code::Sheets, message, "sheet in copies makes the others");
    note.naming(names).with_remedy(Remedy::OtherSheet)
}

#[cfg(test)]
mod tests;
