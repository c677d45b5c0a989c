//! Numbers for searches that try this and that.

/// Numbers without a pattern, the same ones every time (G. Marsaglia, "Xorshift RNGs", 2003). The seed is not zero.
#[derive(Debug, Clone)]
pub struct Xorshift(pub u64);

impl Xorshift {
    /// Numbers that have nothing in common with those of the seed's neighbours.
    pub fn seeded(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1)
    }

    /// A number from 0 on, less than `most`; 0 where `most` is.
    pub fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % most.max(1) as u64) as usize
    }
}
