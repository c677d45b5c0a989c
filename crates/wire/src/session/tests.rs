use super::*;

fn complaint(code: u16) -> Complaint {
    Complaint { code: Some(code), text: code.to_string() }
}

const BANNER: &str = "\r\nGrbl 1.1h ['$' for help]\r\n";
/// What a board is asked, twice.
const QUESTIONS: &str = "$I\n$$\n$#\n$G\n";

/// A session and what came out of it, driven by hand.
struct Talk {
    session: Session,
    now: Instant,
    /// What was known of the beam at the end.
    dark: Option<Dark>,
}

impl Talk {
    fn new() -> Self {
        Self {
            session: Session::new(Protocol::Grbl, Settings::default(), Instant(0)),
            now: Instant(0),
            dark: None,
        }
    }

    /// What the session sends now, as text.
    fn sent(&mut self) -> String {
        let mut out = Vec::new();
        let any = self.session.poll_transmit(&mut out);
        assert_eq!(any, !out.is_empty());
        assert!(self.session.in_flight() < 128);
        out.iter().map(|b| if *b == 0x18 { '^' } else { *b as char }).collect()
    }

    fn hear(&mut self, text: &str) {
        self.session.handle_bytes(self.now, text.as_bytes());
    }

    fn wait(&mut self, ms: u64) {
        self.now = self.now + Span::millis(ms);
        self.session.handle_timeout(self.now);
    }

    fn outcome(&mut self) -> Option<Outcome> {
        let mut outcome = None;
        while let Some(event) = self.session.poll_event() {
            assert!(outcome.is_none(), "something came after the end");
            if let Event::Ended { outcome: o, dark } = event {
                (outcome, self.dark) = (Some(o), Some(dark));
            }
        }
        outcome
    }

    /// A session that streams to a board of 3-D-printer firmware.
    fn printing() -> Self {
        let now = Instant(0);
        let session = Session::new(Protocol::Reprap, Settings::default(), now);
        let mut talk = Self { session, now, dark: None };
        talk.session.handle_timeout(now);
        assert!(talk.sent().contains("M110"));
        talk.hear("ok\n");
        for (question, answer) in [
            ("N1 M400*", "ok\n"),
            ("N2 M114*", "X:3.00 Y:4.00 Z:0.00 E:0.00\nok\n"),
            ("N3 M114*", "X:3.00 Y:4.00 Z:0.00 E:0.00\nok\n"),
        ] {
            assert!(talk.sent().starts_with(question));
            talk.hear(answer);
        }
        talk.session.start();
        talk
    }

    /// A printer's board answers every line that it is sent, and stands here, until the session is over.
    fn stands_at(&mut self, position: &str) {
        for _ in 0..10 {
            let said = self.sent();
            for line in said.lines().filter(|line| !line.is_empty()) {
                if line.contains("M114") {
                    self.hear(&format!("{position}\n"));
                }
                self.hear("ok\n");
            }
            self.wait(400);
        }
    }

    /// It says twice that it stands: the first time is not believed.
    fn stands(&mut self, status: &str) {
        self.hear(status);
        assert_eq!(self.sent(), "?");
        self.hear(status);
    }

    /// What it says of itself, as often as it is asked, and where it stands then.
    fn introduce(&mut self, answers: &str, status: &str) {
        self.hear(answers);
        assert_eq!(self.sent(), QUESTIONS);
        self.hear(answers);
        let shift = self.sent();
        if shift.starts_with("G21G92") {
            self.hear("ok\r\n");
        }
        assert!(shift.ends_with('?') || self.sent().ends_with('?'));
        self.hear(status);
    }

    /// A session that streams.
    fn streaming() -> Self {
        let mut talk = Self::new();
        talk.session.handle_timeout(talk.now);
        assert_eq!(talk.sent(), "?");
        talk.stands("<Idle|MPos:0,0,0|FS:0,0|WCO:11,-5.5,0>\r\n");
        assert_eq!(talk.sent(), "^");
        talk.hear(BANNER);
        for _ in 0..2 {
            assert_eq!(talk.sent(), QUESTIONS);
            talk.hear("[VER:1.1h:]\r\n[OPT:V,15,128]\r\nok\r\n$30=1000\r\n$32=1\r\n");
            assert!(!talk.session.wants_lines());
            talk.hear("ok\r\n[G54:10.000,-5.500,0.000]\r\n[G92:1.000,0.000,0.000]\r\nok\r\n");
            assert!(!talk.session.wants_lines());
            // It does not tell its modes, so that no marks go out: boards do that in tests of their own.
            talk.hear("ok\r\n");
        }
        assert_eq!(talk.sent(), "?");
        talk.hear("<Idle|MPos:0,0,0|FS:0,0|WCO:11,-5.5,0>\r\n");
        let connected = std::iter::from_fn(|| talk.session.poll_event())
            .find_map(|event| if let Event::Connected(c) = event { Some(c) } else { None })
            .expect("connected");
        assert_eq!(connected.settings.get(&30), Some(&1000.0));
        assert_eq!(connected.work_offset(None), Some([11.0, -5.5, 0.0]));
        assert_eq!(connected.position, Some([0.0; 3]));
        talk.session.start();
        talk
    }

    /// A session that has sent a program of one line.
    fn at_the_last_line() -> Self {
        let mut talk = Self::streaming();
        talk.enqueue(1);
        talk.sent();
        talk.session.end_of_program(talk.now);
        talk
    }

    /// A session that is held goes on, and is done once the machine stands.
    fn goes_on_to_its_end(&mut self) {
        assert_eq!(self.outcome(), None);
        self.session.resume(self.now);
        assert_eq!(self.sent(), "~?");
        self.hear("<Idle|MPos:2,0,0|FS:0,0>\r\n");
        assert_eq!((self.outcome(), self.dark), (Some(Outcome::Done), Some(Dark::Confirmed)));
    }

    fn enqueue(&mut self, lines: u32) {
        for n in 1..=lines {
            self.session.enqueue(n, format!("G1X{:019}", n).into_bytes()).unwrap();
        }
    }
}

#[test]
fn lines_never_fill_the_buffer_and_each_answer_makes_room() {
    let mut talk = Talk::streaming();
    talk.enqueue(10);
    // 23 bytes each with the line end: four make 92; the fifth would leave no room for one more that an
    // answer too many might let out.
    assert_eq!(talk.sent().lines().count(), 4);
    assert_eq!(talk.sent(), "");
    talk.hear("ok\r\nok\r\n");
    assert_eq!(talk.sent().lines().count(), 2);
    assert_eq!(talk.session.acknowledged(), 2);
}

#[test]
fn a_run_is_done_when_the_machine_stands_still_after_the_last_line() {
    let mut talk = Talk::streaming();
    talk.enqueue(1);
    talk.sent();
    talk.wait(300);
    assert_eq!(talk.sent(), "?");
    talk.session.end_of_program(talk.now);
    talk.hear("ok\r\n");
    assert_eq!(talk.sent(), "?");
    // The answer to the question before the last line was taken does not count.
    talk.hear("<Idle|MPos:0,0,0>\r\n");
    assert_eq!(talk.outcome(), None);
    talk.hear("<Run|MPos:1,0,0>\r\n");
    talk.wait(30);
    assert_eq!(talk.sent(), "?");
    talk.hear("<Idle|MPos:2,0,0>\r\n");
    assert_eq!(talk.outcome(), Some(Outcome::Done));
}

#[test]
fn a_stop_holds_first_and_resets_at_standstill() {
    let mut talk = Talk::streaming();
    talk.enqueue(10);
    talk.sent();
    talk.session.stop(talk.now);
    assert_eq!(talk.sent(), "!?");
    talk.hear("ok\r\n<Hold:1|MPos:1,0,0>\r\n");
    assert_eq!(talk.sent(), "");
    talk.wait(30);
    assert_eq!(talk.sent(), "?");
    talk.stands("<Hold:0|MPos:1.2,0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.hear(BANNER);
    assert_eq!(talk.outcome(), Some(Outcome::Stopped));
    assert_eq!(talk.session.acknowledged(), 1);
    assert_eq!(talk.session.poll_timeout(), None);
}

#[test]
fn a_controller_that_never_stands_still_is_reset_all_the_same() {
    let mut talk = Talk::streaming();
    talk.session.stop(talk.now);
    talk.sent();
    for _ in 0..300 {
        talk.wait(25);
        talk.hear("<Run|MPos:1,0,0>\r\n");
    }
    assert!(talk.outcome() == Some(Outcome::Stopped));
}

#[test]
fn the_first_failure_is_kept_and_the_beam_goes_off_on_every_way_out() {
    let mut talk = Talk::streaming();
    talk.enqueue(10);
    talk.sent();
    talk.hear("ok\r\nerror:20\r\nerror:21\r\nok\r\n");
    assert_eq!(talk.sent(), "!?");
    talk.stands("<Hold:0|MPos:0,0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.wait(3500);
    let refused = Failure::Refused { line: Some(2), complaint: complaint(20) };
    assert_eq!(talk.outcome(), Some(Outcome::Failed(refused)));

    let mut talk = Talk::streaming();
    talk.hear("ALARM:1\r\n");
    assert!(talk.sent().starts_with('!'));
    talk.stands("<Alarm|MPos:0,0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.session.handle_closed(talk.now);
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::Alarm(complaint(1)))));
}

#[test]
fn silence_restart_and_a_closed_link_are_told_apart() {
    let mut talk = Talk::streaming();
    talk.wait(10_001);
    assert!(talk.sent().contains('!'));
    talk.wait(3000);
    assert_eq!(talk.sent(), "^");
    talk.wait(3500);
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::Silent)));

    let mut talk = Talk::streaming();
    talk.enqueue(3);
    let _ = talk.sent();
    talk.hear(BANNER);
    // What was on its way is thrown away before it runs from a wrong place.
    assert_eq!((talk.outcome(), talk.sent().as_str()), (None, "^"));
    talk.hear(BANNER);
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::Restarted)));
    assert_eq!(talk.dark, Some(Dark::Confirmed));

    let mut talk = Talk::streaming();
    talk.session.handle_closed(talk.now);
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::Closed)));
    talk.session.handle_closed(talk.now);
    talk.hear("ok\r\n");
    assert_eq!(talk.outcome(), None);
}

#[test]
fn nothing_is_streamed_to_a_controller_that_is_locked_busy_or_mute() {
    for (status, state) in
        [("Alarm", Machine::Alarm), ("Run", Machine::Run), ("Door:0", Machine::Door)]
    {
        let mut talk = Talk::new();
        talk.hear(&format!("<{status}|MPos:0,0,0>\r\n"));
        assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::NotReady(state))));
        assert_eq!(talk.sent(), "");
    }
    let mut talk = Talk::new();
    for _ in 0..60 {
        talk.wait(250);
    }
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::NoAnswer)));
}

#[test]
fn holding_and_going_on_are_single_bytes() {
    let mut talk = Talk::streaming();
    talk.enqueue(1);
    talk.session.pause();
    assert_eq!(talk.sent(), "!");
    talk.session.resume(talk.now);
    assert!(talk.sent().starts_with("~G1X"));
}

#[test]
fn a_run_that_was_held_at_its_last_answer_ends_once_it_goes_on() {
    let mut talk = Talk::at_the_last_line();
    talk.session.pause();
    assert_eq!(talk.sent(), "!");
    talk.hear("ok\r\n<Hold:0|MPos:1,0,0|FS:0,0>\r\n");
    talk.goes_on_to_its_end();
}

#[test]
fn a_run_can_be_held_while_the_head_runs_out_its_last_lines() {
    let mut talk = Talk::at_the_last_line();
    talk.hear("ok\r\n");
    assert_eq!(talk.sent(), "?");
    talk.hear("<Run|MPos:1,0,0|FS:600,500>\r\n");
    talk.session.pause();
    assert_eq!(talk.sent(), "!");
    talk.wait(300);
    assert_eq!(talk.sent(), "?");
    talk.hear("<Hold:0|MPos:1.5,0,0|FS:0,0>\r\n");
    talk.goes_on_to_its_end();
}

#[test]
fn power_that_is_still_set_at_the_end_is_not_called_dark() {
    let mut talk = Talk::at_the_last_line();
    talk.hear("ok\r\n<Idle|MPos:2,0,0|FS:0,500>\r\n");
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Done), Some(Dark::Asked)));
}

#[test]
fn a_line_that_would_not_fit_is_refused_before_it_is_sent() {
    let mut talk = Talk::streaming();
    assert_eq!(talk.session.enqueue(1, vec![b'X'; 80]), Err(LineTooLong { length: 81, most: 80 }));
    assert!(talk.session.enqueue(1, vec![b'X'; 79]).is_ok());
}

/// A board of 3-D-printer firmware, written by hand: the last line was spoilt on the cable, so it
/// waits for that number and refuses every other one.
#[test]
fn a_board_that_waits_for_a_spoilt_line_is_not_called_dark_before_it_says_so() {
    let mut talk = Talk::printing();
    let now = talk.now;
    talk.session.enqueue(1, b"M106 S80".to_vec()).unwrap();
    talk.session.enqueue(2, b"G1 X5 F600".to_vec()).unwrap();
    assert!(talk.sent().starts_with("N4 M106 S80*"));
    talk.hear("ok\n");
    assert!(talk.sent().starts_with("N5 G1 X5 F600*"));
    // The operator stops; the board asks for line 2 again, and answers whatever comes with `ok`.
    talk.session.stop(now);
    let said = talk.sent();
    let at = |text: &str| said.find(text).unwrap_or_else(|| panic!("{text} in {said}"));
    assert!(at("M410\n") < at(" M110 N") && at(" M110 N") < at(" M107*"));
    assert!(at(" M107*") < at(" M5*") && at(" M5*") < at(" M114*"));
    talk.hear("Error:checksum mismatch, Last Line: 4\nResend: 5\nok\nok\nok\nok\nok\nok\n");
    assert_eq!(talk.outcome(), None);
    // It is told again, and claims nothing when no proof comes.
    talk.wait(800);
    assert!(talk.sent().contains(" M107*"));
    let mut silent = 0;
    while talk.outcome().is_none() && silent < 20 {
        talk.wait(800);
        talk.hear("ok\n");
        silent += 1;
    }
    assert_eq!(talk.dark, Some(Dark::Asked));
}

#[test]
fn the_position_that_was_asked_for_last_is_the_proof_that_a_board_is_dark() {
    let mut talk = Talk::printing();
    let now = talk.now;
    talk.session.enqueue(1, b"M106 S80".to_vec()).unwrap();
    let _ = talk.sent();
    talk.session.stop(now);
    let _ = talk.sent();
    // Eight lines are to be answered: the program's and seven of the stop.
    talk.hear("ok\nok\nok\nX:1.00 Y:2.00 Z:0.00 E:0.00\nok\nok\nok\nok\n");
    talk.hear("X:1.00 Y:2.00 Z:0.00 E:0.00\nok\n");
    // Once is not enough, and a position that comes by itself is none.
    assert_eq!(talk.outcome(), None);
    talk.wait(400);
    assert!(talk.sent().contains(" M114*"));
    talk.hear("X:1.00 Y:2.00 Z:0.00 E:0.00\nT:20\nok\n");
    assert_eq!(talk.outcome(), None);
    talk.wait(800);
    talk.stands_at("X:1.00 Y:2.00 Z:0.00 E:0.00");
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
}

#[test]
fn only_a_banner_behind_the_reset_proves_that_the_beam_is_off() {
    let begun = || {
        let mut talk = Talk::streaming();
        talk.session.enqueue(1, b"M3 S500".to_vec()).unwrap();
        let _ = talk.sent();
        talk.hear("ok\n");
        talk.session.stop(talk.now);
        let _ = talk.sent();
        talk.stands("<Idle|MPos:0,0,0|FS:0,0>\n");
        assert!(talk.sent().contains('^'));
        talk
    };
    let mut seen = begun();
    seen.hear(BANNER);
    assert_eq!((seen.outcome(), seen.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
    let mut mute = begun();
    (0..20).for_each(|_| mute.wait(500));
    assert_eq!((mute.outcome(), mute.dark), (Some(Outcome::Stopped), Some(Dark::Asked)));
    let mut cut = begun();
    cut.session.handle_closed(cut.now);
    assert_eq!((cut.outcome(), cut.dark), (Some(Outcome::Stopped), Some(Dark::Unknown)));
}

#[test]
fn a_controller_that_reports_inches_is_understood() {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    let _ = talk.sent();
    talk.stands("<Idle|MPos:1.000,2.000,0.000|FS:0,0|WCO:10.000,-5.000,0.000>\r\n");
    talk.hear(BANNER);
    let _ = talk.sent();
    talk.introduce(
        "ok\r\n$13=1\r\n$30=1000\r\nok\r\n[G54:10.000,-5.000,0.000]\r\nok\r\nok\r\n",
        "<Idle|MPos:1.000,2.000,0.000|FS:0,0>\r\n",
    );
    let connected = std::iter::from_fn(|| talk.session.poll_event())
        .find_map(|event| if let Event::Connected(c) = event { Some(c) } else { None })
        .expect("connected");
    assert_eq!(connected.position, Some([25.4, 50.8, 0.0]));
    assert_eq!(connected.work_offset(Some("G54")), Some([254.0, -127.0, 0.0]));
    talk.hear("<Run|MPos:0.500,0.000,0.000|FS:10,300|WCO:2.000,-1.000,0.000>\r\n");
    let status = std::iter::from_fn(|| talk.session.poll_event())
        .find_map(|event| if let Event::Status(status) = event { Some(status) } else { None })
        .expect("a status");
    assert_eq!(status.position, Some([12.7, 0.0, 0.0]));
    assert_eq!(status.offset, Some([50.8, -25.4, 0.0]));
    assert_eq!(status.feed_and_s, Some([254.0, 300.0]));
    talk.hear("[PRB:1.000,0.000,-0.500:1]\r\n");
    let touched = std::iter::from_fn(|| talk.session.poll_event()).last();
    assert_eq!(touched, Some(Event::Touched([25.4, 0.0, -12.7])));
}

/// A board that has answered every line of a program of one.
fn printer() -> Talk {
    let mut talk = Talk::printing();
    talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
    talk.session.end_of_program(talk.now);
    assert!(talk.sent().starts_with("N4 G1 X5 F600*"));
    talk.hear("ok\n");
    talk
}

#[test]
fn a_board_that_has_run_every_line_is_asked_whether_it_is_dark() {
    let mut talk = printer();
    for number in 5..=6 {
        assert!(talk.sent().starts_with(&format!("N{number} M400*")));
        assert_eq!(talk.outcome(), None);
        talk.hear("ok\n");
    }
    let said = talk.sent();
    assert!(!said.contains("M410"), "a head that stands needs no quick stop: {said}");
    for line in [" M107*", " M5*", " M114*"] {
        assert!(said.contains(line), "{line} in {said}");
    }
    talk.hear("ok\nok\nok\nok\nok\n");
    assert_eq!(talk.outcome(), None);
    talk.hear("X:5.00 Y:0.00 Z:0.00 E:0.00\nok\n");
    assert_eq!(talk.outcome(), None);
    talk.wait(400);
    talk.stands_at("X:5.00 Y:0.00 Z:0.00 E:0.00");
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Done), Some(Dark::Confirmed)));
}

#[test]
fn a_board_that_never_says_where_it_stands_is_not_called_dark_at_the_end() {
    let mut talk = printer();
    for _ in 0..2 {
        let _ = talk.sent();
        talk.hear("ok\n");
    }
    let mut waits = 0;
    while talk.outcome().is_none() {
        waits += 1;
        assert!(waits < 20);
        talk.wait(700);
        let _ = talk.sent();
        talk.hear("ok\n");
    }
    assert_eq!(talk.dark, Some(Dark::Asked));
}

#[test]
fn a_board_that_was_held_at_its_last_answers_ends_once_it_goes_on() {
    // Held with the last line under way, and again with the waits behind it under way.
    for held_at in 0..3 {
        let mut talk = Talk::printing();
        talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
        talk.session.end_of_program(talk.now);
        for line in 0..3 {
            assert!(!talk.sent().is_empty(), "line {line}, held at {held_at}");
            if line == held_at {
                talk.session.pause();
            }
            talk.hear("ok\n");
            assert_eq!(talk.outcome(), None);
            if line == held_at {
                assert_eq!(talk.sent(), "", "held at {held_at}");
                talk.session.resume(talk.now);
            }
        }
        talk.stands_at("X:5.00 Y:0.00 Z:0.00 E:0.00");
        assert_eq!(talk.outcome(), Some(Outcome::Done), "held at {held_at}");
    }
}

#[test]
fn a_session_says_what_it_has_sent_what_was_taken_and_when_it_wants_to_be_called() {
    let mut talk = Talk::streaming();
    assert_eq!((talk.session.last_sent(), talk.session.acknowledged()), (None, 0));
    assert_eq!((talk.session.in_flight(), talk.session.is_over()), (0, false));
    talk.session.enqueue(7, b"G1X5".to_vec()).unwrap();
    talk.session.enqueue(9, b"G1X10".to_vec()).unwrap();
    assert_eq!(talk.sent(), "G1X5\nG1X10\n");
    assert_eq!((talk.session.last_sent(), talk.session.acknowledged()), (Some(9), 0));
    assert_eq!(talk.session.in_flight(), 5 + 6);
    talk.hear("ok\r\n");
    assert_eq!((talk.session.acknowledged(), talk.session.in_flight()), (7, 6));
    // The next question for the status is due within its interval, and never in the past for long.
    let due = talk.session.poll_timeout().unwrap();
    assert!(due - talk.now <= Settings::default().status_every);
    talk.session.handle_closed(talk.now);
    assert!(talk.session.is_over() && talk.session.poll_timeout().is_none());
    assert_eq!(talk.session.in_flight(), 0);

    let mut talk = Talk::printing();
    talk.session.enqueue(4, b"G1 X5".to_vec()).unwrap();
    let sent = talk.sent();
    assert_eq!((talk.session.last_sent(), talk.session.in_flight()), (Some(4), sent.len()));
    assert!(!talk.session.is_over() && talk.session.poll_timeout().is_some());
    talk.hear("ok\n");
    assert_eq!((talk.session.acknowledged(), talk.session.in_flight()), (4, 0));
}

#[test]
fn systems_are_those_from_g54_to_g59() {
    let offsets = [("G54", 1.0), ("G55", 2.0), ("G59", 3.0), ("G92", 0.5), ("G28", 9.0)];
    let offsets = offsets.map(|(name, x)| (name.to_string(), [x, 0.0, 0.0])).into();
    let said = |modes: &[&str]| Connected {
        modes: modes.iter().map(ToString::to_string).collect(),
        offsets: BTreeMap::clone(&offsets),
        ..Connected::default()
    };
    let x = |modes: &[&str], system: Option<&str>| said(modes).work_offset(system).map(|at| at[0]);
    assert_eq!(x(&["G0", "G55", "G17"], None), Some(2.5));
    assert_eq!(x(&["G0", "G53", "G59"], None), Some(3.5));
    assert_eq!(x(&["G0", "G5", "G17"], None), Some(1.5));
    assert_eq!(x(&["G55"], Some("G54")), Some(1.5));
    assert_eq!(x(&["G57"], None), None);
}

#[test]
fn a_banner_while_greeting_asks_at_once_and_while_halting_resets_at_once() {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    assert_eq!(talk.sent(), "?");
    talk.hear(BANNER);
    assert_eq!(talk.sent(), "?");
    assert_eq!(talk.outcome(), None);

    let mut talk = Talk::at_the_last_line();
    talk.session.stop(talk.now);
    assert_eq!(talk.sent(), "!?");
    talk.hear(BANNER);
    assert_eq!(talk.sent(), "^");
    assert_eq!(talk.outcome(), None);
}

#[test]
fn a_stop_before_anything_was_sent_stops_whatever_runs_there() {
    let greeting = || {
        let mut talk = Talk::new();
        talk.session.handle_timeout(talk.now);
        assert_eq!(talk.sent(), "?");
        talk
    };
    let clearing = || {
        let mut talk = greeting();
        talk.stands("<Idle|MPos:0,0,0|FS:0,0|WCO:0,0,0>\r\n");
        assert_eq!(talk.sent(), "^");
        talk
    };
    for begun in [&greeting as &dyn Fn() -> Talk, &clearing] {
        for answers in [true, false] {
            let mut talk = begun();
            talk.session.stop(talk.now);
            assert_eq!((talk.sent().as_str(), talk.outcome()), ("!?", None));
            if answers {
                // It was moving: a reset in motion would lose its place.
                talk.hear("<Run|MPos:0,0,0|FS:0,0>\r\n<Hold:1|MPos:0,0,0|FS:0,0>\r\n");
                assert_eq!(talk.sent(), "");
                talk.stands("<Hold:0|MPos:0,0,0|FS:0,0>\r\n");
                assert_eq!(talk.sent(), "^");
                talk.hear(BANNER);
            } else {
                (0..60).for_each(|_| talk.wait(100));
                assert!(talk.sent().contains('^'));
            }
            assert_eq!(talk.outcome(), Some(Outcome::Stopped));
            assert_eq!(talk.dark, Some(Dark::Untouched));
        }
    }
}

#[test]
fn half_a_line_that_a_dead_sender_left_is_thrown_away_and_never_ended() {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    talk.sent();
    // Not a line end before the reset, and nothing but the reset before the banner.
    talk.stands("<Idle|MPos:0,0,0|FS:0,0|WCO:0,0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.wait(1000);
    assert_eq!(talk.sent(), "");
    // A board without a banner is taken to be clear after a while; one that comes late begins anew.
    talk.wait(500);
    assert_eq!(talk.sent(), QUESTIONS);
    talk.hear(BANNER);
    assert_eq!(talk.sent(), QUESTIONS);
    talk.introduce("ok\r\nok\r\nok\r\n[GC:G0 G54 G21]\r\nok\r\n", "<Idle|MPos:0,0,0|FS:0,0>\r\n");
    let connected = std::iter::from_fn(|| talk.session.poll_event())
        .find_map(|event| if let Event::Connected(c) = event { Some(c) } else { None });
    assert_eq!(connected.map(|c| c.modes), Some(["G0", "G54", "G21"].map(String::from).to_vec()));
}

#[test]
fn a_place_is_believed_when_it_was_told_twice_so_that_a_start_without_a_word_shows() {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    assert_eq!(talk.sent(), "?");
    // The second one came through spoilt: nothing is cleared yet.
    for status in [
        "<Idle|MPos:41.5,16.7,0|FS:0,0|WCO:0,0,0>\r\n",
        "<Idle|MPos:41.5,6.7,|FS:0,0|WCO:0,0,0>\r\n",
        "<Idle|MPos:41.5,16.7,0|FS:0,0|WCO:0,0,0>\r\n",
    ] {
        talk.hear(status);
        assert_eq!(talk.sent(), "?");
    }
    talk.hear("<Idle|MPos:41.5,16.7,0|FS:0,0|WCO:0,0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.hear(BANNER);
    assert_eq!(talk.sent(), QUESTIONS);
    // It was off meanwhile, and stands at its zero.
    let answers = "ok\r\nok\r\nok\r\n[GC:G0 G54 G21]\r\nok\r\n";
    talk.introduce(answers, "<Idle|MPos:0,0,0|FS:0,0>\r\n");
    for _ in 0..20 {
        talk.hear("<Idle|MPos:0,0,0|FS:0,0>\r\n");
    }
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::Restarted)));
}

#[test]
fn a_status_that_says_alarm_ends_a_run_though_no_message_did() {
    let mut talk = Talk::streaming();
    talk.enqueue(3);
    talk.sent();
    talk.hear("ok\r\n<Alarm|MPos:0,0,0|FS:0,0>\r\n");
    assert!(talk.sent().starts_with('!'));
    talk.stands("<Alarm|MPos:0,0,0|FS:0,0>\r\n");
    assert_eq!(talk.sent(), "^");
    talk.hear(BANNER);
    let locked = Failure::NotReady(Machine::Alarm);
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Failed(locked)), Some(Dark::Confirmed)));
}

#[test]
fn a_refused_line_leaves_the_buffer_like_any_other() {
    let mut talk = Talk::streaming();
    talk.enqueue(3);
    talk.sent();
    let before = talk.session.in_flight();
    talk.hear("error:20\r\n");
    assert_eq!(talk.session.in_flight(), before / 3 * 2);
}

#[test]
fn a_board_is_greeted_once_a_second_and_given_up_after_its_time() {
    let mut talk = Talk::new();
    talk.session = Session::new(Protocol::Reprap, Settings::default(), talk.now);
    talk.session.handle_timeout(talk.now);
    assert!(talk.sent().contains("M110"));
    talk.wait(300);
    assert_eq!(talk.sent(), "");
    talk.wait(700);
    assert!(talk.sent().contains("M110"));
    assert!(talk.session.poll_timeout().unwrap() - talk.now <= Span::millis(1000));
    while talk.now < Instant(11_900_000) {
        talk.wait(100);
        let _ = talk.sent();
    }
    assert_eq!(talk.outcome(), None);
    talk.wait(200);
    assert_eq!(talk.outcome(), Some(Outcome::Failed(Failure::NoAnswer)));
    talk.wait(5000);
    assert_eq!((talk.sent().as_str(), talk.outcome()), ("", None));
}

#[test]
fn a_board_that_says_nothing_gets_its_line_again_and_one_that_is_busy_does_not() {
    let begun = || {
        let mut talk = Talk::printing();
        talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
        assert!(talk.sent().starts_with("N4 G1 X5"));
        talk
    };
    let mut mute = begun();
    mute.wait(2400);
    assert_eq!(mute.sent(), "");
    mute.wait(200);
    // The end of whatever half line got through, and the line under its own number.
    assert!(mute.sent().starts_with("\nN4 G1 X5"));
    let mut tries = 1;
    while !mute.sent().contains("M107") {
        mute.wait(500);
        tries += 1;
        assert!(tries < 200, "it is never given up");
    }
    while mute.outcome().is_none() {
        mute.wait(500);
    }
    assert_eq!(mute.dark, Some(Dark::Asked));

    let mut busy = begun();
    for _ in 0..60 {
        busy.wait(2000);
        busy.hear("echo:busy: processing\n");
        assert_eq!(busy.sent(), "");
    }
    busy.hear("ok\n");
    assert_eq!(busy.session.acknowledged(), 1);
    // Held and unanswered by nobody: nothing is due however long it takes.
    busy.session.pause();
    busy.wait(60_000);
    assert_eq!((busy.sent().as_str(), busy.outcome()), ("", None));
}

#[test]
fn what_makes_a_board_dark_is_said_again_but_not_all_the_time() {
    let mut talk = Talk::printing();
    talk.session.enqueue(1, b"M106 S80".to_vec()).unwrap();
    let _ = talk.sent();
    talk.session.stop(talk.now);
    assert!(talk.sent().contains("M107"));
    talk.wait(300);
    assert_eq!(talk.sent(), "");
    talk.wait(450);
    assert!(talk.sent().contains("M107"));
}

#[test]
fn a_board_gets_again_what_it_asks_for_and_nothing_else() {
    let begun = || {
        let mut talk = Talk::printing();
        talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
        assert!(talk.sent().starts_with("N4 G1 X5"));
        talk
    };
    for asks in ["Resend: 4\nok\n", "rs N4\nok\n"] {
        let mut talk = begun();
        talk.hear(asks);
        assert!(talk.sent().starts_with("N4 G1 X5"), "{asks}");
        assert_eq!(talk.session.acknowledged(), 0, "the ok behind a resend is no answer");
        talk.hear("ok\n");
        assert_eq!(talk.session.acknowledged(), 1);
    }
    // It wants the next one: the answer to this one was lost.
    let mut talk = begun();
    talk.hear("Resend: 5\nok\n");
    assert_eq!((talk.sent().as_str(), talk.session.acknowledged()), ("", 1));
    // It wants one that was never sent, as it seems once: the number may be spoilt.
    for strange in ["Resend: 9\nok\n", "Resend: 1\nok\n"] {
        let mut talk = begun();
        talk.hear(strange);
        assert!(talk.sent().starts_with("N4 G1 X5"), "{strange}");
        talk.hear("ok\n");
        assert_eq!((talk.session.acknowledged(), talk.outcome()), (1, None));
        let mut talk = begun();
        talk.hear(strange);
        let _ = talk.sent();
        talk.hear(strange);
        assert!(talk.sent().contains("M107"));
    }
    // Or the same one for ever.
    let mut talk = begun();
    let mut asked = 0;
    while !talk.sent().contains("M107") {
        talk.hear("Resend: 4\nok\n");
        asked += 1;
        assert!(asked < 100);
    }
    assert!(asked > 5);
}

#[test]
fn a_board_that_goes_away_leaves_the_beam_unknown() {
    let mut talk = Talk::printing();
    assert!(talk.session.wants_lines());
    for n in 0..64 {
        assert!(talk.session.wants_lines());
        talk.session.enqueue(n + 1, b"G1 X5 F600".to_vec()).unwrap();
    }
    assert!(!talk.session.wants_lines());
    let _ = talk.sent();
    talk.session.handle_closed(talk.now);
    let closed = Outcome::Failed(Failure::Closed);
    assert_eq!((talk.outcome(), talk.dark), (Some(closed.clone()), Some(Dark::Unknown)));
    assert!(talk.session.is_over() && talk.session.poll_timeout().is_none());
    talk.session.handle_closed(talk.now);
    assert_eq!(talk.outcome(), None);

    let mut talk = Talk::printing();
    talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
    let _ = talk.sent();
    talk.session.stop(talk.now);
    talk.session.handle_closed(talk.now);
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Stopped), Some(Dark::Unknown)));

    // Every line was run, but nobody saw it go dark.
    let mut talk = printer();
    for _ in 0..2 {
        let _ = talk.sent();
        talk.hear("ok\n");
    }
    talk.session.handle_closed(talk.now);
    assert_eq!((talk.outcome(), talk.dark), (Some(closed), Some(Dark::Unknown)));
}

#[test]
fn a_board_that_stands_idle_with_lines_on_the_way_is_not_at_a_halt() {
    const STANDS: &str = "<Idle|MPos:1,2,0|FS:0,0>\r\n";
    let on_the_way = || {
        let mut talk = Talk::streaming();
        talk.session.enqueue(1, b"G1 X5 F600".to_vec()).unwrap();
        let _ = talk.sent();
        talk.session.stop(talk.now);
        assert_eq!(talk.sent(), "!?");
        talk
    };
    // It passes the hold by, and then the line comes: it is held again, and only then is its place known.
    let mut talk = on_the_way();
    for _ in 0..3 {
        talk.hear(STANDS);
        assert_eq!(talk.sent(), "!");
        talk.wait(30);
        assert_eq!(talk.sent(), "?");
    }
    talk.hear("<Run|MPos:1.5,2,0|FS:600,500>\r\n");
    talk.wait(30);
    assert_eq!(talk.sent(), "?");
    talk.stands("<Hold:0|MPos:2,2,0|FS:0,500>\r\n");
    assert_eq!(talk.sent(), "^");
    // The line was lost: a second later it stands where it stood.
    let mut talk = on_the_way();
    for _ in 0..4 {
        talk.hear(STANDS);
        assert_eq!(talk.sent(), "!");
        talk.wait(300);
        assert_eq!(talk.sent(), "?");
    }
    talk.hear(STANDS);
    assert_eq!(talk.sent(), "^");
    // A beam that burns where it stands is not waited for.
    let mut talk = on_the_way();
    talk.hear("<Idle|MPos:1,2,0|FS:0,500>\r\n");
    let _ = talk.sent();
    talk.hear("<Idle|MPos:1,2,0|FS:0,500>\r\n");
    assert_eq!(talk.sent(), "^");
}

#[test]
fn a_beam_that_something_else_left_on_is_put_out_and_seen_to_be_out() {
    let darkening = || {
        let mut talk = Talk::new();
        talk.session.darken(talk.now);
        assert_eq!(talk.sent(), "!?");
        talk
    };
    // It runs: it is halted first, so that its place is kept.
    let mut runs = darkening();
    runs.hear("<Run|MPos:0,0,0|FS:600,300>\r\n");
    assert_eq!(runs.sent(), "");
    runs.stands("<Hold:0|MPos:0,0,0|FS:0,300>\r\n");
    assert_eq!(runs.sent(), "^");
    runs.hear(BANNER);
    assert_eq!((runs.outcome(), runs.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
    // It has no banner: a status that was asked for behind the reset says that no power is set.
    let mut mute = darkening();
    mute.stands("<Idle|MPos:0,0,0|FS:0,300>\r\n");
    assert_eq!(mute.sent(), "^");
    mute.wait(300);
    assert_eq!(mute.sent(), "?");
    mute.hear("<Idle|MPos:0,0,0|FS:0,0>\r\n");
    assert_eq!((mute.outcome(), mute.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
    // The reset is lost on the cable: it is said again.
    let mut lossy = darkening();
    lossy.stands("<Hold:0|MPos:0,0,0|FS:0,300>\r\n");
    assert_eq!(lossy.sent(), "^");
    lossy.wait(300);
    assert_eq!(lossy.sent(), "?");
    lossy.hear("<Hold:0|MPos:0,0,0|FS:0,300>\r\n");
    assert_eq!((lossy.sent().as_str(), lossy.outcome()), ("^", None));
    lossy.hear(BANNER);
    assert_eq!((lossy.outcome(), lossy.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
    // A status that was under way before the reset proves nothing.
    let mut late = darkening();
    late.wait(30);
    assert_eq!(late.sent(), "?");
    late.stands("<Idle|MPos:0,0,0|FS:0,0>\r\n");
    assert_eq!(late.sent(), "^");
    late.hear("<Idle|MPos:0,0,0|FS:0,0>\r\n");
    assert_eq!(late.outcome(), None);
    // Nobody answers.
    let mut gone = darkening();
    (0..60).for_each(|_| gone.wait(100));
    assert_eq!((gone.outcome(), gone.dark), (Some(Outcome::Stopped), Some(Dark::Asked)));
    let mut cut = darkening();
    cut.session.handle_closed(cut.now);
    assert_eq!((cut.outcome(), cut.dark), (Some(Outcome::Stopped), Some(Dark::Unknown)));
}

#[test]
fn a_printer_is_put_out_before_it_has_said_a_word() {
    let mut talk = Talk::new();
    talk.session = Session::new(Protocol::Reprap, Settings::default(), talk.now);
    talk.session.darken(talk.now);
    let sent = talk.sent();
    for word in ["M410", "M107", "M5", "M114"] {
        assert!(sent.contains(word), "{sent}");
    }
    // It restarts because the port was opened, and has heard nothing of that.
    talk.hear("start\necho: some board\n");
    assert_eq!(talk.outcome(), None);
    talk.stands_at("X:1.00 Y:2.00 Z:0.00 E:0.00");
    assert_eq!((talk.outcome(), talk.dark), (Some(Outcome::Stopped), Some(Dark::Confirmed)));
}

#[test]
fn a_halt_of_ours_is_told_from_one_at_the_machine() {
    let mut talk = Talk::streaming();
    talk.enqueue(3);
    talk.sent();
    talk.hear("<Hold:0|MPos:0,0,0|FS:0,0>\r\n");
    assert!(!talk.session.is_stopping());
    talk.session.stop(talk.now);
    assert!(talk.session.is_stopping());
    talk.sent();
    talk.stands("<Hold:0|MPos:0,0,0|FS:0,0>\r\n");
    assert!(talk.session.is_stopping());
    let mut talk = Talk::printing();
    assert!(!talk.session.is_stopping());
    talk.session.stop(talk.now);
    assert!(talk.session.is_over() || talk.session.is_stopping());
}

#[test]
fn a_printer_that_chatters_and_does_not_answer_is_asked_again() {
    for chatter in ["wait\n", " T:21.3 /0.0 B:20.9 /0.0\n", "echo:hello\n"] {
        let mut talk = Talk::printing();
        talk.session.enqueue(1, b"G1 X5".to_vec()).unwrap();
        let line = talk.sent();
        // Its answer is lost; it goes on telling its temperature.
        let mut again = String::new();
        for _ in 0..30 {
            talk.wait(200);
            talk.hear(chatter);
            again += &talk.sent();
        }
        assert_eq!(again, format!("\n{line}"), "{chatter}");
        // It has the line already, and asks for the next.
        talk.hear("Error:Line Number is not Last Line Number+1, Last Line: 4\nResend: 5\nok\n");
        assert_eq!((talk.session.acknowledged(), talk.outcome()), (1, None));
    }
}

#[test]
fn a_printer_that_says_nothing_while_a_slow_line_runs_is_given_its_time() {
    let mut talk = Talk::printing();
    // Three minutes for a move, on a board that never says that it is busy.
    let effect = Effect { lasts: Span::millis(180_000), ..Effect::NOTHING };
    talk.session.enqueue_with(1, b"G1 X5 F1".to_vec(), effect).unwrap();
    talk.session.enqueue(2, b"G1 X6".to_vec()).unwrap();
    talk.sent();
    talk.hear("ok\n");
    assert!(talk.sent().contains(" G1 X6*"));
    talk.wait(181_000);
    assert_eq!((talk.sent().as_str(), talk.outcome()), ("", None));
    talk.wait(3000);
    assert!(talk.sent().contains(" G1 X6*"));
    // Behind the last line everything that is under way is waited for.
    talk.hear("ok\n");
    talk.session.end_of_program(talk.now);
    assert!(talk.sent().contains(" M400*"));
    talk.wait(181_000);
    assert_eq!((talk.sent().as_str(), talk.outcome()), ("", None));
}

#[test]
fn a_printer_that_is_busy_is_waited_for() {
    let mut talk = Talk::printing();
    talk.session.enqueue(1, b"G1 X5 F1".to_vec()).unwrap();
    talk.sent();
    for _ in 0..300 {
        talk.wait(1000);
        talk.hear("echo:busy: processing\n");
        assert_eq!(talk.sent(), "");
    }
    talk.hear("ok\n");
    assert_eq!((talk.session.acknowledged(), talk.outcome()), (1, None));
}

/// A session with a board that was asked everything; its status before, and its offsets behind the
/// reset.
fn connected(status: &str, offsets: &str) -> (Talk, Option<Connected>) {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    talk.sent();
    talk.stands(status);
    assert_eq!(talk.sent(), "^");
    talk.hear(BANNER);
    talk.sent();
    let answers = format!("ok\r\nok\r\n{offsets}ok\r\n[GC:G0 G54 G21]\r\nok\r\n");
    talk.hear(&answers);
    talk.sent();
    talk.hear(&answers);
    let connected = connection(&mut talk);
    (talk, connected)
}

fn connection(talk: &mut Talk) -> Option<Connected> {
    std::iter::from_fn(|| talk.session.poll_event())
        .find_map(|event| if let Event::Connected(c) = event { Some(c) } else { None })
}

#[test]
fn a_g92_that_the_reset_would_forget_is_set_again() {
    let offsets = "[G54:10,20,0]\r\n[G55:0,0,0]\r\n[G56:10,20,0]\r\n[G92:0,0,0]\r\n";
    // At 30, 40 of the machine; the zero is 12, 25 from its own, of which G54 is 10, 20.
    let status = "<Idle|MPos:30,40,5|FS:0,0|WCO:12,25,1>\r\n";
    let (mut talk, none) = connected(status, offsets);
    assert_eq!((none, talk.sent().as_str()), (None, "G21G92X18.000Y15.000Z4.000\n"));
    talk.hear("ok\r\n");
    assert_eq!(talk.sent(), "?");
    talk.hear(status);
    let said = connection(&mut talk).expect("connected");
    assert_eq!(said.kept_shift, Some([2.0, 5.0, 1.0]));
    assert_eq!(said.work_offset(Some("G54")), Some([12.0, 25.0, 1.0]));
    // Where it cannot be set again nothing is run.
    let (mut talk, _) = connected(status, offsets);
    talk.sent();
    talk.hear("error:20\r\n");
    assert!(talk.sent().starts_with('!'));
    // The same from a board that tells work positions.
    let (mut talk, _) = connected("<Idle|WPos:18,15,4|FS:0,0|WCO:12,25,1>\r\n", offsets);
    assert_eq!(talk.sent(), "G21G92X18.000Y15.000Z4.000\n");
    // Another system is set, and may have been the one in force: nobody knows what the G92 was.
    let several = "[G54:10,20,0]\r\n[G55:50,60,0]\r\n[G92:0,0,0]\r\n";
    let (mut talk, none) = connected(status, several);
    assert_eq!((none, talk.sent().as_str()), (None, ""));
    assert!(talk.session.is_over() && talk.session.last_sent().is_none());
    // No G92 was in force, in G54 or in another system.
    let offsets = several;
    for offset in ["10,20,0", "50,60,0"] {
        let status = format!("<Idle|MPos:30,40,5|FS:0,0|WCO:{offset}>\r\n");
        let (mut talk, none) = connected(&status, offsets);
        assert_eq!((none, talk.sent().as_str()), (None, "?"));
        talk.hear(&status);
        let said = connection(&mut talk);
        assert_eq!(said.expect("connected").kept_shift, None);
    }
}

#[test]
fn the_offset_is_waited_for_before_the_reset_and_not_for_ever() {
    let mut talk = Talk::new();
    talk.session.handle_timeout(talk.now);
    assert_eq!(talk.sent(), "?");
    let mut asked = 1;
    loop {
        talk.hear("<Idle|MPos:0,0,0|FS:0,0>\r\n");
        match talk.sent().as_str() {
            "?" => asked += 1,
            "^" => break,
            other => panic!("{other}"),
        }
    }
    assert_eq!(asked, 64);
}
