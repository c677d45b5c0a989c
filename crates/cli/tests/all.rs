//! All tests that drive the built program, in one test program: it links once.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)] // a test that fails says where

mod common;

mod batch;
mod begin;
mod bundle;
mod corners;
mod cut;
mod demo;
mod ends;
mod engrave;
mod formats;
mod go_on;
mod habits;
mod hand;
mod head;
mod how_to;
mod image;
mod job;
mod layout;
mod log;
mod look;
mod machine;
mod neutral;
mod pack;
mod photo;
mod picture;
mod pieces;
mod place;
mod program;
mod read;
mod readme;
mod recipe;
mod relief;
mod run;
mod schema;
mod screens;
mod sent;
mod sentence;
mod series;
mod sheet;
mod signals;
mod size;
mod stock;
mod swatch;
mod unsaid;
