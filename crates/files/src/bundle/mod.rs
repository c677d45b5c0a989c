//! Bundles: a job and everything that it is made of in one file, which every command takes as the job.
//!
//! A file of a bundle has a path like any other, with the bundle as its folder: `panel.kite.zip/panel.svg`. Nothing
//! is ever unpacked onto the disk.

mod read;

pub use read::{exists, inside, is_bundle, job_in, list, read};

use serde::{Deserialize, Serialize};

/// The file that lists the others.
pub const LIST: &str = "bundle.json";

/// The folder of fonts.
pub const FONTS: &str = "fonts";

/// The folder of what is told about the job and this program; a job in the bundle uses none of it.
pub const REPORT: &str = "report";

/// The layout of bundles that this version writes, and the newest that it reads.
pub const LAYOUT: u32 = 1;

/// More than this all its files together are not, bytes.
pub const LARGEST: u64 = 1 << 30;

/// More files than this are no job.
pub const MOST_FILES: usize = 2000;

/// What is in a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct List {
    /// Which layout this is.
    pub tinkite_bundle: u32,
    /// What wrote it.
    pub made_by: String,
    /// The job's name among the files.
    pub job: String,
    /// All of them, this list aside.
    pub files: Vec<BundleEntry>,
}

/// A file in a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BundleEntry {
    /// Its name, with `/` between folders.
    pub name: String,
    /// How many bytes it has.
    pub bytes: u64,
    /// In hexadecimal.
    pub sha256: String,
}
