//! Bundles: a job and everything that it is made of in one file, which every command takes as the job.
//!
//! A file of a bundle has a path like any other, with the bundle as its folder: `panel.kite.zip/panel.svg`. Nothing
//! is ever unpacked onto the disk.

mod read;

pub(crate) use read::{exists, inside, job_in, list, read};

use serde::{Deserialize, Serialize};

/// The file that lists the others.
pub(crate) const LIST: &str = "bundle.json";

/// The folder of fonts.
pub(crate) const FONTS: &str = "fonts";

/// The folder of what is told about the job and this program; a job in the bundle uses none of it.
pub(crate) const REPORT: &str = "report";

/// The layout of bundles that this version writes, and the newest that it reads.
pub(crate) const LAYOUT: u32 = 1;

/// More than this all its files together are not, bytes.
pub(crate) const LARGEST: u64 = 1 << 30;

/// More files than this are no job.
pub(crate) const MOST_FILES: usize = 2000;

/// What is in a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct List {
    /// Which layout this is.
    pub(crate) tinkite_bundle: u32,
    /// What wrote it.
    pub(crate) made_by: String,
    /// The job's name among the files.
    pub(crate) job: String,
    pub(crate) files: Vec<Entry>,
}

/// A file in a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Entry {
    /// Its name, with `/` between folders.
    pub(crate) name: String,
    pub(crate) bytes: u64,
    /// In hexadecimal.
    pub(crate) sha256: String,
}
