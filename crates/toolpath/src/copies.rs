//! Which copies an engraved area lies in, where copies have names of their own.

use std::collections::BTreeMap;
use tinkite_base::geometry::{Contour, Point, Rect};
use tinkite_base::problem::few;
use tinkite_layout::LaidShape;

/// More names than this are counted.
const NAMED: usize = 4;

/// The rectangles round what each copy engraves, with its name.
pub(super) struct Copies<'a>(Vec<(&'a str, Rect)>);

impl<'a> Copies<'a> {
    pub(super) fn of(shapes: &[&'a LaidShape]) -> Self {
        let mut copies: BTreeMap<u32, (&str, Rect)> = BTreeMap::new();
        for laid in shapes {
            let Some(name) = laid.copy.as_deref() else { continue };
            for bounds in laid.contours.iter().map(Contour::bounds) {
                let copy = copies.entry(laid.number).or_insert((name, bounds));
                copy.1 = copy.1.union(bounds);
            }
        }
        Self(copies.into_values().collect())
    }

    /// What is called `name`, with the copies that `stretches` touch.
    pub(super) fn name(
        &self,
        name: &str,
        stretches: impl Iterator<Item = (Point, Point)>,
    ) -> String {
        let mut touched = vec![false; self.0.len()];
        if !touched.is_empty() {
            for (from, to) in stretches {
                let stretch = Rect::from_points(from, to).inflate(1e-3, 1e-3);
                for (touched, (_, copy)) in touched.iter_mut().zip(&self.0) {
                    *touched = *touched || copy.overlaps(stretch);
                }
            }
        }
        let names = self.0.iter().zip(touched).filter(|(_, touched)| *touched);
        let names: Vec<String> = names.map(|((name, _), _)| (*name).to_string()).collect();
        if names.is_empty() { name.to_string() } else { format!("{name}, {}", few(&names, NAMED)) }
    }
}
