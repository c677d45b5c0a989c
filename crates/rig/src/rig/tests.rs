use super::*;

fn answers(rig: &mut Rig) -> String {
    String::from_utf8(rig.take_output()).unwrap().replace("\r\n", "\n").trim().to_string()
}

fn rig() -> Rig {
    let mut rig = Rig::new(Setup::default());
    assert_eq!(answers(&mut rig), "Grbl 1.1h ['$' for help]");
    rig
}

fn tell(rig: &mut Rig, text: &str) -> String {
    rig.receive(text.as_bytes());
    answers(rig)
}

fn finish(rig: &mut Rig) {
    while rig.advance_to_next() {}
}

#[test]
fn every_line_is_answered_in_order() {
    let mut rig = rig();
    assert_eq!(tell(&mut rig, "G21\n\nG1 X5 F600\nG99\nX Y\n"), "ok\nok\nok\nerror:20\nerror:2");
    assert_eq!(rig.record().errors, 2);
}

#[test]
fn a_work_offset_is_set_as_said_or_from_where_the_head_stands() {
    let places = |rig: &mut Rig| {
        finish(rig);
        rig.record().extents
    };
    // The zero lies at 20, 30 of the machine.
    let mut first = rig();
    tell(&mut first, "G21 G90\nG0 X5 Y5\nG10 L2 P1 X20 Y30\nM4 S9\nG0 X0 Y0\nG1 X10 F600\n");
    assert_eq!(places(&mut first), Some(([20.0, 30.0], [30.0, 30.0])));
    // Where the head stands is called 1, 2.
    let mut second = rig();
    tell(&mut second, "G21 G90\nG0 X5 Y5\nG10 L20 P1 X1 Y2\nM4 S9\nG0 X0 Y0\nG1 X10 F600\n");
    assert_eq!(places(&mut second), Some(([4.0, 3.0], [14.0, 3.0])));
    let mut third = rig();
    assert_eq!(
        tell(&mut third, "G10 X1\nG10 L3 P1 X1\nG10 L2 P9 X1\n"),
        "error:28\nerror:20\nerror:29"
    );
}

/// The codes are those of the public interface's list of errors.
#[test]
fn what_boards_refuse_is_refused_with_their_codes() {
    let cases = [
        ("G1 G0 X5", 21),
        ("M3 M5 S300", 21),
        ("G20 G21", 21),
        ("G90 G91", 21),
        ("G54 G55", 21),
        ("G1 X10 X20", 25),
        ("S300 S700", 25),
        ("F100 F200", 25),
        ("G1 X5 F0", 22),
        ("G93 G1 X5", 22),
        ("G92 G1 X5", 24),
        ("G10 L2 P1", 26),
        ("G2 I5 J0", 26),
        ("G2 X5 Y5 I9 J0", 33),
        ("G2 X5 Y5", 35),
        ("G1 X5 R2", 36),
        ("G1 X5 I2", 36),
        ("G1 X5 P2", 36),
        ("G1 X5 L2", 36),
        ("G2 X10 Y0 I5 J0 P2", 36),
        ("G1 X5 H1", 20),
        ("G1 X5 D1", 20),
        ("G1 X#1", 20),
        ("#1=5", 20),
        ("G38.2 X5 M3.5", 23),
        ("S-5", 4),
        ("G1 X5 F-5", 4),
        ("G10 L2 P1.5 X1", 29),
    ];
    for (line, code) in cases {
        let mut rig = rig();
        tell(&mut rig, "G21 G90\nF600\n");
        assert_eq!(tell(&mut rig, &format!("{line}\n")), format!("error:{code}"), "{line}");
        assert!(!rig.is_busy(), "{line}: a refused line moves nothing");
    }
}

#[test]
fn every_work_offset_counts_while_it_is_in_force_and_a_reset_forgets_g92() {
    let mut rig = rig();
    tell(&mut rig, "G21 G90\nG10 L2 P1 X20 Y30\nG10 L2 P3 X100 Y50\nG56\nG92 X-5 Y0\n");
    // G56 lies at 100, 50; the head stands at 0, 0 of the machine, and that is called -5, 0.
    assert_eq!(
        tell(&mut rig, "$#\n").lines().filter(|line| !line.contains("0.000,0.000,0.000")).count(),
        4
    );
    tell(&mut rig, "M4 S9\nG0 X0 Y0\nG1 X10 F600\n");
    finish(&mut rig);
    assert_eq!(rig.record().extents, Some(([5.0, 0.0], [15.0, 0.0])));
    rig.receive(&[0x18]);
    let told = tell(&mut rig, "$#\n");
    assert!(
        told.contains("[G56:100.000,50.000,0.000]") && told.contains("[G92:0.000,0.000,0.000]"),
        "{told}"
    );
    assert!(tell(&mut rig, "$G\n").contains("G54"), "the first is in force again");
    tell(&mut rig, "G21 G90\nG92 X1\nG92.1\nM4 S9\nG0 X0 Y0\nG1 X1 F600\n");
    finish(&mut rig);
    assert_eq!(rig.record().extents, Some(([5.0, 0.0], [21.0, 30.0])), "G54 lies at 20, 30");
}

#[test]
fn a_move_takes_the_time_of_its_trapezoid_and_the_beam_is_kept() {
    let mut rig = rig();
    tell(&mut rig, "M4 S300\nG1 X100 F6000\n");
    finish(&mut rig);
    // 100 mm/s, 1500 mm/s²: 1 s + v / a.
    assert!((rig.now() - (1.0 + 100.0 / 1500.0)).abs() < 1e-9, "{}", rig.now());
    let record = rig.record();
    assert_eq!((record.burn_mm, record.marks.len()), (100.0, 1));
    assert_eq!(record.by_s().collect::<Vec<_>>(), [(300.0, 100.0)]);
    assert_eq!(record.extents, Some(([0.0, 0.0], [100.0, 0.0])));
}

#[test]
fn the_planner_holds_fifteen_moves_and_then_lines_wait() {
    let mut rig = rig();
    tell(&mut rig, "F600\n");
    for n in 1..=15 {
        assert_eq!(tell(&mut rig, &format!("G1X{n}\n")), "ok", "move {n}");
    }
    assert_eq!(tell(&mut rig, "G1X16\n"), "");
    assert!(rig.is_full());
    assert!(rig.advance_to_next());
    assert_eq!(answers(&mut rig), "ok");
}

#[test]
fn too_many_bytes_are_lost_as_on_a_real_board() {
    let mut rig = rig();
    tell(&mut rig, "F600\n");
    let flood: String = (1..200).map(|n| format!("G1X{n}\n")).collect();
    rig.receive(flood.as_bytes());
    assert!(rig.record().overrun_bytes > 500);
}

#[test]
fn a_hold_brakes_and_going_on_finishes_the_move() {
    let mut rig = rig();
    tell(&mut rig, "M4 S100\nG1 X100 F6000\n");
    rig.advance(0.5);
    let before = rig.position()[0];
    assert_eq!(tell(&mut rig, "!?").split('|').next(), Some("<Hold:1"));
    finish(&mut rig);
    let stopped = rig.position()[0];
    assert!((stopped - before - 100.0 * 100.0 / 3000.0).abs() < 1e-6, "{before} {stopped}");
    assert_eq!(tell(&mut rig, "?").split('|').next(), Some("<Hold:0"));
    tell(&mut rig, "~");
    finish(&mut rig);
    assert_eq!(rig.position(), [100.0, 0.0]);
    assert!((rig.record().burn_mm - 100.0).abs() < 1e-9);
    assert_eq!(tell(&mut rig, "?").split('|').next(), Some("<Idle"));
}

#[test]
fn a_reset_at_standstill_keeps_the_position_and_one_in_motion_loses_it() {
    let mut rig = rig();
    tell(&mut rig, "M3 S100\nG1 X100 F6000\n");
    rig.advance(0.5);
    tell(&mut rig, "!");
    finish(&mut rig);
    let answer = tell(&mut rig, "\u{18}");
    assert_eq!(answer, "Grbl 1.1h ['$' for help]");
    assert!(!rig.beam_on());
    assert_eq!(tell(&mut rig, "G1 X10 F600\n"), "ok");
    rig.advance(rig.now() + 0.1);
    assert!(tell(&mut rig, "\u{18}").contains("ALARM:3"));
    assert_eq!(tell(&mut rig, "G1 X10 F600\n"), "error:9");
    assert!(tell(&mut rig, "$X\n").ends_with("ok"));
    assert_eq!(tell(&mut rig, "G21\n"), "ok");
}

#[test]
fn beyond_its_travel_it_locks_itself() {
    let mut rig = rig();
    assert!(tell(&mut rig, "M3 S100\nG1 X500 F600\n").contains("ALARM:2"));
    assert!(!rig.beam_on());
    assert_eq!(rig.record().burn_mm, 0.0);
    assert_eq!(tell(&mut rig, "$J=G91 X5 F600\n"), "error:9");
    tell(&mut rig, "$X\n");
    assert_eq!(tell(&mut rig, "$J=G91 X-5 F600\n"), "error:15");
    assert_eq!(tell(&mut rig, "$J=G91 X5 F600\n"), "ok");
    finish(&mut rig);
    assert_eq!(rig.position(), [5.0, 0.0]);
    tell(&mut rig, "$H\n");
    finish(&mut rig);
    assert_eq!((rig.position(), answers(&mut rig).as_str()), ([0.0, 0.0], "ok"));
}

#[test]
fn it_answers_questions_about_itself() {
    let mut rig = rig();
    assert!(tell(&mut rig, "$$\n").contains("$30=1000\n$31=0\n$32=1\n$110=15000"));
    assert_eq!(tell(&mut rig, "$I\n"), "[VER:1.1h.rig:]\n[OPT:VL,15,128]\nok");
    assert_eq!(tell(&mut rig, "G20 G91 M4 S5\n"), "ok");
    assert_eq!(tell(&mut rig, "$G\n"), "[GC:G0 G54 G17 G20 G91 G94 M4 M9 T0 F0 S5]\nok");
    assert!(tell(&mut rig, "$#\n").starts_with("[G54:0.000,0.000,0.000]"));
    assert_eq!(tell(&mut rig, "$30=255\n"), "ok");
    assert!(tell(&mut rig, "$$\n").contains("$30=255\n"));
    assert_eq!(tell(&mut rig, "$999=1\n$foo\n"), "error:3\nerror:3");
    assert_eq!(tell(&mut rig, "$C\nG1 X50 F100\n"), "ok\nok");
    finish(&mut rig);
    assert_eq!(rig.position(), [0.0, 0.0]);
}

#[test]
fn a_dwell_with_a_constant_beam_is_kept() {
    // In laser mode the beam is off while rapid motion is in force; a feed move of no length ends that.
    for (before, lit) in [("", 0.0), ("G1 X0 F600\n", 0.4)] {
        let mut rig = rig();
        tell(&mut rig, &format!("{before}M3 S50\nG4 P0.4\n"));
        finish(&mut rig);
        assert!((rig.record().lit_standing_seconds - lit).abs() < 1e-12);
        assert!((rig.now() - 0.4).abs() < 1e-12);
    }
}

#[test]
fn the_focus_goes_up_and_down_alone_and_takes_its_time() {
    let mut rig = rig();
    // 10 mm/s after 0.1 s and 0.5 mm: 0.2 s of ramps and 1 mm along.
    tell(&mut rig, "G0 Z2\nM3 S50\nG1 X10 F600\n");
    finish(&mut rig);
    assert!((rig.record().marks[0].height - 2.0).abs() < 1e-12);
    assert!((rig.now() - 0.3 - 1.0).abs() < 0.01, "{}", rig.now());
    assert!(tell(&mut rig, "G0 X5 Z1\n").ends_with("error:20"));
}

#[test]
fn the_focus_has_a_zero_of_its_own_and_a_jog() {
    let mut rig = rig();
    assert_eq!(tell(&mut rig, "$J=G91 Z-3 F600\n"), "ok");
    finish(&mut rig);
    assert_eq!(tell(&mut rig, "G10 L20 P1 Z0\n"), "ok");
    let status = tell(&mut rig, "?");
    assert!(
        status.contains("MPos:0.000,0.000,-3.000") && status.contains("WCO:0.000,0.000,-3.000")
    );
    assert!(tell(&mut rig, "$#\n").starts_with("[G54:0.000,0.000,-3.000]"));
    tell(&mut rig, "G1 Z1 F600\n");
    finish(&mut rig);
    assert!(tell(&mut rig, "?").contains("MPos:0.000,0.000,-2.000"));
    // On the machine's own axes, for one line.
    tell(&mut rig, "G10 L20 P1 X-50 Y0\nG53 G0 X7\nG0 Y3\n");
    finish(&mut rig);
    assert!(tell(&mut rig, "?").contains("MPos:7.000,3.000,-2.000"));
    tell(&mut rig, "$J=G90 G53 X2 F600\n");
    finish(&mut rig);
    assert!(tell(&mut rig, "?").contains("MPos:2.000,3.000,-2.000"));
}

#[test]
fn asleep_it_hears_nothing_but_a_reset_and_is_locked_behind_it() {
    let mut rig = rig();
    assert_eq!(tell(&mut rig, "M3 S100\n$SLP\n"), "ok\n[MSG:Sleeping]\nok");
    assert!(!rig.beam_on());
    assert!(tell(&mut rig, "?").starts_with("<Sleep|"));
    assert_eq!(tell(&mut rig, "G1 X5 F600\n$X\n"), "");
    assert!(tell(&mut rig, "\u{18}").contains("to unlock"));
    assert_eq!(tell(&mut rig, "G1 X5 F600\n"), "error:9");
    assert!(tell(&mut rig, "$X\n").ends_with("ok"));
}

#[test]
fn travel_burns_only_outside_laser_mode() {
    for laser_mode in [true, false] {
        let mut rig = Rig::new(Setup { laser_mode, ..Setup::default() });
        tell(&mut rig, "M3 S50\nG0 X10\n");
        finish(&mut rig);
        assert_eq!(rig.record().burn_mm > 0.0, !laser_mode);
    }
}

#[test]
fn overrides_change_speed_and_power_of_what_runs() {
    let mut rig = rig();
    tell(&mut rig, "M4 S100\nG1 X100 F6000\n");
    rig.advance(0.5);
    // Five times ten percent less, and twice one percent more power.
    let at = rig.position()[0];
    assert_eq!(tell(&mut rig, ""), "");
    rig.receive(&[0x92, 0x92, 0x92, 0x92, 0x92, 0x9c, 0x9c]);
    assert!(tell(&mut rig, "?").ends_with("|Ov:50,100,102>"));
    finish(&mut rig);
    // From 100 mm/s down to 50 at 1500 mm/s², on at 50, and down to a halt.
    let (a, down, halt) = (1500.0, 7500.0 / 3000.0, 2500.0 / 3000.0);
    let time = 0.5 + 50.0 / a + (100.0 - at - down - halt) / 50.0 + 50.0 / a;
    assert!((rig.now() - time).abs() < 1e-6, "{} {time}", rig.now());
    let s: Vec<f64> = rig.record().by_s().map(|(s, _)| s).collect();
    assert_eq!(s, [100.0, 102.0]);
    rig.receive(&[0x90, 0x99, 0x97]);
    assert!(tell(&mut rig, "?").ends_with("|Ov:100,25,100>"));
}

#[test]
fn an_open_door_holds_and_a_cancelled_jog_leaves_nothing() {
    let mut rig = rig();
    tell(&mut rig, "M4 S100\nG1 X50 F6000\n");
    rig.advance(0.2);
    rig.receive(&[0x84]);
    assert!(tell(&mut rig, "?").starts_with("<Door:2"));
    finish(&mut rig);
    assert!(tell(&mut rig, "?").starts_with("<Door:0"));
    tell(&mut rig, "~");
    finish(&mut rig);
    assert_eq!(rig.position(), [50.0, 0.0]);
    tell(&mut rig, "$J=G91 X100 F6000\n");
    rig.advance(rig.now() + 0.2);
    assert!(tell(&mut rig, "?").starts_with("<Jog"));
    rig.receive(&[0x85]);
    finish(&mut rig);
    assert!(tell(&mut rig, "?").starts_with("<Idle"));
    let stopped = rig.position()[0];
    assert!(stopped > 60.0 && stopped < 140.0);
    tell(&mut rig, "G91 G1 X1 F600\n");
    finish(&mut rig);
    assert!((rig.position()[0] - stopped - 1.0).abs() < 1e-9);
}

#[test]
fn a_pause_of_the_program_waits_for_somebody_and_loses_nothing() {
    let mut rig = rig();
    assert_eq!(tell(&mut rig, "G21 G90\nM4 S0\nG1 X10 S300 F600\nM0\nG1 X20\nM5\n"), "ok\nok\nok");
    finish(&mut rig);
    assert!(rig.waits_for_operator() && rig.position() == [10.0, 0.0]);
    assert!(tell(&mut rig, "?").starts_with("<Hold:0|"));
    rig.advance(rig.now() + 100.0);
    assert_eq!((rig.position(), answers(&mut rig)), ([10.0, 0.0], String::new()));
    // Going on answers the M0; the move behind it follows.
    rig.receive(b"~");
    finish(&mut rig);
    assert_eq!((rig.position(), answers(&mut rig)), ([20.0, 0.0], "ok\nok\nok".to_string()));
    assert_eq!(tell(&mut rig, "G1 X5 M0\n"), "error:20");
}
