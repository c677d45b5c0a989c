//! `tinkite draw`.

use crate::args::Draw;
use crate::console::Console;
use crate::door;
use crate::refusal::{Refusal, Sources};
use crate::report::look::Looked;
use crate::{load, png};
use tinkite_core::picture::{self, Canvas};
use tinkite_core::problem::Problems;

pub(super) fn run(args: &Draw, console: &Console) -> Result<(), Refusal> {
    png::kind_of(&args.output)?;
    let canvas = Canvas { width: args.size.0, height: args.size.1 };
    if args.trouble {
        return trouble(args, canvas, console);
    }
    let made = load::made(&args.job)?;
    let written =
        png::write(&args.output, args.writing, || picture::job(&made.compiled, &made.job, canvas))?;
    console.result(&written.words())?;
    door::show(&load::located(made.compiled.problems, &made.sources), &made.sources, console);
    Ok(())
}

/// The picture of what is wrong, of a job or of a drawing alone. It is drawn for a refused job as
/// well: that is when it is needed.
fn trouble(args: &Draw, canvas: Canvas, console: &Console) -> Result<(), Refusal> {
    let (svg, problems, sources): (String, Problems, Sources) = if load::is_drawing(&args.job.job)?
    {
        let artwork = load::drawing(&args.job.job, &load::plain_reading())?;
        let looked = Looked::at(&artwork);
        let doubts = looked.doubts().clone();
        (picture::drawing_trouble(&artwork, &doubts, canvas), doubts, Sources::new())
    } else {
        let (job, sheet, problems, sources) = load::surveyed(&args.job)?;
        (picture::job_trouble(&sheet, &job, &problems, canvas), problems, sources)
    };
    let written = png::write(&args.output, args.writing, || svg)?;
    console.result(&written.words())?;
    door::show(&problems, &sources, console);
    if problems.refuse() { Err(Refusal::Reported) } else { Ok(()) }
}
