//! How much detail a picture can bear.

/// What is drawn and what falls away, decided from how much there is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Detail {
    /// Width of burnt lines, px.
    pub(super) stroke: f64,
    /// Order numbers beside start points.
    pub(super) numbers: bool,
    /// Start points.
    pub(super) starts: bool,
    /// Arrows along the paths.
    pub(super) arrows: bool,
    /// Travel between paths.
    pub(super) travel: bool,
}

impl Detail {
    /// For a picture of `paths` paths.
    pub(super) fn for_paths(paths: usize) -> Self {
        Self {
            stroke: match paths {
                0..=60 => 1.8,
                61..=600 => 1.3,
                601..=6000 => 0.9,
                _ => 0.6,
            },
            numbers: paths <= 5000,
            starts: paths <= 5000,
            arrows: paths <= 400,
            travel: paths <= 1200,
        }
    }

    /// What fell away, for the legend.
    pub(super) fn notes(&self, paths: usize) -> Vec<String> {
        let mut notes = Vec::new();
        if !self.travel {
            notes.push(format!("travel between {paths} paths not drawn"));
        } else if !self.starts {
            notes.push(format!("start points of {paths} paths not drawn"));
        }
        notes
    }
}

/// Rows that stand for an area are no farther apart than about this, px, so that its edge is true.
pub(super) const FINE: f64 = 1.0;

/// Of how many engraved lines `spacing_px` apart one is drawn, and how wide, px, so that they leave nothing between them.
pub(super) fn covering(spacing_px: f64) -> (usize, f64) {
    let every = (FINE / spacing_px.max(1e-6)).ceil().clamp(1.0, 1e9) as usize;
    (every, 1.05 * spacing_px * every as f64)
}

/// Engraved lines are drawn at least this far apart, px.
const LEAST_GAP: f64 = 3.2;

/// Of how many engraved lines `spacing_px` apart one is drawn, so that they stay apart.
pub(super) fn thinning(spacing_px: f64) -> usize {
    (LEAST_GAP / spacing_px.max(1e-6)).ceil().clamp(1.0, 1e9) as usize
}
