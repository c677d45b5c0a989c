//! What is held in the rotary: its shape, and how the artwork lies on it.

use std::f64::consts::{PI, TAU};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Angle, Length, parse};
use tinkite_machine::frame::{Hold, Keep, Round};
use tinkite_machine::section::{self, LONGEST, Section};
use tinkite_machine::{self as machine, Machine};

/// Reads `[rotary]` of a job.
pub(super) fn read(section: Section<'_, '_>, machine: &Machine) -> Option<Round> {
    let Some(device) = &machine.rotary else {
        let message = format!("{} has no rotary", machine.name);
        let help = "add [rotary] to its profile, or name a machine that has one";
        section.report(Problem::error(Code::NoRotary, message, help), section.whole_span());
        for key in ["hold", "diameter", "circumference", "profile", "at", "keep", "top", "seam"] {
            section.has(key);
        }
        section.has("overlap");
        section.finish();
        return None;
    };
    if !section.has("hold") {
        section.missing("hold", "hold = \"chuck\" or \"rollers\"");
    }
    let hold = section.choice("hold", &[("chuck", Hold::Chuck), ("rollers", Hold::Rollers)]);
    check_rollers(&section, hold, device);
    let profile = shape(&section);
    if hold == Some(Hold::Rollers) && profile.as_ref().is_some_and(|p| p.len() > 1) {
        section.contradicts(
            "profile",
            "rollers turn the surface where they touch it, so an object of changing diameter has no known angle on them",
            "hold it in a chuck, or give the one diameter that runs on the rollers",
        );
    }
    // The profile may begin on the other side of a zero that lies on the object.
    let at = section.quantity::<Length>("at").and_then(|at| section.within("at", at, LONGEST));
    let at = at.unwrap_or(0.0);
    let keep = section.choice("keep", &[("size", Keep::Size), ("angle", Keep::Angle)]);
    let angle = |key, usual: f64| {
        let angle = section.quantity::<Angle>(key).map_or(usual, |angle| angle.0);
        if angle.abs() > 100.0 * TAU {
            section.out_of_range(
                key,
                section.span_of(key),
                &section.written(key),
                "within 100 turns",
            );
        }
        angle
    };
    let (top, seam) = (angle("top", 0.0), angle("seam", PI));
    if !(0.0..=TAU + 1e-9).contains(&seam) {
        let span = section.span_of("seam");
        section.out_of_range("seam", span, &section.written("seam"), "from 0 deg to 360 deg");
    }
    let overlap = section.flag("overlap").unwrap_or(false);
    if profile.as_ref().is_some_and(|profile| profile.len() == 1) {
        for (key, why) in [
            ("at", "it says where a profile begins, and an object of one diameter has none"),
            ("keep", "round one diameter lengths and angles are kept alike"),
        ] {
            if section.has(key) {
                let message = format!("{key} in [rotary] changes nothing: {why}");
                let help = match key {
                    "at" => "take it out; [place] at says where the drawing lies along the object",
                    _ => "take it out, or give a profile",
                };
                let problem = Problem::warning(Code::UnusedKey, message, help);
                section.report(problem, section.span_of(key));
            }
        }
    }
    section.finish();
    Some(Round {
        hold: hold?,
        profile: profile?,
        at,
        keep: keep.unwrap_or(Keep::Size),
        top,
        seam,
        overlap,
    })
}

fn check_rollers(section: &Section<'_, '_>, hold: Option<Hold>, device: &machine::Rotary) {
    if hold == Some(Hold::Rollers) && device.roller.is_none() {
        section.contradicts(
            "hold",
            "the machine's rotary has no rollers: its profile gives no roller diameter",
            "add roller = \"30 mm\" to [rotary] of the profile, or hold it in the chuck",
        );
    }
}

/// The least and greatest diameters that are believed, mm.
const DIAMETERS: std::ops::RangeInclusive<f64> = 0.5..=2000.0;

fn shape(section: &Section<'_, '_>) -> Option<Vec<(f64, f64)>> {
    let given = ["diameter", "circumference", "profile"];
    let said: Vec<&str> = given.into_iter().filter(|key| section.has(key)).collect();
    match said[..] {
        [] => {
            section.missing("diameter", "diameter = \"70 mm\", or circumference, or profile");
            return None;
        }
        [_] => {}
        [first, second, ..] => {
            section.contradicts(
                second,
                &format!("[rotary] gives both {first} and {second}"),
                "keep the one that was measured",
            );
            return None;
        }
    }
    let believed = |diameter: f64, key: &'static str| {
        if DIAMETERS.contains(&diameter) {
            return true;
        }
        let wanted = "a diameter from 0.5 mm to 2000 mm";
        section.out_of_range(key, section.span_of(key), &section.written(key), wanted);
        false
    };
    if let Some(diameter) = section.positive::<Length>("diameter") {
        return believed(diameter.0, "diameter").then(|| vec![(0.0, diameter.0)]);
    }
    if let Some(round) = section.positive::<Length>("circumference") {
        let diameter = round.0 / PI;
        return believed(diameter, "circumference").then(|| vec![(0.0, diameter)]);
    }
    let items = section.list("profile")?;
    let refuse = |message: &str| {
        let help = "write profile = [[\"0 mm\", \"70 mm\"], [\"120 mm\", \"64 mm\"]]: distance along the axis, diameter";
        section.report(Problem::error(Code::Profile, message, help), section.span_of("profile"));
    };
    let mut profile: Vec<(f64, f64)> = Vec::new();
    for item in items {
        let pair = item.get_ref().as_array().filter(|pair| pair.len() == 2);
        let Some((place, diameter)) = pair.map(|pair| (&pair[0], &pair[1])) else {
            refuse("profile in [rotary] is not a list of pairs");
            return None;
        };
        let place = section.read_quantity("profile", place, parse::<Length>)?.0;
        let diameter = section.read_quantity("profile", diameter, parse::<Length>)?.0;
        if !believed(diameter, "profile") {
            return None;
        }
        if !(0.0..=section::LONGEST).contains(&place)
            || profile.last().is_some_and(|(before, _)| place - before < 1e-3)
        {
            refuse("the distances in profile must rise, from zero or more");
            return None;
        }
        profile.push((place, diameter));
    }
    if profile.len() < 2 {
        refuse("profile in [rotary] needs two places or more");
        return None;
    }
    Some(profile)
}
