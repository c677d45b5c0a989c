//! What each part of a drawing is for, as it was said or is guessed, and the steps that are written for it.

use super::begun::Begun;
use super::guess::Guess;
use super::line::{commented, text_key};
use super::said::{Deed, HAIRLINE, Part, besides};
use super::settings::{SettingKey, Settings};
use std::fmt::Write as _;
use tinkite_artwork::layers::{Layer, PaintedBy};
use tinkite_base::colour::Colour;
use tinkite_base::problem::count;
use tinkite_base::quantity::plain;
use tinkite_job::Take;
use tinkite_job::select::Condition;
use tinkite_machine::Machine;

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
pub(super) fn planned<'l>(layers: &'l [Layer], most: usize, round: &[Colour]) -> Vec<Made<'l>> {
    let mut steps: Vec<Made<'_>> = Vec::new();
    for (guess, layer, why) in layers.iter().filter_map(|layer| guess(layer, layers, round)) {
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

/// A step of the job that is begun.
#[derive(Debug)]
pub(super) struct BegunStep {
    pub(super) make: Guess,
    /// What it is called, before another one is called the same.
    pub(super) name: String,
    /// As the job file has it.
    take: String,
    /// How much it takes, in words.
    contents: String,
    /// Why it is thought so; none: somebody said it.
    why: Option<&'static str>,
    /// The words by which what it takes can be said.
    what: Vec<String>,
    /// Whether it cuts out what others burn first.
    outermost: bool,
}

/// What was decided of a part of a drawing.
#[derive(Debug, Clone, PartialEq)]
pub struct Decision {
    /// The step; none for what no step takes.
    pub step: Option<String>,
    /// What is done: `cut`, `score`, `engrave`; none for what no step takes.
    pub make: Option<&'static str>,
    /// What the step takes, as the job file has it.
    pub take: String,
    /// The words by which that can be said, the first of them that of most shapes.
    pub what: Vec<String>,
    /// How much there is of it, in words.
    pub contents: String,
    /// Whether somebody said it.
    pub said: bool,
    /// Why it is thought so; empty where it was said.
    pub why: String,
    /// Speed, power, passes or a recipe, as the job file has them without quotes, each with whether somebody said it.
    pub settings: Vec<(&'static str, String, bool)>,
}

impl BegunStep {
    /// Steps for layers of which nothing was said, with what was said of some of their shapes left out.
    pub(super) fn guessed(made: &[Made<'_>], parts: &[Part<'_>], drawings: &[Begun]) -> Vec<Self> {
        let mut steps = Vec::new();
        for made in made {
            let first = made.layers[0];
            let more = match made.layers.len() {
                1 => String::new(),
                n => format!(" and {} near it", n - 1),
            };
            let one = |layer: &&Layer| {
                let mut take = Take(vec![match layer.by {
                    PaintedBy::Stroke => Condition::Stroke(layer.colour),
                    PaintedBy::Fill => Condition::Fill(layer.colour),
                }]);
                let not = besides(&take, parts, drawings);
                if !not.is_empty() {
                    take.0.push(Condition::Not(not));
                }
                take.to_toml()
            };
            let take = match &made.layers[..] {
                [layer] => one(layer),
                many => {
                    let rows: Vec<String> = many
                        .chunks(3)
                        .map(|row| row.iter().map(one).collect::<Vec<_>>().join(", "))
                        .collect();
                    format!("[\n    {},\n]", rows.join(",\n    "))
                }
            };
            steps.push(Self {
                make: made.guess,
                name: format!("{} {}{more}", made.guess.word(), first.colour),
                take,
                contents: contents(&made.layers),
                why: Some(made.why),
                what: made.layers.iter().map(|layer| layer.colour.to_string()).collect(),
                outermost: false,
            });
        }
        steps
    }

    /// The steps that were said.
    pub(super) fn said(parts: &[Part<'_>], drawings: &[Begun]) -> Vec<Self> {
        let mut steps = Vec::new();
        for part in parts.iter().filter(|part| !part.is_bitmaps()) {
            let make = match part.said.deed {
                Deed::Cut => Guess::Cut,
                Deed::Score => Guess::Score,
                Deed::Engrave => Guess::Engrave,
                Deed::LeaveOut => continue,
            };
            let what = part.said.what.trim().to_string();
            let takes = part.takes();
            steps.push(Self {
                make,
                name: format!("{} {what}", make.word()),
                take: tinkite_job::takes_toml(&takes),
                contents: measured(part, make, drawings),
                why: None,
                outermost: what == "outermost",
                what: vec![what],
            });
        }
        steps
    }
}

/// How much a part that was said is.
fn measured(part: &Part<'_>, make: Guess, drawings: &[Begun]) -> String {
    let (mut shapes, mut length, mut area) = (0, 0.0, 0.0);
    for (n, begun) in drawings.iter().enumerate() {
        let mut own = begun.artwork.clone();
        let taken: std::collections::BTreeSet<usize> = part.shapes_of(n).collect();
        let mut at = 0;
        own.shapes.retain(|_| {
            at += 1;
            taken.contains(&(at - 1))
        });
        // Each shape counts once.
        for shape in own.shapes.iter_mut().filter(|shape| shape.stroke.is_some()) {
            shape.fill = None;
        }
        shapes += own.shapes.len();
        for layer in tinkite_artwork::layers::layers(&own, super::TOLERANCE) {
            length += layer.length;
            area += layer.area;
        }
    }
    let shapes = count(shapes, "shape");
    match make {
        Guess::Engrave => format!("{shapes}, {} mm² inside", plain(area, 0)),
        _ => format!("{shapes}, {} mm of line", plain(length, 0)),
    }
}

/// What is told of a part that is left out.
pub(super) fn left_out(part: &Part<'_>) -> Decision {
    let contents = match part.is_bitmaps() {
        true => "the bitmaps".into(),
        false => count(part.shape_count(), "shape"),
    };
    Decision {
        step: None,
        make: None,
        take: tinkite_job::takes_toml(&part.takes()),
        what: vec![part.said.what.trim().into()],
        contents,
        said: true,
        why: String::new(),
        settings: Vec::new(),
    }
}

/// Puts steps into the order in which they are run: what is cut out comes last.
pub(super) fn sort(steps: &mut [BegunStep]) {
    steps.sort_by_key(|step| (step.make, step.outermost));
}

/// Writes the steps; `recipe` says which recipe there is for a make, in words.
pub(super) fn write(
    out: &mut String,
    steps: &[BegunStep],
    (machine, settings): (&Machine, &mut Settings<'_>),
    recipe: &mut dyn FnMut(&str) -> Option<String>,
) -> Vec<Decision> {
    let mut names: Vec<String> = Vec::new();
    let mut decisions = Vec::new();
    for step in steps {
        let name = unique(&names, &step.name);
        let word = step.what.first().filter(|_| step.why.is_none()).map(String::as_str);
        let why = step.why.map_or("as said".to_string(), |why| format!("guessed: {why}"));
        *out += "\n[[step]]\n";
        *out += &text_key("name", &name, "");
        *out += &commented(&format!("take  = {}", step.take), &step.contents);
        *out += &text_key("make", step.make.word(), &why);
        let mut how = How::of(&name, word, step.make, settings);
        let settings = how.write(out, machine, recipe);
        decisions.push(Decision {
            step: Some(name.clone()),
            make: Some(step.make.word()),
            take: step.take.clone(),
            what: step.what.clone(),
            contents: step.contents.clone(),
            said: step.why.is_none(),
            why: step.why.unwrap_or_default().into(),
            settings,
        });
        names.push(name);
    }
    decisions
}

/// How a step is done, as far as somebody said it.
struct How<'s> {
    make: Guess,
    speed: Option<&'s str>,
    power: Option<&'s str>,
    passes: Option<&'s str>,
    recipe: Option<&'s str>,
}

impl<'s> How<'s> {
    fn of(name: &str, word: Option<&str>, make: Guess, settings: &mut Settings<'s>) -> Self {
        let mut find = |key| settings.find(key, name, word, make).map(|said| said.value.as_str());
        Self {
            make,
            speed: find(SettingKey::Speed),
            power: find(SettingKey::Power),
            passes: find(SettingKey::Passes),
            recipe: find(SettingKey::Recipe),
        }
    }

    /// Writes what was said, and a recipe or a guess for the rest.
    fn write(
        &mut self,
        out: &mut String,
        machine: &Machine,
        recipe: &mut dyn FnMut(&str) -> Option<String>,
    ) -> Vec<(&'static str, String, bool)> {
        let mut all = Vec::new();
        let mut line = |key: &'static str, value: &str, said: bool, comment: &str| {
            *out += &match key {
                "passes" => commented(&format!("passes = {value}"), comment),
                _ => text_key(key, value, comment),
            };
            all.push((key, value.to_string(), said));
        };
        let word = self.make.word();
        let mut by_recipe = self.recipe.is_some();
        if let Some(name) = self.recipe {
            line("recipe", name, true, "");
        } else if (self.speed.is_none() || self.power.is_none())
            && let Some(found) = recipe(word)
        {
            line("recipe", word, false, &found);
            by_recipe = true;
        }
        let (speed, percent) = speed_and_power(self.make, machine);
        let guesses = [
            ("speed", self.speed, format!("{} mm/s", plain(speed, 2))),
            ("power", self.power, format!("{} %", plain(percent, 2))),
        ];
        for (key, said, guess) in guesses {
            match said {
                Some(said) => line(key, said, true, ""),
                None if by_recipe => {}
                None => line(key, &guess, false, "guessed"),
            }
        }
        if let Some(passes) = self.passes {
            line("passes", passes, true, "");
        }
        if self.make == Guess::Engrave && !by_recipe {
            let spacing = machine.beam.width.max(0.1);
            let lines = format!("lines = {{ spacing = \"{} mm\" }}", plain(spacing, 3));
            *out += &commented(&lines, "guessed");
        }
        all
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

/// What a layer is for, and why it is thought so; none for what is not to be burnt. `round` are the layers that hold a
/// line round everything.
fn guess<'l>(
    layer: &'l Layer,
    all: &[Layer],
    round: &[Colour],
) -> Option<(Guess, &'l Layer, &'static str)> {
    if is_paper(layer) {
        return None;
    }
    if layer.by == PaintedBy::Fill {
        return (layer.area > 0.0).then_some((Guess::Engrave, layer, "a filled area"));
    }
    let is_red = |layer: &Layer| {
        let [r, g, b] = layer.colour.rgb.map(i32::from);
        r > g + 60 && r > b + 60
    };
    let strokes: Vec<&Layer> =
        all.iter().filter(|l| l.by == PaintedBy::Stroke && !is_paper(l)).collect();
    let is_fine = |layer: &Layer| layer.stroke_width.is_some_and(|(_, most)| most <= HAIRLINE);
    let some_red = strokes.iter().any(|layer| is_red(layer));
    let (guess, why) = if is_red(layer) {
        (Guess::Cut, "a red line")
    } else if strokes.len() == 1 && layer.closed > 0 {
        (Guess::Cut, "the only colour of line")
    } else if !some_red && is_fine(layer) && strokes.iter().any(|layer| !is_fine(layer)) {
        (Guess::Cut, "hairlines, and the others are wider")
    } else if !some_red && round.contains(&layer.colour) {
        (Guess::Cut, "the line round everything")
    } else {
        (Guess::Score, if some_red { "a line that is not red" } else { "a line inside" })
    };
    Some((guess, layer, why))
}

/// Which bitmaps a step takes.
pub(super) struct Pictures {
    /// `bitmap`, or `rendered`.
    pub(super) kind: &'static str,
    /// Whether they have many greys.
    pub(super) photograph: bool,
}

/// Bitmaps that are engraved pixel by pixel; `said` tells whether somebody said so.
pub(super) fn picture_step(
    out: &mut String,
    (pictures, said): (&Pictures, bool),
    machine: &Machine,
    settings: &mut Settings<'_>,
) -> Decision {
    let name = if pictures.kind == "bitmap" { "bitmaps" } else { "as the page shows it" };
    let (shade, other, why) = if pictures.photograph {
        (
            "",
            "a photograph: power follows the grey; a source that cannot do that: dither = \"floyd-steinberg\" beside it",
            "a picture with greys",
        )
    } else {
        (
            ", threshold = \"50 %\"",
            "line art: burnt or not; without threshold power follows the grey; dither = \"floyd-steinberg\" in its place makes greys of dots",
            "a picture of two tones",
        )
    };
    let take = format!("{{ kind = \"{}\" }}", pictures.kind);
    let _ = write!(out, "\n[[step]]\nname  = \"{name}\"\ntake  = {take}\nmake  = \"engrave\"\n");
    let mut text = String::new();
    let mut how = How::of(name, Some("bitmaps"), Guess::Engrave, settings);
    // A recipe for areas says nothing of greys: a picture begins with a guess.
    let settings = how.write(&mut text, machine, &mut |_| None);
    let text = text.replacen("%\"   # guessed", "%\"   # guessed: of black", 1);
    for line in text.lines().filter(|line| !line.starts_with("lines")) {
        let _ = writeln!(out, "{line}");
    }
    let spacing = plain(machine.beam.width.max(0.1), 3);
    *out += &commented(&format!("image = {{ spacing = \"{spacing} mm\"{shade} }}"), other);
    Decision {
        step: Some(name.into()),
        make: Some("engrave"),
        take,
        what: vec!["bitmaps".into()],
        contents: "pixel by pixel".into(),
        said,
        why: if said { String::new() } else { why.into() },
        settings,
    }
}

/// Deeper reliefs than this are not begun with, mm: hours, and a focus that is far out.
const DEEPEST: f64 = 1.5;

/// Solids that are cut in layers; `heights` are their own, mm.
pub(super) fn relief_step(
    out: &mut String,
    heights: &[f64],
    thickness: Option<f64>,
    (machine, settings): (&Machine, &mut Settings<'_>),
) -> Decision {
    let own = heights.iter().copied().fold(0.0, f64::max);
    let depth = own.min(DEEPEST).min(thickness.map_or(DEEPEST, |mm| mm / 2.0));
    let spacing = machine.beam.width.max(0.05);
    let take = "{ kind = \"solid\" }";
    let _ = write!(out, "\n[[step]]\nname  = \"relief\"\ntake  = {take}\nmake  = \"engrave\"\n");
    let mut text = String::new();
    let settings =
        How::of("relief", None, Guess::Engrave, settings).write(&mut text, machine, &mut |_| None);
    for line in text.lines().filter(|line| !line.starts_with("lines")) {
        let _ = writeln!(out, "{line}");
    }
    *out += &commented(&format!("lines = {{ spacing = \"{} mm\" }}", plain(spacing, 3)), "guessed");
    let depth = plain(depth, 3);
    *out += &commented(
        &format!("relief = {{ depth = \"{depth} mm\", layers = 20, turn = \"37 deg\" }}"),
        &format!("the solid is {} mm high; raised = false sinks it", plain(own, 3)),
    );
    *out += &commented(
        "# per-pass = \"0.04 mm\"",
        "how deep one pass goes on this stock, once it is measured",
    );
    Decision {
        step: Some("relief".into()),
        make: Some("engrave"),
        take: take.into(),
        what: Vec::new(),
        contents: format!("{depth} mm deep"),
        said: false,
        why: "a solid is cut in layers".into(),
        settings,
    }
}

/// Speed in mm/s and power in percent to begin tests with, on this machine.
fn speed_and_power(guess: Guess, machine: &Machine) -> (f64, f64) {
    let (speed, percent) = guess.start();
    let speed = speed.min(machine.x.top_speed).min(machine.y.top_speed);
    let percent = percent.min(machine.beam.ceiling.0 * 100.0);
    (speed, percent.max(machine.beam.floor / machine.beam.full * 100.0))
}

fn contents(layers: &[&Layer]) -> String {
    let shapes = count(layers.iter().map(|layer| layer.shapes).sum(), "shape");
    let sum = |of: fn(&Layer) -> f64| layers.iter().map(|layer| of(layer)).sum::<f64>();
    match layers[0].by {
        PaintedBy::Stroke => format!("{shapes}, {} mm of line", plain(sum(|l| l.length), 0)),
        PaintedBy::Fill => format!("{shapes}, {} mm² show", plain(sum(|l| l.area), 0)),
    }
}
