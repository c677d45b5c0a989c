//! `tinkite machine show`.

use crate::console::Console;
use serde::Serialize;
use std::path::Path;
use tinkite_core::machine::Machine;
use tinkite_core::machine::{Rotary, Switch, Travel};
use tinkite_core::quantity::{Speed, plain};
use tinkite_files::machines::find;
use tinkite_files::refusal::{Refusal, Sources};

#[derive(Debug, Serialize)]
struct ShowJson {
    name: String,
    from: String,
    title: String,
    bed_mm: [f64; 2],
    origin: &'static str,
    top_speed_mm_s: [f64; 2],
    acceleration_mm_s2: [f64; 2],
    full: f64,
    floor: f64,
    ceiling_percent: f64,
    follows_speed: bool,
    rotary_axis: Option<String>,
    dialect: &'static str,
    link: Option<String>,
}

pub(super) fn run(name: &str, console: &Console) -> Result<(), Refusal> {
    let found = find(name, Path::new(""))?;
    let machine = found.read(&mut Sources::new())?;
    if console.json {
        return console.json(&ShowJson {
            name: found.name.clone(),
            from: found.from.words(),
            title: machine.name.clone(),
            bed_mm: [machine.bed.width, machine.bed.depth],
            origin: machine.bed.origin.name(),
            top_speed_mm_s: [machine.x.top_speed, machine.y.top_speed],
            acceleration_mm_s2: [machine.x.acceleration, machine.y.acceleration],
            full: machine.beam.full,
            floor: machine.beam.floor,
            ceiling_percent: machine.beam.ceiling.0 * 100.0,
            follows_speed: machine.beam.follows_speed,
            rotary_axis: machine.rotary.map(|r| char::from(r.letter).to_string()),
            dialect: machine.dialect.name(),
            link: machine.link.clone(),
        });
    }
    let mut lines = vec![machine.name.clone(), format!("  from      {}", found.from.words())];
    lines.extend(facts(&machine).into_iter().map(|(what, words)| format!("  {what:<9} {words}")));
    console.result(&lines.join("\n"))
}

fn facts(machine: &Machine) -> Vec<(&'static str, String)> {
    let n = |v: f64| plain(v, 3);
    let bed = &machine.bed;
    let pointing = machine.pointing;
    let mut ways = Vec::new();
    for (says, words) in [
        (pointing.exchanged, "X and Y exchanged"),
        (pointing.x_reversed, "X reversed"),
        (pointing.y_reversed, "Y reversed"),
    ] {
        ways.extend(says.then_some(words));
    }
    let ways = if ways.is_empty() { String::new() } else { format!(", {}", ways.join(", ")) };
    let beam = &machine.beam;
    let scaled = match (beam.follows_speed, beam.switch) {
        (true, _) => "power follows the speed (M4)",
        (false, Switch::Inline) => "power stays as it is said (M3)",
        (false, Switch::Lines) => "power in lines of its own (M106)",
    };
    let mut facts = vec![
        (
            "bed",
            format!(
                "{} x {} mm, counted from its {}{ways}",
                n(bed.width),
                n(bed.depth),
                bed.origin.name()
            ),
        ),
        ("X", axis(machine.x.top_speed, machine.x.acceleration)),
        ("Y", axis(machine.y.top_speed, machine.y.acceleration)),
    ];
    facts.extend(machine.z.map(|z| {
        let clearance = if z.clearance > 0.0 {
            format!(", lifted {} mm for travel", n(z.clearance))
        } else {
            String::new()
        };
        (
            "Z",
            format!(
                "{}, {} to {} mm{clearance}",
                axis(z.axis.top_speed, z.axis.acceleration),
                n(z.range.0),
                n(z.range.1)
            ),
        )
    }));
    facts.extend(machine.rotary.map(|rotary| ("rotary", turning(&rotary))));
    facts.extend([
        (
            "travel",
            match machine.travel {
                Travel::Rapid => "as fast as the axes can".into(),
                Travel::Feed(speed) => format!("at {speed}"),
            },
        ),
        (
            "beam",
            format!(
                "S{} is 100 %, lights from S{}, at most {}, spot {} mm; {scaled}",
                n(beam.full),
                n(beam.floor),
                beam.ceiling,
                n(beam.width)
            ),
        ),
        (
            "measured",
            if beam.table.is_some() {
                "yes: mA and W can be asked for".into()
            } else {
                match machine.nominal.watts {
                    Some(watts) => format!(
                        "no: taken for {} W at 100 %; tinkite machine measure does it",
                        plain(watts, 1)
                    ),
                    None => "no: tinkite machine measure does it".into(),
                }
            },
        ),
        (
            "speaks",
            format!(
                "{}{}",
                machine.dialect.name(),
                machine.link.as_ref().map_or(String::new(), |link| format!(" at {link}"))
            ),
        ),
    ]);
    facts
}

fn axis(speed: f64, acceleration: f64) -> String {
    format!("{}, {} mm/s2", Speed(speed), plain(acceleration, 1))
}

fn turning(rotary: &Rotary) -> String {
    let n = |v: f64| plain(v, 3);
    let letter = char::from(rotary.letter);
    let along = char::from(rotary.along);
    let how = match rotary.per_turn {
        Some(per_turn) => format!("stands in for {letter}, {} mm a turn", n(per_turn)),
        None => format!(
            "axis {letter}, {} deg/s, {} deg/s2",
            n(rotary.axis.top_speed),
            n(rotary.axis.acceleration)
        ),
    };
    let roller = rotary.roller.map_or(String::new(), |d| format!(", rollers {} mm", n(d)));
    format!("{how}, along {along}{roller}")
}
