//! A line that is followed, with what is done along it.

use std::sync::Arc;
use tinkite_base::geometry::{Contour, Point};

/// A place at which a closed line may be begun.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// Where on the line, mm from its start.
    pub at: f64,
    /// The way in, which ends there.
    pub lead_in: Option<Contour>,
    /// The way out, which begins where the line is left.
    pub lead_out: Option<Contour>,
}

impl Entry {
    /// One without leads.
    #[must_use]
    pub fn plain(at: f64) -> Self {
        Self { at, lead_in: None, lead_out: None }
    }
}

/// A line to follow.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    /// What is followed; made up for the beam's width.
    pub contour: Contour,
    /// What was drawn, where that differs.
    pub drawn: Option<Arc<Contour>>,
    /// Stretches that stay attached, mm from the contour's start, rising; the last may reach over
    /// the end of a closed line.
    pub bridges: Vec<(f64, f64)>,
    /// Where a closed line may be begun; none: at any of its vertices.
    pub entries: Vec<Entry>,
    /// The way in, once it is decided.
    pub lead_in: Option<Contour>,
    /// The way out, once it is decided.
    pub lead_out: Option<Contour>,
    /// How far a closed line is followed beyond its start, mm.
    pub overlap: f64,
}

impl Line {
    /// A contour followed as it is.
    #[must_use]
    pub fn plain(contour: Contour) -> Self {
        Self {
            contour,
            drawn: None,
            bridges: Vec::new(),
            entries: Vec::new(),
            lead_in: None,
            lead_out: None,
            overlap: 0.0,
        }
    }

    /// Begun at one of its entries.
    #[must_use]
    pub fn enter_at(mut self, entry: usize) -> Self {
        if entry >= self.entries.len() {
            return self;
        }
        let Entry { at, lead_in, lead_out } = self.entries.swap_remove(entry);
        let length = self.contour.length();
        self.contour = self.contour.begun_at(at);
        for bridge in &mut self.bridges {
            let from = (bridge.0 - at).rem_euclid(length);
            *bridge = (from, from + bridge.1 - bridge.0);
        }
        self.bridges.sort_by(|a, b| a.0.total_cmp(&b.0));
        (self.lead_in, self.lead_out) = (lead_in, lead_out);
        self.entries = Vec::new();
        self
    }

    /// Everything that is followed in one pass: way in, line, overlap and way out.
    #[must_use]
    pub fn way(&self) -> Contour {
        let mut way = self.lead_in.clone().unwrap_or_else(|| Contour {
            start: self.contour.start,
            pieces: Vec::new(),
            closed: false,
        });
        way.pieces.extend(&self.contour.pieces);
        let beyond = self.beyond();
        if let Some(more) = (beyond > 0.0).then(|| self.contour.part(0.0, beyond)).flatten() {
            way.pieces.extend(more.pieces);
        }
        if let Some(out) = &self.lead_out {
            way.pieces.extend(&out.pieces);
        }
        way.closed = false;
        way
    }

    /// How far it is followed beyond its start.
    fn beyond(&self) -> f64 {
        if self.contour.closed { self.overlap.min(self.contour.length()) } else { 0.0 }
    }

    /// The bridges as they lie on the [`way`](Self::way), mm from its start, rising.
    #[must_use]
    pub fn bridges_on_way(&self) -> Vec<(f64, f64)> {
        let lead = self.lead_in.as_ref().map_or(0.0, Contour::length);
        let length = self.contour.length();
        let end = length + self.beyond();
        let turns: &[f64] = if self.contour.closed { &[-length, 0.0, length] } else { &[0.0] };
        let mut all = Vec::new();
        for (from, to) in &self.bridges {
            // The same bridge is met again in the overlap, and one may reach over the start.
            for turn in turns {
                let (from, to) = ((from + turn).max(0.0), (to + turn).min(end));
                if to > from {
                    all.push((lead + from, lead + to));
                }
            }
        }
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        all
    }

    /// Where the line turns sharply, or goes round a corner in an arc of this radius (mm), mm from the start of the
    /// [`way`](Self::way), rising. A corner in which a closed line begins counts where it comes back there.
    #[must_use]
    pub fn corners_on_way(&self, radius: f64) -> Vec<f64> {
        let lead = self.lead_in.as_ref().map_or(0.0, Contour::length);
        let (length, beyond) = (self.contour.length(), self.beyond());
        let corners = self.contour.corners_and_rounds(radius);
        let inner = corners.iter().filter(|at| **at > 0.0).map(|at| lead + at);
        let again = corners.iter().filter(|at| **at <= beyond).map(|at| lead + length + at);
        inner.chain(again).collect()
    }

    /// Where burning begins, and where it ends after one pass.
    #[must_use]
    pub fn ends(&self) -> (Point, Point) {
        let start = self.lead_in.as_ref().map_or(self.contour.start, |lead| lead.start);
        let end = match &self.lead_out {
            Some(out) => out.end(),
            None if self.contour.closed && self.overlap > 0.0 => self.contour.at(self.beyond()).0,
            None => self.contour.end(),
        };
        (start, end)
    }
}
