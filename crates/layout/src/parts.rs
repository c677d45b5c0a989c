//! The parts that `pack` lays: each artwork, as often as it is wanted, with what lies beside it.

use super::batch::{self, Batch, Original};
use super::gathered::Gathered;
use super::original::{self, Laid};
use super::pack::{self, Part};
use super::stock::DrawnStock;
use super::{LaidImage, LaidStock, Placed, place};
use rayon::prelude::*;
use tinkite_artwork::Lettering;
use tinkite_base::geometry::hull;
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_job::{Job, Pack, StockSize};

/// Lays every part where its outline fits.
///
/// # Errors
/// Stock of no size, shapes that belong to no part, parts that fit nowhere, and what refuses the originals.
pub(super) fn lay(
    gathered: Gathered,
    batch: &Batch<'_>,
    (job, pack, outline): (&Job, &Pack, Option<&DrawnStock>),
    letters: &dyn Lettering,
    problems: &mut Problems,
) -> Result<Placed, Problems> {
    let at_job = |problem: Problem| Problems::from(problem.at(Location::file(&job.file)));
    let stock = stock(job, outline).map_err(at_job)?;
    let copies = &job.placement.copies;
    let count = batch.copies_wanted().unwrap_or(copies.columns * copies.rows);
    let originals = match batch.differs() {
        true => {
            let pictures = hull(gathered.images.iter().map(LaidImage::bounds));
            batch.originals((&gathered.pieces, pictures), (0, count), letters, problems)?
        }
        false => vec![Original { pieces: gathered.pieces, label: None }],
    };
    let own = originals.iter().any(|o| o.pieces.iter().any(|piece| piece.artwork.is_none()));
    let groups = groups(job, own).map_err(at_job)?;
    let many = groups.last().map_or(1, |last| last + 1);
    let mut parts = Vec::new();
    for copy in 0..count {
        let original = originals.get(copy as usize).or(originals.first());
        let Some(original) = original else { break };
        for group in 0..many {
            let holds = |artwork: Option<usize>| artwork.map_or(0, |n| groups[n]) == group;
            let own = |image: &&LaidImage| holds(Some(image.painted.0));
            let pieces: Vec<_> =
                original.pieces.iter().filter(|piece| holds(piece.artwork)).cloned().collect();
            let images: Vec<LaidImage> = gathered.images.iter().filter(own).cloned().collect();
            if pieces.is_empty() && images.is_empty() {
                continue;
            }
            let artwork = groups.iter().position(|of| *of == group).map(|n| &job.artworks[n]);
            let name = artwork.map_or(job.name.as_str(), |a| a.name.as_deref().unwrap_or(&a.file));
            let name = match &original.label {
                Some(label) => format!("{name}, {label}"),
                None => name.to_string(),
            };
            for _ in 0..artwork.map_or(1, |artwork| artwork.count) {
                let original = Original { pieces: pieces.clone(), label: original.label.clone() };
                parts.push(Part { original, images: images.clone(), name: name.clone(), copy });
            }
        }
    }
    let packed = pack::pack(parts, &stock, pack, job, 1).map_err(at_job)?;
    problems.push(packed.told);
    let copies = packed.parts.iter().map(|(part, _)| part.copy);
    let copies = (copies.clone().min().unwrap_or(0), copies.max().unwrap_or(0) + 1);
    let laid: Vec<(Laid, Problems)> = packed
        .parts
        .into_par_iter()
        .enumerate()
        .map(|(number, (part, to_bed))| {
            let mut told = Problems::new();
            let mut images = part.images;
            images.iter_mut().for_each(|image| image.move_by(to_bed));
            let mut laid = original::lay(part.original, images, to_bed, job, &mut told);
            laid.shapes.iter_mut().for_each(|shape| shape.number = number as u32);
            laid.images.iter_mut().for_each(|image| image.number = number as u32);
            (laid, told)
        })
        .collect();
    let (laid, told): (Vec<Laid>, Vec<Problems>) = laid.into_iter().unzip();
    problems.extend(batch::once(told));
    let (mut shapes, mut images) = (Vec::new(), Vec::new());
    for laid in laid {
        shapes.extend(laid.shapes);
        images.extend(laid.images);
    }
    let stock = outline.map(|_| stock);
    let (numbers, sheets) = (batch.numbers(copies), packed.sheets);
    Ok(Placed { shapes, images, underlays: Vec::new(), numbers, sheets, stock })
}

/// Where parts may lie: the stock, or the bed.
fn stock(job: &Job, outline: Option<&DrawnStock>) -> Result<LaidStock, Problem> {
    let field = job.field();
    let refuse = |message: &str, help: &str| Err(Problem::error(Code::NoRoom, message, help));
    if job.round.is_some() {
        return refuse("pack lays parts flat, and the job turns in the rotary", "take pack out");
    }
    if let Some(outline) = outline {
        return Ok(outline.by_itself(job));
    }
    match job.stock.as_ref().and_then(|stock| stock.size.as_ref()) {
        Some(StockSize::Fixed { width, depth }) => {
            Ok(LaidStock::rectangle(place::stock(*width, *depth, job)))
        }
        Some(StockSize::Round(_)) => refuse(
            "pack needs stock of a known size, and margin makes it as large as what is burnt",
            "give [stock] a width and a depth; pack has a margin of its own",
        ),
        _ if field.fixed => Ok(LaidStock::rectangle(field.rect)),
        _ => refuse(
            "pack needs to know how large the stock is, and where the job lies is known only at the machine",
            "give [stock] a width and a depth",
        ),
    }
}

/// Which artworks belong together: those that lie beside each other. `own` says whether the job draws shapes itself.
fn groups(job: &Job, own: bool) -> Result<Vec<usize>, Problem> {
    let mut groups: Vec<usize> = Vec::new();
    let mut next = 0;
    for (n, how) in job.artworks.iter().enumerate() {
        let beside = how.beside.as_ref().and_then(|beside| {
            let before = job.artworks[..n].iter();
            beside.find_by_name(before.map(|b| (b.name.as_deref(), b.file.as_str()))).ok()
        });
        groups.push(beside.map_or(next, |other| groups[other]));
        next = groups.iter().max().map_or(0, |most| most + 1);
    }
    if next > 1 && own {
        let message =
            "pack lays each artwork on its own, so the job's shapes have no place among them";
        let help = "take the shapes out, or say beside in the artworks that belong together";
        return Err(Problem::error(Code::NoRoom, message, help));
    }
    Ok(groups)
}
