//! What a job will do.

use super::table::table;
use super::{ExtentsJson, ProblemJson, micron, problems_json};
use serde::Serialize;
use std::fmt::Write as _;
use tinkite_core::frame::Hold;
use tinkite_core::geometry::Rect;
use tinkite_core::job::recipe::RecipeUse;
use tinkite_core::limits::round::defocus;
use tinkite_core::plan::Planned;
use tinkite_core::quantity::{LengthUnit, clock, plain};
use tinkite_core::toolpath::Leftover;
use tinkite_files::load::Made;

/// What a job will do.
#[derive(Debug, Serialize)]
pub struct PlanJson {
    name: String,
    machine: String,
    /// Which zero places count from.
    zero: &'static str,
    extents_mm: Option<ExtentsJson>,
    #[serde(skip_serializing_if = "Option::is_none")]
    rotary: Option<RotaryJson>,
    #[serde(skip_serializing_if = "Option::is_none")]
    focus: Option<FocusJson>,
    burn_mm: f64,
    travel_mm: f64,
    seconds: f64,
    steps: Vec<StepJson>,
    leftovers: Vec<LeftoverJson>,
    problems: Vec<ProblemJson>,
}

#[derive(Debug, Serialize)]
struct RotaryJson {
    /// Letter of the axis that turns.
    axis: String,
    /// What turns so far: the object in a chuck, or the rollers under it.
    of: &'static str,
    /// Least and greatest position of it: degrees, or mm where it stands in for another axis.
    turned: [f64; 2],
    surface_changes_height_mm: f64,
    best_focus_below_thickest_mm: f64,
    steepest_deg: f64,
}

/// How the focus comes onto the stock.
#[derive(Debug, Serialize)]
struct FocusJson {
    /// Where Z stands then, on the machine's axis.
    #[serde(skip_serializing_if = "Option::is_none")]
    z_mm: Option<f64>,
    /// How far the head stands above the surface, and above the bed.
    #[serde(skip_serializing_if = "Option::is_none")]
    above_surface_and_bed_mm: Option<[f64; 2]>,
}

#[derive(Debug, Serialize)]
struct StepJson {
    name: String,
    make: &'static str,
    shapes: usize,
    /// Lines that are followed, or rows that are engraved.
    lines: usize,
    passes: u32,
    burn_mm: f64,
    travel_mm: f64,
    seconds: f64,
    /// How much of it is lost because lines come more slowly than the head would run them.
    starved_seconds: f64,
    /// The speed at which nothing but the ends of rows slows the head; `None` where only the axes do.
    #[serde(skip_serializing_if = "Option::is_none")]
    even_speed_mm_s: Option<f64>,
    speed_mm_s: f64,
    power_percent: [f64; 2],
    s: [f64; 2],
    /// What flows at these powers; `None` where that was not measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    current_ma: Option<[f64; 2]>,
    /// The light at these powers, where only that was measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    light_w: Option<[f64; 2]>,
    pierces: usize,
    /// Light in each mm of line; `None` where the source was not measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    energy_j_per_mm: Option<f64>,
    /// Light in each mm² of engraved area.
    #[serde(skip_serializing_if = "Option::is_none")]
    energy_j_per_mm2: Option<f64>,
    /// The recipe that it uses.
    #[serde(skip_serializing_if = "Option::is_none")]
    recipe: Option<RecipeJson>,
}

/// Where the settings of a step come from.
#[derive(Debug, Serialize)]
struct RecipeJson {
    recipe: String,
    book: String,
    /// Keys that came from it.
    taken: Vec<String>,
    /// Keys of it that the step says otherwise.
    own: Vec<String>,
}

impl From<&RecipeUse> for RecipeJson {
    fn from(used: &RecipeUse) -> Self {
        Self {
            recipe: used.title.clone(),
            book: used.place.clone(),
            taken: used.taken.clone(),
            own: used.own.clone(),
        }
    }
}

/// Something drawn that no step takes.
#[derive(Debug, Serialize)]
struct LeftoverJson {
    name: Option<String>,
    file: String,
    line: Option<u32>,
    copy: u32,
    paint: String,
}

impl From<&Leftover> for LeftoverJson {
    fn from(left: &Leftover) -> Self {
        Self {
            name: left.place.thing.clone(),
            file: left.place.file.clone(),
            line: left.place.line,
            copy: left.copy,
            paint: left.paint.clone(),
        }
    }
}

/// The plan as JSON.
pub fn json(made: &Made) -> PlanJson {
    let planned = made.compiled.within.planned();
    let totals = &planned.totals;
    let step = |number: &usize| {
        let (step, sums) = (&made.job.steps[*number], &totals.steps[*number]);
        let (low, high) = sums.s.unwrap_or_default();
        let full = made.job.machine.beam.full;
        let read = reading(made, low, high);
        let in_unit = |unit: &str| {
            let (values, own) = read?;
            (own == unit).then(|| values.map(micron))
        };
        StepJson {
            name: step.name.clone(),
            make: step.operation.name(),
            shapes: made.compiled.taken[*number].count(),
            lines: planned.lines(*number),
            passes: step.passes.len() as u32,
            burn_mm: micron(sums.burn),
            travel_mm: micron(sums.travel),
            seconds: micron(sums.seconds),
            starved_seconds: micron(sums.starved),
            even_speed_mm_s: sums.even_speed.map(micron),
            speed_mm_s: micron(step.speed().0),
            power_percent: [low, high].map(|s| micron(s / full * 100.0)),
            s: [micron(low), micron(high)],
            current_ma: in_unit("mA"),
            light_w: in_unit("W"),
            pierces: sums.pierces,
            energy_j_per_mm: sums.energy_per_mm().filter(|_| step.operation.engrave().is_none()),
            energy_j_per_mm2: planned.energy_per_mm2(*number),
            recipe: step.recipe.as_ref().map(RecipeJson::from),
        }
    };
    PlanJson {
        name: made.job.name.clone(),
        machine: made.job.machine.name.clone(),
        zero: made.job.placement.zero.name(),
        extents_mm: totals.burnt.map(|burnt| extents(made, burnt).into()),
        rotary: rotary(made),
        focus: focus(made),
        burn_mm: micron(totals.burn()),
        travel_mm: micron(totals.travel()),
        seconds: micron(totals.seconds()),
        steps: made.compiled.steps.iter().map(step).collect(),
        leftovers: made.compiled.leftovers.iter().map(LeftoverJson::from).collect(),
        problems: problems_json(&made.compiled.problems),
    }
}

/// What is burnt, mm on the machine's axes; round an object: along its axis, and on its surface round it.
fn extents(made: &Made, burnt: Rect) -> Rect {
    let mut rect = made.job.field().machine_rect(burnt);
    let frame = made.compiled.within.planned().segments().frame();
    if frame.surface().is_some() {
        let axes = frame.rect(burnt);
        (rect.x0, rect.x1) = (axes.x0, axes.x1);
    }
    rect
}

/// None where the thickness of the stock is not known, or where the profile does not say where the focus
/// lies.
fn focus(made: &Made) -> Option<FocusJson> {
    let thickness = made.job.stock.as_ref()?.thickness?;
    let focus = made.job.machine.focus;
    let block = focus.block.zip(focus.above_bed(thickness));
    let above = block.map(|(block, bed)| [micron(block), micron(bed)]);
    let z = focus.on_surface(thickness).map(micron);
    (z.is_some() || above.is_some())
        .then_some(FocusJson { z_mm: z, above_surface_and_bed_mm: above })
}

/// What the positions of the turning axis are counted on.
fn turning(made: &Made) -> Option<&'static str> {
    let hold = made.job.round.as_ref()?.hold;
    Some(match hold {
        Hold::Chuck => "object",
        Hold::Rollers => "rollers",
    })
}

/// What turns, and how the surface lies to the focus.
fn rotary(made: &Made) -> Option<RotaryJson> {
    let planned = made.compiled.within.planned();
    let (frame, burnt) = (planned.segments().frame(), planned.totals.burnt?);
    let defocus = defocus(planned)?;
    let words = frame.rect(burnt);
    Some(RotaryJson {
        axis: char::from(frame.letters()[1]).to_string(),
        of: turning(made)?,
        turned: [micron(words.y0), micron(words.y1)],
        surface_changes_height_mm: micron(defocus.height),
        best_focus_below_thickest_mm: micron(defocus.best_below),
        steepest_deg: micron(defocus.slope.to_degrees()),
    })
}

/// Different values, in turn.
fn list(values: impl Iterator<Item = String>) -> String {
    let mut values: Vec<String> = values.collect();
    values.dedup();
    values.join(", ")
}

/// What was measured at two values of S, and its unit; `None` where the source was not measured.
fn reading(made: &Made, low: f64, high: f64) -> Option<([f64; 2], &'static str)> {
    let beam = &made.job.machine.beam;
    let table = beam.table.as_ref()?;
    let (low, unit) = table.reading(low / beam.full)?;
    Some(([low, table.reading(high / beam.full)?.0], unit))
}

fn range(low: f64, high: f64) -> String {
    let (low, high) = (plain(low, 1), plain(high, 1));
    if low == high { low } else { format!("{low} to {high}") }
}

/// Energy of a step for people.
fn energy(planned: &Planned, step: usize) -> String {
    match (planned.energy_per_mm2(step), planned.totals.steps[step].energy_per_mm()) {
        (Some(area), _) => format!("{} J/mm2", plain(area, 3)),
        (None, Some(line)) => format!("{} J/mm", plain(line, 3)),
        (None, None) => String::new(),
    }
}

/// What people read of one step.
pub struct StepRow {
    /// Which step of the job, counted from 0.
    pub number: usize,
    /// Its name in the job.
    pub name: String,
    /// What it makes: cut, score, engrave.
    pub make: String,
    /// How many shapes it takes.
    pub shapes: usize,
    /// How many lines it burns.
    pub lines: usize,
    /// How often.
    pub passes: usize,
    /// How fast, in words.
    pub speed: String,
    /// How strong, in words.
    pub power: String,
    /// What was measured at that power, in words, and its unit, mA or W; `None` where the source was not measured.
    pub reading: Option<(String, &'static str)>,
    /// The S values, in words.
    pub s: String,
    /// What it burns, mm.
    pub burn_mm: f64,
    /// What it travels dark, mm.
    pub travel_mm: f64,
    /// How long it takes, s.
    pub seconds: f64,
    /// The recipe that it uses.
    pub recipe: Option<String>,
}

/// Every step that is made; speeds and spacings in this unit.
pub fn rows(made: &Made, unit: LengthUnit) -> Vec<StepRow> {
    let planned = made.compiled.within.planned();
    let one = |number: &usize| {
        let (step, sums) = (&made.job.steps[*number], &planned.totals.steps[*number]);
        let (low, high) = sums.s.unwrap_or_default();
        let full = made.job.machine.beam.full;
        StepRow {
            number: *number,
            name: step.name.clone(),
            make: match step.operation.engrave() {
                Some(engrave) => format!("engrave, {} apart", unit.length(engrave.spacing(), 3)),
                None => step.operation.name().to_string(),
            },
            shapes: made.compiled.taken[*number].count(),
            lines: planned.lines(*number),
            passes: step.passes.len(),
            speed: list(step.passes.iter().map(|pass| unit.number(pass.speed.0, 2))),
            power: range(low / full * 100.0, high / full * 100.0),
            reading: reading(made, low, high)
                .map(|([least, most], unit)| (range(least, most), unit)),
            s: range(low, high),
            burn_mm: sums.burn,
            travel_mm: sums.travel,
            seconds: sums.seconds,
            recipe: step.recipe.as_ref().map(|used| used.title.clone()),
        }
    };
    made.compiled.steps.iter().map(one).collect()
}

/// How the focus comes onto the stock, in words; `None` where it is not known.
pub fn focus_words(made: &Made, unit: LengthUnit) -> Option<String> {
    let FocusJson { z_mm, above_surface_and_bed_mm } = focus(made)?;
    let z = z_mm.map(|z| format!("Z at {} on the machine's axis", unit.length(z, 3)));
    let above = above_surface_and_bed_mm.map(|[surface, bed]| {
        let (surface, bed) = (unit.length(surface, 3), unit.length(bed, 3));
        format!("the head {surface} above the surface, {bed} above the bed")
    });
    let told: Vec<String> = [z, above].into_iter().flatten().collect();
    Some(told.join("; "))
}

/// The plan for people.
pub fn text(made: &Made, unit: LengthUnit) -> String {
    let planned = made.compiled.within.planned();
    let totals = &planned.totals;
    let mut out = format!("{} on {}\n", made.job.name, made.job.machine.name);
    let symbol = unit.symbol();
    let rows = rows(made, unit);
    let read = rows.iter().find_map(|row| row.reading.as_ref().map(|(_, unit)| *unit));
    // A table is to fit beside itself: a dash takes three signs less than a word.
    let short = |range: String| range.replace(" to ", "-");
    let rows = rows.into_iter().map(|row| {
        let mut cells = vec![
            (row.number + 1).to_string(),
            row.name,
            row.make,
            row.shapes.to_string(),
            row.lines.to_string(),
            row.passes.to_string(),
            row.speed,
            short(row.power),
            short(row.s),
            unit.number(row.burn_mm, 0),
            unit.number(row.travel_mm, 0),
            clock(row.seconds),
        ];
        if read.is_some() {
            cells.insert(8, short(row.reading.map_or(String::new(), |(text, _)| text)));
        }
        cells
    });
    let measured = totals.steps.iter().any(|step| step.energy.is_some());
    let mut rows: Vec<Vec<String>> = rows.collect();
    for (row, number) in rows.iter_mut().zip(&made.compiled.steps).filter(|_| measured) {
        row.push(energy(planned, *number));
    }
    let (speeds, burnt) = (format!("{symbol}/s"), format!("burn {symbol}"));
    let travelled = format!("travel {symbol}");
    let mut header = vec![
        "", "step", "make", "shapes", "lines", "passes", &speeds, "power %", "S", &burnt,
        &travelled, "time",
    ];
    if let Some(unit) = read {
        header.insert(8, unit);
    }
    header.extend(measured.then_some("energy"));
    let numbers: Vec<usize> = (3..header.len()).collect();
    let _ = writeln!(out, "\n{}\n", table(&header, rows, &numbers));
    let frame = made.compiled.within.planned().segments().frame();
    if let Some(burnt) = totals.burnt {
        let _ = writeln!(
            out,
            "  burns    {}{}, {} x {}, from {}",
            frame.span(burnt, 2, unit),
            if turning(made) == Some("rollers") { " of the rollers" } else { "" },
            unit.number(burnt.width(), 2),
            unit.length(burnt.height(), 2),
            made.job.placement.zero.words()
        );
    }
    if let Some(worked) = totals.worked.filter(|worked| Some(*worked) != totals.burnt) {
        let _ = writeln!(out, "  run-up   {}", frame.span(worked, 2, unit));
    }
    let _ = writeln!(
        out,
        "  in all   {} burnt, {} of travel, about {}",
        unit.length(totals.burn(), 0),
        unit.length(totals.travel(), 0),
        clock(totals.seconds())
    );
    for set in &made.job.set {
        let _ = writeln!(out, "  set      {set}");
    }
    for step in made.compiled.steps.iter().map(|number| &made.job.steps[*number]) {
        if let Some(used) = &step.recipe {
            let _ = writeln!(out, "  recipe   {}: {used}", step.name);
        }
    }
    if let Some(focus) = focus_words(made, unit) {
        let _ = writeln!(out, "  focus    {focus}");
    }
    out
}
