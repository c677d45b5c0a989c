//! `tinkite look`.

use crate::console::Console;
use crate::door;
use crate::load;
use crate::refusal::{Refusal, Sources};
use crate::report::look::{LookJson, Looked};
use std::path::PathBuf;

pub(super) fn run(files: &[PathBuf], console: &Console) -> Result<(), Refusal> {
    let artworks = files.iter().map(|file| load::drawing(file)).collect::<Result<Vec<_>, _>>()?;
    let looked: Vec<_> = artworks.iter().map(Looked::at).collect();
    if console.json {
        return console.json(&LookJson { files: looked.iter().map(Looked::json).collect() });
    }
    for one in &looked {
        console.result(&one.text(console.colours_out()))?;
        door::show(one.doubts(), &Sources::new(), console);
    }
    Ok(())
}
