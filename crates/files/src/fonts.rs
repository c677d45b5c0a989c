//! Fonts: our own, which are the same everywhere, and those of this machine.

use crate::bundle::{self, FONTS};
use crate::source;
use fontdb::{Database, ID};
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, OnceLock};
use tinkite_core::artwork::FontSupply;

/// What our own plain font is called.
const PLAIN: &str = "DejaVu Sans";

/// Our own fonts alone, for pictures.
pub fn own() -> Database {
    let mut fonts = Database::new();
    fonts.load_font_data(dejavu::sans::regular().to_vec());
    fonts.load_font_data(dejavu::sans::bold().to_vec());
    // Text that names no font, or only a kind of font, looks the same on every machine.
    fonts.set_sans_serif_family(PLAIN);
    fonts.set_serif_family(PLAIN);
    fonts.set_monospace_family(PLAIN);
    fonts.set_cursive_family(PLAIN);
    fonts.set_fantasy_family(PLAIN);
    fonts
}

/// Our own fonts and those of this machine, looked up once and only when a drawing holds text.
#[derive(Debug, Clone, Copy)]
pub struct MachineFonts;

impl FontSupply for MachineFonts {
    fn fonts(&self) -> Arc<Database> {
        static FONTS: OnceLock<Arc<Database>> = OnceLock::new();
        let all = || {
            let mut fonts = own();
            fonts.load_system_fonts();
            Arc::new(fonts)
        };
        FONTS.get_or_init(all).clone()
    }
}

/// The fonts that a job's text is drawn with: those of this machine, or those that its bundle brings along.
#[derive(Debug, Default)]
pub struct JobFonts {
    bundle: Option<PathBuf>,
    fonts: OnceLock<Arc<Database>>,
    /// Those that were taken.
    taken: Mutex<BTreeSet<ID>>,
}

impl JobFonts {
    /// Of a job, by its path.
    pub fn of(job: &Path) -> Self {
        Self { bundle: bundle::inside(job).map(|(bundle, _)| bundle), ..Self::default() }
    }

    /// Those that text was drawn with.
    pub fn into_used(self) -> BTreeSet<ID> {
        self.taken.into_inner().unwrap_or_default()
    }
}

impl FontSupply for JobFonts {
    fn fonts(&self) -> Arc<Database> {
        let Some(bundle) = &self.bundle else { return MachineFonts.fonts() };
        let brought = || {
            let mut fonts = own();
            for path in bundle::list(bundle, FONTS) {
                if let Ok(data) = source::bytes(&path, LARGEST_FONT) {
                    fonts.load_font_data(data);
                }
            }
            Arc::new(fonts)
        };
        self.fonts.get_or_init(brought).clone()
    }

    fn took(&self, id: ID) {
        if let Ok(mut taken) = self.taken.lock() {
            taken.insert(id);
        }
    }
}

/// Larger files are no fonts, bytes.
pub const LARGEST_FONT: u64 = 64 << 20;
