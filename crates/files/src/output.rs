//! Files that are written: never over another one unasked, never half.

use crate::refusal::Refusal;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

/// What may happen to a file that is already there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Writing {
    /// It is left as it is, and the call refused.
    New,
    /// It is written over.
    Over,
    /// The next free number is added to the name instead.
    Numbered,
}

/// A file that appears under its name only when it is complete.
pub struct Output {
    path: PathBuf,
    temporary: tempfile::NamedTempFile,
    force: bool,
}

impl Output {
    /// Opens `path` for writing: refused early when something is there and nothing was asked, or
    /// the folder does not exist.
    pub fn create(path: &Path, writing: Writing) -> Result<Self, Refusal> {
        let path = if writing == Writing::Numbered { free_name(path)? } else { path.to_path_buf() };
        Self::check(&path, writing)?;
        let shown = path.display().to_string();
        let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        builder.prefix(".tinkite-");
        as_any_new_file(&mut builder);
        let temporary =
            builder.tempfile_in(folder).map_err(|error| Refusal::output(&shown, error))?;
        Ok(Self { path, temporary, force: writing == Writing::Over })
    }

    /// Whether a file may be written, before anything is done for it.
    ///
    /// # Errors
    /// It is there already and may not be overwritten, or is no ordinary file.
    pub fn check(path: &Path, writing: Writing) -> Result<(), Refusal> {
        let shown = path.display().to_string();
        if path.is_dir() {
            return Err(Refusal::Usage(format!("{shown} is a folder; name a file")));
        }
        if path.exists() && !path.is_file() {
            return Err(Refusal::Usage(format!("{shown} is not an ordinary file; name another")));
        }
        if path.exists() && writing != Writing::Over {
            return Err(Refusal::Usage(format!(
                "{shown} is already there; --force overwrites it, --number takes the next free name"
            )));
        }
        Ok(())
    }

    /// Opens a file to be written over, which was asked for by name.
    pub fn over(path: &Path) -> Result<Self, Refusal> {
        Self::create(path, Writing::Over)
    }

    /// The name it will have.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Writes the content and gives the file its name; says which.
    pub fn write(
        mut self,
        content: impl FnOnce(&mut BufWriter<&mut File>) -> std::io::Result<()>,
    ) -> Result<Written, Refusal> {
        let shown = self.path.display().to_string();
        let failed = |error| Refusal::output(&shown, error);
        let mut buffered = BufWriter::with_capacity(1 << 16, self.temporary.as_file_mut());
        content(&mut buffered).and_then(|()| buffered.flush()).map_err(failed)?;
        drop(buffered);
        self.persist()
    }

    /// The same, and behind it the file and its name are on the disk or card, not on their way there.
    pub fn write_lasting(
        self,
        content: impl FnOnce(&mut BufWriter<&mut File>) -> std::io::Result<()>,
    ) -> Result<Written, Refusal> {
        let written = self.write(|out| {
            content(out)?;
            out.flush()?;
            out.get_ref().sync_all()
        })?;
        let folder = written.path.parent().filter(|p| !p.as_os_str().is_empty());
        // Windows opens no folder; its rename is on the disk by itself.
        #[cfg(unix)]
        File::open(folder.unwrap_or(Path::new(".")))
            .and_then(|folder| folder.sync_all())
            .map_err(|error| Refusal::output(written.path.display().to_string(), error))?;
        #[cfg(not(unix))]
        let _ = folder;
        Ok(written)
    }

    /// Gives the file its name; says which.
    pub fn persist(self) -> Result<Written, Refusal> {
        let shown = self.path.display().to_string();
        let failed = |error| Refusal::output(&shown, error);
        let persisted = if self.force {
            self.temporary.persist(&self.path)
        } else {
            self.temporary.persist_noclobber(&self.path)
        };
        let file = persisted.map_err(|e| failed(e.error))?;
        let bytes = file.metadata().map_err(failed)?.len();
        Ok(Written { path: self.path, bytes })
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.temporary.write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.temporary.flush()
    }
}

/// A temporary file is private; what becomes of it should be as any new file is: as the umask lets
/// it be.
fn as_any_new_file(builder: &mut tempfile::Builder<'_, '_>) {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    #[cfg(not(unix))]
    let _ = builder;
}

/// A file that is there now.
pub struct Written {
    /// Where it lies.
    pub path: PathBuf,
    /// How many bytes it has.
    pub bytes: u64,
}

impl Written {
    /// `wrote a.nc (12 kB)`.
    pub fn words(&self) -> String {
        let size = match self.bytes {
            0..=9_999 => format!("{} bytes", self.bytes),
            10_000..=9_999_999 => format!("{} kB", self.bytes / 1000),
            more => format!("{} MB", more / 1_000_000),
        };
        format!("wrote {} ({size})", self.path.display())
    }
}

/// `a.nc`, else `a-2.nc`, `a-3.nc` …
pub fn free_name(path: &Path) -> Result<PathBuf, Refusal> {
    if !path.exists() {
        return Ok(path.to_path_buf());
    }
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let (stem, ending) = match name.split_once('.') {
        Some((stem, ending)) if !stem.is_empty() => (stem.to_string(), format!(".{ending}")),
        _ => (name, String::new()),
    };
    (2..10_000)
        .map(|n| path.with_file_name(format!("{stem}-{n}{ending}")))
        .find(|candidate| !candidate.exists())
        .ok_or_else(|| {
            Refusal::Usage(format!("there are ten thousand files like {}", path.display()))
        })
}
