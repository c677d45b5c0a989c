//! Trouble in a program: the first place of each kind, and how often it comes.

use super::not_understood::NotUnderstood;
use crate::line_rules::Fault;
use tinkite_base::problem::{Code, Location, Problem, Problems, Severity, count};
use tinkite_base::quantity::{Speed, plain};
use tinkite_base::rs274::LineError;

#[derive(Debug)]
struct Seen {
    problem: Problem,
    times: usize,
}

/// Dwells up to this long (s) with the beam on are taken for piercing.
const PIERCE: f64 = 3.0;

/// Gathers trouble; a million bad lines give one problem of each kind.
#[derive(Debug)]
pub(super) struct Troubles {
    file: String,
    seen: Vec<Seen>,
}

impl Troubles {
    pub(super) fn new(file: &str) -> Self {
        Self { file: file.into(), seen: Vec::new() }
    }

    fn add(
        &mut self,
        line: u32,
        code: Code,
        severity: Severity,
        message: impl Fn() -> String,
        help: &str,
    ) {
        if let Some(seen) = self.seen.iter_mut().find(|seen| seen.problem.code == code) {
            seen.times += 1;
            return;
        }
        let problem = Problem { severity, ..Problem::error(code, message(), help) };
        self.seen.push(Seen { problem: problem.at(Location::line(&self.file, line)), times: 1 });
    }

    pub(super) fn unread(&mut self, line: u32, text: &[u8], error: LineError) {
        self.add(
            line,
            Code::UnreadLine,
            Severity::Error,
            || error.describe(text),
            "mend the line; until then the figures below leave it out",
        );
    }

    pub(super) fn not_understood(&mut self, line: u32, what: NotUnderstood) {
        self.add(
            line,
            Code::NotUnderstood,
            Severity::Error,
            || format!("{what} is not understood by this version"),
            "take it out, or do not trust positions and times after it",
        );
    }

    /// `held`: against a machine; otherwise it is doubtful only.
    pub(super) fn fault(&mut self, line: u32, fault: &Fault, held: bool) {
        self.add(
            line,
            fault.code(),
            if held { Severity::Error } else { Severity::Warning },
            || fault.to_string(),
            "controllers refuse such a line, or take it otherwise than it was meant: mend it",
        );
    }

    pub(super) fn no_such_word(&mut self, line: u32, why: &str) {
        self.add(
            line,
            Code::NoSuchWord,
            Severity::Error,
            || why.to_string(),
            "take it out, or make the program again for this machine",
        );
    }

    pub(super) fn block_delete(&mut self, line: u32, held: bool) {
        self.add(
            line,
            Code::BlockDelete,
            if held { Severity::Error } else { Severity::Warning },
            || {
                "the line begins with a slash: whether it runs depends on a switch at the machine"
                    .into()
            },
            "take the slash out, or the line; it is measured as if it ran",
        );
    }

    pub(super) fn no_power(&mut self, line: u32, held: bool) {
        self.add(
            line,
            Code::NoPower,
            if held { Severity::Error } else { Severity::Warning },
            || "the beam is on, and the program has never said a power (S)".into(),
            "say S before the first move that is meant to burn, or M5 if none is",
        );
    }

    pub(super) fn offset_unknown(&mut self, line: u32, system: &str) {
        self.add(
            line,
            Code::OffsetUnknown,
            Severity::Warning,
            || format!("the program counts from {system}, and where that lies only the controller knows"),
            "whether it stays on the bed is not checked; set the offset in the program (G10 L2), or use G54",
        );
    }

    pub(super) fn unknown_code(&mut self, line: u32, code: f64) {
        self.add(
            line,
            Code::UnknownCode,
            Severity::Warning,
            || format!("M{} is not known", plain(code, 1)),
            "find out what your controller does with it; positions and times count on without it",
        );
    }

    pub(super) fn after_end(&mut self, line: u32) {
        self.add(
            line,
            Code::AfterEnd,
            Severity::Warning,
            || "there are lines after the program's end".into(),
            "controllers ignore them; check whether two programs were joined",
        );
    }

    /// A short one is most likely a pierce, which is meant.
    pub(super) fn dwell_lit(&mut self, line: u32, seconds: f64) {
        let severity = if seconds <= PIERCE { Severity::Note } else { Severity::Warning };
        self.add(
            line,
            Code::DwellLit,
            severity,
            || format!("the head stands still for {} s with the beam on", plain(seconds, 3)),
            "a piercing dwell is meant to; anything else burns a hole",
        );
    }

    pub(super) fn lit_wait(&mut self, line: u32, s: f64) {
        self.add(
            line,
            Code::LitPause,
            Severity::Error,
            || format!("the program waits for the operator with the beam on at S{}", plain(s, 1)),
            "put M5 or S0 before the pause",
        );
    }

    pub(super) fn lit_lift(&mut self, line: u32, s: f64) {
        self.add(
            line,
            Code::LitLift,
            Severity::Warning,
            || format!("the focus moves with the beam on at S{}, and the head stands", plain(s, 1)),
            "put S0 before moves of Z alone",
        );
    }

    pub(super) fn lit_start(&mut self, line: u32, s: f64) {
        self.add(
            line,
            Code::LitStart,
            Severity::Warning,
            || format!("M3 lights the beam at S{}, which an earlier line has said", plain(s, 1)),
            "write M3 S0, and S on the moves that are meant to burn",
        );
    }

    pub(super) fn lit_travel(&mut self, line: u32, follows_speed: bool, s: f64) {
        let severity = if follows_speed { Severity::Warning } else { Severity::Error };
        self.add(
            line,
            Code::LitTravel,
            severity,
            || format!("a travel move (G0) with the beam on at S{}", plain(s, 1)),
            "only a controller in laser mode switches it off; put S0 on travel moves",
        );
    }

    pub(super) fn no_feed(&mut self, line: u32) {
        self.add(
            line,
            Code::NoFeed,
            Severity::Error,
            || "a feed move without a feed above zero".into(),
            "give an F word before the first G1, G2 or G3",
        );
    }

    pub(super) fn off_bed(&mut self, line: u32, how: impl Fn() -> String) {
        self.add(
            line,
            Code::OffBed,
            Severity::Error,
            || format!("the head leaves the bed: {}", how()),
            "shift the program's zero, or take a smaller drawing",
        );
    }

    /// Nobody said where the program's zero lies; `fits`: its moves would find room on the bed.
    pub(super) fn zero_unsaid(&mut self, fits: bool) {
        let off = self.seen.iter_mut().find(|seen| seen.problem.code == Code::OffBed);
        let Some(Seen { problem, .. }) = off.filter(|_| fits) else { return };
        problem.severity = Severity::Warning;
        problem.message = problem
            .message
            .replace("leaves the bed:", "leaves the bed, counted from the machine's own zero:");
        problem.help = "if it counts from a zero set on the stock, or from where the head stands, say where that zero lies on the bed".into();
    }

    /// `left`: by how much X, Y and Z are called otherwise than before.
    pub(super) fn offset_left(&mut self, line: u32, left: [f64; 3]) {
        self.add(
            line,
            Code::OffsetLeft,
            Severity::Warning,
            || {
                let [x, y, z] = left.map(|by| plain(by, 3));
                format!(
                    "the program leaves a zero behind that it has set, X {x} Y {y} Z {z} mm from where it was"
                )
            },
            "whatever runs next counts from there; take the offset back at the end, G10 L2 with the old values or G92.1",
        );
    }

    pub(super) fn over_ceiling(&mut self, line: u32, s: f64, most: f64) {
        self.add(
            line,
            Code::OverCeiling,
            Severity::Error,
            || format!("S{} is above the machine's ceiling of S{}", plain(s, 1), plain(most, 1)),
            "ask for less power; the ceiling stands in the machine profile",
        );
    }

    pub(super) fn over_full(&mut self, line: u32, s: f64, full: f64) {
        self.add(
            line,
            Code::OverFull,
            Severity::Error,
            || {
                format!(
                    "S{} is above S{}, which is 100 % on this machine",
                    plain(s, 1),
                    plain(full, 1)
                )
            },
            "the program was made for a machine with other S values; make it again for this one",
        );
    }

    pub(super) fn no_height(&mut self, line: u32) {
        self.add(
            line,
            Code::NoFocusAxis,
            Severity::Error,
            || "the program moves Z, and the machine has no [axis.z]".into(),
            "take the Z words out, or say range and speed of [axis.z] in the profile",
        );
    }

    pub(super) fn off_height(&mut self, line: u32, to: f64, (low, high): (f64, f64)) {
        self.add(
            line,
            Code::OffHeight,
            Severity::Error,
            || {
                format!(
                    "Z {} is outside the focus axis, which goes from {} to {} mm",
                    plain(to, 3),
                    plain(low, 3),
                    plain(high, 3)
                )
            },
            "check the program's zero for Z, or range of [axis.z] in the profile",
        );
    }

    pub(super) fn home(&mut self, line: u32) {
        self.add(
            line,
            Code::HomeUnknown,
            Severity::Note,
            || "G28, G30 and $H go to a place that the controller keeps".into(),
            "it is taken to be the machine's zero",
        );
    }

    pub(super) fn no_diameter(&mut self, line: u32) {
        self.add(
            line,
            Code::NoDiameter,
            Severity::Note,
            || "the program turns a rotary, and the object's diameter is unknown".into(),
            "its lengths count along the axis only; with the diameter the way round counts too",
        );
    }

    pub(super) fn below_floor(&mut self, line: u32, s: f64, floor: f64) {
        self.add(
            line,
            Code::BelowFloor,
            Severity::Warning,
            || {
                format!(
                    "S{} does not light the source, which needs S{}",
                    plain(s, 1),
                    plain(floor, 1)
                )
            },
            "ask for more power and go faster",
        );
    }

    pub(super) fn over_speed(&mut self, line: u32, speed: Speed, top: f64) {
        self.add(
            line,
            Code::OverSpeed,
            Severity::Warning,
            || format!("{speed} is asked for, and the fastest axis does {} mm/s", plain(top, 2)),
            "the machine will be slower than that and burn deeper",
        );
    }

    pub(super) fn lit_at_end(&mut self, line: u32, s: f64) {
        self.add(
            line,
            Code::LitAtEnd,
            Severity::Error,
            || format!("the program ends with the beam switched on (S{})", plain(s, 1)),
            "end it with M5",
        );
    }

    pub(super) fn no_units(&mut self, line: u32) {
        self.add(
            line,
            Code::NoUnits,
            Severity::Warning,
            || "the program moves before it says mm or inch (G21 or G20)".into(),
            "it is measured in mm; the controller may have been left in inches",
        );
    }

    pub(super) fn no_moves(&mut self, lines: u32) {
        self.add(
            lines.max(1),
            Code::NoMoves,
            Severity::Error,
            || "there is no move in this program".into(),
            "check that this is a machine program",
        );
    }

    pub(super) fn into_problems(self) -> Problems {
        let mut problems = Problems::new();
        for Seen { mut problem, times } in self.seen {
            if times > 1 {
                problem.message =
                    format!("{} (and {} like it)", problem.message, count(times - 1, "more line"));
            }
            problems.push(problem);
        }
        problems
    }
}
