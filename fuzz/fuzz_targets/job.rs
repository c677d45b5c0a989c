#![no_main]
//! Any bytes as a job file, and the job it makes on a small drawing.

use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| tinkite_fuzz::job(bytes));
