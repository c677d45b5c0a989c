//! Files that once brought an importer down or to a stand: each must end in a message or a drawing.
#![allow(clippy::disallowed_methods)] // tests read their own files

use tinkite_core::artwork::{self, layers::layers, trouble};

#[test]
fn hostile_files_end() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/hostile");
    let mut files: Vec<_> =
        std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    assert!(!files.is_empty());
    for file in files {
        let bytes = std::fs::read(&file).unwrap();
        match artwork::read("hostile", &bytes, &Default::default()) {
            Ok(art) => {
                let _ = (layers(&art, 0.05), trouble(&art, 0.05));
            }
            Err(problems) => assert!(problems.refuse()),
        }
    }
}
