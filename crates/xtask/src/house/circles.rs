//! Files that ask each other.
//!
//! A room's own file (`mod.rs`, or `a.rs` beside the folder `a`) hands on what lies in the room and holds what all in it
//! share: a file and the rooms round it are one house, not two neighbours, so arrows between them do not count.

use super::modules::{Module, arrows, of};
use crate::packages::Packages;
use crate::{Done, root};
use std::collections::BTreeSet;
use std::path::Path;

/// Every circle, by its files.
pub(super) fn broken(packages: &Packages) -> Done<Vec<String>> {
    let mut found = Vec::new();
    for package in packages.own() {
        let modules = of(&package.folder.join("src"))?;
        let mut arrows = arrows(&modules);
        for (from, to) in arrows.iter_mut().enumerate() {
            to.retain(|to| !within(&modules[from], &modules[*to]));
        }
        for circle in circles(&arrows) {
            let name = |n: &usize| show(&modules[*n].file);
            found.push(circle.iter().map(name).collect::<Vec<_>>().join(", "));
        }
        found.extend(of_rooms(&modules, &arrows).map(|rooms| format!("{}: {rooms}", package.name)));
    }
    Ok(found)
}

/// Rooms that lie in the same room and ask each other, whichever of their files do.
fn of_rooms(modules: &[Module], arrows: &[Vec<usize>]) -> impl Iterator<Item = String> {
    let around: BTreeSet<&[String]> =
        modules.iter().flat_map(|m| (0..m.path.len()).map(|k| &m.path[..k])).collect();
    around.into_iter().flat_map(|around| {
        let inside = |n: usize| {
            let path = &modules[n].path;
            (path.len() > around.len() && path.starts_with(around)).then(|| &path[around.len()])
        };
        let names: BTreeSet<&String> = (0..modules.len()).filter_map(inside).collect();
        let names: Vec<&String> = names.into_iter().collect();
        let number = |name: &String| names.iter().position(|known| *known == name);
        let mut asks = vec![Vec::new(); names.len()];
        for (from, to) in arrows.iter().enumerate() {
            let Some(from) = inside(from).and_then(number) else { continue };
            asks[from].extend(to.iter().filter_map(|to| inside(*to).and_then(number)));
            asks[from].retain(|to| *to != from);
        }
        let told = |circle: Vec<usize>| {
            let names: Vec<&str> = circle.iter().map(|n| names[*n].as_str()).collect();
            format!(
                "{}{{{}}}",
                around.iter().map(|a| format!("{a}/")).collect::<String>(),
                names.join(", ")
            )
        };
        circles(&asks).into_iter().map(told).collect::<Vec<_>>()
    })
}

fn show(file: &Path) -> String {
    file.strip_prefix(root()).unwrap_or(file).display().to_string()
}

/// Whether one of two modules lies in the other.
fn within(a: &Module, b: &Module) -> bool {
    a.path.starts_with(&b.path) || b.path.starts_with(&a.path)
}

/// Groups of more than one, each of which reaches each other.
fn circles(arrows: &[Vec<usize>]) -> Vec<Vec<usize>> {
    let reach: Vec<Vec<bool>> = (0..arrows.len())
        .map(|from| {
            let mut seen = vec![false; arrows.len()];
            let mut open = arrows[from].clone();
            while let Some(n) = open.pop() {
                if !std::mem::replace(&mut seen[n], true) {
                    open.extend(&arrows[n]);
                }
            }
            seen
        })
        .collect();
    let mut told = vec![false; arrows.len()];
    let mut out = Vec::new();
    for n in 0..arrows.len() {
        if told[n] || !reach[n][n] {
            continue;
        }
        let circle: Vec<usize> =
            (n..arrows.len()).filter(|m| reach[n][*m] && reach[*m][n]).collect();
        circle.iter().for_each(|m| told[*m] = true);
        if circle.len() > 1 {
            out.push(circle);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::path::PathBuf;

    #[test]
    fn a_circle_is_found_and_a_chain_is_none() {
        assert_eq!(circles(&[vec![1], vec![2], vec![]]), Vec::<Vec<usize>>::new());
        assert_eq!(circles(&[vec![1], vec![2], vec![0], vec![0]]), [vec![0, 1, 2]]);
    }

    #[test]
    fn rooms_ask_each_other_through_whichever_of_their_files() {
        let module = |path: &[&str]| Module {
            path: path.iter().map(|p| (*p).to_string()).collect(),
            file: PathBuf::new(),
            code: String::new(),
        };
        let all = [["a", "x"], ["a", "y"], ["b", "x"]].map(|path| module(&path));
        // No file asks one that asks it, and yet the rooms do.
        let arrows = [vec![2], vec![], vec![1]];
        assert_eq!(circles(&arrows), Vec::<Vec<usize>>::new());
        assert_eq!(of_rooms(&all, &arrows).collect::<Vec<_>>(), ["{a, b}"]);
        assert!(within(&module(&["a"]), &all[0]) && !within(&all[0], &all[1]));
    }
}
