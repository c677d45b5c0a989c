//! How deep a picture or a solid is, finer than its grey pixels say.

/// What a relief is made from, beside the pixels that are shown of it.
#[derive(Debug, Clone, PartialEq)]
pub enum Depth {
    /// A solid, seen from above.
    Solid(Mesh),
    /// Lightness of every pixel, row by row from the top: 0 black, 65,535 white.
    Grey(Vec<u16>),
}

/// The triangles of a solid, as it lies under its picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Mesh {
    /// Three corners each: X from 0 to 1 across the picture, Y from 0 to 1 down it, Z in mm from the solid's
    /// lowest point.
    pub triangles: Vec<[[f32; 3]; 3]>,
    /// How high the solid is, mm.
    pub height: f64,
}
