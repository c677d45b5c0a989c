#![no_main]
//! Any bytes as a machine profile, and the program it makes of a small job.

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tinkite_fuzz::profile(bytes));
