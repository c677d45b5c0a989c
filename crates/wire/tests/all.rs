//! All tests from outside, in one test program: it links once.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)] // a test that fails says where

mod board;

mod accounts;
mod begin;
mod darkness;
