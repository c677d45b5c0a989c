//! Boards whose beam travels in the planner: whatever a board knows and tells, what is said of the beam is so.

use crate::board::printer::{Make, Went, print, rows};
use crate::board::{Board, Tells, moves, stream};
use tinkite_wire::{Dark, Failure, Outcome};

/// Every make in which boards differ that says nothing wrong.
fn makes() -> Vec<Make> {
    let mut makes = Vec::new();
    for n in 0..32_u32 {
        let bit = |b: u32| n >> b & 1 == 1;
        makes.push(Make {
            knows_quick_stop: bit(0),
            waits: bit(1),
            tells_ahead: bit(2),
            tells_every: bit(3).then_some(170),
            tells_room: bit(4),
            ..Make::GOOD
        });
    }
    makes
}

/// What is claimed is so, at the end and a minute later.
fn is_true(went: &Went, make: &Make) {
    if went.dark == Dark::Confirmed {
        assert_eq!((went.beam, went.burnt_after), (0.0, 0.0), "{make:?}: {:?}", went.outcome);
    }
}

#[test]
fn what_is_said_to_be_dark_after_a_stop_is_dark() {
    for make in makes() {
        for (feed, stop) in [(600, 4000), (600, 4777), (300, 9000), (3000, 2500)] {
            let went = print(&rows(80, feed), make, Some(stop));
            assert_eq!(went.outcome, Outcome::Stopped);
            assert_eq!(went.dark, Dark::Confirmed, "{make:?} at F{feed}");
            is_true(&went, &make);
            // With a quick stop, and a position that moves, nobody waits for long.
            if make.knows_quick_stop && !make.tells_ahead {
                assert!(went.took < 3000, "{make:?} at F{feed}: {} ms", went.took);
            }
            // Without one, people are told why it takes so long.
            assert_eq!(went.runs_on, !make.knows_quick_stop, "{make:?}");
        }
    }
}

#[test]
fn a_program_is_done_when_its_moves_have_ended() {
    for make in makes() {
        for (feed, count) in [(600, 24), (300, 30), (6000, 9)] {
            let went = print(&rows(count, feed), make, None);
            assert_eq!((&went.outcome, went.dark), (&Outcome::Done, Dark::Confirmed), "{make:?}");
            is_true(&went, &make);
            let whole = went.board.burnt;
            let wanted: f64 = 8.0 + (count as f64 - 1.0) * 8.0_f64.hypot(0.5);
            assert!((whole - wanted).abs() < 1e-6, "{whole} mm of {wanted}");
        }
    }
}

#[test]
fn a_storm_of_resends_keeps_no_beam_lit() {
    for make in makes() {
        let make = Make { refuses_numbers: Some((4000, 12_500)), ..make };
        let went = print(&rows(80, 1500), make, Some(4000));
        is_true(&went, &make);
        // What it had planned it may run; at rest it is dark within a moment.
        assert!(went.board.lit_at_rest < 1000, "{make:?}: {} ms", went.board.lit_at_rest);
    }
}

#[test]
fn a_board_that_starts_anew_is_made_dark_at_once() {
    for make in makes() {
        let make = Make { restarts: Some(4000), ..make };
        let went = print(&rows(80, 600), make, None);
        assert_eq!(went.outcome, Outcome::Failed(Failure::Restarted), "{make:?}");
        assert_eq!((went.dark, went.beam), (Dark::Confirmed, 0.0), "{make:?}");
        is_true(&went, &make);
    }
}

/// Rows with the beam switched on in front of each.
fn lit_rows(count: usize) -> Vec<String> {
    moves(count, None).into_iter().flat_map(|row| ["M3S530".to_string(), row]).collect()
}

#[test]
fn lines_that_were_on_their_way_do_not_light_a_board_that_has_started_anew() {
    for tells in [Tells::Room, Tells::Nothing] {
        for delay in [1, 15, 60, 200] {
            for behind in [9, 20, 33] {
                let mut board = Board::new(tells, 40);
                board.restarts = Some(behind);
                let went = stream(&lit_rows(40), board, delay);
                let told = format!("{tells:?}, {delay} ms, line {behind}");
                assert_eq!(went.outcome, Outcome::Failed(Failure::Restarted), "{told}");
                assert_eq!((went.dark, went.board.lit), (Dark::Confirmed, false), "{told}");
            }
        }
    }
}

#[test]
fn a_slow_link_is_no_silence() {
    for delay in [150, 300, 400] {
        let mut board = Board::new(Tells::Room, 60);
        board.offset_every = 30;
        let lines = moves(40, Some(0.5));
        let went = stream(&lines, board, delay);
        assert_eq!((went.outcome, went.dark), (Outcome::Done, Dark::Confirmed), "{delay} ms");
        assert_eq!(went.board.taken, lines);
    }
}

#[test]
fn a_board_whose_answers_are_lost_is_proved_dark_by_the_next_ones() {
    for make in makes() {
        // Answers from the stop on are lost for a second and a half.
        let make = Make { mute: Some((4000, 5500)), ..make };
        let went = print(&rows(80, 1500), make, Some(4000));
        assert_eq!((&went.outcome, went.dark), (&Outcome::Stopped, Dark::Confirmed), "{make:?}");
        is_true(&went, &make);
    }
}
