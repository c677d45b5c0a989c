//! `tinkite draw`.

use crate::args::{Draw, ShowArg};
use crate::console::Console;
use crate::door;
use crate::refusal::{Refusal, Sources};
use crate::report::look::Looked;
use crate::{gif, load, png};
use tinkite_core::geometry::Rect;
use tinkite_core::picture::{self, Canvas, Look, Show};
use tinkite_core::problem::Problems;

pub(super) fn run(args: &Draw, console: &Console) -> Result<(), Refusal> {
    let plays = png::is_playback(&args.output) && !args.trouble;
    if !plays {
        png::kind_of(&args.output)?;
    }
    let canvas = Canvas { width: args.size.0, height: args.size.1 };
    if args.trouble {
        return trouble(args, canvas, console);
    }
    if plays && args.show.is_some() {
        return Err(Refusal::Usage("a playback shows steps; --show is for .svg and .png".into()));
    }
    let made = load::made(&args.job)?;
    let show = args.show.map(|show| match show {
        ShowArg::Power => Show::Power,
        ShowArg::Speed => Show::Speed,
        ShowArg::Order => Show::Order,
        ShowArg::Time => Show::Time,
    });
    let window = args.window.map(|[x0, y0, x1, y1]| Rect::new(x0, y0, x1, y1));
    let look = Look { canvas, show, window };
    let written = if plays {
        gif::write(&args.output, args.writing, &made, &look, args.play, console)?
    } else {
        png::write(&args.output, args.writing, || picture::job(&made.compiled, &made.job, &look))?
    };
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
