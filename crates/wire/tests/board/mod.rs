//! A controller written from the public description of the `grbl` interface alone: a receive buffer,
//! one line in hand, a planner of some places. It moves nothing; each move takes its time. Its answers
//! can be lost and doubled.

pub(crate) mod printer;

use std::collections::{BTreeMap, VecDeque};
use tinkite_wire::{Dark, Event, Instant, Outcome, Protocol, Session, Settings};

/// How a board tells its room.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tells {
    /// As the interface says.
    Room,
    /// Its status has no `Bf:`.
    Nothing,
    /// The line in hand still counts as lying in the buffer.
    RoomWithHand,
    /// Always that it is empty.
    Empty,
}

#[derive(Debug)]
pub(crate) struct Board {
    pub(crate) tells: Tells,
    /// Which answers, counted from 0 with the first line of a program, come how often.
    pub(crate) answers: BTreeMap<usize, usize>,
    /// Milliseconds of a move.
    pub(crate) pace: u64,
    /// What it says when it has started.
    pub(crate) banner: &'static str,
    /// Which line of the program, counted from 0, it answers with this.
    pub(crate) refuses: Option<(usize, &'static str)>,
    /// Behind which line of the program it restarts.
    pub(crate) restarts: Option<usize>,
    /// Whether it knows `$I`, `$$`, `$#` and `$G`.
    pub(crate) knows_questions: bool,
    /// It tells its offset in every so manyth status.
    pub(crate) offset_every: usize,
    /// Bytes of the receive buffer that it tells of.
    pub(crate) told_bytes: usize,
    /// Bytes that its receive buffer holds.
    pub(crate) bytes: usize,
    /// The beam is on (M3), whatever moves.
    pub(crate) lit: bool,
    statuses: usize,
    /// Lines of the program, as they were taken.
    pub(crate) taken: Vec<String>,
    /// Bytes that found no room.
    pub(crate) run_over: usize,
    /// Milliseconds for which it has stood with nothing to do.
    pub(crate) stands: u64,
    buffer: VecDeque<u8>,
    reading: Vec<u8>,
    hand: Option<String>,
    planner: VecDeque<u64>,
    dwells: u64,
    held: bool,
    out: Vec<u8>,
}

const BYTES: usize = 127;
const PLACES: usize = 15;

impl Board {
    pub(crate) fn new(tells: Tells, pace: u64) -> Self {
        Self {
            tells,
            answers: BTreeMap::new(),
            pace,
            banner: "Grbl 1.1h ['$' for help]",
            refuses: None,
            restarts: None,
            knows_questions: true,
            offset_every: 1,
            told_bytes: 128,
            bytes: BYTES,
            lit: false,
            statuses: 0,
            taken: Vec::new(),
            run_over: 0,
            stands: 0,
            buffer: VecDeque::new(),
            reading: Vec::new(),
            hand: None,
            planner: VecDeque::new(),
            dwells: 0,
            held: false,
            out: Vec::new(),
        }
    }

    /// Bytes that another sender left behind.
    pub(crate) fn was_left(mut self, bytes: &[u8]) -> Self {
        bytes.iter().for_each(|byte| self.receive(*byte));
        self
    }

    fn receive(&mut self, byte: u8) {
        match byte {
            b'?' => self.status(),
            b'!' => self.held = !self.planner.is_empty(),
            b'~' => self.held = false,
            0x18 => self.restart(),
            _ if self.buffer.len() < self.bytes => self.buffer.push_back(byte),
            _ => self.run_over += 1,
        }
    }

    fn restart(&mut self) {
        self.buffer.clear();
        self.reading.clear();
        self.planner.clear();
        (self.hand, self.held, self.dwells, self.lit) = (None, false, 0, false);
        let banner = format!("\r\n{}\r\n", self.banner);
        self.out.extend_from_slice(banner.as_bytes());
    }

    fn status(&mut self) {
        let state = match (self.held, self.planner.is_empty()) {
            (true, _) => "Hold:0",
            (false, true) => "Idle",
            (false, false) => "Run",
        };
        let hand = self.hand.as_ref().map_or(0, |line| line.len() + 1);
        let (blocks, used) = match self.tells {
            Tells::Nothing => {
                let status = format!("<{state}|MPos:0.000,0.000,0.000|FS:0,0>\r\n");
                return self.out.extend_from_slice(status.as_bytes());
            }
            Tells::Room => (self.planner.len(), self.buffer.len()),
            Tells::RoomWithHand => (self.planner.len(), self.buffer.len() + hand),
            Tells::Empty => (0, 0),
        };
        let (blocks, bytes) = (PLACES - blocks, (self.bytes + 1).saturating_sub(used));
        let tells_offset = self.statuses.is_multiple_of(self.offset_every);
        self.statuses += 1;
        let offset = if tells_offset { "|WCO:0.000,0.000,0.000" } else { "" };
        let status =
            format!("<{state}|MPos:0.000,0.000,0.000|Bf:{blocks},{bytes}|FS:0,0{offset}>\r\n");
        self.out.extend_from_slice(status.as_bytes());
    }

    /// A millisecond goes by.
    fn tick(&mut self) {
        if !self.held
            && let Some(left) = self.planner.front_mut()
        {
            *left -= 1;
            if *left == 0 {
                self.planner.pop_front();
            }
        }
        // The most lines that can be read in a millisecond.
        for _ in 0..2 {
            if self.hand.is_none() {
                while let Some(byte) = self.buffer.pop_front() {
                    if byte == b'\n' {
                        self.hand = Some(String::from_utf8_lossy(&self.reading).into_owned());
                        self.reading.clear();
                        break;
                    }
                    self.reading.push(byte);
                }
            }
            let Some(line) = self.hand.clone() else { break };
            if self.executes(&line) {
                self.hand = None;
                self.answer(&line);
            }
        }
        let idle = self.hand.is_none() && self.planner.is_empty() && self.buffer.is_empty();
        self.stands = if idle { self.stands + 1 } else { 0 };
    }

    /// Whether a line is done with.
    fn executes(&mut self, line: &str) -> bool {
        if line.starts_with("G1") {
            let room = self.planner.len() < PLACES;
            if room {
                self.planner.push_back(self.pace.max(1));
            }
            return room;
        }
        if let Some(seconds) = line.strip_prefix("G4P") {
            if !self.planner.is_empty() || self.held {
                return false;
            }
            self.dwells += 1;
            let over = self.dwells as f64 >= seconds.parse::<f64>().unwrap_or(0.0) * 1000.0;
            if over {
                self.dwells = 0;
            }
            return over;
        }
        true
    }

    fn answer(&mut self, line: &str) {
        self.lit = line.starts_with("M3") || self.lit && !line.starts_with("M5");
        let build = format!("[VER:1.1h.20190825:]\r\n[OPT:V,15,{}]\r\n", self.told_bytes);
        let told: &[u8] = match line {
            "$I" => build.as_bytes(),
            "$$" => b"$13=0\r\n$30=1000\r\n$32=1\r\n",
            "$#" => b"[G54:0.000,0.000,0.000]\r\n[G92:0.000,0.000,0.000]\r\n",
            "$G" => b"[GC:G0 G54 G17 G21 G90 G94 M5 M9 T0 F0 S0]\r\n",
            _ => b"",
        };
        let own = line.is_empty() || line.starts_with('$');
        if own && !line.is_empty() && !self.knows_questions {
            return self.out.extend_from_slice(b"error:3\r\n");
        }
        self.out.extend_from_slice(told);
        if let Some((_, said)) = self.refuses.filter(|(at, _)| !own && *at == self.taken.len()) {
            self.taken.push(line.to_string());
            return self.out.extend_from_slice(format!("{said}\r\n").as_bytes());
        }
        let times = if own {
            1
        } else {
            self.taken.push(line.to_string());
            self.answers.get(&(self.taken.len() - 1)).copied().unwrap_or(1)
        };
        (0..times).for_each(|_| self.out.extend_from_slice(b"ok\r\n"));
        if !own && self.restarts == Some(self.taken.len()) {
            self.restarts = None;
            self.restart();
        }
    }
}

/// How a program went.
#[derive(Debug)]
pub(crate) struct Went {
    pub(crate) outcome: Outcome,
    pub(crate) dark: Dark,
    pub(crate) board: Board,
    /// Milliseconds that it took.
    pub(crate) took: u64,
    /// The longest for which the board stood with nothing to do while the session went on, ms.
    pub(crate) stood: u64,
}

/// Streams `lines` to a board over a link that takes `delay` ms each way.
pub(crate) fn stream(lines: &[String], mut board: Board, delay: u64) -> Went {
    let mut session = Session::new(Protocol::Grbl, Settings::default(), Instant(0));
    let (mut there, mut back) = (VecDeque::new(), VecDeque::new());
    let (mut next, mut ended, mut stood) = (0, false, 0);
    for ms in 0..3_000_000_u64 {
        let now = Instant(ms * 1000);
        while session.wants_lines() && next < lines.len() {
            let line = lines[next].clone().into_bytes();
            assert!(line.len() < session.longest_line(), "{line:?}");
            session.enqueue(next as u32 + 1, line).expect("short");
            next += 1;
        }
        if next == lines.len() && session.wants_lines() && !ended {
            ended = true;
            session.end_of_program(now);
        }
        let mut bytes = Vec::new();
        let _ = session.poll_transmit(&mut bytes);
        there.extend(bytes.into_iter().map(|byte| (ms + delay, byte)));
        while let Some(event) = session.poll_event() {
            match event {
                Event::Connected(_) => session.start(),
                Event::Ended { outcome, dark } => {
                    return Went { outcome, dark, board, took: ms, stood };
                }
                Event::Status(_) | Event::Said(_) | Event::Touched(_) | Event::RunsOn(_) => {}
            }
        }
        for byte in arrived(&mut there, ms) {
            board.receive(byte);
        }
        board.tick();
        if next > 0 {
            stood = stood.max(board.stands);
        }
        back.extend(std::mem::take(&mut board.out).into_iter().map(|byte| (ms + delay, byte)));
        let heard = arrived(&mut back, ms);
        if !heard.is_empty() {
            session.handle_bytes(now, &heard);
        }
        session.handle_timeout(now);
    }
    panic!("the session never ended: {board:?}");
}

/// The bytes that have come by now.
fn arrived(way: &mut VecDeque<(u64, u8)>, now: u64) -> Vec<u8> {
    let count = way.iter().take_while(|(at, _)| *at <= now).count();
    way.drain(..count).map(|(_, byte)| byte).collect()
}

/// Moves of different lengths in bytes, some of them with a dwell between.
pub(crate) fn moves(count: usize, dwell: Option<f64>) -> Vec<String> {
    let mut lines = Vec::new();
    for n in 0..count {
        lines.push(format!("G1X{}Y{}", n * n * n % 97, "1".repeat(n * 7 % 23 + 1)));
        if let Some(seconds) = dwell.filter(|_| n % 9 == 4) {
            lines.push(format!("G4P{seconds}"));
        }
    }
    lines
}
