//! All tests of the whole corridor, in one test program: it links once.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)] // a test that fails says where

mod dice;

mod corridor;
mod frames;
mod hostile;
mod laws;
mod limits;
mod mutated;
mod order;
mod pages;
mod photo;
mod plan;
mod programs;
mod relief;
mod rendered;
mod scan;
mod shown;
mod text;
mod toolpaths;
mod trouble;
