//! The source: what its S values mean.

use super::Machine;
use super::link::Dialect;
use crate::section::Section;
use crate::source::table::{Measured, Table};
use crate::source::{Beam, Pointer, Switch};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Duration, Length, Power, PowerSetpoint, parse_power};

/// What is known of the source beside what was measured.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Nominal {
    /// Its light at 100 %, W.
    pub watts: Option<f64>,
    /// What a voltmeter shows at the control pin at 100 %, V.
    pub volts: Option<f64>,
}

/// Everything that `[beam]` says.
pub(super) struct Described {
    pub(super) beam: Beam,
    pub(super) focus_depth: Option<f64>,
    pub(super) nominal: Nominal,
}

impl Machine {
    /// Light at a share of full, W: by the measured table, else in proportion to what `[beam] watts` says.
    #[must_use]
    pub fn watts_at(&self, share: f64) -> Option<f64> {
        let measured = self.beam.table.as_ref().and_then(|table| table.watts(share));
        measured.or_else(|| self.nominal.watts.map(|watts| watts * share))
    }

    /// Light at 100 %, W: as `[beam] watts` says, else what the measured table comes to at its end.
    #[must_use]
    pub fn full_watts(&self) -> Option<f64> {
        let measured = || {
            let table = self.beam.table.as_ref()?;
            Some(table.watts(table.last())? / table.last())
        };
        self.nominal.watts.or_else(measured)
    }

    /// The share of full that gives so many W; `None` where nobody knows, or it gives less.
    #[must_use]
    pub fn share_at(&self, watts: f64) -> Option<f64> {
        match self.beam.table.as_ref().filter(|table| table.watts(table.last()).is_some()) {
            Some(table) => table.share_for_watts(watts).ok(),
            None => self.nominal.watts.map(|full| watts / full).filter(|share| *share <= 1.0),
        }
    }
}

/// Reads `[beam]`.
pub(super) fn read(section: Section<'_, '_>, dialect: Dialect) -> Option<Described> {
    let usual = if dialect == Dialect::Reprap { 255.0 } else { 1000.0 };
    let full = section.number("full").unwrap_or(usual);
    let floor = section.number("floor").unwrap_or(0.0);
    let width = section.positive::<Length>("width").map_or(0.1, |width| width.0);
    // A beam that goes out where the head stands is the safer one, where the dialect has it.
    let constant_on = section.has("on") && matches!(section.text("on"), Some("M3" | "M106"));
    let scales = dialect == Dialect::Grbl && !constant_on;
    let follows_speed = section.flag("follows-speed").unwrap_or(scales);
    let constant_accepted = section.choice("constant", &[("accepted", true)]).unwrap_or(false);
    let focus_depth = section.positive::<Length>("focus-depth").map(|length| length.0);
    let switch = switch(&section, dialect, follows_speed);
    if !(1.0..=1e6).contains(&full) {
        section.out_of_range("full", section.span_of("full"), &full.to_string(), "1 to 1000000");
    }
    if !(0.0..full).contains(&floor) {
        let span = section.span_of("floor");
        section.out_of_range("floor", span, &floor.to_string(), "from 0 to below full");
    }
    let levels = section.whole("levels", 2..=1_000_000).map(|n| n as u32);
    let table = section.has("table").then(|| table(&section));
    let table = table.map_or(Some(None), |table| table.map(Some));
    let beam = table.zip(switch).and_then(|(table, switch)| {
        let ceiling = Power(1.0);
        let beam = Beam {
            full,
            floor,
            ceiling,
            width,
            follows_speed,
            constant_accepted,
            pointer: None,
            levels,
            table,
            switch,
        };
        // In mA or W it is what the table makes of it.
        let ceiling =
            if section.has("ceiling") { section.power("ceiling", &beam)? } else { ceiling };
        let beam = Beam { ceiling, ..beam };
        let pointer = pointer(&section, &beam)?;
        Some(Beam { pointer, ..beam })
    });
    if beam.as_ref().is_some_and(|beam| beam.ceiling.0 > 1.0) {
        let span = section.span_of("ceiling");
        section.out_of_range("ceiling", span, &section.written("ceiling"), "at most 100 %");
    }
    let nominal = nominal(&section);
    // Keys that were not come to because of what is wrong before them are keys all the same.
    for key in ["ceiling", "pointer", "pointer-for"] {
        section.has(key);
    }
    section.finish();
    Some(Described { beam: beam?, focus_depth, nominal })
}

/// Reads `watts` and `volts`.
fn nominal(section: &Section<'_, '_>) -> Nominal {
    let read = |key: &'static str, unit: &str, most: f64| {
        let text = section.text(key)?;
        let number = text.trim().strip_suffix(unit).and_then(|n| n.trim().parse::<f64>().ok());
        let number = number.filter(|n| *n > 0.0 && *n <= most);
        if number.is_none() {
            let wanted =
                format!("a number of {unit} above zero and up to {most}, like \"5 {unit}\"");
            section.out_of_range(key, section.span_of(key), &section.written(key), &wanted);
        }
        number
    };
    Nominal { watts: read("watts", "W", 20_000.0), volts: read("volts", "V", 100.0) }
}

/// More than this marks paper.
const MOST_POINTER: f64 = 0.02;
/// How long a pointer is lit when nothing is said, and at most, s.
const POINTER_FOR: (f64, f64) = (20.0, 120.0);

/// Reads `pointer` and `pointer-for`; `None` where something is wrong with them.
fn pointer(section: &Section<'_, '_>, beam: &Beam) -> Option<Option<Pointer>> {
    let seconds = section.quantity::<Duration>("pointer-for").map(|time| time.0);
    if !section.has("pointer") {
        if section.has("pointer-for") {
            let help = "say pointer = \"0.8 %\", or leave it out";
            section.contradicts("pointer-for", "there is no pointer to be lit", help);
        }
        return Some(None);
    }
    let power = section.power("pointer", beam)?;
    let span = || section.span_of("pointer");
    if power.0 > MOST_POINTER {
        let wanted = "at most 2 %: more than that marks";
        section.out_of_range("pointer", span(), &section.written("pointer"), wanted);
    } else if beam.level(power).is_err() {
        let wanted = "at least the floor: less does not light";
        section.out_of_range("pointer", span(), &section.written("pointer"), wanted);
    }
    let seconds = seconds.unwrap_or(POINTER_FOR.0);
    if !(0.1..=POINTER_FOR.1).contains(&seconds) {
        let written = section.written("pointer-for");
        let span = section.span_of("pointer-for");
        section.out_of_range("pointer-for", span, &written, "0.1 s to 120 s");
    }
    Some(Some(Pointer { power, seconds }))
}

/// Reads `on` and `off`: pairs of codes that belong together, and that the dialect knows.
fn switch(section: &Section<'_, '_>, dialect: Dialect, follows_speed: bool) -> Option<Switch> {
    let usual = if dialect == Dialect::Reprap { Switch::Lines } else { Switch::Inline };
    let ons = [("M3", Switch::Inline), ("M4", Switch::Inline), ("M106", Switch::Lines)];
    let on = section.choice("on", &ons).unwrap_or(usual);
    let off = section.choice("off", &[("M5", Switch::Inline), ("M107", Switch::Lines)]);
    if off.is_some_and(|off| off != on) {
        let message = "on and off in [beam] do not belong together";
        section.contradicts("off", message, "M3 or M4 goes with M5, and M106 with M107");
        return None;
    }
    if on == Switch::Lines && dialect != Dialect::Reprap {
        let message = "M106 is a code of the reprap dialect";
        section.contradicts("on", message, "set dialect = \"reprap\" in [link], or on = \"M3\"");
        return None;
    }
    let word = section.has("on").then(|| section.text("on")).flatten();
    let scaled = word == Some("M4");
    if word == Some("M3") && dialect == Dialect::Grbl && !section.has("follows-speed") {
        section.contradicts(
            "on",
            "on = \"M3\" is power that stays: where the head stands, the beam burns on",
            "leave on out, so that power follows the speed (M4); if M3 is meant, say follows-speed = false beside it",
        );
        return None;
    }
    if (word == Some("M3") && follows_speed) || (scaled && !follows_speed) {
        let message = "M4 is power that follows the speed, M3 is power that stays";
        section.contradicts(
            "on",
            message,
            "leave on out; follows-speed says which of them is meant",
        );
        return None;
    }
    if on == Switch::Lines && follows_speed {
        let message = "power that is said in lines of its own (M106) cannot follow the speed";
        section.contradicts("follows-speed", message, "set follows-speed = false");
        return None;
    }
    Some(on)
}

/// Reads the measured table: rows of a percentage and what was read there, in mA, W or both.
fn table(section: &Section<'_, '_>) -> Option<Table> {
    let refuse = |message: String, span| {
        let help =
            "write table = [[\"10 %\", \"2.1 mA\", \"4 W\"], [\"50 %\", \"9 mA\", \"21 W\"]]";
        section.report(Problem::error(Code::PowerTable, message, help), span);
    };
    let mut rows = Vec::new();
    for item in section.list("table")? {
        let Some(cells) = item.get_ref().as_array() else {
            refuse("a row of table in [beam] is not a list".into(), item.span());
            return None;
        };
        let mut row = Measured { share: f64::NAN, current: None, watts: None };
        for cell in cells {
            match section.read_quantity("table", cell, parse_power)? {
                PowerSetpoint::Share(share) => row.share = share,
                PowerSetpoint::Current(current) => row.current = Some(current),
                PowerSetpoint::Watts(watts) => row.watts = Some(watts),
                // A row says what the numbers of the controller come to: it cannot be said in them.
                PowerSetpoint::Level(_) => row.share = f64::NAN,
            }
        }
        if !(0.0..=1.0).contains(&row.share) || cells.len() < 2 {
            let message = "a row of table in [beam] needs a percentage up to 100 and a reading";
            refuse(message.into(), item.span());
            return None;
        }
        rows.push(row);
    }
    match Table::new(&rows) {
        Ok(table) => Some(table),
        Err(message) => {
            refuse(format!("table in [beam]: {message}"), section.span_of("table"));
            None
        }
    }
}
