//! How a session begins with boards that another sender has left behind, or that start in ways of
//! their own.

use crate::board::{Board, Tells, moves, stream};
use tinkite_wire::{Failure, Outcome, State};

#[test]
fn half_a_line_of_a_dead_sender_is_never_run() {
    for left in ["G1X99Y99S1000F60", "M3S100", "G1", "$X", " "] {
        let lines = moves(12, None);
        let went = stream(&lines, Board::new(Tells::Room, 5).was_left(left.as_bytes()), 3);
        assert_eq!((went.outcome, went.board.taken), (Outcome::Done, lines), "{left:?}");
    }
}

#[test]
fn a_board_that_still_moves_is_left_alone() {
    let board = Board::new(Tells::Room, 20_000).was_left(b"G1X5\nG1X6\n");
    let went = stream(&moves(12, None), board, 3);
    assert_eq!(went.outcome, Outcome::Failed(Failure::NotReady(State::Run)));
    assert_eq!(went.board.taken, ["G1X5", "G1X6"]);
}

#[test]
fn a_board_without_a_banner_is_all_right() {
    let mut board = Board::new(Tells::Room, 5);
    board.banner = "";
    let lines = moves(12, None);
    let went = stream(&lines, board, 3);
    assert_eq!((went.outcome, went.board.taken), (Outcome::Done, lines));
}
