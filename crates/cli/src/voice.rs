//! Words that nobody waits for. A pipe that nobody reads and a terminal that stands still hold up whoever writes to
//! them; while a machine runs, they must not hold up the run. One thread writes, in the order in which things were
//! said; what was said is kept until it can be written.

use std::io::{self, Write};
use std::sync::OnceLock;
use std::sync::mpsc::{Sender, channel};

/// Where words go.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ear {
    /// Standard output: results.
    Output,
    /// Standard error: everything else.
    Error,
}

enum Message {
    Words(Ear, String),
    /// Everything that was said before is to be written; what went wrong with results goes back.
    Drain(Sender<Option<io::Error>>),
}

static WRITER: OnceLock<Sender<Message>> = OnceLock::new();

fn writer() -> &'static Sender<Message> {
    WRITER.get_or_init(|| {
        let (sender, messages) = channel();
        // It ends with the process, also in the middle of a write that nobody takes.
        std::thread::spawn(move || {
            let mut failed: Option<io::Error> = None;
            for message in messages {
                match message {
                    Message::Words(Ear::Error, text) => {
                        let _ = writeln!(io::stderr().lock(), "{text}");
                    }
                    // Behind a result that was not written no other one makes sense.
                    Message::Words(Ear::Output, _) if failed.is_some() => {}
                    Message::Words(Ear::Output, text) => {
                        let mut out = io::stdout().lock();
                        failed = writeln!(out, "{text}").and_then(|()| out.flush()).err();
                    }
                    Message::Drain(reply) => {
                        let error = failed.as_ref().map(|error| io::Error::from(error.kind()));
                        let _ = reply.send(error);
                    }
                }
            }
        });
        sender
    })
}

/// Says a line, and waits for nobody.
pub(crate) fn say(ear: Ear, line: String) {
    // The thread ends with the process only.
    let _ = writer().send(Message::Words(ear, line));
}

/// Waits until everything that was said is written.
///
/// # Errors
/// Why results could not be written.
pub(crate) fn drain() -> io::Result<()> {
    let (reply, answer) = channel();
    let _ = writer().send(Message::Drain(reply));
    match answer.recv() {
        Ok(Some(error)) => Err(error),
        _ => Ok(()),
    }
}
