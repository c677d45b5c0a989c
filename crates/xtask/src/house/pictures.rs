//! Pictures of the docs that nothing makes and nothing shows.

use crate::{Done, root};
use std::fs;
use std::path::PathBuf;
use std::process::Command;

/// Files of the repository, as git knows them.
pub(super) fn files() -> Done<Vec<PathBuf>> {
    let out = Command::new("git").current_dir(root()).arg("ls-files").output()?;
    Ok(String::from_utf8_lossy(&out.stdout).lines().map(PathBuf::from).collect())
}

/// Pictures whose names stand in no text and no script.
pub(super) fn orphans() -> Done<Vec<String>> {
    let files = files()?;
    let mut texts = String::new();
    for file in &files {
        let ending = file.extension().and_then(|e| e.to_str());
        let script = ending.is_none() || matches!(ending, Some("py" | "md" | "rs"));
        if script && let Ok(text) = fs::read_to_string(root().join(file)) {
            texts.push_str(&text);
        }
    }
    let picture = |file: &&PathBuf| {
        file.starts_with("docs")
            && matches!(file.extension().and_then(|e| e.to_str()), Some("png" | "gif"))
    };
    let unknown = |file: &&PathBuf| {
        let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        !texts.contains(&name)
    };
    Ok(files.iter().filter(picture).filter(unknown).map(|f| f.display().to_string()).collect())
}
