//! A census of the document: what each element is called and where it stands.
//!
//! Whatever the library hands back is found here by its id; what does not come back is reported.
//! Content that a `use` repeats loses its ids; it is found by the id of the `use`.

use super::geometry::{Viewport, length};
use super::label::{DRAWING, OURS};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use tinkite_artwork::{Artwork, Source, Unread};
use tinkite_base::problem::{Code, Location, Problem, count, few};
use usvg::roxmltree::{Document, Node, NodeId};

/// Elements nested deeper than this are a broken or hostile file.
const DEEPEST: usize = 1000;

/// Elements whose content is drawn only where something refers to it.
const KEPT_FOR_LATER: [&str; 9] = [
    "flowRoot",
    "foreignObject",
    "defs",
    "symbol",
    "clipPath",
    "mask",
    "marker",
    "pattern",
    "linearGradient",
];

/// Elements whose text flows in a box, and which the library does not know.
const FLOWING: [&str; 2] = ["flowRoot", "foreignObject"];

/// One element of the document.
#[derive(Debug)]
struct Element {
    source: Source,
    tag: &'static str,
    /// Not inside `defs` and the like, and nothing that has nothing to show: a blank text.
    on_page: bool,
    /// `image`: refers to something outside the document.
    external: bool,
    /// What hides it, if the document itself does: the group's name, or none of one without.
    hidden: Option<String>,
    /// Its lines are broken by a box or a shape.
    flows: bool,
    node: NodeId,
    viewport: Viewport,
}

/// What an open ancestor contributes to what it holds.
struct Open {
    end: usize,
    /// Names of the groups round.
    groups: Vec<String>,
    on_page: bool,
    /// What hides it.
    hidden: Option<String>,
    viewport: Viewport,
}

/// All drawing elements, in the order of the document.
#[derive(Debug)]
pub(super) struct Census {
    elements: Vec<Element>,
    /// Numbers of elements by id; looked up, never walked.
    by_id: HashMap<String, usize>,
    /// The same of groups.
    groups: HashMap<String, NodeId>,
}

/// Refuses numbers that no drawing can have, and elements nested without end, before a library
/// meets them.
///
/// # Errors
/// The first of them, with its line.
pub(super) fn sane(name: &str, text: &str, document: &Document<'_>) -> Result<(), Problem> {
    let root_at = document.root_element().range().start;
    // Where each open ancestor ends.
    let mut open: Vec<usize> = Vec::new();
    for node in document.root_element().descendants().filter(Node::is_element) {
        let range = node.range();
        // What an entity brings in stands out of order; the library bounds its depth.
        if range.start >= root_at {
            while open.last().is_some_and(|end| range.start >= *end) {
                open.pop();
            }
            open.push(range.end);
        }
        if open.len() > DEEPEST {
            return Err(Problem::error(
                Code::NestedTooDeep,
                format!("elements are nested more than {DEEPEST} deep"),
                "ungroup the drawing in the drawing program and save it again",
            )
            .at(Location::line(name, tinkite_base::problem::line_of(text, range.start))));
        }
        if let Some(number) = node.attributes().find_map(|a| absurd(a.name(), a.value())) {
            return Err(Problem::error(
                Code::AbsurdSize,
                format!("a number is far beyond any machine: {number}"),
                "look for a stray point or a wrong unit, and mend it in the drawing program",
            )
            .at(Location::line(name, tinkite_base::problem::line_of(text, range.start))));
        }
    }
    Ok(())
}

impl Census {
    /// Walks the document once, front to back. Every drawing element of `text` has an id.
    pub(super) fn take(text: &str, document: &Document<'_>) -> Self {
        let root_at = document.root_element().range().start;
        let lines = Lines::of(text);
        let mut elements: Vec<Element> = Vec::new();
        let mut by_id = HashMap::new();
        let mut in_groups = HashMap::new();
        let mut open: Vec<Open> = Vec::new();
        for node in document.root_element().descendants().filter(Node::is_element) {
            let range = node.range();
            // Elements that an entity brings in stand in the document type, out of order: they
            // keep whatever id they have.
            let in_order = range.start >= root_at;
            while in_order && open.last().is_some_and(|open| range.start >= open.end) {
                open.pop();
            }
            let tag = node.tag_name().name();
            let on_page = open.last().is_none_or(|open| open.on_page);
            let groups = || open.last().map(|open| open.groups.clone()).unwrap_or_default();
            let viewport = open.last().and_then(|open| open.viewport);
            if tag == "g"
                && let Some(id) = node.attribute("id")
            {
                in_groups.entry(id.to_string()).or_insert(node.id());
            }
            let round = open.last().and_then(|open| open.hidden.clone());
            let hidden = round.or_else(|| {
                // A layer has a name that people know; of a single thing they would not look for it.
                let name = || if tag == "g" { group_names(&node) } else { Vec::new() };
                says_hidden(&node).then(|| name().into_iter().next().unwrap_or_default())
            });
            let known = DRAWING.iter().chain(&FLOWING).find(|t| **t == tag);
            // Words of a box that a plain drawing stands beside, for programs without such boxes.
            let instead = tag == "foreignObject" && node.has_attribute("requiredExtensions");
            if let Some(tag) = known.filter(|_| !instead) {
                let id = node.attribute("id").unwrap_or_default();
                let own = !id.is_empty() && !id.starts_with(OURS);
                let source = Source {
                    id: own.then(|| id.to_string()),
                    groups: groups(),
                    line: in_order.then(|| lines.at(range.start)),
                    ..Source::default()
                };
                let external = *tag == "image" && refers_outside(&node);
                let flows = FLOWING.contains(tag) || *tag == "text" && is_flowed(&node);
                let worded = *tag == "text" || flows;
                let on_page = on_page && !(worded && is_blank(&node));
                by_id.entry(id.to_string()).or_insert(elements.len());
                let hidden = hidden.clone();
                let node = node.id();
                elements.push(Element {
                    source,
                    tag,
                    on_page,
                    external,
                    hidden,
                    flows,
                    node,
                    viewport,
                });
            }
            if in_order && node.has_children() {
                let mut inner = groups();
                if tag == "g" || tag == "svg" && !open.is_empty() {
                    inner.extend(group_names(&node));
                }
                open.push(Open {
                    end: range.end,
                    groups: inner,
                    on_page: on_page && !KEPT_FOR_LATER.contains(&tag),
                    hidden,
                    viewport: inner_viewport(node, viewport),
                });
            }
        }
        Self { elements, by_id, groups: in_groups }
    }

    /// The number of the element with this id.
    pub(super) fn number(&self, id: &str) -> Option<usize> {
        self.by_id.get(id).copied()
    }

    /// Where an element stands.
    pub(super) fn source(&self, number: usize) -> Source {
        self.elements[number].source.clone()
    }

    /// Which node an element is, and how large the viewport is in which it stands.
    pub(super) fn node(&self, number: usize) -> (NodeId, Viewport) {
        (self.elements[number].node, self.elements[number].viewport)
    }

    /// Which node a group is.
    pub(super) fn group(&self, id: &str) -> Option<NodeId> {
        self.groups.get(id).copied()
    }

    /// Whether an element's lines are broken by a box or a shape.
    pub(super) fn flows(&self, number: usize) -> bool {
        self.elements[number].flows
    }

    /// Reports every element on the page that did not come back: nothing is lost unsaid.
    pub(super) fn report_unseen(&self, seen: &BTreeSet<usize>, artwork: &mut Artwork) {
        let mut external: Vec<&Source> = Vec::new();
        let mut unseen: Vec<&Source> = Vec::new();
        let mut hidden: BTreeMap<String, usize> = BTreeMap::new();
        let numbered = self.elements.iter().enumerate();
        let lost = numbered.filter(|(n, e)| e.on_page && !seen.contains(n));
        for (_, element) in lost {
            match element.tag {
                _ if element.hidden.is_some() => {
                    let name = element.hidden.clone().unwrap_or_default();
                    *hidden.entry(name).or_default() += 1;
                }
                _ if element.flows => artwork.unread.push((Unread::Flowed, element.source.clone())),
                "text" => artwork.unread.push((Unread::Text, element.source.clone())),
                "image" if element.external => {
                    external.push(&element.source);
                    artwork.unread.push((Unread::Bitmap, element.source.clone()));
                }
                "image" => artwork.unread.push((Unread::Bitmap, element.source.clone())),
                _ => unseen.push(&element.source),
            }
        }
        artwork.unread.sort_by_key(|(_, source)| source.line);
        unseen.sort_by_key(|source| source.line);
        report_hidden(&hidden, artwork);
        report_external(&external, artwork);
        let Some(first) = unseen.first() else { return };
        let names: Vec<String> = unseen.iter().map(|source| source.label()).collect();
        artwork.problems.push(
            Problem::warning(
                Code::NotVisible,
                format!("{} without visible paint or size: {}", count(unseen.len(), "element"), few(&names, 6)),
                "they are left out; give them a stroke or a fill if they are meant to be burnt, or delete them",
            )
            .at(first.place(&artwork.file))
            .naming(names),
        );
    }
}

/// How large the viewport is that an element makes for what it has inside.
fn inner_viewport(node: Node<'_, '_>, outer: Viewport) -> Viewport {
    match node.tag_name().name() {
        "svg" | "symbol" => super::page::view_box(&node).map(|[.., w, h]| (w, h)).or_else(|| {
            let side = |key, share: fn((f64, f64)) -> f64| match node.attribute(key) {
                Some(text) => length(text, share, outer),
                None => outer.map(share),
            };
            Some((side("width", |of| of.0)?, side("height", |of| of.1)?))
        }),
        // What is repeated stands in the viewport of whoever repeats it.
        "pattern" | "marker" | "mask" | "clipPath" => None,
        _ => outer,
    }
}

/// Says which bitmaps lie outside the file.
fn report_external(external: &[&Source], artwork: &mut Artwork) {
    let Some(first) = external.first() else { return };
    let names: Vec<String> = external.iter().map(|source| source.label()).collect();
    let message = format!(
        "{} outside the file, never fetched: {}",
        count(external.len(), "bitmap"),
        few(&names, 3)
    );
    let help = "embed them in the drawing program, or delete them";
    let warning = Problem::warning(Code::ExternalImage, message, help);
    artwork.problems.push(warning.at(first.place(&artwork.file)).naming(names));
}

/// Says what was left out because the document hides it.
fn report_hidden(hidden: &BTreeMap<String, usize>, artwork: &mut Artwork) {
    if hidden.is_empty() {
        return;
    }
    let told: Vec<String> = hidden
        .iter()
        .map(|(name, n)| match name.as_str() {
            "" => format!("{n} that are hidden"),
            name => format!("{n} on the hidden layer \"{name}\""),
        })
        .collect();
    let message = format!("left out: {}", few(&told, 8));
    let help = "show them in the drawing program if they are meant to be burnt";
    let note = Problem::note(Code::Hidden, message, help);
    artwork.problems.push(note.at(Location::file(&artwork.file)).naming(told));
}

/// Whether an element says that it does not show, in an attribute or in its own style.
fn says_hidden(node: &Node<'_, '_>) -> bool {
    let is = |name: &str, words: &[&str]| {
        node.attribute(name).is_some_and(|value| words.contains(&value.trim()))
    };
    if is("display", &["none"]) || is("visibility", &["hidden", "collapse"]) {
        return true;
    }
    let Some(style) = node.attribute("style") else { return false };
    let style: String = style.chars().filter(|sign| !sign.is_whitespace()).collect();
    style.contains("display:none") || style.contains("visibility:hidden")
}

/// Whether a text is set in a shape or a width, without its lines being placed one by one for programs that
/// do not set such.
fn is_flowed(text: &Node<'_, '_>) -> bool {
    let style = text.attribute("style").unwrap_or_default();
    let own = ["shape-inside", "inline-size"].map(|key| text.attribute(key).map(|v| (key, v)));
    let said = style.split(';').filter_map(|d| d.split_once(':')).chain(own.into_iter().flatten());
    let flows = said.map(|(key, value)| (key.trim(), value.trim())).any(|(key, value)| {
        matches!(key, "shape-inside" | "inline-size")
            && !matches!(value, "" | "0" | "auto" | "none")
    });
    let placed = |node: Node<'_, '_>| node.has_attribute("x") && node.has_attribute("y");
    let mut parts = text.children().filter(Node::is_element);
    flows && !(parts.clone().count() > 0 && parts.all(placed))
}

/// Whether a text has no sign that could be seen.
fn is_blank(text: &Node<'_, '_>) -> bool {
    let mut signs = text.descendants().filter_map(|node| node.text()).flat_map(str::chars);
    signs.all(|sign| sign.is_whitespace() || sign == '\u{200b}' || sign == '\u{feff}')
}

/// Attributes whose numbers the library turns into curves before anybody can look at them.
const GEOMETRY: [&str; 7] = ["d", "points", "r", "rx", "ry", "width", "height"];

/// The first number of an attribute that no drawing can have: a library that splits an arc of such
/// a radius never ends.
fn absurd<'v>(name: &str, value: &'v str) -> Option<&'v str> {
    const LARGEST: f64 = 1e9;
    if !GEOMETRY.contains(&name) {
        return None;
    }
    // Long runs of digits and exponents are rare; only they are looked at closely. A run of ten
    // covers a place that is a multiple of ten.
    let bytes = value.as_bytes();
    let run = |at: usize| {
        let digits = |b: &&u8| b.is_ascii_digit();
        let before = bytes[..at].iter().rev().take_while(digits).count();
        before + bytes[at..].iter().take_while(digits).count() > 9
    };
    let long = (9..bytes.len()).step_by(10).any(|at| bytes[at].is_ascii_digit() && run(at));
    let suspicious = long || value.contains('e') || value.contains('E');
    if !suspicious {
        return None;
    }
    let is_part = |c: char| c.is_ascii_digit() || matches!(c, '.' | 'e' | 'E' | '-' | '+');
    value
        .split(|c: char| !is_part(c))
        .find(|text| text.parse::<f64>().is_ok_and(|n| !n.is_finite() || n.abs() > LARGEST))
}

/// The names under which people know a group: its label, its id, its title.
fn group_names(node: &Node<'_, '_>) -> Vec<String> {
    let label = node
        .attributes()
        .find(|a| a.name() == "label" && a.namespace().is_some())
        .map(|a| a.value().to_string());
    let id = node.attribute("id").filter(|id| !id.starts_with(OURS)).map(str::to_string);
    label.into_iter().chain(id).filter(|name| !name.is_empty()).collect()
}

fn refers_outside(node: &Node<'_, '_>) -> bool {
    node.attributes().any(|a| a.name() == "href" && !a.value().trim_start().starts_with("data:"))
}

/// Line numbers by byte offset.
struct Lines(Vec<usize>);

impl Lines {
    fn of(text: &str) -> Self {
        Self(text.match_indices('\n').map(|(at, _)| at).collect())
    }

    fn at(&self, offset: usize) -> u32 {
        1 + self.0.partition_point(|newline| *newline < offset) as u32
    }
}
