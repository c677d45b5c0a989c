//! Lines of text that a profile brings along: they go to the controller as they stand, so none of
//! them may light the beam or move the zero.

use super::link::Dialect;
use crate::section::Section;
use std::ops::Range;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Duration, FileSize, plain};
use tinkite_base::rs274::{Word, words};

/// Codes that switch the air.
#[derive(Debug, Clone, PartialEq)]
pub struct Air {
    /// Air on.
    pub on: String,
    /// Air off.
    pub off: String,
    /// How long it takes to blow evenly, s.
    pub settle: f64,
}

/// How a program's text is laid out for its controller.
#[derive(Debug, Clone, PartialEq)]
pub struct Text {
    /// Lines before anything else.
    pub opening: Vec<String>,
    /// Lines after the beam and the air are off.
    pub closing: Vec<String>,
    /// Whether the controller knows G2 and G3.
    pub arcs: bool,
    /// Whether lines end with a carriage return as well.
    pub carriage_return: bool,
    /// How large one file may be, bytes.
    pub largest: Option<u64>,
    /// The line that sets the pulse frequency, with `{kHz}` or `{Hz}` in it.
    pub frequency: Option<String>,
}

impl Text {
    /// What a dialect has when the profile is silent.
    pub(super) fn of(dialect: Dialect) -> Self {
        Self {
            opening: Vec::new(),
            closing: Vec::new(),
            arcs: dialect != Dialect::Reprap,
            carriage_return: false,
            largest: None,
            frequency: None,
        }
    }

    /// The line that sets a pulse frequency, Hz.
    #[must_use]
    pub fn frequency_line(&self, hertz: f64) -> Option<String> {
        let template = self.frequency.as_ref()?;
        Some(template.replace("{kHz}", &plain(hertz / 1000.0, 3)).replace("{Hz}", &plain(hertz, 1)))
    }
}

/// The smallest size of a file that leaves room for a program's opening and closing, bytes.
const SMALLEST: f64 = 4000.0;

/// Reads `[program]`.
pub(super) fn text(section: Section<'_, '_>, dialect: Dialect) -> Text {
    let mut text = Text::of(dialect);
    text.opening = lines(&section, "opening", dialect);
    text.closing = lines(&section, "closing", dialect);
    text.arcs = section.flag("arcs").unwrap_or(text.arcs);
    text.carriage_return =
        section.choice("line-ends", &[("lf", false), ("crlf", true)]).unwrap_or(false);
    text.largest = section.quantity::<FileSize>("largest").map(|size| size.0 as u64);
    if text.largest.is_some_and(|size| (size as f64) < SMALLEST) {
        let span = section.span_of("largest");
        section.out_of_range("largest", span, &section.written("largest"), "4 kB or more");
    }
    if let Some(code) = section.text("frequency") {
        let filled = code.replace("{kHz}", "20").replace("{Hz}", "20000");
        if filled == code {
            section.contradicts(
                "frequency",
                &format!(
                    "frequency in [program] is \"{code}\", and says nowhere what the frequency is"
                ),
                "put {kHz} or {Hz} where the number goes, for example \"M67 E0 Q{kHz}\"",
            );
        }
        harmless(&section, "frequency", &filled, section.span_of("frequency"), dialect);
        text.frequency = Some(code.to_string());
    }
    section.finish();
    text
}

/// Reads `[air]`.
pub(super) fn air(section: Section<'_, '_>, dialect: Dialect) -> Option<Air> {
    if !section.has("on") {
        section.missing("on", "on = \"M8\"");
    }
    let on = section.text("on").unwrap_or("M8").to_string();
    let off = section.text("off").unwrap_or("M9").to_string();
    for (key, code) in [("on", &on), ("off", &off)] {
        harmless(&section, key, code, section.span_of(key), dialect);
    }
    let settle = section.quantity::<Duration>("settle").map_or(0.0, |time| time.0);
    if !(0.0..=60.0).contains(&settle) {
        let span = section.span_of("settle");
        section.out_of_range("settle", span, &section.written("settle"), "from 0 s to 60 s");
    }
    section.finish();
    Some(Air { on, off, settle })
}

fn lines(section: &Section<'_, '_>, key: &'static str, dialect: Dialect) -> Vec<String> {
    let Some(items) = section.list(key) else { return Vec::new() };
    let mut lines = Vec::new();
    for item in items {
        let Some(line) = item.get_ref().as_str() else {
            let message = format!("{key} in [program] should be a list of lines in quotes");
            let help = format!("write {key} = [\"G28\"]");
            section.report(Problem::error(Code::WrongType, message, help), item.span());
            continue;
        };
        harmless(section, key, line, item.span(), dialect);
        lines.push(line.to_string());
    }
    lines
}

/// Refuses a line that could light the beam, change what the program's numbers mean, or cannot be
/// read as what a controller is told.
fn harmless(
    section: &Section<'_, '_>,
    key: &str,
    line: &str,
    span: Range<usize>,
    dialect: Dialect,
) {
    let refuse = |what: &str| {
        let message = format!("{key} in {} is \"{line}\", {what}", section.name);
        let help = "the profile's own lines only prepare and clear up; beam, units and zero are the program's affair";
        section.report(Problem::error(Code::OwnLine, message, help), span.clone());
    };
    let printable = line.bytes().all(|b| (b' '..=b'~').contains(&b));
    if !printable || line.len() > 70 {
        return refuse("which is longer than 70 signs or holds more than plain signs");
    }
    if line.bytes().any(|b| matches!(b, b'!' | b'?' | b'~')) {
        return refuse("which holds a sign that controllers act upon at once (! ? ~)");
    }
    let mut read = Vec::new();
    if words(line.as_bytes(), &mut read).is_err() {
        return refuse("which is not a line of RS-274/NGC words");
    }
    if let Some(what) = danger(&read, dialect) {
        refuse(what);
    }
}

/// What is dangerous in a line of a profile.
fn danger(words: &[Word], dialect: Dialect) -> Option<&'static str> {
    let codes = |letter: u8| {
        words.iter().filter(move |w| w.letter == letter).map(|w| (w.value * 10.0).round() as i64)
    };
    if codes(b'M').any(|m| matches!(m, 30 | 40 | 1060)) {
        return Some("which lights the beam");
    }
    if codes(b'M').any(|m| matches!(m, 20 | 300)) {
        return Some("which ends the program");
    }
    let lit = words.iter().any(|w| w.letter == b'S' && w.value != 0.0);
    // In 3-D-printer firmware S is a parameter of many codes; elsewhere it is the power.
    if lit && (dialect != Dialect::Reprap || codes(b'G').next().is_some()) {
        return Some("which gives the beam power");
    }
    let calls = codes(b'M').any(|m| matches!(m, 970 | 980 | 990));
    if calls || words.iter().any(|w| w.letter == b'O') {
        return Some("which runs another program");
    }
    if codes(b'G').any(|g| matches!(g, 10 | 20 | 30)) || codes(b'G').any(|g| g == 380) {
        return Some("which is a feed move");
    }
    // What leaves the meaning of numbers as programs have it, and brings the head home. G28.1 sets where that is.
    let prepares = |g: i64| {
        matches!(
            g,
            0 | 40
                | 170
                | 210
                | 280
                | 300
                | 400
                | 490
                | 530
                | 610
                | 611
                | 640
                | 800
                | 900
                | 911
                | 940
        )
    };
    if !codes(b'G').all(prepares) {
        return Some("which changes what the program's numbers mean");
    }
    let travels = words.iter().any(|w| matches!(w.letter, b'X' | b'Y' | b'Z' | b'A' | b'B' | b'C'));
    // In 3-D-printer firmware axis letters are parameters of many M codes, and G28 only names axes;
    // elsewhere they move the head whatever else the line says, and G28 goes through them.
    let codes_only = dialect == Dialect::Reprap
        && (codes(b'G').all(|g| g == 280) && words.iter().any(|w| matches!(w.letter, b'G' | b'M')));
    let aside = words.iter().any(|w| matches!(w.letter, b'X' | b'Y' | b'A' | b'B' | b'C'));
    let lifts_home = !aside && codes(b'G').any(|g| matches!(g, 280 | 300));
    if travels && !codes_only && !lifts_home {
        return Some("which moves the head to a place that no one has checked");
    }
    None
}
