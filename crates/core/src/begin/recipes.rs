//! Recipes for the steps of a job that is begun, and what is said where there is none.

use tinkite_base::problem::{Code, Location, Problem, Problems, Remedy, few};
use tinkite_base::quantity::plain;
use tinkite_job::recipe::{
    Difference, FoundRecipe, Near, Shelf, Wanted, calls_material, material_key,
};

/// Looks recipes up, and keeps in mind for what there is none.
pub(super) struct Recipes<'s> {
    shelf: &'s Shelf,
    wanted: &'s Wanted,
    /// Makes without a recipe, each with what is nearest.
    missing: Vec<(String, Near<'s>)>,
}

impl<'s> Recipes<'s> {
    pub(super) fn new(shelf: &'s Shelf, wanted: &'s Wanted) -> Self {
        Self { shelf, wanted, missing: Vec::new() }
    }

    /// The recipe for a make, in words.
    pub(super) fn find(&mut self, make: &str) -> Option<String> {
        match self.shelf.find(make, self.wanted) {
            Ok(found) => Some(found.in_its_book()),
            Err(near) => {
                if !self.missing.iter().any(|(known, _)| known == make) {
                    self.missing.push((make.into(), near));
                }
                None
            }
        }
    }

    /// What is told of makes without a recipe, where a material was said.
    pub(super) fn missing(self, file: &str) -> Problems {
        let mut told = Problems::new();
        if self.wanted.material.is_empty() || self.missing.is_empty() {
            return told;
        }
        let makes: Vec<String> = self.missing.iter().map(|(make, _)| make.clone()).collect();
        let message = format!(
            "no recipe to {} {}: speed and power are guesses",
            few(&makes, 3),
            self.wanted.material
        );
        let (help, remedy) = self.nearest();
        let problem = Problem::warning(Code::NoRecipe, message, help).with_remedy(remedy);
        told.push(problem.at(Location::file(file)));
        told
    }

    /// What comes nearest to the recipes that are missing, and what makes one of it.
    fn nearest(&self) -> (String, Remedy) {
        let mut near: Vec<String> = Vec::new();
        // Makes for which all that is known is for other sources.
        let mut elsewhere: Vec<String> = Vec::new();
        for (make, found) in &self.missing {
            match found {
                Near::None(all) => {
                    let for_this = |(_, differ): &&(FoundRecipe<'_>, Vec<Difference>)| {
                        !differ.iter().any(|d| matches!(d, Difference::Watts(..)))
                    };
                    let here = all.iter().find(for_this);
                    let Some((found, differ)) = here.or(all.first()) else { continue };
                    if here.is_none() {
                        elsewhere.push(make.clone());
                    }
                    let differ: Vec<String> = differ.iter().map(ToString::to_string).collect();
                    near.push(format!("{} ({})", found.recipe, differ.join(", ")));
                }
                Near::Several(all) => {
                    near.push(all.iter().map(ToString::to_string).collect::<Vec<_>>().join(" or "));
                }
            }
        }
        if !elsewhere.is_empty() {
            let source = match self.wanted.watts {
                Some(watts) => format!("a source of {} W", plain(watts, 1)),
                None => "a source of unknown power".into(),
            };
            let help = format!(
                "no book knows how to {} {} with {source}; the nearest: {}; find yours on a test sheet",
                few(&elsewhere, 3),
                self.wanted.material,
                few(&near, 3)
            );
            return (help, Remedy::TestSheet);
        }
        if !near.is_empty() {
            let help = format!("the nearest: {}; work yours out from it", few(&near, 3));
            return (help, Remedy::CopyRecipe);
        }
        let materials = self.shelf.materials();
        let alike: Vec<String> = materials
            .into_iter()
            .filter(|known| {
                let words = material_key(&self.wanted.material);
                words.split(' ').any(|word| calls_material(word, known))
            })
            .map(|material| format!("\"{material}\""))
            .collect();
        match alike.is_empty() {
            true => ("burn a test sheet first, and keep what worked".into(), Remedy::TestSheet),
            false => {
                let help = format!("there are recipes for {}: say it so", few(&alike, 4));
                (help, Remedy::SayMaterial)
            }
        }
    }
}
