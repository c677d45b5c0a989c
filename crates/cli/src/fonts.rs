//! Fonts: our own, which are the same everywhere, and those of this machine.

use fontdb::Database;
use std::sync::{Arc, OnceLock};
use tinkite_core::artwork::FontSupply;

/// What our own plain font is called.
const PLAIN: &str = "DejaVu Sans";

/// Our own fonts alone, for pictures.
pub(crate) fn own() -> Database {
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
pub(crate) struct MachineFonts;

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
