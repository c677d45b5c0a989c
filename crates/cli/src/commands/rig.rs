//! `tinkite rig`: the simulated controller on a real link.

use crate::args::Rig as RigArgs;
use crate::console::Console;
use serialport::{SerialPort, TTYPort};
use std::io::Write;
use std::net::TcpListener;
use std::path::Path;
use std::time::{Duration, Instant};
use tinkite_core::geometry::Point;
use tinkite_files::load;
use tinkite_files::output::Output;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link::{pace, setup};
use tinkite_operate::place;
use tinkite_operate::stopping::Stopping;
use tinkite_report::burnt;
use tinkite_report::png;
use tinkite_rig::shell::{Traffic, alone, serve_pty, serve_tcp};
use tinkite_rig::{Rig, Trouble};

pub(super) fn run(args: &RigArgs, console: &Console) -> Result<(), Refusal> {
    if let Some(path) = &args.picture {
        png::kind_of(path)?;
    }
    // Opened before anything runs: a path that cannot be written is told now.
    let record =
        args.record.as_ref().map(|path| Output::create(path, args.writing.into())).transpose()?;
    let pace = pace(&args.pace)?;
    let machine = load::machine(&args.machine, Path::new(""), &mut Sources::new())?;
    let on_axes = |[x, y]: [f64; 2]| {
        let at = place::axes(&machine, Point::new(x, y));
        [at.x, at.y]
    };
    let mut setup = setup(&machine, args.diameter);
    setup.offset = args.zero.map_or(setup.offset, on_axes);
    setup.surface = args.surface;
    let mut rig = Rig::new(setup);
    if let Some(head) = args.head {
        if let Some(beside) = place::beside(&machine, Point::new(head[0], head[1])) {
            return Err(Refusal::Usage(format!("the head cannot stand {beside} of the bed")));
        }
        rig.stand_at(on_axes(head));
    }
    if args.locked {
        rig.lock();
    }
    if let Some(text) = &args.trouble {
        rig.misbehave(Trouble::parse(text).map_err(|error| Refusal::Usage(error.to_string()))?);
    }
    let stopping = Stopping::watch()?;
    let stop = stopping.flag();
    let failed = |error: std::io::Error| Refusal::Link(format!("the rig's link failed: {error}"));
    if args.pty {
        let (mut master, slave) = TTYPort::pair().map_err(|e| failed(e.into()))?;
        let name = slave.name().unwrap_or_default();
        // Closed again, so that its next user finds it free and its going away is noticed.
        drop(slave);
        console.result(&format!("the rig listens on serial:{name}"))?;
        loop {
            let traffic =
                serve_pty(&mut rig, &mut master, args.baud, pace, stop).map_err(failed)?;
            rig.left_alone();
            report(&traffic, &rig, args.baud, console)?;
            if args.once || stopping.is_wanted() {
                break;
            }
        }
    } else {
        let listener = TcpListener::bind(&args.tcp)
            .map_err(|error| Refusal::Link(format!("{} does not open: {error}", args.tcp)))?;
        let address = listener.local_addr().map_err(failed)?;
        console.result(&format!("the rig listens on tcp:{address}"))?;
        listener.set_nonblocking(true).map_err(failed)?;
        let mut alone_since = Instant::now();
        while !stopping.is_wanted() {
            alone(&mut rig, pace, alone_since.elapsed());
            alone_since = Instant::now();
            match listener.accept() {
                Ok((stream, _)) => {
                    let traffic = serve_tcp(&mut rig, stream, pace, stop).map_err(failed)?;
                    rig.left_alone();
                    report(&traffic, &rig, None, console)?;
                    if args.once {
                        break;
                    }
                    alone_since = Instant::now();
                }
                Err(error) if error.kind() == std::io::ErrorKind::WouldBlock => {
                    std::thread::sleep(Duration::from_millis(20));
                }
                Err(error) => return Err(failed(error)),
            }
        }
    }
    if let Some(path) = &args.picture {
        let written = png::write(path, args.writing.into(), || {
            burnt::picture(rig.record(), &machine, "What the beam did")
        })?;
        console.say(&written.words());
    }
    if let Some(record) = record {
        let text = serde_json::to_string_pretty(&burnt::json(&rig))?;
        let written = record.write(|out| out.write_all(text.as_bytes()))?;
        console.say(&written.words());
    }
    Ok(())
}

fn report(
    traffic: &Traffic,
    rig: &Rig,
    baud: Option<u32>,
    console: &Console,
) -> Result<(), Refusal> {
    let record = rig.record();
    let rate = if traffic.seconds > 0.0 { traffic.bytes as f64 / traffic.seconds } else { 0.0 };
    let share = baud.map_or(String::new(), |baud| {
        format!(", {:.1} % of the line", rate / (f64::from(baud) / 10.0) * 100.0)
    });
    console.result(&format!(
        "a client went: {} lines, {} bytes in {:.2} s ({:.0} bytes/s{share}), {} refused, {} bytes lost",
        record.lines, traffic.bytes, traffic.seconds, rate, record.errors, record.overrun_bytes
    ))?;
    let mishaps = rig.mishaps_so_far();
    if !mishaps.is_empty() {
        let told = mishaps.iter().map(|(at, fault, _)| format!("{} at {at:.1} s", fault.word()));
        console.result(&format!("so far went wrong: {}", told.collect::<Vec<_>>().join(", ")))?;
    }
    console.result(&burnt::words(record))
}
