//! Finding machine profiles: beside the job, in the user's own folder, among the shipped ones.

use crate::bundle;
use crate::refusal::{Refusal, Sources};
use crate::shipped;
use crate::source;
use etcetera::BaseStrategy;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use tinkite_core::machine;
use tinkite_core::machine::Machine;
use tinkite_core::problem::{Code, Location, Problem, Problems, Remedy, count, few, nearest};
use tinkite_core::quantity::plain;

/// The ending of profiles.
const ENDING: &str = ".machine.toml";

/// Where a profile comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ProfileOrigin {
    /// A file that was named, or lies beside the job.
    File(PathBuf),
    /// A file in the user's own folder.
    Own(PathBuf),
    /// This program brings it along.
    Shipped,
}

impl ProfileOrigin {
    /// In words.
    pub fn words(&self) -> String {
        match self {
            Self::File(path) => path.display().to_string(),
            Self::Own(path) => format!("{} (your own folder)", path.display()),
            Self::Shipped => "shipped: a starting point to copy and change".into(),
        }
    }
}

/// A profile's text and where it was found.
#[derive(Debug, Clone)]
pub struct FoundProfile {
    /// What the machine is called.
    pub name: String,
    /// Where the profile was found.
    pub from: ProfileOrigin,
    /// The profile itself.
    pub text: String,
}

impl FoundProfile {
    /// What problems call it.
    fn shown(&self) -> String {
        match &self.from {
            ProfileOrigin::File(path) | ProfileOrigin::Own(path) => path.display().to_string(),
            ProfileOrigin::Shipped => format!("{} (shipped)", self.name),
        }
    }

    /// Reads it.
    pub fn read(&self, sources: &mut Sources) -> Result<Machine, Refusal> {
        sources.insert(self.shown(), self.text.clone());
        machine::read(&self.shown(), &self.text)
            .map_err(|problems| Refusal::Problems(problems, sources.clone()))
    }
}

/// The user's own folder for profiles.
pub fn own_folder() -> Option<PathBuf> {
    let folder = etcetera::choose_base_strategy().ok()?.config_dir();
    Some(folder.join("tinkite").join("machines"))
}

/// Whether a name is a path to a file.
pub fn is_path(name: &str) -> bool {
    name.contains(['/', '\\']) || name.ends_with(".toml")
}

/// Whether a profile of this name lies in a folder.
pub fn lies_in(name: &str, folder: &Path) -> bool {
    source::exists(&folder.join(format!("{name}{ENDING}")))
}

/// Finds a profile: a path, or a name looked for in `folder`, in the user's own folder and among
/// the shipped ones, in this order.
pub fn find(name: &str, folder: &Path) -> Result<FoundProfile, Refusal> {
    let found = |from: ProfileOrigin, text| {
        ::log::info!("machine {name}: {}", from.words());
        Ok(FoundProfile { name: name.to_string(), from, text })
    };
    if is_path(name) {
        let path = source::resolve(folder, name)?;
        let text = source::text(&path)?;
        return found(ProfileOrigin::File(path), text);
    }
    let beside = folder.join(format!("{name}{ENDING}"));
    if source::exists(&beside) {
        let text = source::text(&beside)?;
        return found(ProfileOrigin::File(beside), text);
    }
    if let Some(path) = own_folder().map(|own| own.join(format!("{name}{ENDING}")))
        && path.exists()
    {
        let text = source::text(&path)?;
        return found(ProfileOrigin::Own(path), text);
    }
    if let Some((_, text)) = shipped::MACHINES.iter().find(|(known, _)| *known == name) {
        return found(ProfileOrigin::Shipped, (*text).to_string());
    }
    let all: Vec<String> = all(folder).into_iter().map(|found| found.name).collect();
    let help = match nearest(name, all.iter().map(String::as_str)) {
        Some(near) => format!("did you mean \"{near}\"? Or put {} there", beside.display()),
        None => format!("put {} there, or use one of: {}", beside.display(), all.join(", ")),
    };
    let problem =
        Problem::error(Code::NoMachine, format!("there is no machine called \"{name}\""), help);
    Err(Refusal::Problems(problem.into(), Sources::new()))
}

/// Says that the profile in a bundle is not the one that this computer has by the same name: its limits count for
/// what is made of the bundle, and may be those of another machine.
pub fn unlike_own(name: &str, job: &Path, profile: &str) -> Option<Problem> {
    let (bundle, _) = bundle::inside(job)?;
    let name = machine::profile_name(name);
    let own = own_folder()?.join(format!("{name}{ENDING}"));
    let text = own.exists().then(|| source::text(&own).ok()).flatten()?;
    if text == profile {
        return None;
    }
    let message = format!(
        "the profile of \"{name}\" in the bundle is not the one that this computer has ({})",
        own.display()
    );
    let help = "what is made of the bundle keeps the bundle's limits: compare the two, or say --machine with the path of yours";
    let place = Location::file(&bundle.display().to_string());
    Some(Problem::warning(Code::Bundle, message, help).at(place))
}

/// Every profile that can be named from `folder`: what the name means there.
pub fn all(folder: &Path) -> Vec<FoundProfile> {
    let mut found = in_folder(folder, ProfileOrigin::File);
    if let Some(own) = own_folder() {
        found.extend(in_folder(&own, ProfileOrigin::Own));
    }
    found.extend(shipped::MACHINES.iter().map(|(name, text)| FoundProfile {
        name: (*name).to_string(),
        from: ProfileOrigin::Shipped,
        text: (*text).to_string(),
    }));
    // The first of a name is the one that is meant.
    let mut names = BTreeSet::new();
    found.retain(|found| names.insert(found.name.clone()));
    found
}

/// Names the machines of this computer that take what is too large for one: those with a bed for it.
pub fn name_larger(problems: &mut Problems, folder: &Path) {
    let larger = |problem: &Problem| match problem.remedy {
        Some(Remedy::LargerBed(size)) => Some(size.mm()),
        _ => None,
    };
    if problems.iter().all(|problem| larger(problem).is_none()) {
        return;
    }
    let beds: Vec<(String, f64, f64)> = all(folder)
        .iter()
        .filter_map(|found| {
            let bed = found.read(&mut Sources::new()).ok()?.bed;
            Some((found.name.clone(), bed.width, bed.depth))
        })
        .collect();
    *problems = std::mem::take(problems)
        .into_iter()
        .map(|mut problem| {
            let Some((width, depth)) = larger(&problem) else { return problem };
            let takes = |(name, w, d): &(String, f64, f64)| {
                let within = |x: f64, y: f64| x <= *w && y <= *d;
                let turned = !within(width, depth);
                let fits = within(width, depth) || within(depth, width);
                let turned = if turned { ", turned" } else { "" };
                fits.then(|| format!("{name} ({} x {} mm{turned})", plain(*w, 0), plain(*d, 0)))
            };
            let names: Vec<String> = beds.iter().filter_map(takes).collect();
            problem.help += &match names.len() {
                0 => format!("; none of the {} known here takes it", count(beds.len(), "machine")),
                _ => format!("; these machines take it: {}", few(&names, 4)),
            };
            problem
        })
        .collect();
}

fn in_folder(folder: &Path, from: fn(PathBuf) -> ProfileOrigin) -> Vec<FoundProfile> {
    let one = |path: PathBuf| {
        let name = path.file_name()?.to_str()?.strip_suffix(ENDING)?.to_string();
        let text = source::text(&path).ok()?;
        Some(FoundProfile { name, from: from(path), text })
    };
    source::list(folder).into_iter().filter_map(one).collect()
}
