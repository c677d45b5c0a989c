//! `tinkite machine check`: a profile against the controller that is connected.

use crate::args::MachineCheck;
use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_core::machine::Machine;
use tinkite_core::quantity::plain;
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_link as link;
use tinkite_link::{self, ask::ask};
use tinkite_report::table::table;
use tinkite_wire::Connected;

/// One thing that both sides say.
#[derive(Debug, Serialize)]
struct Pair {
    what: &'static str,
    setting: String,
    profile: f64,
    controller: f64,
    same: bool,
}

#[derive(Debug, Serialize)]
struct CheckJson {
    machine: String,
    link: String,
    /// The profile was compared with itself: the controller is simulated from it.
    simulated: bool,
    same: bool,
    pairs: Vec<Pair>,
}

pub(super) fn run(args: &MachineCheck, console: &Console) -> Result<(), Refusal> {
    let found = find(&args.name, Path::new(""))?;
    let machine = found.read(&mut Sources::new())?;
    let name = link::name(args.to.as_deref(), &machine)?;
    let mut link = link::open(&name, &machine, None)?;
    let connected = ask(link.as_mut(), machine.dialect)?;
    if connected.settings.is_empty() {
        return Err(Refusal::Link(format!(
            "the controller at {name} answers and does not tell its settings, so nothing can be compared with them"
        )));
    }
    let pairs = pairs(&machine, &connected);
    let same = pairs.iter().all(|pair| pair.same);
    let simulated = link::is_simulated(&name);
    if console.json {
        console.json(&CheckJson { machine: found.name, link: name, simulated, same, pairs })?;
    } else {
        let row = |pair: &Pair| {
            let verdict = if pair.same { "" } else { "differs" };
            vec![
                pair.what.to_string(),
                pair.setting.clone(),
                plain(pair.profile, 3),
                plain(pair.controller, 3),
                verdict.to_string(),
            ]
        };
        let rows = pairs.iter().map(row).collect();
        let head = ["what", "setting", "profile", "controller", ""];
        console.result(&table(&head, rows, &[2, 3]))?;
        let told = match pairs.iter().filter(|pair| !pair.same).count() {
            0 if simulated => format!(
                "{} and the simulated machine agree, as they must: it is made from this profile. Nothing was checked; --to names a controller",
                machine.name
            ),
            0 => format!("{} and the controller at {name} agree", machine.name),
            1 => "1 difference: times, limits or powers are wrong until one side is changed".into(),
            n => format!(
                "{n} differences: times, limits or powers are wrong until one side is changed"
            ),
        };
        console.result(&told)?;
    }
    if same { Ok(()) } else { Err(Refusal::Reported) }
}

fn pairs(machine: &Machine, connected: &Connected) -> Vec<Pair> {
    let said = |key: u16| connected.settings.get(&key).copied();
    let mut pairs = Vec::new();
    let mut pair = |what, key: u16, profile: f64, factor: f64| {
        if let Some(controller) = said(key).map(|value| value * factor) {
            let same = (profile - controller).abs() <= 0.005 * profile.abs().max(0.01);
            pairs.push(Pair { what, setting: format!("${key}"), profile, controller, same });
        }
    };
    let flag = |on: bool| f64::from(u8::from(on));
    pair("S at 100 %", 30, machine.beam.full, 1.0);
    pair("laser mode", 32, flag(machine.beam.follows_speed), 1.0);
    pair("top speed of X, mm/s", 110, machine.x.top_speed, 1.0 / 60.0);
    pair("top speed of Y, mm/s", 111, machine.y.top_speed, 1.0 / 60.0);
    pair("acceleration of X, mm/s2", 120, machine.x.acceleration, 1.0);
    pair("acceleration of Y, mm/s2", 121, machine.y.acceleration, 1.0);
    if let Some(z) = machine.z {
        pair("top speed of Z, mm/s", 112, z.axis.top_speed, 1.0 / 60.0);
        pair("acceleration of Z, mm/s2", 122, z.axis.acceleration, 1.0);
    }
    let exchanged = machine.pointing.exchanged;
    let (x, y) = if exchanged {
        (machine.bed.depth, machine.bed.width)
    } else {
        (machine.bed.width, machine.bed.depth)
    };
    pair("travel of X, mm", 130, x, 1.0);
    pair("travel of Y, mm", 131, y, 1.0);
    pair("junction deviation, mm", 11, machine.junction_deviation, 1.0);
    if let Some(offset) = connected.work_offset(Some("G54")) {
        let bed = [machine.bed.offset.x, machine.bed.offset.y];
        for (n, what) in ["work offset of X, mm", "work offset of Y, mm"].into_iter().enumerate() {
            let same = (bed[n] - offset[n]).abs() < 0.01;
            let setting = "G54".to_string();
            pairs.push(Pair { what, setting, profile: bed[n], controller: offset[n], same });
        }
    }
    pairs
}
