//! What style sheets say and the library does not read: geometry (`cx`, `r`, `d`), transforms with their origin and
//! box, custom properties, colours of newer CSS, and sizes of used symbols. It is written into the text as attributes
//! and plain declarations, before the library sees it.

mod transform;

use super::geometry::{Viewport, length};
use super::label;
use simplecss::{AttributeOperator, DeclarationTokenizer, Element as CssElement, PseudoClass};
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::ops::Range;
use std::rc::Rc;
use svgtypes::Color;
use usvg::roxmltree::{Document, Node, ParsingOptions};

pub(super) use transform::reads as reads_transform;

/// Properties of CSS that are attributes of geometry to the library.
const GEOMETRY: [&str; 9] = ["x", "y", "cx", "cy", "r", "rx", "ry", "width", "height"];

/// Properties that hold colours.
const COLOURS: [&str; 6] =
    ["fill", "stroke", "stop-color", "flood-color", "lighting-color", "color"];

/// What custom properties are called in text that the library reads: it takes `--` for an error.
const CUSTOM: &str = "tinkite-own-";

/// Custom properties that refer to each other deeper than this have no value.
const DEEPEST: usize = 16;

/// A change of the text.
struct Edit {
    at: Range<usize>,
    text: String,
}

/// The text in which the library reads what style sheets say; lines stay as they are.
pub(super) fn settle(text: &str) -> Cow<'_, str> {
    let mut fall_backs = Vec::new();
    let named = rename(text, &mut fall_backs);
    let options = ParsingOptions { allow_dtd: true, ..ParsingOptions::default() };
    let Ok(document) = Document::parse_with_options(&named, options) else { return named };
    let edits = Sheets::of(&document, fall_backs).edits(&named, &document);
    if edits.is_empty() {
        return named;
    }
    Cow::Owned(apply(&named, edits))
}

fn apply(text: &str, mut edits: Vec<Edit>) -> String {
    edits.sort_by_key(|edit| (edit.at.start, edit.at.end));
    let mut out = String::with_capacity(text.len() + 64 * edits.len());
    let mut at = 0;
    for edit in edits.into_iter().filter(|edit| !edit.text.contains('\n')) {
        if edit.at.start < at {
            continue;
        }
        out.push_str(&text[at..edit.at.start]);
        out.push_str(&edit.text);
        // Lines that a value ran over stay where they are.
        out.extend(text[edit.at.clone()].chars().filter(|c| *c == '\n'));
        at = edit.at.end;
    }
    out.push_str(&text[at..]);
    out
}

/// Custom properties under names that the library passes over, and `:root` as the element that it is, where the text
/// is style. What a property falls back on stands in a list: the library reads no function inside another.
fn rename<'t>(text: &'t str, fall_backs: &mut Vec<String>) -> Cow<'t, str> {
    if !text.contains("--") && !text.contains(":root") {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut at = 0;
    for range in find_styles(text) {
        out.push_str(&text[at..range.start]);
        let css = list_fall_backs(&text[range.clone()], fall_backs);
        out.push_str(&css.replace("--", CUSTOM).replace(":root", "svg"));
        at = range.end;
    }
    out.push_str(&text[at..]);
    Cow::Owned(out)
}

/// Where in the text style stands: in `style` elements and attributes, and in attributes that are a custom property.
fn find_styles(text: &str) -> Vec<Range<usize>> {
    let mut ranges = Vec::new();
    let mut at = 0;
    while let Some(open) = text[at..].find('<').map(|n| at + n) {
        let Some(length) = label::passed(&text[open..]) else { break };
        let tag = &text[open..open + length];
        at = open + length;
        if tag.starts_with("<!") || tag.starts_with("<?") {
            continue;
        }
        let mut from = 0;
        while let Some(equals) = tag[from..].find('=').map(|n| from + n) {
            let Some((start, quote)) = tag[equals + 1..]
                .char_indices()
                .find(|(_, c)| !c.is_whitespace())
                .map(|(n, c)| (equals + 2 + n, c))
                .filter(|(_, c)| matches!(c, '"' | '\''))
            else {
                break;
            };
            let Some(end) = tag[start..].find(quote).map(|n| start + n) else { break };
            let name = tag[from..equals].trim_end().rsplit(char::is_whitespace).next();
            if name == Some("style") || tag[start..end].trim_start().starts_with("var(--") {
                ranges.push(open + start..open + end);
            }
            from = end + 1;
        }
        let name = tag[1..].split(|c: char| c.is_whitespace() || c == '>').next();
        let is_style = name.is_some_and(|name| name.rsplit(':').next() == Some("style"));
        if is_style && !tag.ends_with("/>") {
            let end = text[at..].find("</").map_or(text.len(), |n| at + n);
            ranges.push(at..end);
            at = end;
        }
    }
    ranges
}

/// Writes `var(--name|N)` in place of `var(--name, what it falls back on)`, which is then the list's N.
fn list_fall_backs(text: &str, fall_backs: &mut Vec<String>) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find("var(") {
        let inside = &rest[at + 4..];
        let Some(end) = closing(inside) else { break };
        out.push_str(&rest[..at + 4]);
        match inside[..end].split_once(',') {
            Some((name, fall_back)) => {
                let fall_back = list_fall_backs(fall_back.trim(), fall_backs).replace("--", CUSTOM);
                out.push_str(&format!("{}|{}", name.trim(), fall_backs.len()));
                fall_backs.push(fall_back);
            }
            None => out.push_str(&inside[..end]),
        }
        rest = &inside[end..];
    }
    out + rest
}

/// Where the bracket is closed that was opened before the text.
fn closing(inside: &str) -> Option<usize> {
    let mut level = 1;
    inside.char_indices().find_map(|(n, c)| {
        level += i32::from(c == '(') - i32::from(c == ')');
        (level == 0).then_some(n)
    })
}

/// An element, for selectors.
#[derive(Clone, Copy)]
struct Selected<'d, 'i>(Node<'d, 'i>);

impl CssElement for Selected<'_, '_> {
    fn parent_element(&self) -> Option<Self> {
        self.0.parent_element().map(Self)
    }

    fn prev_sibling_element(&self) -> Option<Self> {
        self.0.prev_siblings().skip(1).find(Node::is_element).map(Self)
    }

    fn has_local_name(&self, name: &str) -> bool {
        self.0.tag_name().name() == name
    }

    fn attribute_matches(&self, name: &str, operator: AttributeOperator<'_>) -> bool {
        self.0.attribute(name).is_some_and(|value| operator.matches(value))
    }

    fn pseudo_class_matches(&self, class: PseudoClass<'_>) -> bool {
        class == PseudoClass::FirstChild && self.prev_sibling_element().is_none()
    }
}

/// Custom properties that hold for an element, by name.
type Custom = Rc<HashMap<String, String>>;

/// The style sheets of a document.
struct Sheets<'t> {
    sheet: simplecss::StyleSheet<'t>,
    /// What custom properties fall back on.
    fall_backs: Vec<String>,
}

/// What the document says of an element round another.
#[derive(Clone)]
struct Round {
    custom: Custom,
    viewport: Viewport,
    rtl: bool,
}

impl<'t> Sheets<'t> {
    fn of(document: &'t Document<'_>, fall_backs: Vec<String>) -> Self {
        let mut sheet = simplecss::StyleSheet::new();
        for node in document.descendants().filter(|node| node.has_tag_name("style")) {
            if matches!(node.attribute("type"), None | Some("" | "text/css")) {
                node.children()
                    .filter_map(|part| part.text())
                    .for_each(|css| sheet.parse_more(css));
            }
        }
        Self { sheet, fall_backs }
    }

    fn edits(&self, text: &str, document: &Document<'_>) -> Vec<Edit> {
        let mut edits = Vec::new();
        let root = document.root_element();
        let mut open: Vec<(usize, Round)> = Vec::new();
        // The first of an id is the one that is meant.
        let mut by_id: ById<'_, '_> = HashMap::new();
        for node in root.descendants().filter(|node| node.has_attribute("id")) {
            by_id.entry(node.attribute("id").unwrap_or_default()).or_insert(node);
        }
        let nothing = Round { custom: Custom::default(), viewport: None, rtl: false };
        for node in root.descendants().filter(Node::is_element) {
            let range = node.range();
            if range.start < root.range().start {
                // An entity brought it in: it has no place of its own in the text.
                continue;
            }
            while open.last().is_some_and(|(end, _)| range.start >= *end) {
                open.pop();
            }
            let round = open.last().map_or(&nothing, |(_, round)| round).clone();
            let mut element = Styled::of(self, node);
            let inner = element.settle(node, &round, (&by_id, &self.fall_backs));
            element.write(text, node, &mut edits);
            if node.has_children() {
                open.push((range.end, inner));
            }
        }
        edits
    }
}

/// What is declared for an element, and what is to be written into it.
struct Styled {
    /// The winning value of each property, and whether nothing may go over it.
    declared: BTreeMap<String, (String, bool)>,
    attributes: BTreeMap<&'static str, String>,
    declarations: Vec<(String, String)>,
}

impl Styled {
    fn of(sheets: &Sheets<'_>, node: Node<'_, '_>) -> Self {
        let mut declared: BTreeMap<String, (String, bool)> = BTreeMap::new();
        let mut declare = |name: &str, value: &str, important: bool| {
            if !matters(name, value) {
                return;
            }
            let stays = declared.get(name).is_some_and(|(_, held)| *held && !important);
            if !stays {
                declared.insert(name.to_string(), (value.trim().to_string(), important));
            }
        };
        for attribute in node.attributes().filter(|a| a.value().contains('(')) {
            let (name, value) = (attribute.name(), attribute.value());
            if COLOURS.contains(&name) || value.contains("var(") {
                declare(name, value, false);
            }
        }
        for key in ["transform-origin", "transform-box", "direction"] {
            node.attribute(key).into_iter().for_each(|value| declare(key, value, false));
        }
        for rule in sheets.sheet.rules.iter().filter(|r| r.selector.matches(&Selected(node))) {
            for one in &rule.declarations {
                declare(one.name, one.value, one.important);
            }
        }
        for one in DeclarationTokenizer::from(node.attribute("style").unwrap_or_default()) {
            declare(one.name, one.value, one.important);
        }
        Self { declared, attributes: BTreeMap::new(), declarations: Vec::new() }
    }

    /// Works out what is to be written, and what holds for what the element has inside.
    fn settle(
        &mut self,
        node: Node<'_, '_>,
        round: &Round,
        (by_id, fall_backs): (&ById<'_, '_>, &[String]),
    ) -> Round {
        let custom = self.custom(round);
        let resolved: Vec<(String, String)> = self
            .declared
            .iter()
            .filter(|(name, _)| !name.starts_with(CUSTOM))
            .map(|(name, (value, _))| (name.clone(), with_custom(value, (&custom, fall_backs), 0)))
            .filter_map(|(name, value)| Some((name, value?)))
            .collect();
        for (name, value) in &resolved {
            let raw = &self.declared[name].0;
            if let Some(key) = GEOMETRY.iter().find(|key| *key == name) {
                if length(value, |_| 1.0, Some((1.0, 1.0))).is_some() {
                    self.attributes.insert(key, value.clone());
                }
            } else if name == "d" {
                let data = value.strip_prefix("path(").and_then(|rest| rest.strip_suffix(')'));
                let data = data.map(|data| data.trim().trim_matches(['"', '\'']).to_string());
                data.into_iter().for_each(|data| drop(self.attributes.insert("d", data)));
            } else if COLOURS.contains(&name.as_str()) {
                let plain = plain_colour(value).unwrap_or_else(|| value.clone());
                if plain != *raw {
                    self.declarations.push((name.clone(), plain));
                }
            } else if value != raw && !name.starts_with("transform") {
                self.declarations.push((name.clone(), value.clone()));
            }
        }
        // What has no value falls back to what is round it.
        for (name, (value, _)) in &self.declared {
            let lost = value.contains("var(") && !resolved.iter().any(|(known, _)| known == name);
            if lost {
                self.declarations.push((name.clone(), "inherit".into()));
            }
        }
        let get =
            |name: &str| resolved.iter().find(|(key, _)| key == name).map(|(_, v)| v.as_str());
        let tag = node.tag_name().name();
        let rtl = match get("direction") {
            Some("rtl") => true,
            Some("ltr") => false,
            _ => round.rtl,
        };
        if tag == "text" && rtl {
            self.turn_round(node);
        }
        self.transform(node, round, &get);
        let viewport = self.viewport(node, round, by_id);
        Round { custom, viewport, rtl }
    }

    fn custom(&self, round: &Round) -> Custom {
        let own: Vec<_> =
            self.declared.iter().filter(|(name, _)| name.starts_with(CUSTOM)).collect();
        if own.is_empty() {
            return round.custom.clone();
        }
        let mut all = (*round.custom).clone();
        for (name, (value, _)) in own {
            all.insert(name.clone(), value.clone());
        }
        Rc::new(all)
    }

    /// Text that runs to the left begins where other text ends.
    fn turn_round(&mut self, node: Node<'_, '_>) {
        let said = self.declared.get("text-anchor").map(|(value, _)| value.clone());
        let said = said.or(node.attribute("text-anchor").map(str::to_string));
        let turned = match said.as_deref() {
            None | Some("start" | "inherit") => "end",
            Some("end") => "start",
            Some(_) => return,
        };
        self.declarations.push(("text-anchor".into(), turned.into()));
    }

    /// One transform in place of a style's, of its origin and of its box.
    fn transform<'v>(
        &mut self,
        node: Node<'_, '_>,
        round: &Round,
        get: &impl Fn(&str) -> Option<&'v str>,
    ) {
        let (said, origin, of) = (get("transform"), get("transform-origin"), get("transform-box"));
        if said.is_none() && (origin.is_none() || !node.has_attribute("transform")) {
            return;
        }
        let by = said.or(node.attribute("transform")).unwrap_or_default();
        let origin =
            transform::Origin { of: of.unwrap_or("view-box"), at: origin.unwrap_or("0 0") };
        let settled = transform::resolve(by, &origin, node, round.viewport);
        if settled.is_none() && reads_transform(by) {
            // Nobody would carry it out: as an attribute it refuses the drawing.
            self.attributes.insert("transform", format!("{by} in its {}", origin.of));
        }
        if let Some(m) = settled {
            let numbers: Vec<String> = m.as_coeffs().iter().map(|n| format!("{n:e}")).collect();
            self.declarations.push(("transform".into(), format!("matrix({})", numbers.join(" "))));
            self.declarations.push(("transform-origin".into(), "0 0".into()));
        }
    }

    /// How large the viewport is that an element makes for what it has inside; the size of a used symbol is
    /// written into its use.
    fn viewport(&mut self, node: Node<'_, '_>, round: &Round, by_id: &ById<'_, '_>) -> Viewport {
        let tag = node.tag_name().name();
        let outer = round.viewport;
        let own = |key: &'static str| {
            self.attributes.get(key).map(String::as_str).or(node.attribute(key))
        };
        let side = |text: Option<&str>, share: fn((f64, f64)) -> f64| {
            text.and_then(|text| length(text, share, outer))
        };
        let view = |node: Node<'_, '_>| {
            let numbers: Vec<f64> = node
                .attribute("viewBox")?
                .split([' ', ',', '\n', '\t'])
                .filter_map(|n| n.parse().ok())
                .collect();
            <[f64; 4]>::try_from(numbers).ok().map(|[.., w, h]| (w, h))
        };
        match tag {
            "svg" | "symbol" => view(node).or_else(|| {
                let width = side(own("width"), |of| of.0).or(outer.map(|of| of.0))?;
                Some((width, side(own("height"), |of| of.1).or(outer.map(|of| of.1))?))
            }),
            "use" => {
                let target = used(node, by_id).filter(|t| t.has_tag_name("symbol"));
                let Some(symbol) = target else { return outer };
                let mut written = Vec::new();
                for (key, share) in [
                    ("x", (|of| of.0) as fn((f64, f64)) -> f64),
                    ("y", |of| of.1),
                    ("width", |of| of.0),
                    ("height", |of| of.1),
                ] {
                    let sized = matches!(key, "width" | "height");
                    let auto = |text: &&str| *text != "auto";
                    let said = own(key).filter(auto);
                    let said = said.or(symbol.attribute(key).filter(auto).filter(|_| sized));
                    let Some(text) = said else { continue };
                    // The library takes shares of the symbol's own size.
                    if (text.contains('%') || own(key) != Some(text))
                        && let Some(number) = length(text, share, outer)
                    {
                        written.push((key, number.to_string()));
                    }
                }
                self.attributes.extend(written);
                outer
            }
            _ => outer,
        }
    }

    fn write(self, text: &str, node: Node<'_, '_>, edits: &mut Vec<Edit>) {
        if self.attributes.is_empty() && self.declarations.is_empty() {
            return;
        }
        let start = node.range().start;
        let Some(rest) = text[start..].strip_prefix('<') else { return };
        let name = rest.find(|c: char| c.is_whitespace() || c == '/' || c == '>');
        let Some(name_end) = name.map(|n| start + 1 + n) else { return };
        let mut more = String::new();
        let mut set = |key: &str, value: String, edits: &mut Vec<Edit>| {
            let text = format!("{key}=\"{}\"", escape(&value));
            match node.attributes().find(|a| a.name() == key && a.namespace().is_none()) {
                Some(attribute) => edits.push(Edit { at: attribute.range(), text }),
                None => more += &format!(" {text}"),
            }
        };
        for (key, value) in self.attributes {
            set(key, value, edits);
        }
        if !self.declarations.is_empty() {
            // The library keeps the first that is important; ours stand before what was there.
            let ours: Vec<String> =
                self.declarations.iter().map(|(k, v)| format!("{k}:{v} !important")).collect();
            let old = node.attribute("style").unwrap_or_default();
            set("style", format!("{};{old}", ours.join(";")), edits);
        }
        if !more.is_empty() {
            edits.push(Edit { at: name_end..name_end, text: more });
        }
    }
}

/// Whether a declaration may have to be written for the library.
fn matters(name: &str, value: &str) -> bool {
    GEOMETRY.contains(&name)
        || COLOURS.contains(&name)
        || matches!(name, "d" | "direction" | "text-anchor")
        || name.starts_with("transform")
        || name.starts_with(CUSTOM)
        || value.contains("var(")
}

/// Elements by their ids.
type ById<'d, 'i> = HashMap<&'d str, Node<'d, 'i>>;

/// What a `use` repeats.
fn used<'d, 'i>(node: Node<'_, '_>, by_id: &ById<'d, 'i>) -> Option<Node<'d, 'i>> {
    let href = node.attributes().find(|a| a.name() == "href")?.value().trim();
    by_id.get(href.strip_prefix('#')?).copied()
}

/// A value with its custom properties; `None` where one has no value and nothing to fall back on.
fn with_custom(
    value: &str,
    (custom, fall_backs): (&Custom, &[String]),
    depth: usize,
) -> Option<String> {
    let Some(at) = value.find("var(") else { return Some(value.to_string()) };
    if depth > DEEPEST {
        return None;
    }
    let inside = &value[at + 4..];
    let end = closing(inside)?;
    let (name, fall_back) = match inside[..end].split_once('|') {
        Some((name, number)) => (name, fall_backs.get(number.parse::<usize>().ok()?)),
        None => (&inside[..end], None),
    };
    let settled = |value: &String| with_custom(value, (custom, fall_backs), depth + 1);
    let own = custom.get(name.trim()).and_then(settled).or_else(|| settled(fall_back?))?;
    let rest = with_custom(&inside[end + 1..], (custom, fall_backs), depth)?;
    Some(format!("{}{own}{rest}", &value[..at]))
}

/// A colour of newer CSS as the library reads it; `None` for one that it reads itself, and for what is none.
fn plain_colour(value: &str) -> Option<String> {
    use std::str::FromStr;
    if !value.contains('(') || value.starts_with("url") || Color::from_str(value).is_ok() {
        return None;
    }
    let [r, g, b, a] = csscolorparser::parse(value).ok()?.to_rgba8();
    Some(match a {
        255 => format!("#{r:02x}{g:02x}{b:02x}"),
        _ => format!("rgba({r},{g},{b},{})", f64::from(a) / 255.0),
    })
}

fn escape(value: &str) -> String {
    value
        .replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('"', "&quot;")
        .replace(['\n', '\t', '\r'], " ")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn svg(body: &str) -> String {
        format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 100 50'>{body}</svg>")
    }

    #[test]
    fn what_style_sheets_say_stands_in_the_text() {
        for (body, wanted) in [
            ("<circle style='cx:3px;r:4px'/>", "<circle cx=\"3px\" r=\"4px\" style"),
            ("<style>.k{r:10%}</style><circle class='k' r='1'/>", "class='k' r=\"10%\"/>"),
            ("<path style=\"d:path('M0 0h9')\"/>", "<path d=\"M0 0h9\" style"),
            (
                "<g style='--c:blue'><path fill='var(--c)'/></g>",
                "style=\"fill:blue !important;\" fill='var(",
            ),
            ("<path style='fill:var(--none,green)'/>", "style=\"fill:green !important;"),
            ("<path style='fill:var(--none)'/>", "style=\"fill:inherit !important;"),
            ("<path fill='rgb(0 0 255 / 100%)'/>", "style=\"fill:#0000ff !important;\""),
            ("<path fill='rgb(0 0 255 / 50%)'/>", "fill:rgba(0,0,255,0.50"),
            (
                "<path style='transform:translate(1cm,10%)'/>",
                "transform:matrix(1e0 0e0 0e0 1e0 3.779527559055118e1 5e0) !important",
            ),
            ("<text direction='rtl'>a</text>", "text-anchor:end !important"),
            (
                "<use href='#s' x='10%'/><symbol id='s' width='16' height='8'/>",
                "<use height=\"8\" width=\"16\" href='#s' x=\"10\"/>",
            ),
        ] {
            let text = svg(body);
            let settled = settle(&text);
            assert!(settled.contains(wanted), "{body}\n{settled}");
            assert_eq!(settle(&settled).lines().count(), text.lines().count());
        }
        // Words are no style, whatever they look like.
        let words = svg(
            "<g label='--cut'><text>\"--a\" :root var(--x, 1)</text></g><!-- '--b' --><path style='--c:1'/>",
        );
        let settled = settle(&words);
        assert!(
            settled.contains(
                "<g label='--cut'><text>\"--a\" :root var(--x, 1)</text></g><!-- '--b' -->"
            ),
            "{settled}"
        );
        // What needs nothing stays as it is, and so does what is no XML.
        for plain in [svg("<path style='fill:red' d='M0 0h9'/><!-- a -- b -->"), "<svg".into()] {
            assert_eq!(settle(&plain), plain);
        }
    }
}
