//! What our files look like, for editors: descriptions as JSON Schema. Readers of jobs and profiles decide what a file
//! may say; a test holds these descriptions against them, key by key and word by word.
#![expect(dead_code, reason = "nothing of this is ever made: it is described")]

mod anchor;
mod artwork;
mod book;
mod image;
mod job;
mod lines;
mod machine;
mod quantity;
mod step;
mod take;

use schemars::{Schema, schema_for};

/// Of a job file.
#[must_use]
pub fn job() -> Schema {
    schema_for!(job::JobFile)
}

/// Of a machine profile.
#[must_use]
pub fn machine() -> Schema {
    schema_for!(machine::MachineFile)
}

/// Of a book of recipes.
#[must_use]
pub fn recipes() -> Schema {
    schema_for!(book::RecipesFile)
}
