#![no_main]
//! Any bytes as a machine program.

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tinkite_fuzz::program(bytes));
