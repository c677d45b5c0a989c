//! Pages of the documentation, and what is typed in them.

use super::Bench;

/// Words of a line, as a shell keeps them: what stands in quotes stays together.
pub(crate) fn words(line: &str) -> Vec<String> {
    let (mut words, mut word, mut quote) = (Vec::new(), String::new(), None);
    for sign in line.chars() {
        match quote {
            Some(end) if sign == end => quote = None,
            Some(_) => word.push(sign),
            None if sign == '\'' || sign == '"' => quote = Some(sign),
            None if sign.is_whitespace() => {
                if !word.is_empty() {
                    words.push(std::mem::take(&mut word));
                }
            }
            None if sign == '#' && word.is_empty() => break,
            None => word.push(sign),
        }
    }
    words.extend((!word.is_empty()).then_some(word));
    words
}

/// A page of the documentation.
pub(crate) fn page(name: &str) -> String {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR"));
    std::fs::read_to_string(root.join("../../docs").join(name)).expect("the page")
}

/// A folder with all files of the demo.
pub(crate) fn workshop() -> Bench {
    let bench = Bench::new();
    let demo = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    for entry in std::fs::read_dir(demo).expect("the demo") {
        let path = entry.expect("a file").path();
        let name = path.file_name().expect("a name").to_string_lossy().into_owned();
        std::fs::copy(&path, bench.path(&name)).expect("a copy");
    }
    bench
}
