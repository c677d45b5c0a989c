//! Signals at any moment, over TCP and over a pseudo-terminal: the run is gone on with as often as it
//! breaks off, and what the rig's beam did in all is what the program says. `TINKITE_SIGNALS=300` sends
//! as many.
#![allow(clippy::print_stderr)] // helpers of tests

use crate::common::{Bench, Ran, RigProcess, signal};
use std::process::{Child, Stdio};
use std::time::Duration;

const SIGNALS: [&str; 7] = ["-KILL", "-INT", "-TERM", "-HUP", "-QUIT", "-TSTP", "-STOP"];

/// Numbers from a seed.
struct Dice(u64);

impl Dice {
    fn below(&mut self, sides: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % sides
    }
}

/// Rows and open squares whose stretches never touch: 400 rows of 20 mm, 40 squares of 5 mm.
fn program() -> String {
    let mut text = "G21 G90\nM4 S0\nG1 F9000\n".to_string();
    for row in 0..400 {
        let y = 10.0 + f64::from(row) * 0.3;
        let [a, b] = if row % 2 == 0 { [10, 30] } else { [30, 10] };
        text += &format!("G0 X{a} Y{y:.1}\nG1 X{b} S300\n");
    }
    for n in 0..40 {
        let (x, y) = (50 + n % 8 * 8, 10 + n / 8 * 8);
        // Not closed: a head that stands where a line both begins and ends says nothing of it.
        text += &format!("G0 X{x} Y{y}\nG1 X{} S500\nY{}\nX{x}\nY{y}.5\n", x + 5, y + 5);
    }
    text + "M5 S0\nM2\n"
}

const BURNT: [(f64, f64); 2] = [(300.0, 400.0 * 20.0), (500.0, 40.0 * 19.5)];

fn begun(bench: &Bench, args: &[&str]) -> Child {
    bench.command(args).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
}

/// Sends so many signals in all, and holds each finished program against the rig's record.
fn storm_of_signals(link: &[&str], mut left: u32, seed: u64) {
    let mut dice = Dice(seed);
    let mut sent = [0_u32; SIGNALS.len()];
    let (mut chosen, mut told) = (0, 0.0);
    while left > 0 {
        let mut twice = 0.0;
        let bench = Bench::new();
        bench.write("rows.nc", program());
        let rig = RigProcess::start(
            &bench,
            &[link, &["--pace", "8", "--record", "record.json"]].concat(),
        );
        let mut args = vec!["run", "rows.nc", "--machine", "bench-laser", "--to", &rig.link];
        loop {
            let mut child = begun(&bench, &args);
            std::thread::sleep(Duration::from_millis(150 + dice.below(1200)));
            if left > 0 && child.try_wait().unwrap().is_none() {
                let which = dice.below(SIGNALS.len() as u64) as usize;
                signal(SIGNALS[which], &child);
                (left, sent[which]) = (left - 1, sent[which] + 1);
                if SIGNALS[which] == "-STOP" {
                    std::thread::sleep(Duration::from_millis(100 + dice.below(300)));
                    signal(if dice.below(2) == 0 { "-CONT" } else { "-KILL" }, &child);
                }
            }
            let ran = Ran::from(child.wait_with_output().unwrap());
            if ran.status == 0 {
                break;
            }
            // A head that stands where two lines meet says only so much: what may be burnt twice is told.
            let unsure: Option<f64> = ran
                .err
                .split("between them it burns ")
                .nth(1)
                .map(|words| words.split(" mm").next().unwrap().parse().unwrap());
            let broke_off = matches!(ran.status, 4 | -1) || unsure.is_some();
            assert!(
                broke_off,
                "{}: {}\n{}",
                ran.status,
                ran.err,
                bench.run(&["log", "list", "--json"]).out
            );
            if bench.logged() && bench.run(&["log", "show"]).status == 0 {
                args = vec!["run", "--go-on"];
            }
            if let Some(mm) = unsure {
                args.extend(["--from", "last-seen"]);
                (chosen, twice) = (chosen + 1, twice + mm + 0.1);
            }
        }
        told += twice;
        rig.end();
        let record: serde_json::Value = serde_json::from_str(&bench.read("record.json")).unwrap();
        for (s, mm) in BURNT {
            let row = record["by_s"].as_array().unwrap().iter().find(|row| row["s"] == s).unwrap();
            let burnt = row["burn_mm"].as_f64().unwrap();
            // Each break may shift the seam by a hundredth of a mm.
            let more = burnt - mm;
            assert!(more > -0.3 && more < 0.3 + twice, "S{s}: {burnt} of {mm}; {sent:?}");
        }
        assert_eq!(record["beam_on"], false);
        assert_eq!(record["lit_standing_seconds"], 0.0);
    }
    eprintln!("{chosen} rests chosen; at most {told:.1} mm burnt twice");
    eprintln!("signals sent: {:?}", SIGNALS.iter().zip(sent).collect::<Vec<_>>());
}

fn wanted() -> u32 {
    std::env::var("TINKITE_SIGNALS").ok().and_then(|n| n.parse().ok()).unwrap_or(14)
}

#[test]
fn signals_over_tcp_cost_nothing() {
    storm_of_signals(&["--tcp", "127.0.0.1:0"], wanted() / 2, 0x51de_ca7e);
}

#[test]
fn signals_over_a_pseudo_terminal_cost_nothing() {
    storm_of_signals(&["--pty", "--baud", "115200"], wanted() / 2, 0xba5e_ba11);
}

/// Whoever reads what the run says stands still, with his pipe full: the wire goes on, and a signal is
/// obeyed.
#[test]
fn a_terminal_that_stands_still_changes_nothing_on_the_wire() {
    let bench = Bench::new();
    bench.write("rows.nc", program());
    let blocked = |link: &str, more: &str| {
        let tool = env!("CARGO_BIN_EXE_tinkite");
        let run = format!("{tool} run rows.nc --machine bench-laser --to {link} --json");
        // The pipe is full before the first event, and its reader sleeps.
        let script = format!(
            "{{ head -c 65530 /dev/zero; {run} 2>/dev/null & echo $! > pid; {more} wait; }} | sleep 8"
        );
        std::process::Command::new("bash")
            .args(["-c", &script])
            .current_dir(bench.path(""))
            .env("TINKITE_LOG", bench.path("runs.sqlite"))
            .spawn()
            .unwrap()
    };
    let rig = |record: &str| {
        RigProcess::start(
            &bench,
            &["--tcp", "127.0.0.1:0", "--pace", "20", "--once", "--record", record],
        )
    };
    let first = rig("whole.json");
    let mut shell = blocked(&first.link, "");
    first.rest();
    let record: serde_json::Value = serde_json::from_str(&bench.read("whole.json")).unwrap();
    assert!((record["burn_mm"].as_f64().unwrap() - 8780.0).abs() < 1e-6, "{record}");
    let second = rig("stopped.json");
    let mut stopped = blocked(&second.link, "sleep 1.5; kill -INT $(cat pid);");
    second.rest();
    let record: serde_json::Value = serde_json::from_str(&bench.read("stopped.json")).unwrap();
    let burnt = record["burn_mm"].as_f64().unwrap();
    assert!(burnt > 10.0 && burnt < 8000.0, "{record}");
    assert_eq!(record["beam_on"], false);
    shell.wait().unwrap();
    stopped.wait().unwrap();
}
