//! The lines of a program, whatever its length.

use std::io::{self, BufRead, BufReader, Read};
use tinkite_core::problem::{Code, Location, Problem};
use tinkite_files::refusal::{Refusal, Sources};

/// Lines longer than this (bytes) are in no program: a binary file was named.
const LONGEST_LINE: usize = 64 << 10;

/// A program in which a CR alone has become the end of a line, which it is to a controller; CR LF stays as it is.
#[derive(Debug)]
pub struct PlainEnds<R> {
    from: BufReader<R>,
}

impl<R: Read> PlainEnds<R> {
    /// Of what is read from there.
    pub fn new(from: R) -> Self {
        Self { from: BufReader::with_capacity(1 << 16, from) }
    }

    /// The byte that comes next, which stays there.
    fn next(&mut self) -> io::Result<Option<u8>> {
        Ok(self.from.fill_buf()?.first().copied())
    }
}

impl<R: Read> Read for PlainEnds<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let mut count = 0;
        while count < buffer.len()
            && let Some(byte) = self.next()?
        {
            self.from.consume(1);
            let alone = byte == b'\r' && self.next()? != Some(b'\n');
            buffer[count] = if alone { b'\n' } else { byte };
            count += 1;
        }
        Ok(count)
    }
}

/// Calls `each` for every line of a program, without its end: LF, CR LF or CR.
pub fn each_line(
    name: &str,
    reader: &mut impl Read,
    mut each: impl FnMut(&[u8]),
) -> Result<(), Refusal> {
    let mut reader = BufReader::with_capacity(1 << 16, PlainEnds::new(reader));
    let mut line = Vec::with_capacity(256);
    let mut number = 0;
    loop {
        line.clear();
        let count = Read::take(&mut reader, LONGEST_LINE as u64)
            .read_until(b'\n', &mut line)
            .map_err(|error| Refusal::unreadable(name, &error))?;
        if count == 0 {
            return Ok(());
        }
        number += 1;
        if line.last() == Some(&b'\n') {
            line.pop();
            if line.last() == Some(&b'\r') {
                line.pop();
            }
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

#[cfg(test)]
mod tests {
    use super::*;

    fn lines(text: &[u8]) -> Vec<String> {
        let mut lines = Vec::new();
        let mut text = text;
        each_line("a.nc", &mut text, |line| lines.push(String::from_utf8_lossy(line).into_owned()))
            .unwrap();
        lines
    }

    #[test]
    fn a_line_ends_where_a_controller_sees_its_end() {
        for text in ["G21\nM5\n\nM2", "G21\r\nM5\r\n\r\nM2\r\n", "G21\rM5\r\rM2\r"] {
            assert_eq!(lines(text.as_bytes()), ["G21", "M5", "", "M2"], "{text:?}");
        }
        // Where a piece that is read ends between the two.
        struct Single<'b>(&'b [u8]);
        impl Read for Single<'_> {
            fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
                let Some((first, rest)) = self.0.split_first() else { return Ok(0) };
                (buffer[0], self.0) = (*first, rest);
                Ok(1)
            }
        }
        let mut text = String::new();
        PlainEnds::new(Single(b"a\r\nb\rc\n\n")).read_to_string(&mut text).unwrap();
        assert_eq!(text, "a\r\nb\nc\n\n");
    }
}
