//! What each colour is guessed to be for, and the steps that are written for it.

use std::fmt::Write as _;
use tinkite_artwork::layers::{Layer, PaintedBy};
use tinkite_base::colour::Colour;
use tinkite_base::quantity::plain;
use tinkite_machine::Machine;
use tinkite_machine::section::quote;

/// What a layer is guessed to be meant for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Guess {
    Engrave,
    Score,
    Cut,
}

impl Guess {
    fn word(self) -> &'static str {
        match self {
            Self::Engrave => "engrave",
            Self::Score => "score",
            Self::Cut => "cut",
        }
    }

    /// Speed in mm/s and power in percent to begin tests with.
    fn start(self) -> (f64, f64) {
        match self {
            Self::Engrave => (100.0, 20.0),
            Self::Score => (60.0, 15.0),
            Self::Cut => (15.0, 60.0),
        }
    }
}

/// One step: what is made, and of which colours.
pub(super) struct Made<'l> {
    guess: Guess,
    why: &'static str,
    /// The first has most in it.
    layers: Vec<&'l Layer>,
}

impl Made<'_> {
    /// By fill or by stroke.
    fn by(&self) -> PaintedBy {
        self.layers[0].by
    }

    /// The mean of its colours, each counted as often as it has shapes.
    fn colour(&self) -> [f64; 3] {
        let mut sum = [0.0; 3];
        let mut weight = 0.0;
        for layer in &self.layers {
            let n = layer.shapes as f64;
            weight += n;
            for (sum, c) in sum.iter_mut().zip(layer.colour.rgb) {
                *sum += n * f64::from(c);
            }
        }
        sum.map(|sum| sum / weight.max(1.0))
    }
}

/// More steps than this are gathered first by coarse colour, so that comparing them all stays quick.
const COMPARED: usize = 200;

/// The steps for layers: at most `most` of them, where that can be without making of a colour what it is
/// not for. Colours that are nearest to each other go together.
pub(super) fn planned(layers: &[Layer], most: usize) -> Vec<Made<'_>> {
    let mut steps: Vec<Made<'_>> = Vec::new();
    for (guess, layer, why) in layers.iter().filter_map(|layer| guess(layer, layers)) {
        steps.push(Made { guess, why, layers: vec![layer] });
    }
    if steps.len() > COMPARED {
        let mut coarse: Vec<Made<'_>> = Vec::new();
        for step in steps {
            let key = |s: &Made<'_>| (s.guess, s.by(), s.layers[0].colour.rgb.map(|c| c >> 5));
            match coarse.iter_mut().find(|other| key(other) == key(&step)) {
                Some(other) => other.layers.extend(step.layers),
                None => coarse.push(step),
            }
        }
        steps = coarse;
    }
    while steps.len() > most.max(1) {
        let Some((a, b)) = nearest(&steps) else { break };
        let merged = steps.remove(b);
        steps[a].layers.extend(merged.layers);
    }
    for step in &mut steps {
        step.layers.sort_by_key(|layer| std::cmp::Reverse(layer.shapes));
    }
    steps.sort_by_key(|step| step.guess);
    steps
}

/// The two steps that make the same of the nearest colours.
fn nearest(steps: &[Made<'_>]) -> Option<(usize, usize)> {
    let colours: Vec<[f64; 3]> = steps.iter().map(Made::colour).collect();
    let mut best: Option<(f64, usize, usize)> = None;
    for (a, first) in steps.iter().enumerate() {
        for (b, second) in steps.iter().enumerate().skip(a + 1) {
            if (first.guess, first.by()) != (second.guess, second.by()) {
                continue;
            }
            let away: f64 = (0..3).map(|n| (colours[a][n] - colours[b][n]).powi(2)).sum();
            if best.is_none_or(|(least, ..)| away < least) {
                best = Some((away, a, b));
            }
        }
    }
    best.map(|(_, a, b)| (a, b))
}

/// Writes the steps; `recipe` says which recipe there is for a make, in words.
pub(super) fn write(
    out: &mut String,
    steps: &[Made<'_>],
    machine: &Machine,
    recipe: &dyn Fn(&str) -> Option<String>,
) {
    let mut names: Vec<String> = Vec::new();
    for made in steps {
        let first = made.layers[0];
        let more = match made.layers.len() {
            1 => String::new(),
            n => format!(" and {} near it", n - 1),
        };
        let name = unique(&names, &format!("{} {}{more}", made.guess.word(), first.colour));
        step(out, made, &name, machine, recipe(made.guess.word()));
        names.push(name);
    }
}

fn unique(taken: &[String], name: &str) -> String {
    let mut candidate = name.to_string();
    let mut n = 2;
    while taken.contains(&candidate) {
        candidate = format!("{name} {n}");
        n += 1;
    }
    candidate
}

pub(super) fn is_paper(layer: &Layer) -> bool {
    layer.colour == Colour::WHITE || layer.colour.is_nearly_white()
}

/// What a layer is for, and why it is thought so; none for what is not to be burnt.
fn guess<'l>(layer: &'l Layer, all: &[Layer]) -> Option<(Guess, &'l Layer, &'static str)> {
    if is_paper(layer) {
        return None;
    }
    if layer.by == PaintedBy::Fill {
        return (layer.area > 0.0).then_some((Guess::Engrave, layer, "a filled area"));
    }
    let [r, g, b] = layer.colour.rgb.map(i32::from);
    let strokes = all.iter().filter(|l| l.by == PaintedBy::Stroke && !is_paper(l)).count();
    let (guess, why) = if r > g + 60 && r > b + 60 {
        (Guess::Cut, "a red line")
    } else if strokes == 1 && layer.closed > 0 {
        (Guess::Cut, "the only colour of line")
    } else {
        (Guess::Score, "a line that is not red")
    };
    Some((guess, layer, why))
}

fn step(out: &mut String, made: &Made<'_>, name: &str, machine: &Machine, recipe: Option<String>) {
    let (speed, percent) = speed_and_power(made.guess, machine);
    let key = made.by().name();
    let one = |layer: &&Layer| format!("{{ {key} = \"{}\" }}", layer.colour);
    let take = match &made.layers[..] {
        [layer] => one(layer),
        many => {
            let lines: Vec<String> = many
                .chunks(4)
                .map(|row| row.iter().map(one).collect::<Vec<_>>().join(", "))
                .collect();
            format!("[\n    {},\n]", lines.join(",\n    "))
        }
    };
    let word = made.guess.word();
    let _ = write!(
        out,
        "\n[[step]]\nname  = {}\ntake  = {take}   # {}\nmake  = \"{word}\"   # guessed: {}\n",
        quote(name),
        contents(&made.layers),
        made.why,
    );
    if let Some(recipe) = recipe {
        let _ = writeln!(out, "recipe = \"{word}\"   # {}", one_line(&recipe));
        return;
    }
    let _ = write!(
        out,
        "speed = \"{} mm/s\"   # guessed\npower = \"{} %\"   # guessed\n",
        plain(speed, 2),
        plain(percent, 2)
    );
    if made.guess == Guess::Engrave {
        let spacing = machine.beam.width.max(0.1);
        let _ = writeln!(out, "lines = {{ spacing = \"{} mm\" }}   # guessed", plain(spacing, 3));
    }
}

/// Text that can stand in a comment.
fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}

/// Which bitmaps a step takes.
pub(super) struct Pictures {
    /// `bitmap`, or `rendered`.
    pub(super) kind: &'static str,
    /// Whether they have many greys.
    pub(super) photograph: bool,
}

/// Bitmaps that are engraved pixel by pixel.
pub(super) fn picture_step(out: &mut String, pictures: &Pictures, machine: &Machine) {
    let (speed, percent) = speed_and_power(Guess::Engrave, machine);
    let name = if pictures.kind == "bitmap" { "bitmaps" } else { "as the page shows it" };
    let (how, other) = if pictures.photograph {
        (
            "grey = true",
            "a photograph: power follows the grey; a source that cannot do that: dither = \"floyd-steinberg\" in its place",
        )
    } else {
        (
            "threshold = \"50 %\"",
            "line art: burnt or not; greys: grey = true, or dither = \"floyd-steinberg\", in its place",
        )
    };
    let _ = write!(
        out,
        "\n[[step]]\nname  = \"{name}\"\ntake  = {{ kind = \"{}\" }}\nmake  = \"engrave\"\nspeed = \"{} mm/s\"   # guessed\npower = \"{} %\"   # guessed: of black\nimage = {{ spacing = \"{} mm\", {how} }}   # {other}\n",
        pictures.kind,
        plain(speed, 2),
        plain(percent, 2),
        plain(machine.beam.width.max(0.1), 3)
    );
}

/// Deeper reliefs than this are not begun with, mm: hours, and a focus that is far out.
const DEEPEST: f64 = 1.5;

/// Solids that are cut in layers; `heights` are their own, mm.
pub(super) fn relief_step(
    out: &mut String,
    heights: &[f64],
    thickness: Option<f64>,
    machine: &Machine,
) {
    let (speed, percent) = speed_and_power(Guess::Engrave, machine);
    let own = heights.iter().copied().fold(0.0, f64::max);
    let depth = own.min(DEEPEST).min(thickness.map_or(DEEPEST, |mm| mm / 2.0));
    let spacing = machine.beam.width.max(0.05);
    let _ = write!(
        out,
        "\n[[step]]\nname  = \"relief\"\ntake  = {{ kind = \"solid\" }}\nmake  = \"engrave\"\nspeed = \"{} mm/s\"   # guessed\npower = \"{} %\"   # guessed\nlines = {{ spacing = \"{} mm\" }}\nrelief = {{ depth = \"{} mm\", layers = 20, raised = true, turn = \"37 deg\" }}   # the solid is {} mm high; raised = false sinks it\n# per-pass = \"0.04 mm\"   # how deep one pass goes on this stock, once it is measured: passes follow\n",
        plain(speed, 2),
        plain(percent, 2),
        plain(spacing, 3),
        plain(depth, 3),
        plain(own, 3)
    );
}

/// Speed in mm/s and power in percent to begin tests with, on this machine.
fn speed_and_power(guess: Guess, machine: &Machine) -> (f64, f64) {
    let (speed, percent) = guess.start();
    let speed = speed.min(machine.x.top_speed).min(machine.y.top_speed);
    let percent = percent.min(machine.beam.ceiling.0 * 100.0);
    (speed, percent.max(machine.beam.floor / machine.beam.full * 100.0))
}

fn contents(layers: &[&Layer]) -> String {
    let shapes =
        tinkite_base::problem::count(layers.iter().map(|layer| layer.shapes).sum(), "shape");
    let sum = |of: fn(&Layer) -> f64| layers.iter().map(|layer| of(layer)).sum::<f64>();
    match layers[0].by {
        PaintedBy::Stroke => format!("{shapes}, {} mm of line", plain(sum(|l| l.length), 0)),
        PaintedBy::Fill => format!("{shapes}, {} mm² show", plain(sum(|l| l.area), 0)),
    }
}
