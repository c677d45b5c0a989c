//! How large a picture is.

/// Size of a picture, px.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Canvas {
    /// Across.
    pub width: u32,
    /// Down.
    pub height: u32,
}

impl Default for Canvas {
    fn default() -> Self {
        Self { width: 1280, height: 800 }
    }
}
