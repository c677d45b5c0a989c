//! Recipes for the steps of a job that is begun, and what is said where there is none.

use tinkite_base::problem::{Code, Location, Problem, Problems, few};
use tinkite_job::recipe::{Near, Shelf, Wanted};

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
        let mut near: Vec<String> = Vec::new();
        for (_, found) in &self.missing {
            let text = match found {
                Near::None(all) => all.first().map(|(found, differ)| {
                    let differ: Vec<String> = differ.iter().map(ToString::to_string).collect();
                    format!("{} ({})", found.recipe, differ.join(", "))
                }),
                Near::Several(all) => {
                    Some(all.iter().map(ToString::to_string).collect::<Vec<_>>().join(" or "))
                }
            };
            near.extend(text);
        }
        let message = format!(
            "no recipe to {} {}: speed and power are guesses",
            few(&makes, 3),
            self.wanted.material
        );
        let named = |material: &&str| {
            let known = material.to_lowercase();
            self.wanted.material.to_lowercase().split_whitespace().any(|word| known.contains(word))
        };
        let help = if near.is_empty() {
            let alike: Vec<String> = self
                .shelf
                .materials()
                .into_iter()
                .filter(named)
                .map(|m| format!("\"{m}\""))
                .collect();
            match alike.is_empty() {
                true => "burn a test sheet first, and keep what worked".to_string(),
                false => format!("there are recipes for {}: say it so", few(&alike, 4)),
            }
        } else {
            format!("the nearest: {}; say what it is for to take it", few(&near, 3))
        };
        let problem = Problem::warning(Code::NoRecipe, message, help);
        told.push(problem.at(Location::file(file)));
        told
    }
}
