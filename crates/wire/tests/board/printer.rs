//! A 3-D-printer board written from the public description of its text protocol alone. Its fan output drives the
//! beam: the value of `M106` travels in the planner with the moves that come behind it, and holds where nothing
//! moves. Boards differ in what they know, in what they tell, and in what an answer means.

use std::collections::VecDeque;
use tinkite_wire::{Dark, Effect, Event, Instant, Outcome, Protocol, Session, Settings, Span};

/// Moves that it holds in its planner.
const PLACES: usize = 16;

/// In what boards differ.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Make {
    /// It knows `M410`; otherwise that is an unknown command.
    pub(crate) knows_quick_stop: bool,
    /// `M400` is answered when the head stands; otherwise at once.
    pub(crate) waits: bool,
    /// `M114` tells where the line that was read last will end, not where the head is.
    pub(crate) tells_ahead: bool,
    /// It tells the position by itself, every so many ms.
    pub(crate) tells_every: Option<u64>,
    /// Each `ok` tells its room.
    pub(crate) tells_room: bool,
    /// From when to when it refuses every line with a number, ms.
    pub(crate) refuses_numbers: Option<(u64, u64)>,
    /// From when to when nothing that it says is heard, ms.
    pub(crate) mute: Option<(u64, u64)>,
    /// When it starts anew, ms: behind the boot it runs what lies in its buffer.
    pub(crate) restarts: Option<u64>,
}

impl Make {
    /// As the protocol's description has it.
    pub(crate) const GOOD: Self = Self {
        knows_quick_stop: true,
        waits: true,
        tells_ahead: false,
        tells_every: None,
        tells_room: false,
        refuses_numbers: None,
        mute: None,
        restarts: None,
    };
}

/// A move in the planner.
#[derive(Debug, Clone, Copy)]
struct Block {
    from: [f64; 2],
    to: [f64; 2],
    ms: f64,
    done: f64,
    fan: f64,
}

#[derive(Debug)]
pub(crate) struct Printer {
    make: Make,
    now: u64,
    input: VecDeque<u8>,
    reading: Vec<u8>,
    hand: Option<String>,
    expects: u64,
    head: [f64; 2],
    ahead: [f64; 2],
    /// mm/min.
    feed: f64,
    fan: f64,
    dwells: f64,
    planner: VecDeque<Block>,
    /// Burnt so far, mm.
    pub(crate) burnt: f64,
    /// ms for which the beam was on while the head stood.
    pub(crate) lit_at_rest: u64,
    out: Vec<u8>,
}

impl Printer {
    pub(crate) fn new(make: Make) -> Self {
        Self {
            make,
            now: 0,
            input: VecDeque::new(),
            reading: Vec::new(),
            hand: None,
            expects: 1,
            head: [0.0; 2],
            ahead: [0.0; 2],
            feed: 1500.0,
            fan: 0.0,
            dwells: 0.0,
            planner: VecDeque::new(),
            burnt: 0.0,
            lit_at_rest: 0,
            out: b"start\n".to_vec(),
        }
    }

    /// What the beam does now, 0 to 255.
    pub(crate) fn beam(&self) -> f64 {
        self.planner.front().map_or(self.fan, |block| block.fan)
    }

    fn say(&mut self, line: &str) {
        if self.make.mute.is_some_and(|(a, b)| (a..b).contains(&self.now)) {
            return;
        }
        self.out.extend_from_slice(line.as_bytes());
        self.out.push(b'\n');
    }

    fn ok(&mut self) {
        let room = format!("ok P{} B3", PLACES - self.planner.len());
        self.say(if self.make.tells_room { &room } else { "ok" });
    }

    fn tell_position(&mut self) {
        let [x, y] = if self.make.tells_ahead { self.ahead } else { self.head };
        let line = format!("X:{x:.2} Y:{y:.2} Z:0.00 E:0.00 Count X:{x:.2} Y:{y:.2} Z:0.00");
        self.say(&line);
    }

    /// A millisecond goes by.
    pub(crate) fn tick(&mut self) {
        self.now += 1;
        if self.make.restarts == Some(self.now) {
            (self.planner, self.fan, self.expects) = (VecDeque::new(), 0.0, 1);
            (self.head, self.ahead, self.hand) = ([0.0; 2], [0.0; 2], None);
            self.say("start");
        }
        if self.make.tells_every.is_some_and(|every| self.now.is_multiple_of(every)) {
            self.tell_position();
        }
        match self.planner.front_mut() {
            Some(block) => {
                let step = (block.ms - block.done).min(1.0);
                block.done += step;
                let share = block.done / block.ms;
                let length = (block.to[0] - block.from[0]).hypot(block.to[1] - block.from[1]);
                if block.fan > 0.0 {
                    self.burnt += length * step / block.ms;
                }
                let at = |n: usize| block.from[n] + (block.to[n] - block.from[n]) * share;
                self.head = [at(0), at(1)];
                if block.done >= block.ms {
                    self.planner.pop_front();
                }
            }
            None => self.lit_at_rest += u64::from(self.fan > 0.0),
        }
        if self.hand.is_none() {
            while let Some(byte) = self.input.pop_front() {
                if byte == b'\n' {
                    self.hand = Some(String::from_utf8_lossy(&self.reading).trim().to_string());
                    self.reading.clear();
                    break;
                }
                self.reading.push(byte);
            }
        }
        if let Some(line) = self.hand.take()
            && !self.takes(&line)
        {
            self.hand = Some(line);
        }
    }

    /// Takes a line; whether it is done with it.
    fn takes(&mut self, line: &str) -> bool {
        if line.is_empty() {
            return true;
        }
        let Some(rest) = line.strip_prefix('N') else { return self.runs(line) };
        let refuses = |board: &mut Self| {
            let wanted = format!("Resend: {}", board.expects);
            board.say("Error:Line Number is not Last Line Number+1");
            board.say(&wanted);
            board.say("ok");
            true
        };
        let stormy = self.make.refuses_numbers.is_some_and(|(a, b)| (a..b).contains(&self.now));
        let Some((body, sum)) = rest.split_once('*') else { return refuses(self) };
        let is = format!("N{body}").bytes().fold(0, |sum, byte| sum ^ byte);
        let (Some((number, text)), true) =
            (body.split_once(' '), sum.trim().parse::<u8>() == Ok(is) && !stormy)
        else {
            return refuses(self);
        };
        let number: u64 = number.parse().unwrap_or(0);
        if let Some(said) = text.strip_prefix("M110") {
            let said = said.trim().trim_start_matches('N').parse().unwrap_or(number);
            self.expects = said + 1;
            self.ok();
            return true;
        }
        if number != self.expects {
            return refuses(self);
        }
        let done = self.runs(text);
        self.expects += u64::from(done);
        done
    }

    /// Runs a line without its number; whether it is done with it.
    fn runs(&mut self, text: &str) -> bool {
        let mut words = text.split_whitespace();
        let code = words.next().unwrap_or_default();
        let word = |letter: char| {
            let mut words = text.split_whitespace().skip(1);
            words.find_map(|w| w.strip_prefix(letter)?.parse::<f64>().ok())
        };
        match code {
            "G0" | "G1" => {
                if self.planner.len() >= PLACES {
                    return false;
                }
                self.feed = word('F').unwrap_or(self.feed);
                let to = [word('X').unwrap_or(self.ahead[0]), word('Y').unwrap_or(self.ahead[1])];
                let length = (to[0] - self.ahead[0]).hypot(to[1] - self.ahead[1]);
                if length > 0.0 {
                    let ms = (60_000.0 * length / self.feed).max(1.0);
                    let block = Block { from: self.ahead, to, ms, done: 0.0, fan: self.fan };
                    self.planner.push_back(block);
                }
                self.ahead = to;
            }
            "G4" => {
                if !self.planner.is_empty() {
                    return false;
                }
                self.dwells += 1.0;
                if self.dwells < word('P').unwrap_or(0.0) {
                    return false;
                }
                self.dwells = 0.0;
            }
            "M106" => self.fan = word('S').unwrap_or(255.0),
            "M107" => self.fan = 0.0,
            "M400" if self.make.waits && !self.planner.is_empty() => return false,
            "M410" if !self.make.knows_quick_stop => {
                self.say("echo:Unknown command: \"M410\"");
            }
            "M410" => {
                self.planner.clear();
                self.ahead = self.head;
            }
            "M114" => self.tell_position(),
            _ => {}
        }
        self.ok();
        true
    }
}

/// How a run went.
#[derive(Debug)]
pub(crate) struct Went {
    pub(crate) outcome: Outcome,
    pub(crate) dark: Dark,
    /// It was told that the board runs on.
    pub(crate) runs_on: bool,
    /// What the beam did when the session was over, 0 to 255.
    pub(crate) beam: f64,
    /// What was burnt after the session was over, mm.
    pub(crate) burnt_after: f64,
    /// From the stop to the end of the session, ms.
    pub(crate) took: u64,
    pub(crate) board: Printer,
}

/// Lines of a program with what they do, by closed forms: a move at its feed, nothing else.
fn effects(lines: &[String]) -> Vec<Effect> {
    let (mut at, mut feed, mut lit) = ([0.0_f64; 2], 1500.0, false);
    let effect = |line: &String| {
        let word = |letter: char| {
            line.split_whitespace().find_map(|w| w.strip_prefix(letter)?.parse::<f64>().ok())
        };
        let mut seconds = 0.0;
        if line.starts_with("G0") || line.starts_with("G1") {
            feed = word('F').unwrap_or(feed);
            let to = [word('X').unwrap_or(at[0]), word('Y').unwrap_or(at[1])];
            seconds = 60.0 * (to[0] - at[0]).hypot(to[1] - at[1]) / feed;
            at = to;
        }
        lit = line.starts_with("M106") || lit && !line.starts_with("M107");
        let lasts = Span((seconds * 1e6) as u64);
        Effect { lasts, dark: !lit, stands: Some([at[0], at[1], 0.0]) }
    };
    lines.iter().map(effect).collect()
}

/// Streams a program to a board; the operator stops it at `stop` ms, if at all. Then a minute goes by.
pub(crate) fn print(lines: &[String], make: Make, stop: Option<u64>) -> Went {
    let mut board = Printer::new(make);
    let settings = Settings { silence: Span::millis(20_000), ..Settings::default() };
    let mut session = Session::new(Protocol::Reprap, settings, Instant(0));
    let effects = effects(lines);
    let (mut next, mut ended, mut runs_on) = (0, false, false);
    for ms in 0..600_000_u64 {
        let now = Instant(ms * 1000);
        while session.wants_lines() && next < lines.len() {
            let text = lines[next].clone().into_bytes();
            session.enqueue_with(next as u32 + 1, text, effects[next]).expect("short");
            next += 1;
        }
        if next == lines.len() && session.wants_lines() && !ended {
            ended = true;
            session.end_of_program(now);
        }
        if stop == Some(ms) {
            session.stop(now);
        }
        let mut bytes = Vec::new();
        let _ = session.poll_transmit(&mut bytes);
        board.input.extend(bytes);
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(_) => session.start(),
                Event::RunsOn(_) => runs_on = true,
                Event::Ended { outcome, dark } => {
                    let (beam, burnt) = (board.beam(), board.burnt);
                    (0..60_000).for_each(|_| board.tick());
                    let burnt_after = board.burnt - burnt;
                    let took = ms - stop.unwrap_or(ms);
                    return Went { outcome, dark, runs_on, beam, burnt_after, took, board };
                }
                Event::Status(_) | Event::Said(_) | Event::Touched(_) => {}
            }
        }
        board.tick();
        let heard = std::mem::take(&mut board.out);
        if !heard.is_empty() {
            session.handle_bytes(now, &heard);
        }
        session.handle_timeout(now);
    }
    panic!("the session never ended: {board:?}");
}

/// Rows that burn there and back, and end dark.
pub(crate) fn rows(count: usize, feed: u32) -> Vec<String> {
    let mut lines =
        vec!["M107".to_string(), "G21".into(), "G90".into(), format!("G0 X5 Y5 F{feed}")];
    lines.push("M106 S200".into());
    for row in 0..count {
        let x = if row % 2 == 0 { 13.0 } else { 5.0 };
        lines.push(format!("G1 X{x} Y{}", 5.0 + row as f64 * 0.5));
    }
    lines.push("M107".into());
    lines
}
