//! Lines of a `grbl` controller ⇄ what they say.

/// One inch, mm.
pub(crate) const INCH: f64 = 25.4;

/// The controller's state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// Ready, nothing moves.
    Idle,
    /// Moving.
    Run,
    /// Held: moving to a halt (true) or standing (false).
    Hold {
        /// Whether it is still slowing down.
        moving: bool,
    },
    /// Moving by hand.
    Jog,
    /// Locked.
    Alarm,
    /// The safety door is open.
    Door,
    /// Only checking lines.
    Check,
    /// Looking for its zero.
    Home,
    /// Asleep.
    Sleep,
}

impl State {
    fn parse(text: &str) -> Option<Self> {
        let (name, detail) = text.split_once(':').unwrap_or((text, ""));
        Some(match name {
            "Idle" => Self::Idle,
            "Run" => Self::Run,
            "Hold" => Self::Hold { moving: detail == "1" },
            "Jog" => Self::Jog,
            "Alarm" => Self::Alarm,
            "Door" => Self::Door,
            "Check" => Self::Check,
            "Home" => Self::Home,
            "Sleep" => Self::Sleep,
            _ => return None,
        })
    }

    /// In plain words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Idle => "idle",
            Self::Run => "running",
            Self::Hold { .. } => "held",
            Self::Jog => "moved by hand",
            Self::Alarm => "locked by an alarm",
            Self::Door => "stopped by its open door",
            Self::Check => "in check mode",
            Self::Home => "homing",
            Self::Sleep => "asleep",
        }
    }
}

/// A status report.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Status {
    /// What the controller does.
    pub state: State,
    /// Position in mm, machine coordinates where it reports those, else work coordinates.
    pub position: Option<[f64; 3]>,
    /// The fourth number of the position, where there is one: of an axis that turns, degrees.
    pub turn: Option<f64>,
    /// Whether that is in machine coordinates.
    pub machine_position: bool,
    /// Actual speed in mm/min and S value.
    pub feed_and_s: Option<[f64; 2]>,
    /// Free places in its planner, and free bytes in its receive buffer, where it tells them.
    pub room: Option<Room>,
    /// The offset of work coordinates, mm, where it tells it.
    pub offset: Option<[f64; 3]>,
    /// Feed, rapid and power as the operator has changed them, %, where it tells them: only now and then.
    pub overrides: Option<[f64; 3]>,
    /// The switches that it says are pressed.
    pub switches: Switches,
    /// The last line of the program that was answered before it came; a session knows.
    pub taken: u32,
    /// Whether it was asked for behind a halt: a session knows.
    pub halted: bool,
}

/// Switches that are pressed, by the letters that controllers have for them (`Pn:`): X, Y, Z the ends of
/// the axes, P the probe, D the door, H hold, R reset, S start. Not telling any is having none pressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Switches(u32);

impl Switches {
    fn parse(letters: &str) -> Self {
        let bit = |c: u8| 1 << (c - b'A');
        Self(letters.bytes().filter(u8::is_ascii_uppercase).map(bit).fold(0, |all, bit| all | bit))
    }

    /// Their names, in the order of their letters.
    pub fn words(self) -> impl Iterator<Item = String> {
        (b'A'..=b'Z').filter(move |c| self.0 & (1 << (c - b'A')) != 0).map(|letter| match letter {
            b'D' => "door".into(),
            b'H' => "hold".into(),
            b'P' => "probe".into(),
            b'R' => "reset".into(),
            b'S' => "start".into(),
            axis => format!("end of {}", char::from(axis)),
        })
    }
}

/// How much room a controller has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Room {
    /// Free places in the planner.
    pub blocks: usize,
    /// Free bytes in the receive buffer.
    pub bytes: usize,
}

impl Status {
    /// Of a head that stands at a place in the program's coordinates, mm; nothing else is known.
    pub(crate) fn standing(position: [f64; 3]) -> Self {
        Self { position: Some(position), halted: true, ..Self::of(State::Idle) }
    }

    /// Of which nothing but the state is known.
    fn of(state: State) -> Self {
        Self {
            state,
            position: None,
            turn: None,
            machine_position: false,
            feed_and_s: None,
            room: None,
            offset: None,
            overrides: None,
            switches: Switches::default(),
            taken: 0,
            halted: false,
        }
    }

    /// One that was told in inches (`$13`): places, offsets and the feed.
    pub(crate) fn in_mm(mut self) -> Self {
        let lengths = self.position.iter_mut().chain(&mut self.offset).flatten();
        lengths.for_each(|length| *length *= INCH);
        self.feed_and_s.iter_mut().for_each(|[feed, _]| *feed *= INCH);
        self
    }

    fn parse(body: &str) -> Option<Self> {
        let mut fields = body.split('|');
        let state = State::parse(fields.next()?)?;
        let mut status = Self::of(state);
        for field in fields {
            match field.split_once(':') {
                Some((kind @ ("MPos" | "WPos"), numbers)) => {
                    status.position = parse_numbers(numbers);
                    status.turn = parse_numbers(numbers).map(|[_, _, _, turn]| turn);
                    status.machine_position = kind == "MPos";
                }
                Some(("FS", numbers)) => status.feed_and_s = parse_numbers(numbers),
                Some(("WCO", numbers)) => status.offset = parse_numbers(numbers),
                Some(("Ov", numbers)) => status.overrides = parse_numbers(numbers),
                Some(("Pn", letters)) => status.switches = Switches::parse(letters),
                Some(("Bf", numbers)) => status.room = Room::parse(numbers),
                _ => {}
            }
        }
        Some(status)
    }
}

impl Room {
    fn parse(text: &str) -> Option<Self> {
        let (blocks, bytes) = text.split_once(',')?;
        Some(Self { blocks: blocks.parse().ok()?, bytes: bytes.parse().ok()? })
    }
}

fn parse_numbers<const N: usize>(text: &str) -> Option<[f64; N]> {
    let mut numbers = [0.0; N];
    let mut parts = text.split(',');
    for number in &mut numbers {
        *number = parts.next()?.trim().parse().ok().filter(|n: &f64| n.is_finite())?;
    }
    Some(numbers)
}

/// What a controller complains of: a number, or words of its own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Complaint {
    /// Its number, where it is one.
    pub code: Option<u16>,
    /// As it was said.
    pub text: String,
}

impl Complaint {
    fn of(text: &str) -> Self {
        let text = text.trim();
        Self { code: text.parse().ok(), text: text.to_string() }
    }
}

impl std::fmt::Display for Complaint {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(if self.text.is_empty() { "(without a word)" } else { &self.text })
    }
}

/// What one line says.
#[derive(Debug, Clone, PartialEq)]
pub enum Message {
    /// A line was taken.
    Ok,
    /// A line was refused.
    Error(Complaint),
    /// The controller locked itself.
    Alarm(Complaint),
    /// A status report.
    Status(Status),
    /// It has (re)started.
    Banner(String),
    /// One setting, `$30=1000`.
    Setting(u16, f64),
    /// Receive buffer in bytes, out of `[OPT:…]`.
    Buffer(usize),
    /// An offset, `[G54:10.000,5.000,0.000]`.
    Offset(String, [f64; 3]),
    /// Where a probe touched, on the machine's axes in mm, `[PRB:0.000,0.000,-4.020:1]`; not of one that
    /// touched nothing.
    Touched([f64; 3]),
    /// The modal state, `[GC:G0 G54 …]`.
    Modes(Vec<String>),
    /// Anything else.
    Other(String),
}

impl Message {
    /// Reads a line; whatever is unknown is [`Message::Other`], never an error.
    #[must_use]
    pub fn parse(line: &str) -> Self {
        let line = line.trim();
        let other = || Self::Other(line.to_string());
        if line == "ok" {
            Self::Ok
        } else if let Some(what) = line.strip_prefix("error:") {
            Self::Error(Complaint::of(what))
        } else if let Some(what) = line.strip_prefix("ALARM:") {
            Self::Alarm(Complaint::of(what))
        } else if let Some(body) = line.strip_prefix('<').and_then(|l| l.strip_suffix('>')) {
            Status::parse(body).map_or_else(other, Self::Status)
        } else if is_banner(line) {
            Self::Banner(line.to_string())
        } else if let Some((key, value)) = line.strip_prefix('$').and_then(|l| l.split_once('=')) {
            match (key.parse(), value.parse::<f64>()) {
                (Ok(key), Ok(value)) => Self::Setting(key, value),
                _ => other(),
            }
        } else if let Some(options) = line.strip_prefix("[OPT:").and_then(|l| l.strip_suffix(']')) {
            options.split(',').nth(2).and_then(|n| n.parse().ok()).map_or_else(other, Self::Buffer)
        } else if let Some(modes) = line.strip_prefix("[GC:").and_then(|l| l.strip_suffix(']')) {
            Self::Modes(modes.split_whitespace().map(str::to_string).collect())
        } else if let Some(at) = line.strip_prefix("[PRB:").and_then(|l| l.strip_suffix(":1]")) {
            parse_numbers(at).map_or_else(other, Self::Touched)
        } else if let Some((name, numbers)) = line
            .strip_prefix("[G")
            .and_then(|l| l.strip_suffix(']'))
            .and_then(|l| l.split_once(':'))
        {
            parse_numbers(numbers).map_or_else(other, |at| Self::Offset(format!("G{name}"), at))
        } else {
            other()
        }
    }
}

/// Whether a line is what a controller says when it has started: its version, or where help is to be
/// had. Vendors put their own names before it, and what was on the line when it started is before it,
/// too.
fn is_banner(line: &str) -> bool {
    let version = |(at, name): (usize, &str)| {
        line[at + name.len()..].starts_with(|c: char| c.is_ascii_digit())
    };
    line.contains("'$' for help") || line.match_indices("Grbl ").any(version)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lines_are_understood() {
        assert_eq!(Message::parse("ok"), Message::Ok);
        let said = |code, text: &str| Complaint { code, text: text.into() };
        assert_eq!(Message::parse("error:9"), Message::Error(said(Some(9), "9")));
        assert_eq!(Message::parse("ALARM:2"), Message::Alarm(said(Some(2), "2")));
        let words = "Bad number format";
        let refused = Message::Error(said(None, words));
        assert_eq!(Message::parse("error: Bad number format"), refused);
        assert_eq!(Message::parse("ALARM: Hard limit"), Message::Alarm(said(None, "Hard limit")));
        assert_eq!(Message::parse("$30=1000"), Message::Setting(30, 1000.0));
        assert_eq!(Message::parse("[OPT:V,15,128]"), Message::Buffer(128));
        let touched = Message::Touched([10.0, 5.0, -4.02]);
        assert_eq!(Message::parse("[PRB:10.000,5.000,-4.020:1]"), touched);
        let nothing = "[PRB:10.000,5.000,-4.020:0]";
        assert_eq!(Message::parse(nothing), Message::Other(nothing.into()));
        assert_eq!(
            Message::parse("[MSG:'$H'|'$X' to unlock]"),
            Message::Other("[MSG:'$H'|'$X' to unlock]".into())
        );
        for banner in [
            "Grbl 1.1h ['$' for help]",
            "Grbl 3.7 [Made by somebody '$' for help]",
            "Kite Shop Grbl 1.1f",
            "\u{fffd}\u{fffd}okGrbl 1.1h ['$' for help]",
            "Some Board 2.0 ['$' for help]",
        ] {
            assert_eq!(Message::parse(banner), Message::Banner(banner.into()));
        }
        let Message::Status(status) =
            Message::parse("<Hold:1|MPos:1.000,-2.500,0.000|Bf:15,128|FS:600,350|WCO:0,0,0>")
        else {
            panic!()
        };
        assert_eq!(status.state, State::Hold { moving: true });
        assert_eq!(
            (status.position, status.feed_and_s),
            (Some([1.0, -2.5, 0.0]), Some([600.0, 350.0]))
        );
        assert_eq!(status.room, Some(Room { blocks: 15, bytes: 128 }));
        assert_eq!(status.offset, Some([0.0; 3]));
    }

    #[test]
    fn every_state_of_the_interface_is_known_and_called_by_a_word_of_its_own() {
        let mut words = std::collections::BTreeSet::new();
        for (text, state) in [
            ("Idle", State::Idle),
            ("Run", State::Run),
            ("Hold:0", State::Hold { moving: false }),
            ("Jog", State::Jog),
            ("Alarm", State::Alarm),
            ("Door:2", State::Door),
            ("Check", State::Check),
            ("Home", State::Home),
            ("Sleep", State::Sleep),
        ] {
            let Message::Status(status) = Message::parse(&format!("<{text}|WPos:1,2,3>")) else {
                panic!("{text}")
            };
            assert_eq!((status.state, status.machine_position), (state, false));
            assert!(state.words().len() > 3 && words.insert(state.words()), "{text}");
        }
        assert_eq!(
            Message::parse("<Dance|WPos:1,2,3>"),
            Message::Other("<Dance|WPos:1,2,3>".into())
        );
    }

    #[test]
    fn offsets_modes_and_what_is_none_of_them_are_told_apart() {
        let offset = Message::Offset("G92".into(), [1.0, -2.0, 0.5]);
        assert_eq!(Message::parse("[G92:1.000,-2.000,0.500]"), offset);
        let modes = ["G0", "G54", "M5"].map(str::to_string).to_vec();
        assert_eq!(Message::parse("[GC:G0 G54 M5]"), Message::Modes(modes));
        for strange in
            ["[G54:1,2]", "[OPT:V]", "[MSG:Grbl is up]", "$30=x", "$x=1", "<>", "[G54:1,2,nan]"]
        {
            assert_eq!(Message::parse(strange), Message::Other(strange.into()));
        }
        // A status without a place, or with half of one, is a status all the same.
        let Message::Status(status) = Message::parse("<Idle|MPos:1,2|FS:100,0|Pn:X>") else {
            panic!()
        };
        assert_eq!((status.position, status.feed_and_s), (None, Some([100.0, 0.0])));
    }

    proptest! {
        #[test]
        fn no_line_is_too_strange(line in "\\PC{0,80}") {
            let _ = Message::parse(&line);
            let _ = Message::parse(&format!("<{line}>"));
        }
    }
}
