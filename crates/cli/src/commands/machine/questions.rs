//! What is asked of somebody at a terminal who writes a profile: one question after the other, each
//! answer held against the profile as it stands then. What is wrong is said at once and asked again; the
//! other answers are kept.

use super::full_power::full_power;
use crate::args::Whereto;
use crate::neutral;
use std::io::{BufRead, Write};
use tinkite_core::machine;
use tinkite_core::machine::Machine;
use tinkite_core::machine::Pointing;
use tinkite_core::machine::edit::{Change, changed};
use tinkite_core::quantity::plain;
use tinkite_files::refusal::Refusal;

/// Somebody who answers.
pub(super) struct Questions(());

/// Whether the text goes into quotes.
#[derive(Clone, Copy, PartialEq)]
enum AnswerKind {
    Text,
    Number,
}

/// What is asked, for which key, and what an empty answer keeps.
struct Question {
    asks: &'static str,
    section: &'static str,
    key: &'static str,
    kind: AnswerKind,
    offered: String,
}

impl Questions {
    pub(super) fn begin() -> Self {
        Self(())
    }

    /// The dialect, which comes first: it decides which profile is started from.
    pub(super) fn dialect(&mut self) -> Result<String, Refusal> {
        loop {
            let answer = answer("How is its controller spoken to (grbl, ngc, reprap)", "grbl")?;
            if ["grbl", "ngc", "reprap"].contains(&answer.as_str()) {
                return Ok(answer);
            }
            say(&format!("\"{answer}\" is none of grbl, ngc, reprap"));
        }
    }

    /// Asks for everything that differs from machine to machine, and puts it into the profile's text.
    pub(super) fn ask(&mut self, mut text: String, template: &Machine) -> Result<String, Refusal> {
        for question in questions(template) {
            loop {
                let answer = answer(question.asks, &question.offered)?;
                if answer == question.offered {
                    break;
                }
                let (section, key) = (question.section, question.key);
                let changes = match question.kind {
                    AnswerKind::Text => vec![Change::text(section, key, &answer)],
                    AnswerKind::Number => {
                        answer.parse().map_or(Vec::new(), |full| full_power(full, template))
                    }
                };
                let tried = changed(&text, &changes);
                // What is no number changes nothing.
                let taken = question.kind == AnswerKind::Text || answer.parse::<f64>().is_ok();
                match machine::read("it", &tried) {
                    Ok(_) if taken => {
                        text = tried;
                        break;
                    }
                    Ok(_) => say(&format!("\"{answer}\" is no number")),
                    Err(problems) => {
                        for problem in problems.iter() {
                            say(&format!("{}; {}", problem.message, problem.help));
                        }
                    }
                }
            }
            if question.key == "origin" {
                text = self.ask_pointing(text, template.pointing)?;
            }
        }
        Ok(text)
    }

    fn ask_pointing(&mut self, text: String, now: Pointing) -> Result<String, Refusal> {
        let (x, y) = sides_of(now);
        loop {
            let x = whereto("Which way does X count, seen from the front", x)?;
            let usual = if matches!(x, Whereto::Right | Whereto::Left) {
                Whereto::Away
            } else {
                Whereto::Right
            };
            let y = whereto("Which way does Y count", if y_goes_with(x, y) { y } else { usual })?;
            match pointing(Some(x), Some(y), now) {
                Ok(changes) => return Ok(changed(&text, &changes)),
                Err(why) => say(&why),
            }
        }
    }
}

fn questions(template: &Machine) -> Vec<Question> {
    let text = |asks, section, key, offered: String| Question {
        asks,
        section,
        key,
        kind: AnswerKind::Text,
        offered,
    };
    let length = |value: f64| format!("{} mm", plain(value, 3));
    let speed = |value: f64| format!("{} mm/s", plain(value, 3));
    let rate = |value: f64| format!("{} mm/s2", plain(value, 3));
    let link = template.link.clone().unwrap_or_else(|| "rig:".into());
    vec![
        text("Where is it (rig:, serial:PORT@BAUD, tcp:HOST:PORT)", "link", "to", link),
        text("How wide is the bed", "bed", "width", length(template.bed.width)),
        text("How deep", "bed", "depth", length(template.bed.depth)),
        text(
            "Where is its zero (bottom-left, bottom-right, top-left, top-right, centre)",
            "bed",
            "origin",
            template.bed.origin.name().to_string(),
        ),
        text("Top speed of X", "axis.x", "top-speed", speed(template.x.top_speed)),
        text("Top speed of Y", "axis.y", "top-speed", speed(template.y.top_speed)),
        text("Acceleration of X", "axis.x", "acceleration", rate(template.x.acceleration)),
        text("Acceleration of Y", "axis.y", "acceleration", rate(template.y.acceleration)),
        Question {
            kind: AnswerKind::Number,
            ..text("The S value that means 100 %", "beam", "full", plain(template.beam.full, 3))
        },
        text("Most power it may be given", "beam", "ceiling", template.beam.ceiling.to_string()),
    ]
}

/// Which way the axes count.
fn sides_of(pointing: Pointing) -> (Whereto, Whereto) {
    let across = |reversed| if reversed { Whereto::Left } else { Whereto::Right };
    let away = |reversed| if reversed { Whereto::Towards } else { Whereto::Away };
    if pointing.exchanged {
        (away(pointing.x_reversed), across(pointing.y_reversed))
    } else {
        (across(pointing.x_reversed), away(pointing.y_reversed))
    }
}

fn is_across(whereto: Whereto) -> bool {
    matches!(whereto, Whereto::Right | Whereto::Left)
}

fn y_goes_with(x: Whereto, y: Whereto) -> bool {
    is_across(x) != is_across(y)
}

/// What a profile says of axes that count so; the one that is not said goes as it usually does.
///
/// # Errors
/// Two axes that run along each other, in words.
pub(super) fn pointing(
    x: Option<Whereto>,
    y: Option<Whereto>,
    now: Pointing,
) -> Result<Vec<Change>, String> {
    let usual = |other: Option<Whereto>, across, away| match other {
        Some(other) if is_across(other) => away,
        Some(_) => across,
        None => across,
    };
    let x = x.unwrap_or_else(|| usual(y, Whereto::Right, Whereto::Away));
    let y = y.unwrap_or_else(|| usual(Some(x), Whereto::Right, Whereto::Away));
    if !y_goes_with(x, y) {
        return Err("X and Y cannot both run across, or both away from you: one of them right or left, the other away or towards".into());
    }
    let reversed = |whereto| matches!(whereto, Whereto::Left | Whereto::Towards);
    // What is so already is not written.
    let said = [
        ("axis", "exchanged", !is_across(x), now.exchanged),
        ("axis.x", "reversed", reversed(x), now.x_reversed),
        ("axis.y", "reversed", reversed(y), now.y_reversed),
    ];
    let changed = said.into_iter().filter(|(.., wanted, now)| wanted != now);
    Ok(changed.map(|(section, key, wanted, _)| Change::plain(section, key, wanted)).collect())
}

fn whereto(asks: &str, offered: Whereto) -> Result<Whereto, Refusal> {
    let words = [
        ("right", Whereto::Right),
        ("left", Whereto::Left),
        ("away", Whereto::Away),
        ("towards", Whereto::Towards),
    ];
    let shown = words.iter().find(|(_, way)| *way == offered).map_or("right", |(word, _)| word);
    loop {
        let answer = answer(&format!("{asks} (right, left, away, towards)"), shown)?;
        if let Some((_, way)) = words.iter().find(|(word, _)| *word == answer) {
            return Ok(*way);
        }
        say(&format!("\"{answer}\" is none of right, left, away, towards"));
    }
}

/// One answer; an empty one is what is offered.
fn answer(asks: &str, offered: &str) -> Result<String, Refusal> {
    let mut prompt = std::io::stderr().lock();
    let shown = neutral::text(offered, false);
    let _ = write!(prompt, "{asks} [{shown}]: ").and_then(|()| prompt.flush());
    let mut line = String::new();
    let read = std::io::stdin()
        .lock()
        .read_line(&mut line)
        .map_err(|source| Refusal::System { what: "the answer cannot be read", source })?;
    if read == 0 {
        return Err(Refusal::Usage("no answer; nothing was written".into()));
    }
    let line = line.trim();
    Ok(if line.is_empty() { offered } else { line }.to_string())
}

fn say(text: &str) {
    let _ = writeln!(std::io::stderr().lock(), "  {}", neutral::text(text, false));
}
