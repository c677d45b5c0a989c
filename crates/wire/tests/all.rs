//! All tests from outside, in one test program: it links once.

mod board;

mod accounts;
mod begin;
