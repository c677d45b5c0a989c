//! What a terminal shows while a program runs: from 40 columns on, and with a picture of dots where there
//! is room.

use super::dots::Dots;
use super::keys::HELP;
use crate::console::Console;
use crate::neutral;
use ratatui_core::buffer::Buffer;
use ratatui_core::layout::Rect;
use ratatui_core::style::{Color, Modifier, Style};
use ratatui_core::terminal::Terminal;
use ratatui_crossterm::CrosstermBackend;
use ratatui_crossterm::crossterm::cursor::{Hide, MoveToColumn, Show};
use ratatui_crossterm::crossterm::execute;
use ratatui_crossterm::crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use std::io::{self, Stderr, stderr};
use std::mem::ManuallyDrop;
use tinkite_core::quantity::{clock, plain};
use tinkite_operate::run::news::Holder;
use tinkite_operate::run::progress::Glance;

/// Keys come as they are typed, and are not shown, as long as it lives.
#[derive(Debug)]
pub(in crate::commands) struct RawKeys(());

impl RawKeys {
    pub(in crate::commands) fn begin() -> io::Result<Self> {
        enable_raw_mode()?;
        Ok(Self(()))
    }
}

impl Drop for RawKeys {
    fn drop(&mut self) {
        // A terminal that is gone needs no mode.
        let _ = disable_raw_mode();
    }
}

/// The terminal's other screen, as long as it lives.
pub(super) struct Screen {
    /// Never dropped: its own end complains on standard error, and panics where that is gone.
    terminal: ManuallyDrop<Terminal<CrosstermBackend<Stderr>>>,
    title: String,
    colours: bool,
    help: bool,
    /// What was told lately, and all of it, for the terminal as it was before.
    told: Vec<String>,
    pub(super) dots: Dots,
    /// Nobody sees it any more.
    gone: bool,
}

impl Screen {
    pub(super) fn open(title: String, console: &Console) -> io::Result<Self> {
        console.decides_colours();
        // Behind the screen the terminal goes on at the left: a line that ended while keys were read raw did not.
        execute!(stderr(), MoveToColumn(0), EnterAlternateScreen, Hide)?;
        let terminal = ManuallyDrop::new(Terminal::new(CrosstermBackend::new(stderr()))?);
        let (told, dots) = (Vec::new(), Dots::default());
        let colours = console.colours_err();
        let title = neutral::text(&title, false).into_owned();
        Ok(Self { terminal, title, colours, help: false, told, dots, gone: false })
    }

    pub(super) fn tell(&mut self, text: &str) {
        self.told.push(neutral::text(text, false).into_owned());
    }

    pub(super) fn toggle_help(&mut self) {
        self.help = !self.help;
    }

    /// Shows how it looks. A terminal that is gone ends nothing.
    pub(super) fn show(&mut self, glance: Option<&Glance>) {
        if self.gone {
            return;
        }
        let Self { terminal, title, colours, help, told, dots, .. } = self;
        let drawn = terminal.draw(|frame| {
            let page = Page { title, colours: *colours, help: *help, told };
            page.draw(glance, dots, frame.area(), frame.buffer_mut());
        });
        self.gone = drawn.is_err();
    }

    /// Back to the terminal as it was; what was told is said there again.
    pub(super) fn close(mut self) -> Vec<String> {
        std::mem::take(&mut self.told)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = execute!(stderr(), LeaveAlternateScreen, Show);
    }
}

/// One picture of a run.
struct Page<'p> {
    title: &'p str,
    colours: bool,
    help: bool,
    told: &'p [String],
}

/// How many of the things that were told last are shown.
const LATEST: usize = 3;
/// A picture of dots needs so many rows.
const PICTURE: u16 = 6;
/// Large figures are this high and wide.
const FIGURES: (u16, u16) = (5, 30);

impl Page<'_> {
    fn style(&self, colour: Color) -> Style {
        if self.colours { Style::new().fg(colour) } else { Style::new() }
    }

    fn draw(&self, glance: Option<&Glance>, dots: &mut Dots, area: Rect, buffer: &mut Buffer) {
        let mut pen = Pen { area, row: 0 };
        pen.line(buffer, self.title, Style::new().add_modifier(Modifier::BOLD));
        let Some(glance) = glance else {
            pen.line(buffer, "asking the controller how it stands", Style::new());
            return self.below(&mut pen, buffer);
        };
        self.bar(glance, &mut pen, buffer);
        self.state(glance, &mut pen, buffer);
        if self.help {
            for (key, what) in HELP {
                pen.line(buffer, &format!("{key:>11}  {what}"), Style::new());
            }
            return self.below(&mut pen, buffer);
        }
        let facts = facts(glance);
        let large = area.width >= 2 * FIGURES.1 + 10 && area.height >= 24;
        if large {
            let percent = format!("{}%", (glance.share * 100.0) as u32);
            let at = Rect { y: area.y + pen.row + 1, ..area };
            figures(&percent, at, buffer, self.style(Color::Yellow));
            let right = Rect { x: area.x + FIGURES.1, width: area.width - FIGURES.1, ..area };
            let mut pen = Pen { area: right, row: pen.row };
            let columns = if right.width >= 84 { 2 } else { 1 };
            self.facts(&facts, columns, &mut pen, buffer);
        }
        if large {
            pen.row += FIGURES.0 + 3;
        } else {
            let columns = if area.width >= 80 { 2 } else { 1 };
            self.facts(&facts, columns, &mut pen, buffer);
        }
        let told = self.told.len().min(LATEST) as u16;
        let room = area.height.saturating_sub(pen.row + told + 2);
        if room >= PICTURE && area.width >= 20 {
            let at = Rect { y: area.y + pen.row + 1, height: room, ..area };
            let left = self.style(Color::DarkGray).add_modifier(Modifier::DIM);
            let burnt = self.style(Color::LightYellow).add_modifier(Modifier::BOLD);
            dots.draw(at, buffer, glance.place.line, [left, burnt]);
        }
        self.below(&mut pen, buffer);
    }

    fn bar(&self, glance: &Glance, pen: &mut Pen, buffer: &mut Buffer) {
        let percent = format!(" {:>3} %", (glance.share * 100.0) as u32);
        let wide = usize::from(pen.area.width).saturating_sub(percent.len());
        let full = (glance.share.clamp(0.0, 1.0) * wide as f64) as usize;
        let text = format!("{}{}{percent}", "━".repeat(full), "─".repeat(wide - full));
        pen.line(buffer, &text, self.style(Color::Yellow));
    }

    fn state(&self, glance: &Glance, pen: &mut Pen, buffer: &mut Buffer) {
        let (text, stands) = match glance.held {
            Some(Holder::Operator) => ("HELD: space goes on, s stops", true),
            Some(Holder::Hold) => ("HELD at the machine or by an M0: space goes on", true),
            Some(Holder::Door) => ("DOOR OPEN: close it, then space goes on", true),
            Some(Holder::Coming) => {
                ("hold at the next place where the beam is off: this board has no other", true)
            }
            None => (glance.state.map_or("running", tinkite_wire::State::words), false),
        };
        let style = if stands {
            self.style(Color::LightRed).add_modifier(Modifier::REVERSED | Modifier::BOLD)
        } else {
            Style::new()
        };
        let keys = "   space hold  s stop  h help";
        let room = usize::from(pen.area.width);
        pen.line(buffer, text, style);
        if !stands && text.len() + keys.len() <= room {
            let at = pen.area.x + text.len() as u16;
            let row = pen.area.y + pen.row - 1;
            if row < pen.area.bottom() {
                let dim = Style::new().add_modifier(Modifier::DIM);
                buffer.set_stringn(at, row, keys, keys.len(), dim);
            }
        }
    }

    fn facts(&self, facts: &[(&str, String)], columns: u16, pen: &mut Pen, buffer: &mut Buffer) {
        let wide = pen.area.width / columns;
        for row in facts.chunks(usize::from(columns)) {
            let y = pen.area.y + pen.row;
            pen.row += 1;
            if y >= pen.area.bottom() {
                return;
            }
            for (n, (what, text)) in row.iter().enumerate() {
                let x = pen.area.x + n as u16 * wide;
                let dim = Style::new().add_modifier(Modifier::DIM);
                buffer.set_stringn(x, y, format!("{what:>7}  "), usize::from(wide), dim);
                let bold = Style::new().add_modifier(Modifier::BOLD);
                let room = usize::from(wide.saturating_sub(10));
                buffer.set_stringn(x + 9, y, text, room, bold);
            }
        }
    }

    /// What was told lately, on the last lines.
    fn below(&self, pen: &mut Pen, buffer: &mut Buffer) {
        let latest = &self.told[self.told.len().saturating_sub(LATEST)..];
        let height = pen.area.height;
        pen.row = pen.row.max(height.saturating_sub(latest.len() as u16));
        for text in latest {
            pen.line(buffer, text, self.style(Color::LightCyan));
        }
    }
}

/// Writes line below line.
struct Pen {
    area: Rect,
    row: u16,
}

impl Pen {
    fn line(&mut self, buffer: &mut Buffer, text: &str, style: Style) {
        let y = self.area.y + self.row;
        self.row += 1;
        if y < self.area.bottom() {
            buffer.set_stringn(self.area.x, y, text, usize::from(self.area.width), style);
        }
    }
}

fn facts(glance: &Glance) -> Vec<(&'static str, String)> {
    let ends = jiff::Timestamp::now()
        .checked_add(jiff::SignedDuration::from_secs(glance.left as i64))
        .map(|at| jiff::tz::TimeZone::system().to_datetime(at).strftime("%H:%M").to_string())
        .unwrap_or_default();
    let percent = |of: fn(&tinkite_run::Overrides) -> f64| {
        glance.overrides.as_ref().map_or(String::new(), |o| format!("  at {} %", plain(of(o), 0)))
    };
    let mut facts = vec![
        ("left", format!("{}, until {ends}", clock(glance.left))),
        ("step", glance.step.clone().unwrap_or_default()),
        ("line", format!("{} of {}, {} sent", glance.line, glance.lines, glance.sent)),
    ];
    if let Some([x, y]) = glance.at {
        facts.push(("head", format!("X {x:.1}  Y {y:.1} mm")));
    }
    if let Some(speed) = glance.speed {
        facts.push(("speed", format!("{} mm/s{}", plain(speed, 0), percent(|o| o.speed))));
    }
    if let Some(s) = glance.s {
        let readings = Some(&glance.readings).filter(|readings| !readings.is_empty());
        let readings = readings.map_or(String::new(), |readings| format!("  {readings}"));
        facts.push(("power", format!("S {}{readings}{}", plain(s, 0), percent(|o| o.power))));
    }
    if let Some(buffer) = glance.buffer {
        facts.push(("buffer", format!("{} % filled", plain(buffer, 0))));
    }
    facts
}

/// Figures of five rows, three dots wide each.
fn figures(text: &str, area: Rect, buffer: &mut Buffer, style: Style) {
    let mut x = area.x + 1;
    for rows in text.chars().filter_map(rows_of) {
        for (n, bits) in rows.iter().enumerate() {
            let y = area.y + n as u16;
            for column in (0..3_u16).filter(|column| bits >> (2 - column) & 1 == 1) {
                let x = x + column * 2;
                if y < area.bottom() && x + 1 < area.right() {
                    buffer.set_stringn(x, y, "██", 2, style);
                }
            }
        }
        x += 8;
    }
}

fn rows_of(figure: char) -> Option<[u8; 5]> {
    Some(match figure {
        '0' => [7, 5, 5, 5, 7],
        '1' => [2, 6, 2, 2, 7],
        '2' => [7, 1, 7, 4, 7],
        '3' => [7, 1, 7, 1, 7],
        '4' => [5, 5, 7, 1, 1],
        '5' => [7, 4, 7, 1, 7],
        '6' => [7, 4, 7, 5, 7],
        '7' => [7, 1, 1, 1, 1],
        '8' => [7, 5, 7, 5, 7],
        '9' => [7, 5, 7, 1, 7],
        '%' => [5, 1, 2, 4, 5],
        _ => return None,
    })
}
