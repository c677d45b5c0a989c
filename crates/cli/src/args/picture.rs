//! Commands that make pictures, and bundles.

use super::job::JobArgs;
use super::log::LogFile;
use super::values::{colour_by, place};
use super::writing::Writing;
use crate::completing::machines;
use clap::Args as ClapArgs;
use clap_complete::engine::ArgValueCandidates;
use std::path::PathBuf;
use tinkite_files::config::ColourBy;

#[derive(Debug, Clone, ClapArgs)]
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
    /// Write the name by which take finds it beside every shape; takes a drawing as well
    #[arg(long, conflicts_with_all = ["show", "window", "trouble", "watch"])]
    pub(crate) names: bool,
    /// Let colours stand for this along the lines, in place of steps
    #[arg(long, value_name = "WHAT")]
    pub(crate) show: Option<ShowArg>,
    /// What the colour of a step stands for
    #[arg(long, id = "colour-by", value_name = "WHAT", value_parser = colour_by(), default_value = "steps")]
    pub(crate) colour_by: ColourBy,
    /// Only this part of the bed, from corner to corner on the machine's axes in mm
    #[arg(long, value_name = "X,Y,X,Y", value_parser = window, allow_hyphen_values = true)]
    pub(crate) window: Option<[f64; 4]>,
    /// How long a playback (.gif) takes, s
    #[arg(long, value_name = "SECONDS", default_value_t = 12.0, value_parser = playback_seconds)]
    pub(crate) play: f64,
    /// Draw again whenever the job or a file of it changes, until Ctrl-C; the picture is overwritten each time
    #[arg(long, conflicts_with_all = ["json", "number", "trouble"])]
    pub(crate) watch: bool,
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
    /// Where a dark square or disc lies on the machine's axes, "0,0" in mm: it is found on the photo by itself; at least
    /// five
    #[arg(long = "mark", value_name = "X,Y", value_parser = place, allow_hyphen_values = true, conflicts_with = "places")]
    pub(crate) marks: Vec<[f64; 2]>,
    /// The machine whose bed it shows: a profile's name or path
    #[arg(long, value_name = "NAME|PATH", add = ArgValueCandidates::new(machines))]
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

fn window(text: &str) -> Result<[f64; 4], String> {
    let parts: Vec<f64> = text.split(',').filter_map(|p| p.trim().parse().ok()).collect();
    match <[f64; 4]>::try_from(parts) {
        Ok(w) if w.iter().all(|v| v.is_finite() && v.abs() < 1e6) && w[0] < w[2] && w[1] < w[3] => {
            Ok(w)
        }
        _ => Err("write two corners in mm, lower left and upper right: 10,10,60,40".into()),
    }
}

fn playback_seconds(text: &str) -> Result<f64, String> {
    match text.trim_end_matches('s').trim().parse::<f64>() {
        Ok(seconds) if (1.0..=120.0).contains(&seconds) => Ok(seconds),
        _ => Err("write seconds from 1 to 120".into()),
    }
}

fn canvas(text: &str) -> Result<(u32, u32), String> {
    let wrong = || "write for example 1280x800, from 400x300 to 8000x8000".to_string();
    let (w, h) = text.split_once('x').ok_or_else(wrong)?;
    let (w, h) = (w.parse().map_err(|_| wrong())?, h.parse().map_err(|_| wrong())?);
    if (400..=8000).contains(&w) && (300..=8000).contains(&h) { Ok((w, h)) } else { Err(wrong()) }
}

#[derive(Debug, ClapArgs)]
pub(crate) struct Bundle {
    /// The job file
    pub(crate) job: PathBuf,
    /// Where to write it [default: beside the job, as NAME.kite.zip]
    #[arg(long, short, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Add a report for whoever helps: program, look, check, plan, the last run of this job, versions
    #[arg(long)]
    pub(crate) report: bool,
    #[command(flatten)]
    pub(crate) log: LogFile,
    #[command(flatten)]
    pub(crate) writing: Writing,
}
