//! A bench for the built program: a folder of its own, the demo's files, and strict expectations.

pub(crate) mod browser;
pub(crate) mod moves;
pub(crate) mod pages;
pub(crate) mod terminal;

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};

/// A temporary folder with the demo's drawing, job and machine in it.
pub(crate) struct Bench {
    folder: tempfile::TempDir,
    /// Where runs are written down.
    logs: tempfile::TempDir,
}

/// What a call did.
pub(crate) struct Ran {
    pub(crate) status: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Bench {
    pub(crate) fn new() -> Self {
        let bench =
            Self { folder: tempfile::tempdir().unwrap(), logs: tempfile::tempdir().unwrap() };
        for name in ["sail-panel.svg", "sail-panel.kite.toml", "bench-laser.machine.toml"] {
            bench.demo(name);
        }
        bench
    }

    /// Fetches one more of the demo's files.
    pub(crate) fn demo(&self, name: &str) {
        let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
        std::fs::copy(demo, self.path(name)).unwrap();
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        std::fs::write(self.path(name), text).unwrap();
    }

    pub(crate) fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).unwrap()
    }

    /// The demo's file with one passage changed.
    pub(crate) fn change(&self, name: &str, from: &str, to: &str) {
        let text = self.read(name);
        assert!(text.contains(from), "{name} has no {from}");
        self.write(name, text.replacen(from, to, 1));
    }

    pub(crate) fn command(&self, args: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_tinkite"));
        command.args(args).current_dir(self.folder.path()).env("NO_COLOR", "1");
        command.env("TINKITE_LOG", self.logs.path().join("runs.sqlite"));
        // What the person who runs the tests has set is of no interest.
        command.env("XDG_CONFIG_HOME", self.logs.path());
        for variable in ["TINKITE_MACHINE", "TINKITE_UNITS", "TINKITE_COLOUR"] {
            command.env_remove(variable);
        }
        command
    }

    /// The configuration folder.
    pub(crate) fn config(&self) -> &Path {
        self.logs.path()
    }

    /// Where its runs are written down.
    pub(crate) fn log(&self) -> PathBuf {
        self.logs.path().join("runs.sqlite")
    }

    /// Whether there is a log of runs.
    pub(crate) fn logged(&self) -> bool {
        self.logs.path().join("runs.sqlite").exists()
    }

    pub(crate) fn run(&self, args: &[&str]) -> Ran {
        Ran::from(self.command(args).output().unwrap())
    }

    /// Runs and expects success; returns what it printed.
    pub(crate) fn ok(&self, args: &[&str]) -> String {
        let ran = self.run(args);
        assert_eq!(ran.status, 0, "{args:?}\n{}\n{}", ran.out, ran.err);
        ran.out
    }

    pub(crate) fn json(&self, args: &[&str]) -> serde_json::Value {
        serde_json::from_str(&self.ok(&[args, &["--json"]].concat())).unwrap()
    }

    /// Names of all files in the folder, sorted.
    pub(crate) fn files(&self) -> Vec<String> {
        let mut names: Vec<String> = std::fs::read_dir(self.folder.path())
            .unwrap()
            .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    }

    /// Runs, expects to be refused with `status`, and that no file came or went.
    pub(crate) fn refused(&self, status: i32, args: &[&str]) -> String {
        let before = self.files();
        let ran = self.run(args);
        assert_eq!(ran.status, status, "{args:?}\n{}\n{}", ran.out, ran.err);
        assert_eq!(before, self.files(), "{args:?} left something behind");
        assert!(!ran.err.contains("panicked"), "{}", ran.err);
        ran.err
    }
}

impl From<Output> for Ran {
    fn from(output: Output) -> Self {
        Self {
            status: output.status.code().unwrap_or(-1),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }
}

impl Bench {
    /// A bench with a job on a drawing of 100 × 80 mm whose body is `body`, done by `steps`; `more`
    /// stands before the steps.
    pub(crate) fn drawn(body: &str, more: &str, steps: &str) -> Self {
        let bench = Self::new();
        bench.demo("tube-laser.machine.toml");
        bench.write(
            "art.svg",
            format!(
                r#"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80" fill="none">{body}</svg>"#
            ),
        );
        bench.write(
            "a.kite.toml",
            format!("tinkite = 1\nname = \"a\"\nmachine = \"bench-laser\"\n[[artwork]]\nfile = \"art.svg\"\n{more}\n{steps}"),
        );
        bench
    }

    /// Codes of what a call on the job says, errors and doubts.
    pub(crate) fn codes(&self, job: &str) -> Vec<String> {
        let ran = self.run(&["check", job, "--json"]);
        let value: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
        let problems = value["problems"].as_array().unwrap();
        problems.iter().map(|p| p["code"].as_str().unwrap().to_string()).collect()
    }

    /// What the job is refused for, in words.
    pub(crate) fn told(&self, job: &str) -> String {
        let err = self.refused(1, &["emit", job]);
        err.split_whitespace().filter(|w| *w != "│").collect::<Vec<_>>().join(" ")
    }
}

/// A rig in a process of its own; gone when dropped.
pub(crate) struct RigProcess {
    pub(crate) child: Child,
    lines: BufReader<std::process::ChildStdout>,
    pub(crate) link: String,
}

impl RigProcess {
    pub(crate) fn start(bench: &Bench, args: &[&str]) -> Self {
        let mut child =
            bench.command(&[&["rig"], args].concat()).stdout(Stdio::piped()).spawn().unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap());
        let mut first = String::new();
        lines.read_line(&mut first).unwrap();
        let link = first.trim().strip_prefix("the rig listens on ").expect("a link").to_string();
        Self { child, lines, link }
    }

    /// Waits for it to end and returns what else it said.
    pub(crate) fn rest(mut self) -> String {
        let mut text = String::new();
        std::io::Read::read_to_string(&mut self.lines, &mut text).unwrap();
        assert!(self.child.wait().unwrap().success());
        text
    }
}

impl RigProcess {
    /// Ends it as Ctrl-C does, so that it writes its record.
    pub(crate) fn end(mut self) {
        signal("-INT", &self.child);
        assert!(self.child.wait().unwrap().success());
    }
}

impl Drop for RigProcess {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Sends a signal.
pub(crate) fn signal(name: &str, process: &Child) {
    let kill = Command::new("kill").args([name, &process.id().to_string()]).status();
    assert!(kill.unwrap().success());
}
