//! One entity: its tags, and what all kinds have in common.

use super::colours;
use super::tags::Tag;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Affine, Point};

/// An entity as it stands in the file, with the entities that belong to it (vertices, attributes).
#[derive(Debug, Clone, Copy)]
pub(super) struct Entity<'t> {
    pub(super) kind: &'t str,
    pub(super) tags: &'t [Tag<'t>],
    pub(super) line: u32,
    /// What stands behind its own tags: an object embedded in it.
    pub(super) embedded: &'t [Tag<'t>],
}

/// How an entity says its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Paint {
    ByLayer,
    ByBlock,
    Colour(Colour),
}

impl<'t> Entity<'t> {
    pub(super) fn tag(&self, code: i32) -> Option<&'t Tag<'t>> {
        self.tags.iter().find(|tag| tag.code == code)
    }

    pub(super) fn real(&self, code: i32) -> Option<f64> {
        self.tag(code).and_then(Tag::real)
    }

    pub(super) fn real_or(&self, code: i32, other: f64) -> f64 {
        self.real(code).unwrap_or(other)
    }

    pub(super) fn whole_or(&self, code: i32, other: i64) -> i64 {
        self.tag(code).and_then(Tag::whole).unwrap_or(other)
    }

    pub(super) fn text(&self, code: i32) -> &'t str {
        self.tag(code).map_or("", |tag| tag.text().trim())
    }

    /// The object that is embedded in it, as one of the same kind.
    pub(super) fn embedded(&self) -> Option<Self> {
        let embedded = (!self.embedded.is_empty()).then_some(self.embedded)?;
        Some(Self { tags: embedded, embedded: &[], ..*self })
    }

    /// The point with its x under `code`.
    pub(super) fn point(&self, code: i32) -> Option<Point> {
        Some(Point::new(self.real(code)?, self.real(code + 10)?))
    }

    /// All values under `code`, in order.
    pub(super) fn reals(&self, code: i32) -> Vec<f64> {
        self.tags.iter().filter(|tag| tag.code == code).filter_map(Tag::real).collect()
    }

    /// All points with their x under `code`, in order.
    pub(super) fn points(&self, code: i32) -> Vec<Point> {
        let (x, y) = (self.reals(code), self.reals(code + 10));
        x.into_iter().zip(y).map(Point::from).collect()
    }

    pub(super) fn layer(&self) -> &'t str {
        let name = self.text(8);
        if name.is_empty() { "0" } else { name }
    }

    pub(super) fn handle(&self) -> Option<String> {
        Some(self.text(5)).filter(|text| !text.is_empty()).map(str::to_string)
    }

    pub(super) fn paint(&self) -> Paint {
        if let Some(number) = self.tag(420).and_then(Tag::whole) {
            return Paint::Colour(colours::true_colour(number));
        }
        match self.whole_or(62, 256) {
            0 => Paint::ByBlock,
            index => colours::of_index(index).map_or(Paint::ByLayer, Paint::Colour),
        }
    }

    /// Whether it lies on a sheet for printing and not in the model.
    pub(super) fn on_paper(&self) -> bool {
        self.whole_or(67, 0) == 1
    }

    pub(super) fn invisible(&self) -> bool {
        self.whole_or(60, 0) == 1
    }

    /// Carries the entity's own plane to the drawing's, seen from above (DXF reference, "Arbitrary
    /// axis algorithm"); a mirrored entity has its normal pointing down.
    pub(super) fn plane(&self) -> Affine {
        let normal = [self.real_or(210, 0.0), self.real_or(220, 0.0), self.real_or(230, 1.0)];
        let length = normal.iter().map(|c| c * c).sum::<f64>().sqrt();
        if length < 1e-12 {
            return Affine::IDENTITY;
        }
        let n = normal.map(|c| c / length);
        let unit = |v: [f64; 3]| {
            let length = v.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-12);
            v.map(|c| c / length)
        };
        let ax = if n[0].abs() < 1.0 / 64.0 && n[1].abs() < 1.0 / 64.0 {
            unit(cross([0.0, 1.0, 0.0], n))
        } else {
            unit(cross([0.0, 0.0, 1.0], n))
        };
        let ay = unit(cross(n, ax));
        let z = self.real_or(38, self.real_or(30, 0.0));
        Affine::new([ax[0], ax[1], ay[0], ay[1], z * n[0], z * n[1]])
    }
}

pub(super) fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/// The tags between two `0` tags, as entities.
pub(super) fn entities<'t>(tags: &'t [Tag<'t>]) -> Vec<Entity<'t>> {
    let starts: Vec<usize> =
        tags.iter().enumerate().filter(|(_, tag)| tag.code == 0).map(|(n, _)| n).collect();
    let ends = starts.iter().skip(1).copied().chain([tags.len()]);
    starts
        .iter()
        .zip(ends)
        .map(|(start, end)| {
            let all = &tags[start + 1..end];
            // Behind this one the same codes mean other things.
            let own = all.iter().position(|tag| tag.code == 101).unwrap_or(all.len());
            Entity {
                kind: tags[*start].text().trim(),
                tags: &all[..own],
                line: tags[*start].line,
                embedded: all.get(own + 1..).unwrap_or_default(),
            }
        })
        .collect()
}
