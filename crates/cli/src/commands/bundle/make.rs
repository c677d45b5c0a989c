//! Making bundles.

use super::{private, report};
use crate::args::LogFile;
use fontdb::Source;
use std::collections::BTreeMap;
use std::io::{Cursor, Write};
use std::path::{Component, Path};
use std::sync::Arc;
use tinkite_core::artwork::{FontSupply, LARGEST_FILE};
use tinkite_core::checksum::{Checksum, checksum};
use tinkite_core::job::recipe::Kept;
use tinkite_core::program::{Comments, Program};
use tinkite_files::bundle::{BundleEntry, FONTS, LAYOUT, LIST, List, REPORT};
use tinkite_files::call::JobCall;
use tinkite_files::fonts::{JobFonts, LARGEST_FONT, MachineFonts};
use tinkite_files::load;
use tinkite_files::refusal::Refusal;
use tinkite_files::source;
use toml_edit::{DocumentMut, Item, TableLike, TomlError, Value, value};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// A bundle, as it will be written.
pub(crate) struct Bundled {
    /// The archive.
    pub(crate) bytes: Vec<u8>,
    pub(crate) files: Vec<BundleEntry>,
    /// Files that the job names elsewhere, and what they are called in the bundle.
    pub(crate) renamed: Vec<(String, String)>,
    /// SHA-256 of the program that comes of the job, here and from the bundle alike; `None` where it is refused.
    pub(crate) program: Option<String>,
    /// Pictures that may tell more than their pixels: of them nothing could be taken away.
    pub(crate) tell_more: Vec<String>,
}

/// The files of a bundle, by name.
#[derive(Default)]
struct Files {
    all: BTreeMap<String, Vec<u8>>,
    renamed: Vec<(String, String)>,
}

impl Files {
    /// Adds a file that the job names; what it is called in the bundle.
    fn add(&mut self, named: &str, content: Vec<u8>) -> Result<String, Refusal> {
        let plain = Path::new(named).components().all(|part| matches!(part, Component::Normal(_)));
        let name = if plain {
            named.replace('\\', "/")
        } else {
            let base = Path::new(named).file_name().unwrap_or_default().to_string_lossy();
            let name = format!("files/{base}");
            self.renamed.push((named.into(), name.clone()));
            name
        };
        self.put(name, content)
    }

    fn put(&mut self, name: String, content: Vec<u8>) -> Result<String, Refusal> {
        match self.all.get(&name) {
            Some(other) if *other != content => Err(Refusal::Usage(format!(
                "two different files would be called {name} in the bundle: give one of them another name"
            ))),
            _ => {
                self.all.insert(name.clone(), content);
                Ok(name)
            }
        }
    }
}

/// Gathers a job and everything that it is made of; with a log, also a report with the job's last run in it.
pub(crate) fn bundle(path: &Path, report_with: Option<&LogFile>) -> Result<Bundled, Refusal> {
    if tinkite_files::bundle::inside(path).is_some() {
        let why = format!("{} lies in a bundle already: copy that", path.display());
        return Err(Refusal::Usage(why));
    }
    let args = JobCall::whole(path.to_path_buf(), None);
    let loaded = load::job(path, None, &[])?;
    let folder = load::folder_of(path);
    let text = source::text(path)?;
    let mut job: DocumentMut = text
        .parse()
        .map_err(|error: TomlError| Refusal::failed(path.display().to_string(), error))?;
    let mut files = Files::default();
    let photo = loaded.job.photo.iter().map(|photo| &photo.file);
    let table = loaded.job.placement.copies.each.iter().map(|each| &each.file);
    let mut named: Vec<&String> =
        loaded.job.artworks.iter().map(|one| &one.file).chain(photo).chain(table).collect();
    named.sort();
    named.dedup();
    let mut tell_more = Vec::new();
    for file in named {
        let mut content = source::bytes(&folder.join(file), LARGEST_FILE)?;
        if report_with.is_some() {
            let (bare, tells) = private::picture(file, content);
            content = bare;
            tell_more.extend(tells.then(|| file.clone()));
        }
        let name = files.add(file, content)?;
        if name != *file {
            // Steps may speak of it as well.
            rename(job.as_table_mut(), file, &name);
        }
    }
    let machine = job.get("machine").and_then(Item::as_str).unwrap_or_default().to_string();
    let profile = match report_with {
        Some(_) => private::profile(&machine, &loaded.profile)?,
        None => loaded.profile.clone(),
    };
    let profile = profile.into_bytes();
    if tinkite_files::machines::is_path(&machine) {
        let name = files.add(&machine, profile)?;
        if name != machine {
            job.insert("machine", value(&name));
        }
    } else {
        files.put(format!("{machine}.machine.toml"), profile)?;
    }
    for book in loaded.books.iter().filter(|book| book.kept != Kept::Shipped) {
        let base = Path::new(&book.name).file_name().unwrap_or_default().to_string_lossy();
        files.put(base.into_owned(), book.text.clone().into_bytes())?;
    }
    for (name, content) in used_fonts(&args)? {
        files.put(format!("{FONTS}/{name}"), content)?;
    }
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let content = if files.renamed.is_empty() { text } else { job.to_string() };
    files.put(name.clone(), content.into_bytes())?;
    let failed = |error: std::io::Error| Refusal::output("the bundle", error);
    let (_, bytes) = listed_and_packed(&name, &files.all)?;
    let mut trial = tempfile::Builder::new().suffix(".kite.zip").tempfile().map_err(failed)?;
    trial.write_all(&bytes).map_err(failed)?;
    let program = same_program(path, trial.path())?;
    if let Some(log) = report_with {
        for (name, content) in report::report(trial.path(), path, log, program.is_some())? {
            files.put(format!("{REPORT}/{name}"), content)?;
        }
    }
    let (entries, bytes) = listed_and_packed(&name, &files.all)?;
    Ok(Bundled { bytes, files: entries, renamed: files.renamed, program, tell_more })
}

/// The list of a bundle's files, and the archive with it.
fn listed_and_packed(
    job: &str,
    files: &BTreeMap<String, Vec<u8>>,
) -> Result<(Vec<BundleEntry>, Vec<u8>), Refusal> {
    let entry = |(name, content): (&String, &Vec<u8>)| BundleEntry {
        name: name.clone(),
        bytes: content.len() as u64,
        sha256: checksum(content),
    };
    let entries: Vec<BundleEntry> = files.iter().map(entry).collect();
    let list = List {
        tinkite_bundle: LAYOUT,
        made_by: format!("tinkite {}", env!("CARGO_PKG_VERSION")),
        job: job.into(),
        files: entries.clone(),
    };
    let bytes = pack(&list, files).map_err(|error| Refusal::failed("the bundle", error))?;
    Ok((entries, bytes))
}

/// Puts another name in the place of a file's, wherever a table says it.
fn rename(table: &mut dyn TableLike, from: &str, to: &str) {
    for (key, item) in table.iter_mut() {
        let says = matches!(key.get(), "file" | "artwork" | "each") && item.as_str() == Some(from);
        match item {
            Item::Value(one) if says => *one = to.into(),
            Item::Table(inner) => rename(inner, from, to),
            Item::ArrayOfTables(all) => all.iter_mut().for_each(|inner| rename(inner, from, to)),
            Item::Value(Value::InlineTable(inner)) => rename(inner, from, to),
            Item::Value(Value::Array(all)) => {
                let tables = all.iter_mut().filter_map(Value::as_inline_table_mut);
                tables.for_each(|inner| rename(inner, from, to));
            }
            _ => {}
        }
    }
}

/// The same files always give the same bytes: no clock, and names in order.
fn pack(
    list: &List,
    files: &BTreeMap<String, Vec<u8>>,
) -> Result<Vec<u8>, Box<dyn std::error::Error + Send + Sync>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let how = SimpleFileOptions::default()
        .compression_method(CompressionMethod::Deflated)
        .last_modified_time(zip::DateTime::default())
        .unix_permissions(0o644);
    zip.start_file(LIST, how)?;
    zip.write_all(&serde_json::to_vec_pretty(list)?)?;
    for (name, content) in files {
        zip.start_file(name.as_str(), how)?;
        zip.write_all(content)?;
    }
    Ok(zip.finish()?.into_inner())
}

/// Holds the program that comes of the bundle `trial` against that of the folder.
fn same_program(path: &Path, trial: &Path) -> Result<Option<String>, Refusal> {
    let here = program(path);
    let there = program(&tinkite_files::bundle::job_in(trial)?);
    match (here, there) {
        (Some(here), Some(there)) if here == there => Ok(Some(here)),
        // A job that is refused here is refused there as well: somebody may want to help with it.
        (None, None) => Ok(None),
        _ => Err(Refusal::Usage(
            "the bundle would not give the program that the folder gives, so it is not written: please report this job".into(),
        )),
    }
}

/// SHA-256 of the program of a job; `None` where it is refused.
fn program(path: &Path) -> Option<String> {
    let made = load::make(&JobCall::whole(path.to_path_buf(), None)).ok()?;
    let mut sum = Checksum::default();
    Program::new(made.compiled.within).write(Comments::Full, &mut sum).ok()?;
    Some(sum.hex())
}

/// The files of the fonts that a job's text is drawn with, but for our own, by name.
fn used_fonts(args: &JobCall) -> Result<Vec<(String, Vec<u8>)>, Refusal> {
    let fonts = JobFonts::of(&args.job);
    // A job that is refused further on has drawn its text before.
    match load::made_with(args, &fonts) {
        Ok(_) | Err(Refusal::Problems(..)) => {}
        Err(other) => return Err(other),
    }
    let into_used = fonts.into_used();
    let all = if into_used.is_empty() { Arc::default() } else { MachineFonts.fonts() };
    let mut files: Vec<(String, Vec<u8>)> = Vec::new();
    for face in into_used.into_iter().filter_map(|id| all.face(id)) {
        let Source::File(path) = &face.source else { continue };
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if !files.iter().any(|(other, _)| *other == name) {
            files.push((name, source::bytes(path, LARGEST_FONT)?));
        }
    }
    files.sort();
    Ok(files)
}
