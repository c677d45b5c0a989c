//! Limits: nothing leaves the bed or the stock, and nothing is faster than the axes.
//!
//! A [`WithinLimits`] can only be had from [`check`], and a program can only be made from one.

mod outline;
pub mod round;

use crate::plan::Planned;
use tinkite_base::geometry::{Point, Rect, Vec2};
use tinkite_base::problem::{BedSize, Code, Location, Problem, Problems, Remedy};
use tinkite_base::quantity::plain;
use tinkite_job::{Engrave, Job};
use tinkite_layout::LaidStock;
use tinkite_machine::Dialect;
use tinkite_machine::edges::{SLACK, beyond};
use tinkite_machine::frame::Field;
use tinkite_machine::frame::{Frame, Surface};

/// A planned job that stays within the machine's limits: every segment of it was held against them.
#[derive(Debug, Clone)]
pub struct WithinLimits {
    planned: Planned,
}

impl WithinLimits {
    /// The job that was checked.
    #[must_use]
    pub fn planned(&self) -> &Planned {
        &self.planned
    }
}

/// A beam that burns on where the head stands, in a program that is streamed: told unless it is accepted.
fn constant_power(planned: &Planned, steps: &[usize], problems: &mut Problems) {
    let job = planned.job();
    if job.machine.beam.constant_accepted || job.machine.dialect == Dialect::Ngc {
        return;
    }
    let named: Vec<String> = steps
        .iter()
        .filter(|n| !planned.segments().follows(**n))
        .map(|n| format!("\"{}\"", job.steps[*n].name))
        .collect();
    if named.is_empty() {
        return;
    }
    let message = format!(
        "{} {} with constant power: the beam burns on where the head stands when lines stop coming",
        named.join(", "),
        if named.len() == 1 { "burns" } else { "burn" }
    );
    let help = if job.machine.beam.follows_speed {
        "the controller can do it (M4) where power and slow in ramp together, and twice slow, are at most the ceiling; else stay beside it, and write constant = \"accepted\""
    } else {
        "set follows-speed = true in [beam] where the controller has M4; else stay beside it, and write constant = \"accepted\""
    };
    let problem = Problem::warning(Code::ConstantPower, message, help);
    problems.push(problem.at(Location::file(&job.file)));
}

/// Heights of the focus that its axis does not reach.
fn heights(planned: &Planned, problems: &mut Problems) {
    let job = planned.job();
    let (Some((low, high)), Some(z)) = (planned.totals.heights, job.machine.z) else { return };
    if low >= z.range.0 - SLACK && high <= z.range.1 + SLACK {
        return;
    }
    let message = format!(
        "the focus goes from {} mm to {} mm, and its axis from {} mm to {} mm",
        plain(low, 3),
        plain(high, 3),
        plain(z.range.0, 3),
        plain(z.range.1, 3)
    );
    let help = "ask for less depth or drop, or say the true range of [axis.z] in the profile";
    problems.push(Problem::error(Code::OffHeight, message, help).at(Location::file(&job.file)));
}

/// Holds every move against bed or rotary, stock (mm in the job's field) and axes.
///
/// # Errors
/// What leaves the bed or the stock, with how far and on which side; steps that ask for more
/// speed than the axes have; nothing to do at all.
pub fn check(
    planned: Planned,
    steps: &[usize],
    stock: Option<&LaidStock>,
) -> Result<(WithinLimits, Problems), Problems> {
    let mut problems = Problems::new();
    let job = planned.job();
    let totals = &planned.totals;
    let (Some(burnt), Some(worked)) = (totals.burnt, totals.worked) else {
        let (message, help) = match steps.is_empty() && !job.steps.is_empty() {
            true => (
                "every step is left out",
                "take skip = true out of one, or ask for one by its name",
            ),
            false => ("there is nothing to burn", "give the job a step that takes something"),
        };
        let problem = Problem::error(Code::Nothing, message, help);
        let problem =
            if steps.is_empty() { problem.with_remedy(Remedy::AskForStep) } else { problem };
        return Err(problem.at(Location::file(&job.file)).into());
    };
    let field = job.field();
    let reach = Reach { field: &field, job };
    if field.fixed {
        reach.hold(burnt, worked, &mut problems);
    } else {
        reach.size(burnt, worked, &mut problems);
    }
    if let Some(stock) = stock {
        reach.hold_stock(burnt, stock.bounds, &mut problems);
        if let Some(outline) = &stock.outline {
            outline::hold(&planned, outline, &mut problems);
        }
    }
    round::check(&planned, burnt, &mut problems);
    constant_power(&planned, steps, &mut problems);
    heights(&planned, &mut problems);
    for step in steps.iter().map(|n| &job.steps[*n]) {
        let place = Location {
            span: Some(step.span.clone()),
            thing: Some(step.name.clone()),
            ..Location::file(&job.file)
        };
        let frame = planned.segments().frame();
        // Of a round object the thinnest place that is burnt is the slowest.
        let breaks = frame.surface().map(|surface| {
            surface.breaks().filter(|x| (burnt.x0..=burnt.x1).contains(x)).collect::<Vec<_>>()
        });
        let places: Vec<f64> =
            breaks.unwrap_or_default().into_iter().chain([burnt.x0, burnt.x1]).collect();
        let axes = [Vec2::new(1.0, 0.0), Vec2::new(0.0, 1.0)].map(|way| {
            let speed = |x: &f64| frame.limits_at(Point::new(*x, 0.0), way * NEAR).0 * NEAR;
            places.iter().map(speed).fold(f64::INFINITY, f64::min)
        });
        let top = axes[0].max(axes[1]);
        if step.fastest().0 > top + 1e-9 {
            problems.push(
                Problem::error(
                    Code::OverSpeed,
                    format!(
                        "step \"{}\" asks for {}, and the machine's fastest axis does {} mm/s",
                        step.name,
                        step.fastest(),
                        plain(top, 2)
                    ),
                    "go slower with less power",
                )
                .at(place.clone()),
            );
        }
        let slow = axes[0].min(axes[1]);
        if step.fastest().0 > slow + 1e-9 && step.fastest().0 <= top + 1e-9 {
            let letters = axis_letters(frame, job);
            let axis = letters[usize::from(axes[0] >= axes[1])] as char;
            problems.push(Problem::warning(Code::OverSpeed,
                format!("step \"{}\" asks for {}; the {axis} axis does only {} mm/s, so lines along it burn slower and deeper", step.name, step.fastest(), plain(slow, 2)),
                "go no faster than the slower axis").at(place.clone()));
        }
        if let Some(spacing) = step.operation.engrave().map(Engrave::spacing)
            && spacing < job.machine.beam.width * 0.999
        {
            problems.push(Problem::warning(Code::DenseLines,
                    format!("step \"{}\" engraves lines {} mm apart with a beam {} mm wide: they overlap and burn deeper", step.name, plain(spacing, 4), plain(job.machine.beam.width, 4)),
                    "widen spacing to the beam's width").at(place));
        }
    }
    problems.tell_once(&[Code::DenseLines, Code::OverSpeed]);
    problems.clone().unless_refused((WithinLimits { planned }, problems))
}

/// The axis that carries the plane to the right, and the one that carries it away.
fn axis_letters(frame: &Frame, job: &Job) -> [u8; 2] {
    let [a, b] = frame.letters();
    if job.round.is_none() && job.machine.pointing.exchanged { [b, a] } else { [a, b] }
}

/// How far apart two places are between which the speed of the axes is looked at, mm: along a cone it changes.
const NEAR: f64 = 1e-3;

/// What the head can reach, and what of a job goes beyond it.
struct Reach<'a> {
    field: &'a Field,
    job: &'a Job,
}

impl Reach<'_> {
    /// What is burnt or worked over, in the plane of the job; along the axis of a round object.
    fn in_field(&self, rect: Rect) -> Rect {
        let mut rect = rect;
        if let Some(round) = &self.job.round {
            let surface = Surface::new(round, self.field);
            let axial = |x: f64| surface.place(Point::new(x, 0.0)).0;
            (rect.x0, rect.x1) = (axial(rect.x0), axial(rect.x1));
        }
        rect + self.field.zero
    }

    /// How far a rectangle reaches beyond the field; round an object there is no edge.
    fn beyond(&self, rect: Rect) -> Vec<String> {
        let mut field = self.field.rect;
        if self.field.around.is_some() {
            (field.y0, field.y1) = (f64::NEG_INFINITY, f64::INFINITY);
        }
        beyond(self.in_field(rect), field)
    }

    /// Holds a job whose place is known against the bed.
    fn hold(&self, burnt: Rect, worked: Rect, problems: &mut Problems) {
        let bed = if self.field.around.is_some() { "rotary's reach" } else { "bed" };
        let ways = [
            (self.beyond(burnt), "the job", "move it with [place] at, or make it smaller"),
            (
                self.beyond(worked),
                "the run-up of engraved lines",
                "move the job with [place] at, or shorten run-up",
            ),
        ];
        if let Some((sides, what, help)) = ways.iter().find(|(sides, ..)| !sides.is_empty()) {
            let message = format!("{what} leaves the {bed}: {}", sides.join(", "));
            let refusal = match self.too_large(burnt) {
                Some(help) => refusal(self.job, Code::OffBed, &message, &help)
                    .with_remedy(Remedy::LargerBed(BedSize::new(burnt.width(), burnt.height()))),
                None => refusal(self.job, Code::OffBed, &message, help),
            };
            problems.push(refusal);
        }
    }

    /// What to do about a job that lies nowhere on the bed as it is.
    fn too_large(&self, burnt: Rect) -> Option<String> {
        let bed = self.field.rect;
        let within = |width: f64, depth: f64| {
            width <= bed.width() + 2.0 * SLACK && depth <= bed.height() + 2.0 * SLACK
        };
        if self.field.around.is_some() || within(burnt.width(), burnt.height()) {
            return None;
        }
        Some(format!(
            "it is {} x {} mm, larger than the bed of {} x {} mm{}",
            plain(burnt.width(), 2),
            plain(burnt.height(), 2),
            plain(bed.width(), 2),
            plain(bed.height(), 2),
            match within(burnt.height(), burnt.width()) {
                true => "; turned by a quarter it lies on it: turn = \"90 deg\" in [[artwork]]",
                false => ", turned by a quarter as well; make it smaller, or take another machine",
            }
        ))
    }

    /// A job whose zero is set at the machine must at least find room somewhere on the bed, and the
    /// head comes from the zero.
    fn size(&self, burnt: Rect, worked: Rect, problems: &mut Problems) {
        let all = worked.union(burnt).union(Rect::ZERO);
        // The field of such a job spans twice the bed.
        let room = self.field.rect.size() / 2.0;
        let mut too_large = Vec::new();
        if all.width() > room.width + SLACK {
            too_large.push(format!("{} mm too wide", plain(all.width() - room.width, 3)));
        }
        if self.field.around.is_none() && all.height() > room.height + SLACK {
            too_large.push(format!("{} mm too deep", plain(all.height() - room.height, 3)));
        }
        if !too_large.is_empty() {
            let message = format!(
                "the job with its run-up, reckoned from its zero, finds no room on the bed: {}",
                too_large.join(", ")
            );
            let help = "make it smaller, or choose an anchor nearer to it";
            problems.push(refusal(self.job, Code::OffBed, &message, help));
        }
    }

    fn hold_stock(&self, burnt: Rect, stock: Rect, problems: &mut Problems) {
        let outside = beyond(self.in_field(burnt), stock);
        if !outside.is_empty() {
            problems.push(refusal(
                self.job,
                Code::OffStock,
                &format!("the job leaves the stock: {}", outside.join(", ")),
                "move it with [place] at, make it smaller, or take larger stock",
            ));
        }
        if self.field.fixed && !beyond(stock, self.field.rect).is_empty() {
            problems.push(
                Problem::warning(
                    Code::LargeStock,
                    format!(
                        "the stock ({} x {} mm) reaches beyond the bed",
                        plain(stock.width(), 2),
                        plain(stock.height(), 2)
                    ),
                    "check [stock]; only what lies on the bed can be reached",
                )
                .at(Location::file(&self.job.file)),
            );
        }
    }
}

fn refusal(job: &Job, code: Code, message: &str, help: &str) -> Problem {
    Problem::error(code, message, help).at(Location::file(&job.file))
}
