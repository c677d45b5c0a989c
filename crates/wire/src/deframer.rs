//! Bytes → lines, wherever the stream was cut.

/// Longest line that a controller is believed to send, bytes.
const LONGEST: usize = 1024;

/// Gathers bytes until a line is whole.
#[derive(Debug, Default)]
pub(crate) struct Deframer {
    buffer: Vec<u8>,
    /// Inside a line that is longer than any controller's: dropped to its end.
    overlong: bool,
}

impl Deframer {
    /// Takes bytes in and calls `line` for each whole line, without its end; empty lines and lines
    /// that are too long are passed over.
    pub(crate) fn take(&mut self, bytes: &[u8], mut line: impl FnMut(&str)) {
        for byte in bytes {
            match byte {
                b'\n' | b'\r' => {
                    if !self.buffer.is_empty() && !self.overlong {
                        line(&String::from_utf8_lossy(&self.buffer));
                    }
                    self.buffer.clear();
                    self.overlong = false;
                }
                _ if self.buffer.len() >= LONGEST => self.overlong = true,
                byte => self.buffer.push(*byte),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_cut_of_the_stream_gives_the_same_lines() {
        let stream = b"\r\nGrbl 1.1h\r\nok\r\n<Idle|MPos:0.000,0.000,0.000>\r\nerror:20\r\n";
        let whole = ["Grbl 1.1h", "ok", "<Idle|MPos:0.000,0.000,0.000>", "error:20"];
        for first in 0..stream.len() {
            for second in first..stream.len() {
                let mut deframer = Deframer::default();
                let mut lines = Vec::new();
                for part in [&stream[..first], &stream[first..second], &stream[second..]] {
                    deframer.take(part, |line| lines.push(line.to_string()));
                }
                assert_eq!(lines, whole, "cut at {first} and {second}");
            }
        }
    }

    #[test]
    fn an_endless_line_is_dropped_and_the_next_one_is_read() {
        let mut deframer = Deframer::default();
        let mut lines = Vec::new();
        deframer.take(&[b'x'; 5000], |line| lines.push(line.to_string()));
        deframer.take(b"\nok\n", |line| lines.push(line.to_string()));
        assert_eq!(lines, ["ok"]);
    }
}
