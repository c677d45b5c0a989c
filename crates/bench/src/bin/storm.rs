//! Runs the storm: `storm 100000`, or `storm 5000 42` for 5,000 seeds from 42 on. One seed alone tells
//! every session.
#![allow(clippy::print_stdout)] // a report for people

use rayon::prelude::*;
use std::process::ExitCode;
use tinkite_bench::storm::{self, Tally};

fn main() -> ExitCode {
    let mut numbers = std::env::args().skip(1).filter_map(|word| word.parse::<u64>().ok());
    let count = numbers.next().unwrap_or(1000);
    let first = numbers.next().unwrap_or(0);
    if count == 1 {
        let _ = storm::run_and_tell(first, &mut |text| println!("{text}"));
    }
    let results: Vec<Result<Tally, storm::Broke>> =
        (first..first + count).into_par_iter().map(storm::run).collect();
    let mut tally = Tally::default();
    let mut broken = 0_u32;
    for result in &results {
        match result {
            Ok(one) => tally.add(one),
            Err(broke) => {
                broken += 1;
                if broken <= 20 {
                    println!("{broke}");
                }
            }
        }
    }
    println!("{tally:#?}\n{broken} of {count} seeds are broken");
    if broken == 0 { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}
