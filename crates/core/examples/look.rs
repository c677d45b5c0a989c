//! What is in a drawing: `cargo run -p tinkite-core --example look`.
#![allow(clippy::print_stdout, clippy::disallowed_macros)] // an example shows what it finds

use tinkite_core::artwork::{Reading, layers::layers, read};
use tinkite_core::doc::DRAWING;

fn main() {
    match read("hub.svg", DRAWING.as_bytes(), &Reading::default()) {
        Ok(drawing) => {
            println!("{}: {:?} mm, {}", drawing.file, drawing.page, drawing.units.source);
            for layer in layers(&drawing, 0.01) {
                println!("{}: {} shapes, {:.1} mm", layer.colour, layer.shapes, layer.length);
            }
        }
        Err(problems) => problems.iter().for_each(|p| println!("{}: {}", p.code, p.message)),
    }
}
