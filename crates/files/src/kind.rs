//! What a file is, for whoever names one of another kind than a call takes.

use crate::refusal::{Refusal, Sources};
use crate::source;
use std::path::Path;
use tinkite_core::artwork::{self, Format};
use tinkite_core::problem::{Code, Location, Problem};

/// What a file is, by its content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileKind {
    /// A drawing, a bitmap or a solid.
    Drawing,
    /// A job file.
    Job,
    /// A machine profile.
    Profile,
    /// A machine program.
    Program,
}

impl FileKind {
    /// Of bytes; none for anything else.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        if Format::of(bytes).is_some() {
            return Some(Self::Drawing);
        }
        // PostScript begins as a program does that names its tape.
        if Format::unread(bytes).is_some() {
            return None;
        }
        let text = std::str::from_utf8(bytes).ok()?;
        let said = |key: &str| text.lines().any(|line| line.trim_start().starts_with(key));
        if said("[[step]]") || said("[[artwork]]") {
            return Some(Self::Job);
        }
        if said("[axis") || said("dialect") {
            return Some(Self::Profile);
        }
        let mut lines = text.lines().map(str::trim).filter(|line| !line.is_empty());
        lines.next().filter(|line| is_program_line(line)).map(|_| Self::Program)
    }
}

/// Whether a line is one of RS-274: a comment, the mark of a tape, or words of a letter and a number.
fn is_program_line(line: &str) -> bool {
    let line = line.trim_start_matches('/');
    if line.starts_with(['(', ';', '%']) {
        return true;
    }
    let mut signs = line.chars();
    signs.next().is_some_and(|letter| letter.is_ascii_alphabetic())
        && signs.next().is_some_and(|sign| sign.is_ascii_digit() || "+-.".contains(sign))
}

/// The beginning of a file, bytes: programs may be larger than memory.
const HEAD: u64 = 64 << 10;

/// Refuses a file of another kind than is wanted; standard input is read by whoever takes it.
///
/// # Errors
/// It is of another kind, or cannot be read.
pub fn refuse(path: &Path, wanted: FileKind) -> Result<(), Refusal> {
    // What can be read once only is read by whoever takes it.
    if !path.is_file() {
        return Ok(());
    }
    let content = source::bytes(path, HEAD)?;
    refuse_as(path, &content, wanted).map_or(Ok(()), Err)
}

/// Whether a file is of a kind.
///
/// # Errors
/// It cannot be read.
pub fn is(path: &Path, kind: FileKind) -> Result<bool, Refusal> {
    Ok(FileKind::of(&source::bytes(path, artwork::LARGEST_FILE)?) == Some(kind))
}

/// Why a file is refused where something else is wanted; `None` when it is of no kind that is known.
pub fn refuse_as(path: &Path, content: &[u8], wanted: FileKind) -> Option<Refusal> {
    let is = FileKind::of(content);
    let name = path.display();
    let (what, help) = match is {
        Some(kind) if kind == wanted => return None,
        None => return None,
        Some(FileKind::Drawing) => (
            "a drawing",
            format!(
                "tinkite begin {name} writes a job for it; look {name} says what is in it, draw {name} --trouble shows what is wrong"
            ),
        ),
        Some(FileKind::Job) => (
            "a job",
            format!(
                "tinkite check, plan, draw, emit and run take it; look {name} --measure ID|POINT measures a shape of it"
            ),
        ),
        Some(FileKind::Profile) => {
            ("a machine profile", format!("tinkite machine show {name} says what is in it"))
        }
        Some(FileKind::Program) => (
            "a machine program",
            format!(
                "tinkite read {name} says what it does and what is wrong with it; draw {name} and run {name} take it with --machine NAME"
            ),
        ),
    };
    let no = match wanted {
        FileKind::Drawing => "no drawing",
        FileKind::Job => "not a job",
        FileKind::Profile => "no machine profile",
        FileKind::Program => "no machine program",
    };
    let shown = path.display().to_string();
    let problem = Problem::error(Code::Format, format!("this is {what}, {no}"), help);
    Some(Refusal::Problems(problem.at(Location::file(&shown)).into(), Sources::new()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn content_says_what_a_file_is() {
        for (text, kind) in [
            ("<svg/>", Some(FileKind::Drawing)),
            ("# a kite\ntinkite = 1\n[[step]]\n", Some(FileKind::Job)),
            ("tinkite = 1\ndialect = \"grbl\"\n[axis.x]\n", Some(FileKind::Profile)),
            ("\n; by hand\nG0 X1", Some(FileKind::Program)),
            ("%\nO1", Some(FileKind::Program)),
            ("/N10 G1", Some(FileKind::Program)),
            ("%!PS-Adobe-3.0 EPSF-3.0\n", None),
            ("v 0 0 0\nv 1 0 0\n", Some(FileKind::Drawing)),
            ("Dear kite club", None),
            ("", None),
        ] {
            assert_eq!(FileKind::of(text.as_bytes()), kind, "{text}");
        }
    }
}
