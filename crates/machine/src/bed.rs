//! The bed: how large it is and where the machine counts from.

use crate::section::Section;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::quantity::{Length, parse};

/// Which point of the bed the machine counts from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Origin {
    /// Front left corner.
    BottomLeft,
    /// Front right corner.
    BottomRight,
    /// Back left corner.
    TopLeft,
    /// Back right corner.
    TopRight,
    /// The middle.
    Centre,
}

/// Words for origins in a profile.
const ORIGINS: [(&str, Origin); 5] = [
    ("bottom-left", Origin::BottomLeft),
    ("bottom-right", Origin::BottomRight),
    ("top-left", Origin::TopLeft),
    ("top-right", Origin::TopRight),
    ("centre", Origin::Centre),
];

impl Origin {
    /// The word for it in a profile.
    #[must_use]
    pub fn name(self) -> &'static str {
        ORIGINS.iter().find(|(_, origin)| *origin == self).map_or("", |(name, _)| name)
    }
}

/// The bed: how large, and where its zero is. X grows to the right, Y away from the operator.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Bed {
    /// Along X, mm.
    pub width: f64,
    /// Along Y, mm.
    pub depth: f64,
    /// Where the machine's zero is.
    pub origin: Origin,
    /// The work offset that the controller has when nobody has set one, mm on its axes: what
    /// programs that count from the bed expect to find.
    pub offset: Point,
}

impl Bed {
    /// All of it, mm from its front left corner.
    #[must_use]
    pub fn rect(&self) -> Rect {
        Rect::new(0.0, 0.0, self.width, self.depth)
    }

    /// Where the origin lies, seen from the front left corner, mm.
    #[must_use]
    pub fn origin_offset(&self) -> Vec2 {
        let (w, d) = (self.width, self.depth);
        match self.origin {
            Origin::BottomLeft => Vec2::new(0.0, 0.0),
            Origin::BottomRight => Vec2::new(w, 0.0),
            Origin::TopLeft => Vec2::new(0.0, d),
            Origin::TopRight => Vec2::new(w, d),
            Origin::Centre => Vec2::new(w / 2.0, d / 2.0),
        }
    }
}

/// Reads `[bed]`.
pub(super) fn read(section: Section<'_, '_>) -> Option<Bed> {
    let width = section.required_positive::<Length>("width", "width = \"400 mm\"");
    let depth = section.required_positive::<Length>("depth", "depth = \"300 mm\"");
    let origin = section.choice("origin", &ORIGINS).unwrap_or(Origin::BottomLeft);
    let offset = section.point("offset", parse::<Length>).unwrap_or(Point::ZERO);
    section.finish();
    Some(Bed { width: width?.0, depth: depth?.0, origin, offset })
}
