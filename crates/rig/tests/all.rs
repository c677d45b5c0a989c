//! All tests from outside, in one test program: it links once.

mod board;
mod world;

mod agree;
mod modal;
mod printer;
mod stream;
mod times;
