#![no_main]
//! Any bytes as artwork, seeded with solid files: read, measured and looked through for trouble.

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tinkite_fuzz::artwork(bytes));
