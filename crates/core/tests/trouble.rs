//! What is doubtful about a drawing: every kind is told, with its place.

use tinkite_core::artwork::{self, trouble};
use tinkite_core::problem::Problem;

fn told(body: &str) -> Vec<String> {
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50" fill="none">
{body}</svg>"#
    );
    let artwork = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let line = |p: &Problem| format!("{} {}: {}", p.place.as_ref().unwrap(), p.code, p.message);
    trouble(&artwork, 0.01).iter().map(line).collect()
}

#[test]
fn a_clean_drawing_has_none() {
    assert_eq!(
        told(
            r##"<circle cx="20" cy="20" r="5" stroke="red"/><rect x="1" y="1" width="48" height="48" stroke="red"/>"##
        ),
        [""; 0]
    );
    // The same line in two colours is meant: scored, then cut.
    assert_eq!(
        told(r##"<path id="a" d="M5 5H20" stroke="red"/><path d="M5 5H20" stroke="blue"/>"##),
        [""; 0]
    );
}

/// Codes and messages of what is told of one line of a drawing.
fn code_of(body: &str) -> Vec<String> {
    told(body).into_iter().filter_map(|t| Some(t.split_once(") ")?.1.to_string())).collect()
}

#[test]
fn every_kind_is_told_with_its_place() {
    let rough = include_bytes!("../../../demo/rough-panel.svg");
    let artwork = artwork::read("rough.svg", rough, &Default::default()).unwrap();
    let problems = trouble(&artwork, 0.01);
    let lines: Vec<String> = problems
        .iter()
        .map(|p| {
            let spots: Vec<String> =
                p.spots.iter().map(|s| format!("{:.1},{:.1}", s.x, s.y)).collect();
            format!("{}: {} at {}", p.code, p.message, spots.join(" "))
        })
        .collect();
    insta::assert_snapshot!(lines.join("\n"));
}

#[test]
fn hidden_fills_and_faraway_drawings_are_told() {
    assert_eq!(
        code_of(
            r#"<rect id="under" x="5" y="5" width="5" height="5" fill="black"/>
<rect x="2" y="2" width="20" height="20" fill="white"/>"#
        ),
        ["hidden-under: 1 shape filled, and hidden under another fill: under"]
    );
    assert_eq!(
        code_of(r#"<path id="lost" d="M80 5H95" stroke="red"/>"#),
        ["far-from-page: 1 shape lies 30 mm away from the page: lost"]
    );
}

#[test]
fn sizes_that_smell_of_another_unit_are_told() {
    let smell = |svg: &str| {
        let artwork = artwork::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
        trouble(&artwork, 0.01).iter().map(|p| p.message.clone()).collect::<Vec<_>>()
    };
    // A4 at 72 pixels to the inch.
    let a4 = r#"<svg xmlns="http://www.w3.org/2000/svg" width="595" height="842"><path d="M9 9H500V700" stroke="red" fill="none"/></svg>"#;
    assert!(smell(a4)[0].contains("72 pixels to the inch"), "{:?}", smell(a4));
    let small = r#"<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm" viewBox="0 0 9 9"><path d="M1 1H8V4" stroke="red" fill="none"/></svg>"#;
    assert_eq!(
        smell(small),
        ["the drawing is only 7 x 3 mm; taken for inches it would be 177.8 x 76.2 mm"]
    );
}
