//! The lines of a program, whatever its length.

use std::io::{self, BufRead};
use tinkite_core::problem::{Code, Location, Problem};
use tinkite_files::refusal::{Refusal, Sources};

/// Lines longer than this (bytes) are in no program: a binary file was named.
const LONGEST_LINE: usize = 64 << 10;

/// Calls `each` for every line of a program, without its end.
pub fn each_line(
    name: &str,
    reader: &mut impl BufRead,
    mut each: impl FnMut(&[u8]),
) -> Result<(), Refusal> {
    let mut line = Vec::with_capacity(256);
    let mut number = 0;
    loop {
        line.clear();
        let count = io::Read::take(&mut *reader, LONGEST_LINE as u64)
            .read_until(b'\n', &mut line)
            .map_err(|error| Refusal::unreadable(name, &error))?;
        if count == 0 {
            return Ok(());
        }
        number += 1;
        if line.last() == Some(&b'\n') {
            line.pop();
        } else if count >= LONGEST_LINE {
            let problem = Problem::error(
                Code::Format,
                "a line has more than 64 kB, so this is no machine program",
                "name a text file of RS-274/NGC lines",
            );
            return Err(Refusal::Problems(
                problem.at(Location::line(name, number)).into(),
                Sources::new(),
            ));
        }
        each(&line);
    }
}
