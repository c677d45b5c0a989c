//! What is held in the rotary: its shape, and how artwork lies on it.

use std::f64::consts::PI;

/// How the object is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hold {
    /// A chuck turns it about its own axis.
    Chuck,
    /// Rollers turn its surface.
    Rollers,
}

/// What stays true on an object that is not a cylinder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keep {
    /// Lengths, along the surface and round it.
    Size,
    /// Angles about the axis: the artwork narrows with the object.
    Angle,
}

/// A round object.
#[derive(Debug, Clone, PartialEq)]
pub struct Round {
    /// How it is held.
    pub hold: Hold,
    /// Distances along the axis and the diameters there, mm, rising; one entry is a cylinder.
    pub profile: Vec<(f64, f64)>,
    /// Where the profile begins, mm from the bed's left edge, or from the zero that is set.
    pub at: f64,
    /// What stays true where the diameter changes.
    pub keep: Keep,
    /// What the rotary reads when the top of the object is under the beam, rad.
    pub top: f64,
    /// How far from the top the surface is cut open, rad.
    pub seam: f64,
    /// Whether the artwork may be wider than the circumference.
    pub overlap: bool,
}

impl Round {
    /// The largest diameter, mm.
    #[must_use]
    pub fn diameter(&self) -> f64 {
        self.profile.iter().map(|(_, diameter)| *diameter).fold(0.0, f64::max)
    }

    /// The largest circumference, mm.
    #[must_use]
    pub fn circumference(&self) -> f64 {
        PI * self.diameter()
    }

    /// Whether its diameter is the same everywhere.
    #[must_use]
    pub fn is_cylinder(&self) -> bool {
        self.profile.iter().all(|(_, diameter)| *diameter == self.profile[0].1)
    }
}
