//! SHA-256 of what is read or written, in hexadecimal.

use hmac_sha256::Hash;
use std::io::{self, Write};

/// The checksum of everything that is written into it.
#[derive(Clone, Default)]
pub struct Checksum(Hash);

impl Checksum {
    /// In hexadecimal.
    #[must_use]
    pub fn hex(self) -> String {
        self.0.finalize().iter().map(|byte| format!("{byte:02x}")).collect()
    }
}

impl Write for Checksum {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// The checksum of `content`.
#[must_use]
pub fn checksum(content: &[u8]) -> String {
    let mut sum = Checksum::default();
    sum.0.update(content);
    sum.hex()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The examples of FIPS 180-4's own test vectors.
    #[test]
    fn known_texts_have_their_known_checksums() {
        let of_nothing = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";
        let of_abc = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";
        assert_eq!(checksum(b""), of_nothing);
        assert_eq!(checksum(b"abc"), of_abc);
        let mut parts = Checksum::default();
        parts.write_all(b"a").unwrap();
        parts.write_all(b"bc").unwrap();
        assert_eq!(parts.hex(), of_abc);
    }
}
