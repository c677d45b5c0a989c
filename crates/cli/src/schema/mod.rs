//! What our files look like, for editors: descriptions only. The readers in the core decide, and a test holds these
//! descriptions against them, key by key and word by word.
#![expect(dead_code, reason = "nothing of this is ever made: it is described")]

pub(crate) mod artwork;
pub(crate) mod book;
pub(crate) mod image;
pub(crate) mod job;
pub(crate) mod machine;
mod quantity;
pub(crate) mod step;
