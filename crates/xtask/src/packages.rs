//! The packages that the workspace is built from, as cargo knows them.

use crate::{Done, root};
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::process::Command;

/// One package.
pub(super) struct Package {
    pub(super) name: String,
    pub(super) version: String,
    /// An SPDX expression.
    pub(super) licence: Option<String>,
    /// The oldest compiler that it says it needs.
    pub(super) rust: Option<String>,
    /// Its folder.
    pub(super) folder: PathBuf,
    /// Whether it is one of ours.
    pub(super) own: bool,
    /// Names of the packages that it stands on: not those of tests or builds.
    pub(super) on: BTreeSet<String>,
    /// Packages of its whole tree that it is built with, builds included, by their ids.
    below: BTreeSet<String>,
}

/// All packages by their ids.
pub(super) struct Packages(BTreeMap<String, Package>);

impl Packages {
    /// Asks cargo.
    pub(super) fn read() -> Done<Self> {
        let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
        let out = Command::new(cargo)
            .current_dir(root())
            .args(["metadata", "--format-version", "1", "--locked"])
            .output()?;
        if !out.status.success() {
            return Err(String::from_utf8_lossy(&out.stderr).into_owned().into());
        }
        let all: Value = serde_json::from_slice(&out.stdout)?;
        let own: BTreeSet<&str> = texts(&all["workspace_members"]).collect();
        let mut packages = BTreeMap::new();
        for one in list(&all["packages"]) {
            let id = text(&one["id"]);
            let on = list(&one["dependencies"])
                .filter(|needed| needed["kind"].is_null())
                .map(|needed| text(&needed["name"]))
                .collect();
            let manifest = PathBuf::from(text(&one["manifest_path"]));
            let package = Package {
                name: text(&one["name"]),
                version: text(&one["version"]),
                licence: one["license"].as_str().map(str::to_string),
                rust: one["rust_version"].as_str().map(str::to_string),
                folder: manifest.parent().map(PathBuf::from).unwrap_or_default(),
                own: own.contains(id.as_str()),
                on,
                below: BTreeSet::new(),
            };
            packages.insert(id, package);
        }
        for node in list(&all["resolve"]["nodes"]) {
            let needed = list(&node["deps"])
                .filter(|needed| list(&needed["dep_kinds"]).any(|kind| kind["kind"] != "dev"));
            let below = needed.map(|needed| text(&needed["pkg"])).collect();
            if let Some(package) = packages.get_mut(&text(&node["id"])) {
                package.below = below;
            }
        }
        Ok(Self(packages))
    }

    /// All of them.
    pub(super) fn all(&self) -> impl Iterator<Item = &Package> {
        self.0.values()
    }

    /// Ours.
    pub(super) fn own(&self) -> impl Iterator<Item = &Package> {
        self.all().filter(|package| package.own)
    }

    /// The package called `name` and everything that it is built with.
    pub(super) fn tree(&self, name: &str) -> Vec<&Package> {
        let mut open: Vec<&String> =
            self.0.iter().filter(|(_, p)| p.name == name && p.own).map(|(id, _)| id).collect();
        let mut seen = BTreeSet::new();
        while let Some(id) = open.pop() {
            if seen.insert(id)
                && let Some(package) = self.0.get(id)
            {
                open.extend(&package.below);
            }
        }
        let mut tree: Vec<&Package> = seen.into_iter().filter_map(|id| self.0.get(id)).collect();
        tree.sort_by(|a, b| (&a.name, &a.version).cmp(&(&b.name, &b.version)));
        tree
    }
}

fn list(value: &Value) -> impl Iterator<Item = &Value> {
    value.as_array().into_iter().flatten()
}

fn texts(value: &Value) -> impl Iterator<Item = &str> {
    list(value).filter_map(Value::as_str)
}

fn text(value: &Value) -> String {
    value.as_str().unwrap_or_default().to_string()
}
