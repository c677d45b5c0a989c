//! The codes inside the text of `MTEXT` (DXF reference, "MTEXT"; its inline codes as CAD programs write
//! them): paragraphs of runs that are alike in height, width and colour.

use super::colours;
use tinkite_base::colour::Colour;

/// Text that is drawn alike.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct TextRun {
    pub(super) text: String,
    /// Height of a capital, in the drawing's units.
    pub(super) height: f64,
    /// Width of the letters against their own.
    pub(super) stretch: f64,
    /// Where it has one of its own.
    pub(super) colour: Option<Colour>,
}

/// What stands between two ends of a line that somebody wrote.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Paragraph {
    pub(super) runs: Vec<TextRun>,
    /// Where it lies within the width: 0 left, 0.5 middle, 1 right; none as the whole text.
    pub(super) across: Option<f64>,
    /// It begins a column of its own.
    pub(super) column: bool,
}

/// How signs are drawn at some place of the text.
#[derive(Debug, Clone, Copy)]
struct Style {
    height: f64,
    stretch: f64,
    colour: Option<Colour>,
    across: Option<f64>,
}

/// Reads the codes of a text whose capitals are `height` high when nothing is said.
pub(super) fn paragraphs(text: &str, height: f64) -> Vec<Paragraph> {
    let style = Style { height, stretch: 1.0, colour: None, across: None };
    let mut reader =
        Reader { style, outer: Vec::new(), run: String::new(), done: vec![Paragraph::default()] };
    let mut chars = text.chars();
    while let Some(c) = chars.next() {
        match c {
            '{' => {
                reader.end_run();
                reader.outer.push(reader.style);
            }
            '}' => {
                reader.end_run();
                reader.style = reader.outer.pop().unwrap_or(reader.style);
            }
            '\\' => reader.code(&mut chars),
            '^' => match chars.next() {
                Some('J') => reader.end_line(false),
                Some('I') => reader.run.push(' '),
                Some(' ') => reader.run.push('^'),
                Some('M') | None => {}
                Some(other) => reader.run.extend(['^', other]),
            },
            '\n' => reader.end_line(false),
            '\r' => {}
            c => reader.run.push(c),
        }
    }
    reader.end_run();
    reader.done
}

struct Reader {
    style: Style,
    outer: Vec<Style>,
    run: String,
    done: Vec<Paragraph>,
}

impl Reader {
    fn end_run(&mut self) {
        let text = signs(&std::mem::take(&mut self.run));
        let Style { height, stretch, colour, across } = self.style;
        let Some(paragraph) = self.done.last_mut() else { return };
        paragraph.across = across.or(paragraph.across);
        if !text.is_empty() {
            paragraph.runs.push(TextRun { text, height, stretch, colour });
        }
    }

    fn end_line(&mut self, column: bool) {
        self.end_run();
        self.done.push(Paragraph { column, across: self.style.across, ..Paragraph::default() });
    }

    /// What follows a backslash.
    fn code(&mut self, chars: &mut std::str::Chars<'_>) {
        let Some(code) = chars.next() else { return };
        match code {
            'P' | 'X' => self.end_line(false),
            'N' => self.end_line(true),
            '~' => self.run.push('\u{a0}'),
            '\\' | '{' | '}' => self.run.push(code),
            'L' | 'l' | 'O' | 'o' | 'K' | 'k' => {}
            'U' if chars.as_str().starts_with('+') => {
                let digits: String = chars.by_ref().skip(1).take(4).collect();
                self.run.extend(u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32));
            }
            // A stacked fraction: its parts one behind the other.
            'S' => {
                let stacked = chars.by_ref().take_while(|c| *c != ';');
                self.run.extend(stacked.map(|c| match c {
                    '#' => '/',
                    '^' => ' ',
                    c => c,
                }));
            }
            // Fonts, heights, colours and the like run to a semicolon.
            code => {
                let value: String = chars.by_ref().take_while(|c| *c != ';').collect();
                self.end_run();
                self.style = restyle(self.style, code, value.trim());
                if let Some(paragraph) = self.done.last_mut().filter(|_| code == 'p') {
                    paragraph.across = self.style.across;
                }
            }
        }
    }
}

/// The style behind a code with a value.
fn restyle(style: Style, code: char, value: &str) -> Style {
    let number = |text: &str| text.parse::<f64>().ok().filter(|n| n.is_finite() && *n > 0.0);
    match code {
        'H' => {
            let height = match value.strip_suffix(['x', 'X']) {
                Some(times) => number(times).map(|times| style.height * times),
                None => number(value),
            };
            Style { height: height.unwrap_or(style.height), ..style }
        }
        'W' => Style { stretch: number(value).unwrap_or(style.stretch), ..style },
        'C' => Style { colour: value.parse().ok().and_then(colours::of_index), ..style },
        // Blue, green and red, from the top down.
        'c' => {
            let bgr = value.parse::<u32>().ok().map(|n| n.to_le_bytes());
            Style { colour: bgr.map(|[r, g, b, _]| Colour::new(r, g, b)), ..style }
        }
        'p' => {
            let across = value.split(',').find_map(|part| match part.trim_start_matches('x') {
                "ql" | "qj" => Some(Some(0.0)),
                "qc" => Some(Some(0.5)),
                "qr" => Some(Some(1.0)),
                "q*" => Some(None),
                _ => None,
            });
            Style { across: across.unwrap_or(style.across), ..style }
        }
        _ => style,
    }
}

/// The signs that are written as codes.
pub(super) fn signs(text: &str) -> String {
    let mut out = text.to_string();
    for (code, sign) in [("d", "°"), ("c", "⌀"), ("p", "±"), ("%", "%"), ("u", ""), ("o", "")] {
        out = out
            .replace(&format!("%%{code}"), sign)
            .replace(&format!("%%{}", code.to_uppercase()), sign);
    }
    while let Some(at) = out.find("\\U+") {
        let sign = out.get(at + 3..at + 7).and_then(|digits| u32::from_str_radix(digits, 16).ok());
        let Some(sign) = sign.and_then(char::from_u32) else { break };
        out.replace_range(at..at + 7, sign.encode_utf8(&mut [0; 4]));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Runs as "height×stretch colour:text", lines apart by "/", columns by "|".
    fn text_of(text: &str) -> String {
        let mut out = String::new();
        for (n, paragraph) in paragraphs(text, 2.0).iter().enumerate() {
            out += if paragraph.column { "|" } else { ["/", ""][usize::from(n == 0)] };
            out += match paragraph.across {
                Some(0.5) => "<>",
                Some(1.0) => ">",
                _ => "",
            };
            for run in &paragraph.runs {
                let colour = run.colour.map(|c| c.to_string()).unwrap_or_default();
                out += &format!("[{}x{} {colour}:{}]", run.height, run.stretch, run.text);
            }
        }
        out
    }

    #[test]
    fn codes_change_what_follows_as_far_as_their_braces_go() {
        assert_eq!(
            text_of(r"a{\fArial|b0;\H1.5x;\W0.8;b}c\PPanel \S1#2; \{d\}"),
            "[2x1 :a][3x0.8 :b][2x1 :c]/[2x1 :Panel 1/2 {d}]"
        );
        assert_eq!(text_of(r"\H5;{\C1;red}\c255;\pxqc;x"), "<>[5x1 #ff0000:red][5x1 #ff0000:x]");
        assert_eq!(text_of(r"\pqr;a\Pb\pq*;\Nc"), ">[2x1 :a]/[2x1 :b]|[2x1 :c]");
        assert_eq!(text_of(r"12%%d \U+2300^I5^J^ "), "[2x1 :12° ⌀ 5]/[2x1 :^]");
        assert_eq!(text_of(r"}\"), "");
        assert_eq!(signs("12%%D %%c4 \\U+00B11 \\U+zz"), "12° ⌀4 ±1 \\U+zz");
    }
}
