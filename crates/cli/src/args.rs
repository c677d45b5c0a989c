//! What can be typed.

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// From colour-layered artwork to a finished run on the laser.
///
/// A job file says what each colour of a drawing is: cut, score, engrave. `tinkite begin
/// drawing.svg` writes one to start from; `tinkite demo` shows everything once.
#[derive(Debug, Parser)]
#[command(name = "tinkite", version, max_term_width = 100)]
pub(crate) struct Args {
    #[command(subcommand)]
    pub(crate) command: Command,
    #[command(flatten)]
    pub(crate) common: Common,
}

/// Options of every command.
#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct Common {
    /// Report as JSON on standard output
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Say nothing but results and problems
    #[arg(long, short, global = true)]
    pub(crate) quiet: bool,
    /// Also tell what was read, found and decided, and everything that a problem is about
    #[arg(long, global = true, conflicts_with = "quiet")]
    pub(crate) verbose: bool,
    /// Colours on the terminal
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) colour: When,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum When {
    /// Where the terminal has them
    Auto,
    /// Also into files and pipes
    Always,
    /// Never
    Never,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Everything once, on the workshop's own sail panel: look, plan, draw, emit, run
    Demo(Demo),
    /// What is in a drawing: true size, layers by colour, trouble
    Look(Look),
    /// Write a job file to start from, one step per colour
    Begin(Begin),
    /// Everything that is wrong or doubtful with a job, and nothing else
    Check(Check),
    /// What a job will do: steps, lengths, times, extents, doubts
    Plan(Plan),
    /// Draw a job or a machine program on its bed (.svg or .png), or play a job (.gif)
    Draw(Draw),
    /// A photo of the bed, made flat and true to size, with rulers to read places from
    Photo(Photo),
    /// Everything that a job is made of in one file, which every command takes as the job
    Bundle(Bundle),
    /// Write the machine program
    Emit(Emit),
    /// Explain and measure a machine program from anywhere
    Read(Read),
    /// Stream a job or program to the controller
    Run(Run),
    /// Machine profiles: list, show, new, check, measure
    Machine {
        #[command(subcommand)]
        command: MachineCommand,
    },
    /// Lead the head round a job before anything burns, beam off or with the pointer
    Edge(Edge),
    /// The head by hand: a panel in the terminal, and single calls
    #[command(args_conflicts_with_subcommands = true)]
    Head {
        #[command(subcommand)]
        command: Option<HeadCommand>,
        #[command(flatten)]
        panel: HeadPanel,
    },
    /// Past runs: list, show, note, find, export, import
    Log {
        #[command(subcommand)]
        command: LogCommand,
    },
    /// The book of settings by material: list, show, keep, copy, drop, print
    Recipe {
        #[command(subcommand)]
        command: RecipeCommand,
    },
    /// Test sheets: make one, keep its best square as a recipe
    Swatch {
        #[command(subcommand)]
        command: SwatchCommand,
    },
    /// A simulated controller, on TCP or a pseudo-terminal
    Rig(Rig),
    /// Shell completions
    Completions(Completions),
    /// Manual pages
    Man(Man),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Demo {
    /// Folder for the demo's files [default: tinkite-demo, or the next free number]
    pub(crate) dir: Option<PathBuf>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Look {
    /// Drawings, bitmaps, solids (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, STL); - is standard input
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Measure one shape: its id, or a point near its line like "20 mm, 35 mm"
    #[arg(long, value_name = "ID|POINT")]
    pub(crate) measure: Option<String>,
    /// Which page of a PDF, from 1
    #[arg(long, value_name = "PAGE", default_value = "1")]
    pub(crate) page: u32,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Begin {
    /// The drawings or bitmaps (SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF), laid side by side
    #[arg(required = true, value_name = "ART")]
    pub(crate) files: Vec<PathBuf>,
    /// Where to write the job [default: beside the drawing, as NAME.kite.toml]
    #[arg(long, short, value_name = "JOB")]
    pub(crate) output: Option<PathBuf>,
    /// The machine it is for: a profile's name or path
    #[arg(long, value_name = "MACHINE", default_value = "bench-laser")]
    pub(crate) machine: String,
    /// How wide the drawing is made [default: its true size, or what fits the bed]
    #[arg(long, value_name = "LENGTH", value_parser = length, conflicts_with = "height")]
    pub(crate) width: Option<f64>,
    /// How high it is made
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) height: Option<f64>,
    /// Where its lower left corner lies, from the front left corner of the bed
    #[arg(long, value_name = "X,Y", value_parser = place, allow_hyphen_values = true)]
    pub(crate) at: Option<[f64; 2]>,
    /// At most so many steps, where colours near each other can be gathered
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1000))]
    pub(crate) steps: Option<u16>,
    /// What it is made of: recipes for that are used, where a book has them
    #[arg(long, value_name = "TEXT")]
    pub(crate) material: Option<String>,
    /// How thick it is
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

/// What may happen to a file that is already there.
#[derive(Debug, Clone, Copy, ClapArgs)]
pub(crate) struct Writing {
    /// Overwrite a file that is already there
    #[arg(long, conflicts_with = "number")]
    pub(crate) force: bool,
    /// Add the next free number to the name instead
    #[arg(long)]
    pub(crate) number: bool,
}

/// Which job, and what of it.
#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct JobArgs {
    /// The job file
    pub(crate) job: PathBuf,
    /// Use this machine instead of the job's: a profile's name or path
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    #[command(flatten)]
    pub(crate) part: Part,
}

impl JobArgs {
    /// All of a job, as its file says it.
    pub(crate) fn whole(job: PathBuf, machine: Option<String>) -> Self {
        Self { job, machine, part: Part::default() }
    }
}

/// What of a job is made, and what of it is changed for this call.
#[derive(Debug, Clone, Default, PartialEq, ClapArgs, Serialize, Deserialize)]
#[serde(default)]
pub(crate) struct Part {
    /// Only this step of a job (may be repeated)
    #[arg(long, value_name = "STEP")]
    pub(crate) only: Vec<String>,
    /// Not this step of a job (may be repeated)
    #[arg(long, value_name = "STEP")]
    pub(crate) skip: Vec<String>,
    /// Which sheet, when copies take several
    #[arg(long, value_name = "NUMBER")]
    pub(crate) sheet: Option<u32>,
    /// Change a value of the job for this call: 'steps.outline.power="55 %"' (may be repeated)
    #[arg(long, value_name = "KEY=VALUE")]
    pub(crate) set: Vec<String>,
}

impl Part {
    /// Whether it is the job as its file says it.
    pub(crate) fn is_whole(&self) -> bool {
        *self == Self::default()
    }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Check {
    /// The job file
    #[arg(required_unless_present = "explain")]
    pub(crate) job: Option<PathBuf>,
    /// Use this machine instead of the job's
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    /// Change a value of the job for this call: 'steps.outline.power="55 %"' (may be repeated)
    #[arg(long, value_name = "KEY=VALUE", conflicts_with = "explain")]
    pub(crate) set: Vec<String>,
    /// Explain a problem code
    #[arg(long, value_name = "CODE", conflicts_with = "job")]
    pub(crate) explain: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Plan {
    #[command(flatten)]
    pub(crate) job: JobArgs,
}

#[derive(Debug, ClapArgs)]
#[command(mut_arg("job", |job| {
    job.value_name("JOB|PROGRAM").help("A job file (.toml) or a machine program; that needs --machine")
}))]
pub(crate) struct Draw {
    #[command(flatten)]
    pub(crate) job: JobArgs,
    /// The picture; its ending says the kind: .svg, .png, .gif for playback, .html for a job sheet
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Size of the picture in pixels
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = canvas)]
    pub(crate) size: (u32, u32),
    /// Ring and number every place where something is wrong or doubtful; takes a drawing as well
    #[arg(long, conflicts_with_all = ["show", "window"])]
    pub(crate) trouble: bool,
    /// Let colours stand for this along the lines, in place of steps
    #[arg(long, value_name = "WHAT")]
    pub(crate) show: Option<ShowArg>,
    /// Only this part of the bed, from corner to corner on the machine's axes in mm
    #[arg(long, value_name = "X,Y,X,Y", value_parser = window, allow_hyphen_values = true)]
    pub(crate) window: Option<[f64; 4]>,
    /// How long a playback (.gif) takes, s
    #[arg(long, value_name = "SECONDS", default_value_t = 12.0, value_parser = playback_seconds)]
    pub(crate) play: f64,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Bundle {
    /// The job file
    pub(crate) job: PathBuf,
    /// Where to write it [default: beside the job, as NAME.kite.zip]
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Photo {
    /// The photo (PNG, JPEG, BMP, GIF, TIFF), or a job with [photo]
    pub(crate) picture: PathBuf,
    /// A place on the photo (pixels from its upper left corner) and on the machine's axes (mm): "112,1290 = 0,0"; at
    /// least four
    #[arg(long = "place", value_name = "PX,PY = X,Y", value_parser = photo_place, allow_hyphen_values = true)]
    pub(crate) places: Vec<[f64; 4]>,
    /// The machine whose bed it shows: a profile's name or path
    #[arg(long, value_name = "NAME|PATH")]
    pub(crate) machine: Option<String>,
    /// The picture; its ending says the kind: .svg or .png
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Size of the picture in pixels
    #[arg(long, value_name = "WxH", default_value = "1280x800", value_parser = canvas)]
    pub(crate) size: (u32, u32),
    /// Only this part of the bed, from corner to corner on the machine's axes in mm
    #[arg(long, value_name = "X,Y,X,Y", value_parser = window, allow_hyphen_values = true)]
    pub(crate) window: Option<[f64; 4]>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

fn photo_place(text: &str) -> Result<[f64; 4], String> {
    let wrong = || {
        "write the place on the photo in pixels and on the bed in mm: \"112,1290 = 0,0\""
            .to_string()
    };
    let (on_photo, on_bed) = text.split_once('=').ok_or_else(wrong)?;
    let pixels: Vec<f64> = on_photo.split(',').filter_map(|p| p.trim().parse().ok()).collect();
    let [px, py] = <[f64; 2]>::try_from(pixels).map_err(|_| wrong())?;
    let [x, y] = place(on_bed).map_err(|_| wrong())?;
    let all = [px, py, x, y];
    if all.iter().all(|v| v.is_finite() && v.abs() < 1e6) { Ok(all) } else { Err(wrong()) }
}

/// What colours stand for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum ShowArg {
    /// Power along the line
    Power,
    /// Speed along the line
    Speed,
    /// Which path comes first
    Order,
    /// When it is burnt
    Time,
    /// The finished surface of a relief, shaded, with a section
    Depth,
    /// Engraved pictures as they will look on the stock, beside their sources
    Tones,
}

/// Two lengths with a comma between them; numbers alone are mm.
fn place(text: &str) -> Result<[f64; 2], String> {
    let (x, y) =
        text.split_once(',').ok_or("two lengths with a comma between, \"100 mm, 50 mm\"")?;
    Ok([signed_length(x)?, signed_length(y)?])
}

fn window(text: &str) -> Result<[f64; 4], String> {
    let parts: Vec<f64> = text.split(',').filter_map(|p| p.trim().parse().ok()).collect();
    match <[f64; 4]>::try_from(parts) {
        Ok(w) if w.iter().all(|v| v.is_finite() && v.abs() < 1e6) && w[0] < w[2] && w[1] < w[3] => {
            Ok(w)
        }
        _ => Err("write two corners in mm, lower left and upper right: 10,10,60,40".into()),
    }
}

/// A length above zero, with its unit, in mm.
fn length(text: &str) -> Result<f64, String> {
    match tinkite_core::quantity::parse::<tinkite_core::quantity::Length>(text) {
        Ok(length) if length.0 > 0.0 => Ok(length.0),
        Ok(_) => Err("a length above zero is wanted".into()),
        Err(error) => Err(format!("{}; {}", error.message, error.help)),
    }
}

fn playback_seconds(text: &str) -> Result<f64, String> {
    match text.trim_end_matches('s').trim().parse::<f64>() {
        Ok(seconds) if (1.0..=120.0).contains(&seconds) => Ok(seconds),
        _ => Err("write seconds from 1 to 120".into()),
    }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Emit {
    #[command(flatten)]
    pub(crate) job: JobArgs,
    /// Where to write the program; - is standard output [default: beside the job, as NAME.nc]
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Without comments
    #[arg(long)]
    pub(crate) terse: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Read {
    /// The program; - is standard input
    pub(crate) program: PathBuf,
    /// Check it against this machine: a profile's name or path
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    /// Where the program's zero lies on the bed, from the machine's own: "100 mm, 50 mm"
    #[arg(long, value_name = "X,Y", value_parser = place, allow_hyphen_values = true, requires = "machine")]
    pub(crate) zero: Option<[f64; 2]>,
    /// Diameter of what the rotary turns, so that ways round it count
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// Print every line with what it does, in plain words
    #[arg(long, conflicts_with = "json")]
    pub(crate) explain: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Run {
    /// A job file (.toml) or a machine program
    #[arg(value_name = "JOB|PROGRAM", required_unless_present_any = ["go_on", "again"])]
    pub(crate) file: Option<PathBuf>,
    /// Finish a run that broke off: nothing twice, nothing left out [default: the last run]
    #[arg(long, value_name = "RUN", num_args = 0..=1, conflicts_with_all = ["again", "from_line", "only", "skip", "sheet", "set", "machine", "diameter"])]
    pub(crate) go_on: Option<Option<i64>>,
    /// With --go-on, when the place is not certain: where to begin
    #[arg(long, value_name = "WHERE", requires = "go_on")]
    pub(crate) from: Option<From>,
    /// With --go-on, or a try on the same spot: the machine's position is right, though the controller cannot
    /// know it
    #[arg(long)]
    pub(crate) in_place: bool,
    /// The same program once more, as it was sent then [default: the last run]; with --only, --skip or --set
    /// its job on the same spot, a try of the same series
    #[arg(long, value_name = "RUN", num_args = 0..=1, conflicts_with_all = ["file", "from_line", "sheet", "machine", "diameter"])]
    pub(crate) again: Option<Option<i64>>,
    /// Begin in this line of the program, with everything set up that comes before
    #[arg(long, value_name = "LINE", value_parser = clap::value_parser!(u32).range(1..))]
    pub(crate) from_line: Option<u32>,
    /// Accept a danger that the machine's profile does not
    #[arg(long, value_name = "DANGER")]
    pub(crate) accept: Vec<Danger>,
    /// Something to remember of this run
    #[arg(long, value_name = "TEXT")]
    pub(crate) note: Option<String>,
    /// Everything on the machine's checklist is so
    #[arg(long)]
    pub(crate) confirmed: bool,
    /// A line every few seconds in place of the screen with its keys
    #[arg(long)]
    pub(crate) plain: bool,
    #[command(flatten)]
    pub(crate) log: LogFile,
    /// Copy the program to a card in place of running it: checked, read back, and on the card when that is said
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["to", "go_on", "again", "from_line", "note", "picture", "plain", "confirmed", "accept"])]
    pub(crate) card: Option<PathBuf>,
    /// Where the controller is: rig:, tcp:HOST:PORT, serial:PORT@BAUD [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
    /// Use this machine instead of the job's; a program needs one to be held against
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    #[command(flatten)]
    pub(crate) part: Part,
    /// Diameter of what the rotary turns, for a program that turns it
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// A picture of what was burnt and what is left (.svg or .png); with rig: of what its beam did
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

impl Run {
    /// Of a job or program, without options.
    pub(crate) fn of(file: Option<PathBuf>, to: Option<String>) -> Self {
        Self {
            file,
            go_on: None,
            from: None,
            in_place: false,
            again: None,
            from_line: None,
            accept: Vec::new(),
            note: None,
            confirmed: false,
            plain: false,
            card: None,
            log: LogFile { path: None },
            to,
            machine: None,
            part: Part::default(),
            diameter: None,
            picture: None,
            writing: Writing { force: false, number: false },
        }
    }
}

/// What can be accepted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Danger {
    /// A beam that burns on where the head stands, when lines stop coming
    ConstantPower,
}

/// Where an uncertain rest begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum From {
    /// Where the head was seen last: the stretch may be burnt twice
    LastSeen,
    /// Behind the last line that was sent: the stretch may be left out
    LastSent,
}

/// Where runs are written down.
#[derive(Debug, Clone, ClapArgs)]
pub(crate) struct LogFile {
    /// The log of runs [default: TINKITE_LOG, config.toml, or runs.sqlite in your data folder]
    #[arg(long = "log", value_name = "FILE")]
    pub(crate) path: Option<PathBuf>,
}

#[derive(Debug, Subcommand)]
pub(crate) enum RecipeCommand {
    /// Recipes that are to be had here
    List(RecipeList),
    /// One recipe: its settings, its book, how often it worked
    Show(RecipeShow),
    /// The settings of a job's step become a recipe
    Keep(RecipeKeep),
    /// Work a recipe out for another thickness, machine or material: a guess to try
    Copy(RecipeCopy),
    /// Take a recipe out of its book
    Drop(RecipeDrop),
    /// A sheet to hang at the machine (.html, .svg or .png)
    Print(RecipePrint),
}

/// Which recipes are meant.
#[derive(Debug, Clone, Default, ClapArgs)]
pub(crate) struct RecipeFilter {
    /// For this material
    #[arg(long, value_name = "TEXT")]
    pub(crate) material: Option<String>,
    /// For this thickness
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// Found on this machine
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    /// With this lens
    #[arg(long, value_name = "LENS")]
    pub(crate) lens: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeList {
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeShow {
    /// cut, score, engrave, or its own name
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeDrop {
    /// cut, score, engrave, or its own name
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// Of this book [default: wherever there is only one]
    #[arg(long, value_name = "FILE")]
    pub(crate) book: Option<PathBuf>,
}

/// Where a recipe is kept, and as what.
#[derive(Debug, Clone, Default, ClapArgs)]
pub(crate) struct RecipeKept {
    /// A name of its own, for a second recipe of the same make
    #[arg(long, value_name = "NAME")]
    pub(crate) name: Option<String>,
    /// For people
    #[arg(long, value_name = "TEXT")]
    pub(crate) note: Option<String>,
    /// The book [default: TINKITE_BOOK, config.toml, or my.recipes.toml in your own folder]
    #[arg(long, value_name = "FILE")]
    pub(crate) book: Option<PathBuf>,
    /// Put it in the place of a recipe for the same
    #[arg(long)]
    pub(crate) replace: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeKeep {
    /// The job
    pub(crate) job: PathBuf,
    /// Its step
    pub(crate) step: String,
    /// The material [default: the job's]
    #[arg(long = "as", value_name = "MATERIAL")]
    pub(crate) material: Option<String>,
    /// The thickness [default: that of the job's stock]
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// For every machine, not only the job's
    #[arg(long)]
    pub(crate) any_machine: bool,
    /// Where it comes from, in words [default: job and step]
    #[arg(long, value_name = "TEXT")]
    pub(crate) from: Option<String>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipeCopy {
    /// cut, score, engrave, or its own name
    pub(crate) recipe: String,
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// For this thickness
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) to_thickness: Option<f64>,
    /// For this machine
    #[arg(long, value_name = "MACHINE")]
    pub(crate) to_machine: Option<String>,
    /// For this material, with the same energy
    #[arg(long, value_name = "TEXT")]
    pub(crate) to_material: Option<String>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct RecipePrint {
    #[command(flatten)]
    pub(crate) filter: RecipeFilter,
    /// Where to (.html, .svg or .png)
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// Also the values to start from that ship with the tool
    #[arg(long)]
    pub(crate) start: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, Subcommand)]
pub(crate) enum SwatchCommand {
    /// Write a job that is a test sheet
    Make(SwatchMake),
    /// Measure a scan or photo of the burnt sheet: how dark each square is
    Read(SwatchRead),
    /// A square becomes a recipe; of a comb the kerf, of a wedge its tone curve
    Keep(SwatchKeep),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchRead {
    /// The test sheet's job
    pub(crate) job: PathBuf,
    /// The scan or photo: any way up, in even light, with all four corner marks
    pub(crate) picture: PathBuf,
    /// Name the square nearest to this darkness, like "60 %"
    #[arg(long, value_name = "PERCENT")]
    pub(crate) darkness: Option<String>,
    /// Draw the chart (.svg or .png)
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchMake {
    /// What for: grid, greys (a wedge for pictures), focus, offset (rows that are walked back), kerf (a comb)
    #[arg(long, value_name = "KIND", default_value = "grid", value_parser = ["grid", "greys", "focus", "offset", "kerf"])]
    pub(crate) kind: String,
    /// What the squares are: cut, score or engrave
    #[arg(long, value_name = "MAKE")]
    pub(crate) make: Option<String>,
    /// One power, or a first and a last: "10..60 %"
    #[arg(long, value_name = "POWER")]
    pub(crate) power: Option<String>,
    /// One speed, or "50..300 mm/s"
    #[arg(long, value_name = "SPEED")]
    pub(crate) speed: Option<String>,
    /// One height of the focus, or "-2..2 mm"
    #[arg(long, value_name = "LENGTH", allow_hyphen_values = true)]
    pub(crate) focus: Option<String>,
    /// With --kind focus: the stock leans over this length, so that the head stays at one height
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) ramp: Option<f64>,
    /// A picture in each square, engraved in greys
    #[arg(long, value_name = "PICTURE")]
    pub(crate) picture: Option<PathBuf>,
    /// One spacing of engraved lines, or "0.05..0.2 mm"
    #[arg(long, value_name = "LENGTH")]
    pub(crate) spacing: Option<String>,
    /// One offset of lines that are walked back, or "-0.2..0.2 mm"
    #[arg(long, value_name = "LENGTH", allow_hyphen_values = true)]
    pub(crate) offset: Option<String>,
    /// How many squares across
    #[arg(long, value_name = "COUNT", default_value_t = 6, value_parser = clap::value_parser!(u16).range(1..=100))]
    pub(crate) across: u16,
    /// How many down
    #[arg(long, value_name = "COUNT", default_value_t = 5, value_parser = clap::value_parser!(u16).range(1..=100))]
    pub(crate) down: u16,
    /// What the stock is
    #[arg(long, value_name = "TEXT", default_value = "scrap")]
    pub(crate) material: String,
    /// How thick it is
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// The machine it is for: a profile's name or path
    #[arg(long, value_name = "MACHINE", default_value = "bench-laser")]
    pub(crate) machine: String,
    /// The date on it [default: today]
    #[arg(long, value_name = "TEXT")]
    pub(crate) date: Option<String>,
    /// Where to write the job [default: swatch.kite.toml]
    #[arg(long, short, value_name = "JOB")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct SwatchKeep {
    /// The test sheet's job
    pub(crate) job: PathBuf,
    /// Its square, like C4; a comb has none
    pub(crate) cell: Option<String>,
    /// The material [default: the job's]
    #[arg(long = "as", value_name = "MATERIAL")]
    pub(crate) material: Option<String>,
    /// The thickness [default: that of the job's stock]
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// For every machine, not only the job's
    #[arg(long)]
    pub(crate) any_machine: bool,
    /// Of a comb: the width of all its parts, pushed together
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) measured: Option<f64>,
    /// How far that may be off
    #[arg(long, value_name = "LENGTH", value_parser = length, default_value = "0.05 mm")]
    pub(crate) within: f64,
    /// Of a wedge of greys: its scan, from which the tone curve of the recipe follows
    #[arg(long, value_name = "PICTURE")]
    pub(crate) scan: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) kept: RecipeKept,
}

#[derive(Debug, Subcommand)]
pub(crate) enum LogCommand {
    /// The last runs, the latest first
    List(LogList),
    /// One run: how it went, where it stands
    Show(LogShow),
    /// Remember something of a run, or how one of its steps went
    Note(LogNote),
    /// What was tried on a material, and how it went
    Find(LogFind),
    /// Write all runs as JSON lines, to carry them to another computer at the same machine
    Export(LogExport),
    /// Take in the runs of another log, as export wrote them: what is here already is not doubled
    Import(LogImport),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogExport {
    /// Where to write them; - is standard output
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// With the programs, so that runs can be repeated and gone on with there
    #[arg(long)]
    pub(crate) programs: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogImport {
    /// What export wrote; - is standard input
    pub(crate) file: PathBuf,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogFind {
    /// On this material
    #[arg(long, value_name = "TEXT")]
    pub(crate) material: String,
    /// Of this thickness: what is nearest to it comes first
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) thickness: Option<f64>,
    /// Only cut, score or engrave
    #[arg(long, value_name = "MAKE", value_parser = ["cut", "score", "engrave"])]
    pub(crate) make: Option<String>,
    /// Only on this machine, as log list names it
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    /// How many are listed; --draw and --json have all
    #[arg(long, value_name = "COUNT", default_value_t = 40)]
    pub(crate) first: usize,
    /// Draw power against speed with how each went (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogList {
    /// How many
    #[arg(long, value_name = "COUNT", default_value_t = 20)]
    pub(crate) last: u32,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogShow {
    /// Its number [default: the last]
    #[arg(value_name = "RUN")]
    pub(crate) run: Option<i64>,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct LogNote {
    /// Its number
    #[arg(value_name = "RUN")]
    pub(crate) run: i64,
    /// What to remember
    pub(crate) text: Option<String>,
    /// Of this step [default: the only one]
    #[arg(long, value_name = "STEP")]
    pub(crate) step: Option<String>,
    /// How it went; it counts for the recipe that was used unchanged
    #[arg(long, value_name = "RESULT")]
    pub(crate) result: Option<crate::log::Outcome>,
    #[command(flatten)]
    pub(crate) log: LogFile,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Rig {
    /// Listen on this address
    #[arg(
        long,
        value_name = "HOST:PORT",
        default_value = "127.0.0.1:2323",
        conflicts_with = "pty"
    )]
    pub(crate) tcp: String,
    /// Open a pseudo-terminal instead, which programs use like a serial port
    #[arg(long)]
    pub(crate) pty: bool,
    /// Speed of the serial line that the pseudo-terminal stands for; left out: no limit
    #[arg(long, value_name = "BAUD", requires = "pty", value_parser = clap::value_parser!(u32).range(300..=4_000_000))]
    pub(crate) baud: Option<u32>,
    /// How simulated time goes: real, a number of times as fast, or max
    #[arg(long, value_name = "real|N|max", default_value = "real")]
    pub(crate) pace: String,
    /// The machine it pretends to be
    #[arg(long, value_name = "MACHINE", default_value = "bench-laser")]
    pub(crate) machine: String,
    /// Put something round of this diameter into its rotary
    #[arg(long, value_name = "LENGTH", value_parser = length)]
    pub(crate) diameter: Option<f64>,
    /// Where its head stands, mm from the front left corner of the bed
    #[arg(long, value_name = "X,Y", value_parser = place)]
    pub(crate) head: Option<[f64; 2]>,
    /// Where its zero on the stock is set, mm from the same corner
    #[arg(long, value_name = "X,Y", value_parser = place)]
    pub(crate) zero: Option<[f64; 2]>,
    /// Where its Z stands when a probe on its head touches the stock, mm on the machine's axis
    #[arg(long, value_name = "Z", allow_negative_numbers = true, value_parser = signed_length)]
    pub(crate) surface: Option<f64>,
    /// Locked by an alarm, until it is homed or unlocked
    #[arg(long)]
    pub(crate) locked: bool,
    /// Misbehave: a seed, faults by name, or both (7,drop,reset)
    #[arg(long, value_name = "SEED|FAULTS")]
    pub(crate) trouble: Option<String>,
    /// End when the first client goes away
    #[arg(long)]
    pub(crate) once: bool,
    /// At the end, draw what was burnt (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) picture: Option<PathBuf>,
    /// At the end, write what the beam did as JSON
    #[arg(long, value_name = "FILE")]
    pub(crate) record: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, Subcommand)]
pub(crate) enum MachineCommand {
    /// Every profile that can be named from here
    List,
    /// What a profile says, and where it was found
    Show(MachineShow),
    /// Write a profile to start from, like a shipped one; asks when nothing is said
    New(Box<MachineNew>),
    /// Hold a profile against the controller that is connected
    Check(MachineCheck),
    /// Put what was read at the meters, or what the log knows of times, into a profile
    Measure(MachineMeasure),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineShow {
    /// A profile's name or path
    pub(crate) name: String,
    /// From percent to S, level, duty, volts, mA and W
    #[arg(long)]
    pub(crate) power: bool,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineNew {
    /// What jobs will call it: NAME.machine.toml is written
    pub(crate) name: String,
    /// The profile to start from [default: bench-laser; printer-laser for the reprap dialect]
    #[arg(long, value_name = "MACHINE")]
    pub(crate) like: Option<String>,
    /// Read speeds, accelerations, travel, S and laser mode from the controller there
    #[arg(long, value_name = "LINK")]
    pub(crate) from: Option<String>,
    /// What people call it
    #[arg(long, value_name = "TEXT")]
    pub(crate) title: Option<String>,
    /// Width of the bed
    #[arg(long, value_name = "LENGTH")]
    pub(crate) width: Option<String>,
    /// Depth of the bed
    #[arg(long, value_name = "LENGTH")]
    pub(crate) depth: Option<String>,
    /// Where it counts from: a corner, or centre
    #[arg(long, value_name = "CORNER")]
    pub(crate) origin: Option<String>,
    /// Which way X counts, seen from the front
    #[arg(long, value_name = "WHERETO")]
    pub(crate) x: Option<Whereto>,
    /// Which way Y counts
    #[arg(long, value_name = "WHERETO")]
    pub(crate) y: Option<Whereto>,
    /// Top speed of X and Y
    #[arg(long, value_name = "SPEED")]
    pub(crate) speed: Option<String>,
    /// Acceleration of X and Y
    #[arg(long, value_name = "ACCELERATION")]
    pub(crate) acceleration: Option<String>,
    /// The S value that means 100 %
    #[arg(long, value_name = "S")]
    pub(crate) full: Option<f64>,
    /// Most power it may be given: in %, or in mA or W where the source was measured
    #[arg(long, value_name = "POWER")]
    pub(crate) ceiling: Option<String>,
    /// Where its controller is: tcp:HOST:PORT, serial:PORT@BAUD
    #[arg(long, value_name = "LINK")]
    pub(crate) link: Option<String>,
    /// How it is spoken to: grbl, ngc, reprap
    #[arg(long, value_name = "DIALECT")]
    pub(crate) dialect: Option<String>,
    /// Write it into your own folder, where every job finds it
    #[arg(long)]
    pub(crate) own: bool,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

/// Where an axis counts to, seen from the front.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Whereto {
    Right,
    Left,
    /// From you
    Away,
    /// To you
    Towards,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineCheck {
    /// A profile's name or path
    pub(crate) name: String,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Edge {
    #[command(flatten)]
    pub(crate) job: JobArgs,
    /// What the head is led round
    #[arg(long, value_name = "SHAPE", default_value = "box")]
    pub(crate) shape: EdgeShape,
    /// How often [default: until a key is pressed; once where there is no terminal]
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=100))]
    pub(crate) times: Option<u32>,
    /// With the pointer lit ([beam] pointer), which goes out where the head stands
    #[arg(long)]
    pub(crate) pointer: bool,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    /// Where the controller is [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

/// A shape round everything that a job burns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum EdgeShape {
    /// The rectangle
    Box,
    /// The convex hull
    Hull,
    /// The outermost lines themselves
    Outline,
}

#[derive(Debug, Subcommand)]
pub(crate) enum HeadCommand {
    /// Where the head is, where the zero on the stock lies, and how the controller stands
    Where(HeadCall),
    /// Let the controller look for its own zero
    Home(HeadCall),
    /// Unlock a controller that an alarm has locked; its position may be lost
    Unlock(HeadCall),
    /// Here is the zero on the stock
    Zero(HeadZero),
    /// To a place on the bed, or from the zero on the stock, beam off
    Go(HeadGo),
    /// By so much, beam off
    Move(HeadMove),
    /// Let the motors go, so that the head can be pushed by hand: its position is lost
    Free(HeadCall),
    /// Bring the focus onto the surface of the stock
    Focus(HeadFocus),
    /// Write where the head stands into a job, as the place of a registration mark
    Mark(HeadMark),
    /// Light the pointer where the head stands; it goes off by itself, and with Ctrl-C
    Pointer(HeadPointer),
    /// Put out a beam that something left on, and say whether it was seen to go out
    Dark(HeadCall),
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadCall {
    /// The machine: a profile's name or path
    #[arg(long, value_name = "NAME")]
    pub(crate) machine: String,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadPointer {
    /// For how many seconds [default: pointer-for of the profile, which is also the most]
    #[arg(long = "for", value_name = "SECONDS", value_parser = seconds)]
    pub(crate) seconds: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// A time above zero; a number alone is seconds.
fn seconds(text: &str) -> Result<f64, String> {
    match text.trim_end_matches('s').trim().parse::<f64>() {
        Ok(seconds) if (0.1..=120.0).contains(&seconds) => Ok(seconds),
        _ => Err("write seconds from 0.1 to 120".into()),
    }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadFocus {
    /// Thickness of the stock, mm or with a unit; or the job that says it
    #[arg(value_name = "THICKNESS|JOB", required_unless_present_any = ["block", "probe"])]
    pub(crate) stock: Option<String>,
    /// The gauge block lies on the surface and the head touches it: here is the focus
    #[arg(long, conflicts_with = "stock")]
    pub(crate) block: bool,
    /// Let the probe on the head find the surface, from where the head stands downwards
    #[arg(long, conflicts_with_all = ["stock", "block"])]
    pub(crate) probe: bool,
    /// The machine: a profile's name or path [default: the job's]
    #[arg(long, value_name = "NAME", required_unless_present = "stock")]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadMark {
    /// The job, with [[place.mark]] for each mark
    pub(crate) job: PathBuf,
    /// Which mark, from 1 [default: all of them, one after the other, in a panel]
    pub(crate) mark: Option<u32>,
    /// Use this machine instead of the job's
    #[arg(long, value_name = "MACHINE")]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the machine's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadPanel {
    /// A job whose corners the panel goes to; its machine is meant
    #[arg(value_name = "JOB")]
    pub(crate) job: Option<PathBuf>,
    /// The machine: a profile's name or path
    #[arg(long, value_name = "NAME")]
    pub(crate) machine: Option<String>,
    /// Where the controller is [default: the profile's link]
    #[arg(long, value_name = "LINK")]
    pub(crate) to: Option<String>,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadZero {
    /// Of which axes [default: x y]
    #[arg(value_name = "AXIS")]
    pub(crate) axes: Vec<HeadAxis>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// An axis that has a zero on the stock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum HeadAxis {
    X,
    Y,
    Z,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadGo {
    /// To the right, mm or with a unit
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) x: f64,
    /// Away from you, mm or with a unit
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) y: f64,
    /// Height of the focus axis, mm or with a unit: on the machine's axis, or from the zero on the stock
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) z: Option<f64>,
    /// From where that counts
    #[arg(long, value_name = "WHERE", default_value = "bed")]
    pub(crate) from: HeadFrom,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// From where a place counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum HeadFrom {
    /// The front left corner of the bed
    Bed,
    /// The zero that is set on the stock
    Stock,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct HeadMove {
    /// To the right, mm or with a unit; less than zero is to the left
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dx: f64,
    /// Away from you, mm or with a unit; less than zero is towards you
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dy: f64,
    /// Up, mm or with a unit; less than zero is down
    #[arg(value_parser = signed_length, allow_hyphen_values = true)]
    pub(crate) dz: Option<f64>,
    /// mm/s, at most [default: 100, or what the axes can]
    #[arg(long, value_name = "SPEED", value_parser = speed)]
    pub(crate) speed: Option<f64>,
    #[command(flatten)]
    pub(crate) call: HeadCall,
}

/// A length that may be below zero; a number alone is mm.
fn signed_length(text: &str) -> Result<f64, String> {
    let parsed = match text.trim().parse::<f64>() {
        Ok(mm) => Ok(mm),
        Err(_) => tinkite_core::quantity::parse::<tinkite_core::quantity::Length>(text)
            .map(|length| length.0)
            .map_err(|error| format!("{}; {}", error.message, error.help)),
    };
    parsed.and_then(|mm| {
        let real = mm.is_finite() && mm.abs() <= 100_000.0;
        if real { Ok(mm) } else { Err("no machine is as large".into()) }
    })
}

/// A speed above zero; a number alone is mm/s.
fn speed(text: &str) -> Result<f64, String> {
    let parsed = match text.trim().parse::<f64>() {
        Ok(speed) => speed,
        Err(_) => {
            tinkite_core::quantity::parse::<tinkite_core::quantity::Speed>(text)
                .map_err(|error| format!("{}; {}", error.message, error.help))?
                .0
        }
    };
    if parsed.is_finite() && parsed > 0.0 { Ok(parsed) } else { Err("a speed above zero".into()) }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct MachineMeasure {
    /// A profile's name or path
    pub(crate) name: String,
    /// What was asked for and what was read, from weak to strong: "10 % = 2.1 mA, 4 W"
    #[arg(required_unless_present = "times", value_name = "READING")]
    pub(crate) readings: Vec<String>,
    /// Find acceleration and junction deviation (corner) from how long the steps of logged runs took
    #[arg(long, conflicts_with_all = ["readings", "draw"])]
    pub(crate) times: bool,
    /// With --times: only runs from this one on
    #[arg(long, value_name = "RUN", requires = "times")]
    pub(crate) since: Option<i64>,
    #[command(flatten)]
    pub(crate) log: LogFile,
    /// Put what was measured into the profile itself
    #[arg(long, conflicts_with = "output")]
    pub(crate) keep: bool,
    /// Write the profile with what was measured here
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Draw the curve (.svg or .png)
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) writing: Writing,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Completions {
    /// The shell
    pub(crate) shell: clap_complete::Shell,
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Man {
    /// Write the pages of all commands into this folder; otherwise the first one goes to standard output
    #[arg(long, value_name = "DIR")]
    pub(crate) into: Option<PathBuf>,
}

fn canvas(text: &str) -> Result<(u32, u32), String> {
    let wrong = || "write for example 1280x800, from 400x300 to 8000x8000".to_string();
    let (w, h) = text.split_once('x').ok_or_else(wrong)?;
    let (w, h) = (w.parse().map_err(|_| wrong())?, h.parse().map_err(|_| wrong())?);
    if (400..=8000).contains(&w) && (300..=8000).contains(&h) { Ok((w, h)) } else { Err(wrong()) }
}
