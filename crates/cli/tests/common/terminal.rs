//! The built program in a terminal of its own, with somebody who types.

use super::{Bench, Ran, signal};
use std::io::{Read, Write};
use std::process::{Child, ChildStdin, Stdio};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// A program that runs in a terminal.
pub(crate) struct Terminal {
    child: Child,
    keys: ChildStdin,
    shown: Arc<Mutex<Vec<u8>>>,
    reader: JoinHandle<()>,
}

/// A terminal shows what is waited for within this time.
const PATIENCE: Duration = Duration::from_secs(40);

impl Terminal {
    /// Runs a call of the program in a terminal of this size.
    pub(crate) fn run(bench: &Bench, columns: u16, rows: u16, args: &[&str]) -> Self {
        Self::begin(bench, &format!("stty cols {columns} rows {rows}"), args)
    }

    /// The same, in a terminal of 90 × 30 that somebody drags to one size after the other, one each
    /// half second.
    pub(crate) fn dragged(bench: &Bench, sizes: &[(u16, u16)], args: &[&str]) -> Self {
        let drags: String = sizes
            .iter()
            .map(|(columns, rows)| {
                format!("sleep 0.5; stty cols {columns} rows {rows} </dev/tty; ")
            })
            .collect();
        Self::begin(bench, &format!("stty cols 90 rows 30; ({drags}) & true"), args)
    }

    fn begin(bench: &Bench, before: &str, args: &[&str]) -> Self {
        let quoted: Vec<String> = args.iter().map(|arg| format!("'{arg}'")).collect();
        let call = format!("{before}; exec {} {}", env!("CARGO_BIN_EXE_tinkite"), quoted.join(" "));
        // The environment and the folder are those of a call without a terminal.
        let plain = bench.command(&[]);
        let mut script = std::process::Command::new("script");
        script.args(["-qefc", &call, "/dev/null"]).current_dir(bench.path(""));
        script.envs(plain.get_envs().filter_map(|(name, value)| Some((name, value?))));
        script.env("TERM", "xterm-256color");
        script.stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut child = script.spawn().unwrap();
        let keys = child.stdin.take().unwrap();
        let mut out = child.stdout.take().unwrap();
        let shown = Arc::new(Mutex::new(Vec::new()));
        let kept = Arc::clone(&shown);
        let reader = std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = out.read(&mut bytes) {
                kept.lock().unwrap().extend_from_slice(&bytes[..count]);
            }
        });
        Self { child, keys, shown, reader }
    }

    /// Types.
    pub(crate) fn types(&mut self, keys: &str) {
        // A program that has ended reads no keys.
        let _ = self.keys.write_all(keys.as_bytes());
        let _ = self.keys.flush();
    }

    /// Everything that was shown so far, without escape sequences.
    pub(crate) fn shown(&self) -> String {
        plain(&String::from_utf8_lossy(&self.shown.lock().unwrap()))
    }

    /// What came from the program so far, with its escape sequences.
    pub(crate) fn bytes(&self) -> Vec<u8> {
        self.shown.lock().unwrap().clone()
    }

    /// Waits until something was shown.
    #[track_caller]
    pub(crate) fn waits_for(&self, text: &str) {
        self.waits_for_times(1, text);
    }

    /// Waits until something was shown so many times.
    #[track_caller]
    pub(crate) fn waits_for_times(&self, times: usize, text: &str) {
        let since = Instant::now();
        while self.shown().matches(text).count() < times {
            assert!(since.elapsed() < PATIENCE, "{text} does not come:\n{}", self.shown());
            std::thread::sleep(Duration::from_millis(10));
        }
    }

    /// The terminal goes away.
    pub(crate) fn vanishes(mut self) {
        signal("-KILL", &self.child);
        self.child.wait().unwrap();
    }

    /// Waits for its end, and has nothing to say of it.
    pub(crate) fn ends(mut self) -> Ran {
        let since = Instant::now();
        let status = loop {
            if self.shown().contains("how did it go?") {
                self.types("\r");
            }
            if let Some(status) = self.child.try_wait().unwrap() {
                break status.code().unwrap_or(-1);
            }
            if since.elapsed() > PATIENCE {
                let _ = self.child.kill();
                panic!("it does not end:\n{}", self.shown());
            }
            std::thread::sleep(Duration::from_millis(10));
        };
        drop(self.keys);
        self.reader.join().unwrap();
        let out = plain(&String::from_utf8_lossy(&self.shown.lock().unwrap()));
        Ran { status, out, err: String::new() }
    }
}

/// Without escape sequences. A step of the cursor becomes a space: only cells that change are written.
fn plain(text: &str) -> String {
    let mut out = String::new();
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        if c != '\u{1b}' {
            out.push(c);
            continue;
        }
        if chars.next() != Some('[') {
            continue;
        }
        if let Some('H' | 'G' | 'C') = chars.by_ref().find(char::is_ascii_alphabetic) {
            out.push(' ');
        }
    }
    out
}
