//! Answers that are lost or doubled: the session finds out, holds, and never says "done"; and it
//! accuses nobody wrongly, however a board counts its room.

use crate::board::{Board, Tells, Went, moves, stream};
use tinkite_wire::{Complaint, Dark, Failure, Miscount, Outcome};

const ALL: [Tells; 4] = [Tells::Room, Tells::Nothing, Tells::RoomWithHand, Tells::Empty];

fn went(lines: &[String], tells: Tells, pace: u64, answers: &[(usize, usize)]) -> Went {
    let mut board = Board::new(tells, pace);
    board.answers = answers.iter().copied().collect();
    stream(lines, board, 3)
}

fn is_lost(went: &Went) -> bool {
    matches!(went.outcome, Outcome::Failed(Failure::Miscounted(Miscount::Lost(_))))
}

#[test]
fn a_good_board_is_never_accused() {
    for tells in ALL {
        for pace in [1, 7, 60, 700] {
            for delay in [1, 9, 40] {
                let lines = moves(60, Some(0.8));
                let went = stream(&lines, Board::new(tells, pace), delay);
                assert_eq!(went.outcome, Outcome::Done, "{tells:?}, {pace} ms, {delay} ms");
                assert_eq!(went.board.taken, lines);
                assert_eq!(went.board.run_over, 0);
            }
        }
    }
}

/// What decides whether a line goes out is its length and what lies before it: all lengths beside all others.
#[test]
fn lines_of_all_lengths_that_a_small_buffer_takes_go_through_it() {
    for bytes in [24, 33, 64, 128] {
        for tells in [Tells::Room, Tells::Nothing] {
            let most = (bytes - 5).min(78);
            let line = |n: usize| format!("G1X{}", "1".repeat(n % most - 3));
            let lengths = (0..12_usize).flat_map(|n| [most - 1 - n % (most / 2), most - 1]);
            let rising = (4..most).flat_map(|n| [n, most - 1, n, n]);
            let lines: Vec<String> = lengths.chain(rising).map(line).collect();
            let mut board = Board::new(tells, 1);
            (board.told_bytes, board.bytes) = (bytes, bytes - 1);
            let went = stream(&lines, board, 2);
            assert_eq!(went.outcome, Outcome::Done, "{bytes} bytes, {tells:?}");
            assert_eq!((went.board.taken, went.board.run_over), (lines, 0), "{bytes} bytes");
        }
    }
}

#[test]
fn a_long_dwell_and_a_slow_move_are_no_lost_answers() {
    for tells in ALL {
        let lines: Vec<String> = ["G1X1", "G4P14.5", "G1X2", "G1X3"].map(String::from).to_vec();
        let went = went(&lines, tells, 30_000, &[]);
        assert_eq!((went.outcome, went.board.taken), (Outcome::Done, lines), "{tells:?}");
    }
}

#[test]
fn a_lost_answer_is_named_and_never_called_done() {
    for tells in ALL {
        for pace in [2, 40, 300] {
            for lost in (0..60).step_by(3) {
                let went = went(&moves(60, None), tells, pace, &[(lost, 0)]);
                assert!(is_lost(&went), "{tells:?}, {pace} ms, {lost}: {:?}", went.outcome);
                assert_eq!((went.dark, went.board.run_over), (Dark::Confirmed, 0));
                // From standing to the reset that ends it.
                assert!(went.stood < 1000, "stood {} ms", went.stood);
            }
        }
    }
}

#[test]
fn several_lost_answers_do_not_let_the_head_starve_for_long() {
    for tells in ALL {
        let answers: Vec<(usize, usize)> = (10..30).map(|n| (n, usize::from(n % 3 == 0))).collect();
        let went = went(&moves(200, None), tells, 20, &answers);
        assert!(is_lost(&went), "{tells:?}: {:?}", went.outcome);
        assert!(went.stood < 1000, "{tells:?}: stood {} ms", went.stood);
    }
}

#[test]
fn a_lost_answer_is_found_while_the_head_moves_where_the_board_tells_its_room() {
    // 400 moves of 40 ms: lost in the fourth second, found long before the end.
    let went = went(&moves(400, None), Tells::Room, 40, &[(100, 0)]);
    assert!(is_lost(&went) && went.took < 6_500, "{:?} after {} ms", went.outcome, went.took);
}

#[test]
fn a_doubled_answer_is_named_and_runs_nothing_over() {
    let surplus = Outcome::Failed(Failure::Miscounted(Miscount::Surplus));
    for tells in ALL {
        for pace in [2, 40, 300] {
            for doubled in (0..60).step_by(3) {
                let went = went(&moves(60, None), tells, pace, &[(doubled, 2)]);
                assert_eq!(went.outcome, surplus, "{tells:?}, {pace} ms, {doubled}");
                assert_eq!((went.dark, went.board.run_over), (Dark::Confirmed, 0));
            }
        }
    }
    let went = went(&moves(400, None), Tells::Room, 40, &[(100, 2)]);
    assert!(went.outcome == surplus && went.took < 6_500, "{} ms", went.took);
}

#[test]
fn answers_that_are_doubled_again_and_again_are_found_before_lines_run_over() {
    for pace in [2, 15, 40] {
        let answers: Vec<(usize, usize)> = (100..400).step_by(60).map(|n| (n, 2)).collect();
        let went = went(&moves(400, None), Tells::Room, pace, &answers);
        let surplus = Outcome::Failed(Failure::Miscounted(Miscount::Surplus));
        assert_eq!((went.outcome, went.board.run_over), (surplus, 0), "{pace} ms");
    }
}

#[test]
fn words_in_place_of_numbers_end_the_run_in_order() {
    let mut board = Board::new(Tells::Room, 20);
    board.refuses = Some((12, "error: Bad number format"));
    let went = stream(&moves(60, None), board, 3);
    let complaint = Complaint { code: None, text: "Bad number format".into() };
    let refused = Failure::Refused { line: Some(13), complaint };
    assert_eq!((went.outcome, went.dark), (Outcome::Failed(refused), Dark::Confirmed));

    let mut board = Board::new(Tells::Room, 20);
    board.refuses = Some((12, "ALARM: Hard limit"));
    let went = stream(&moves(60, None), board, 3);
    let alarm = Failure::Alarm(Complaint { code: None, text: "Hard limit".into() });
    assert_eq!((went.outcome, went.dark), (Outcome::Failed(alarm), Dark::Confirmed));
}

#[test]
fn a_board_of_any_vendor_that_restarts_gets_no_further_line() {
    for banner in ["Kite Shop Grbl 1.1f", "Board 2.0 ['$' for help]", "\u{1}\u{2}okGrbl 1.1h"] {
        let mut board = Board::new(Tells::Room, 20);
        board.banner = banner;
        board.restarts = Some(30);
        let went = stream(&moves(60, None), board, 3);
        assert_eq!(went.outcome, Outcome::Failed(Failure::Restarted), "{banner}");
        assert!(went.board.taken.len() <= 31, "{} lines", went.board.taken.len());
    }
}

#[test]
fn questions_that_a_board_does_not_know_are_no_reason_to_stop() {
    let mut board = Board::new(Tells::Room, 20);
    board.knows_questions = false;
    let lines = moves(20, None);
    let went = stream(&lines, board, 3);
    assert_eq!((went.outcome, went.board.taken), (Outcome::Done, lines));
}

/// Whatever comes how often, a run that is called done has run every line; nothing ever runs over.
#[test]
fn nothing_is_done_with_a_line_missing_however_often_answers_come() {
    let mut seed = 0x9e37_79b9_7f4a_7c15_u64;
    let mut dice = |sides: usize| {
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        (seed >> 11) as usize % sides
    };
    let mut done = 0;
    for round in 0..400 {
        let tells = ALL[round % 4];
        let lines = moves(90, None);
        let mut board = Board::new(tells, [1, 2, 15, 60][dice(4)]);
        let doubled = dice(7);
        board.answers = (0..doubled).map(|_| (dice(90), 2 + dice(2))).collect();
        let went = stream(&lines, board, [1, 5, 30][dice(3)]);
        assert_eq!(went.board.run_over, 0, "{tells:?}, {doubled} doubled");
        if went.outcome == Outcome::Done {
            assert_eq!(went.board.taken, lines, "{tells:?}, {doubled} doubled");
            done += 1;
        }
    }
    assert!((40..120).contains(&done), "{done} of 400 were done");
}
