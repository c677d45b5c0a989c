//! A program as one file or several, none of them there before all are complete.

use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use tinkite_core::program::Pages;
use tinkite_files::output::{Output, Writing, Written};
use tinkite_files::refusal::Refusal;

/// A file that is there now, and its lines.
pub struct Page {
    /// The file.
    pub file: Written,
    /// How many lines it has.
    pub lines: u64,
}

/// Text on its way to files: `a.nc`, and `a-part2.nc` and so on where one is not enough.
pub struct Files {
    path: PathBuf,
    writing: Writing,
    done: Vec<(Output, u64)>,
    open: Option<(BufWriter<Output>, u64)>,
}

impl Files {
    /// The first file is opened; the others when they are needed.
    pub fn new(path: &Path, writing: Writing) -> Result<Self, Refusal> {
        let first = Output::create(path, writing)?;
        let path = first.path().to_path_buf();
        Ok(Self { path, writing, done: Vec::new(), open: Some((buffer(first), 0)) })
    }

    /// Name of the `number`th file: that of the first with its number before the ending.
    fn name(&self, number: usize) -> PathBuf {
        let name = self.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let part = match name.rsplit_once('.') {
            Some((stem, ending)) if !stem.is_empty() => format!("{stem}-part{number}.{ending}"),
            _ => format!("{name}-part{number}"),
        };
        self.path.with_file_name(part)
    }

    fn close(&mut self) -> io::Result<()> {
        if let Some((buffer, lines)) = self.open.take() {
            let output = buffer.into_inner().map_err(io::IntoInnerError::into_error)?;
            self.done.push((output, lines));
        }
        Ok(())
    }

    /// Gives every file its name.
    pub fn persist(self) -> Result<Vec<Page>, Refusal> {
        let one = |(output, lines): (Output, u64)| Ok(Page { file: output.persist()?, lines });
        self.done.into_iter().map(one).collect()
    }
}

fn buffer(output: Output) -> BufWriter<Output> {
    BufWriter::with_capacity(1 << 16, output)
}

impl Pages for Files {
    fn put(&mut self, bytes: &[u8]) -> io::Result<()> {
        let Some((file, lines)) = &mut self.open else { return Ok(()) };
        *lines += bytes.iter().filter(|byte| **byte == b'\n').count() as u64;
        file.write_all(bytes)
    }

    fn turn(&mut self) -> io::Result<()> {
        self.close()?;
        let path = self.name(self.done.len() + 1);
        let next = Output::create(&path, self.writing).map_err(|refusal| {
            let unopened = || format!("{} cannot be opened", path.display());
            io::Error::other(refusal.words().unwrap_or_else(unopened))
        })?;
        self.open = Some((buffer(next), 0));
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        self.close()
    }
}
