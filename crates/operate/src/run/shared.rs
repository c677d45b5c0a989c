//! A program's own copy, read by several at once, each from where it is.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::sync::Arc;

/// A file without a name that nobody else can change: what was checked is what is sent.
#[derive(Debug, Clone)]
pub struct SharedFile(Arc<File>);

/// Reads such a file.
#[derive(Debug)]
pub struct SharedReader {
    file: Arc<File>,
    at: u64,
}

impl SharedFile {
    /// From now on nothing but this reads the file.
    pub fn new(file: File) -> Self {
        Self(Arc::new(file))
    }

    /// From the start.
    pub fn reader(&self) -> SharedReader {
        SharedReader { file: Arc::clone(&self.0), at: 0 }
    }
}

impl Read for SharedReader {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        #[cfg(unix)]
        let count = std::os::unix::fs::FileExt::read_at(&*self.file, buffer, self.at)?;
        #[cfg(windows)]
        let count = std::os::windows::fs::FileExt::seek_read(&*self.file, buffer, self.at)?;
        self.at += count as u64;
        Ok(count)
    }
}

impl Seek for SharedReader {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let (from, by) = match to {
            SeekFrom::Start(at) => (at, 0),
            SeekFrom::End(by) => (self.file.metadata()?.len(), by),
            SeekFrom::Current(by) => (self.at, by),
        };
        self.at = from
            .checked_add_signed(by)
            .ok_or_else(|| io::Error::from(io::ErrorKind::InvalidInput))?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    #[test]
    fn readers_do_not_disturb_each_other() {
        let mut file = tempfile::tempfile().unwrap();
        file.write_all(b"G21\nG90\n").unwrap();
        let shared = SharedFile::new(file);
        let (mut a, mut b) = (shared.reader(), shared.reader());
        let mut first = [0; 4];
        a.read_exact(&mut first).unwrap();
        let mut all = String::new();
        b.read_to_string(&mut all).unwrap();
        let mut rest = String::new();
        a.read_to_string(&mut rest).unwrap();
        assert_eq!((&first, all.as_str(), rest.as_str()), (b"G21\n", "G21\nG90\n", "G90\n"));
        a.seek(SeekFrom::Start(0)).unwrap();
        a.seek(SeekFrom::Current(-1)).unwrap_err();
    }
}
