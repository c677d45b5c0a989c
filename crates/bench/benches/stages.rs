//! How long each stage takes. Figures are in docs/PERFORMANCE.md.
#![allow(missing_docs, clippy::expect_used)] // a bench that cannot be set up may end

use criterion::{BatchSize, BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;
use tinkite_bench::{
    confetti, confetti_dxf, confetti_job, confetti_pdf, hall, parts, parts_job, picture,
    picture_job, plate, plate_job, star, star_jobs,
};
use tinkite_core::artwork::{self, Artwork};
use tinkite_core::geometry::Point;
use tinkite_core::geometry::cover::{Painted, shown};
use tinkite_core::geometry::crossings::crossings;
use tinkite_core::geometry::duplicates::duplicates;
use tinkite_core::job::{self, Job};
use tinkite_core::machine;
use tinkite_core::program::measure::Measure;
use tinkite_core::program::{Comments, Program};
use tinkite_core::segment::Segments;
use tinkite_core::{Choice, compile, layout, limits, mapping, order, plan, toolpath};

fn job(text: &str) -> Job {
    let machine = machine::read("hall", hall()).expect("machine");
    job::read("job", text, machine).expect("job")
}

fn art(svg: &str) -> Artwork {
    artwork::read("art.svg", svg.as_bytes(), &Default::default()).expect("artwork")
}

fn import(c: &mut Criterion) {
    let mut group = c.benchmark_group("import");
    group.sample_size(10);
    let svg = confetti(10_000);
    group.throughput(Throughput::Bytes(svg.len() as u64));
    group.bench_function("confetti 10000", |b| b.iter(|| art(black_box(&svg))));
    // What the library takes for the same text, against which ours is held.
    group.bench_function("library alone", |b| {
        let options = usvg::Options::default();
        b.iter(|| usvg::Tree::from_str(black_box(&svg), &options).expect("tree"));
    });
    let read = |bytes: &[u8]| artwork::read("art", bytes, &Default::default()).expect("artwork");
    for (name, text) in [
        ("dxf", confetti_dxf(10_000, false)),
        ("dxf, loose lines", confetti_dxf(10_000, true)),
        ("pdf", confetti_pdf(10_000)),
    ] {
        group.throughput(Throughput::Bytes(text.len() as u64));
        group.bench_function(name, |b| b.iter(|| read(black_box(text.as_bytes()))));
    }
    group.finish();
    let mut group = c.benchmark_group("trouble");
    group.sample_size(10);
    let contours: Vec<_> = art(&svg).shapes.iter().flat_map(|s| s.contours(0.01)).collect();
    group.bench_function("duplicates, 100000 segments", |b| {
        b.iter(|| duplicates(black_box(&contours)))
    });
    group.bench_function("crossings, 100000 segments", |b| {
        b.iter(|| crossings(black_box(&contours), 0.005));
    });
    group.finish();
}

/// This many areas of 100 corners, each as large as that, mm, in colours that lie over each other.
fn overlapping(count: u32, size: f64) -> Vec<Painted> {
    let area = |n: u32| {
        // The golden ratio spreads places evenly and never repeats.
        let spread = |by: f64| (f64::from(n) * by).fract() * 150.0 + 25.0;
        let (x, y) = (spread(0.618_033_988_75), spread(0.754_877_666_25));
        let corner = |k: u32| {
            let angle = f64::from(k) / 100.0 * std::f64::consts::TAU;
            let r = size * (0.8 + 0.2 * (7.0 * angle).sin());
            Point::new(x + r * angle.cos(), y + r * angle.sin())
        };
        Painted { rings: vec![(0..100).map(corner).collect()], veil: 0 }
    };
    (0..count).map(area).collect()
}

fn cover(c: &mut Criterion) {
    let mut group = c.benchmark_group("shown");
    group.sample_size(10);
    // Some 10, and some 100 areas over each place.
    for size in [4.0, 15.0] {
        let painted = overlapping(2_000, size);
        group.throughput(Throughput::Elements(200_000));
        group.bench_function(BenchmarkId::new("2000 areas, mm", size), |b| {
            b.iter(|| shown(black_box(&painted)));
        });
    }
    group.finish();
}

fn hatch(c: &mut Criterion) {
    let mut group = c.benchmark_group("hatch");
    group.sample_size(10);
    for spacing in [0.01, 0.001] {
        let job = job(&plate_job(spacing));
        let (sheet, _) = layout::lay_out(art(plate()).into(), &job).expect("layout");
        group.throughput(Throughput::Elements((100.0 / spacing) as u64));
        group.bench_function(BenchmarkId::new("rows", (100.0 / spacing) as u64), |b| {
            b.iter(|| toolpath::make(black_box(&sheet), &job, &[0]).expect("toolpaths"));
        });
    }
    group.finish();
}

fn toolpaths(c: &mut Criterion) {
    let mut group = c.benchmark_group("toolpaths");
    group.sample_size(10);
    let [(_, rings), (_, shoulder)] = star_jobs();
    let picture = artwork::read("picture.bmp", &picture(3000, 2000), &Default::default());
    for (name, drawing, text) in [
        ("10,000 parts: kerf, leads, bridges", art(&parts(100)), parts_job()),
        ("rings, 2,000 edges", art(&star(2000)), rings),
        ("shoulders, 2,000 edges", art(&star(2000)), shoulder),
        ("picture, 6 million pixels", picture.expect("picture"), picture_job()),
    ] {
        let job = job(&text);
        let (sheet, _) = layout::lay_out(drawing.into(), &job).expect("layout");
        group.bench_function(name, |b| {
            b.iter(|| toolpath::make(black_box(&sheet), &job, &[0]).expect("toolpaths"));
        });
    }
    group.finish();
}

fn ordering(c: &mut Criterion) {
    let mut group = c.benchmark_group("order");
    group.sample_size(10);
    let job = job(confetti_job());
    for paths in [1_000, 10_000, 100_000] {
        let (sheet, _) = layout::lay_out(art(&confetti(paths)).into(), &job).expect("layout");
        let made = toolpath::make(&sheet, &job, &[0]).expect("toolpaths");
        group.throughput(Throughput::Elements(paths as u64));
        group.bench_function(BenchmarkId::new("confetti", paths), |b| {
            b.iter_batched(
                || made.paths.clone(),
                |paths| order::arrange(paths, &job, Point::ZERO),
                BatchSize::LargeInput,
            );
        });
    }
    group.finish();
}

fn motion_and_emit(c: &mut Criterion) {
    let mut group = c.benchmark_group("moves");
    group.sample_size(10);
    let job = job(&plate_job(0.0005));
    let (sheet, _) = layout::lay_out(art(plate()).into(), &job).expect("layout");
    let made = toolpath::make(&sheet, &job, &[0]).expect("toolpaths");
    let placed = mapping::place(order::arrange(made.paths, &job, Point::ZERO), &job);
    let segments = Segments::new(placed, &job);
    let (planned, _) = plan::plan(segments.clone(), &[0]).expect("planned");
    let moves = planned.totals.moves;
    group.throughput(Throughput::Elements(moves));
    group.bench_function("motion", |b| {
        b.iter_batched(
            || segments.clone(),
            |s| plan::plan(s, &[0]).expect("planned"),
            BatchSize::LargeInput,
        );
    });
    let (within, _) = limits::check(planned, &[0], None).expect("within");
    let program = Program::new(within);
    group.bench_function("emit", |b| {
        b.iter(|| program.write(Comments::None, &mut std::io::sink()).expect("written"));
    });
    let mut text = Vec::new();
    program.write(Comments::None, &mut text).expect("written");
    group.throughput(Throughput::Elements(text.iter().filter(|b| **b == b'\n').count() as u64));
    group.bench_function("read, lines", |b| {
        b.iter(|| {
            let mut measure = Measure::new("p", Some(&job.machine), None);
            text.split(|b| *b == b'\n').for_each(|line| measure.line(line));
            measure.finish()
        });
    });
    group.finish();
}

/// The demo's label on a barrel, engraved a hundred times as finely: every move is split, mapped and
/// given its feed.
fn turned(c: &mut Criterion) {
    let mut group = c.benchmark_group("turned");
    group.sample_size(10);
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/");
    let read = |name: &str| std::fs::read_to_string(format!("{demo}{name}")).expect("the demo");
    let machine = machine::read("m", &read("reel-laser.machine.toml")).expect("machine");
    let fine = read("reel-barrel.kite.toml").replace("\"0.2 mm\"", "\"0.002 mm\"");
    let job = job::read("job", &fine, machine).expect("job");
    let art = artwork::read("a.svg", read("reel-label.svg").as_bytes(), &Default::default())
        .expect("artwork");
    let compiled = compile(art, &job, &Choice::default()).expect("compiled");
    let segments = compiled.within.planned().segments().clone();
    group.throughput(Throughput::Elements(compiled.within.planned().totals.moves));
    group.bench_function("motion", |b| {
        b.iter_batched(
            || segments.clone(),
            |s| plan::plan(s, &[0, 1]).expect("planned"),
            BatchSize::LargeInput,
        );
    });
    let program = Program::new(compiled.within);
    group.bench_function("emit", |b| {
        b.iter(|| program.write(Comments::None, &mut std::io::sink()).expect("written"));
    });
    group.finish();
}

fn whole(c: &mut Criterion) {
    let mut group = c.benchmark_group("whole");
    group.sample_size(10);
    let job = job(confetti_job());
    for paths in [1_000, 10_000, 100_000] {
        let svg = confetti(paths);
        group.throughput(Throughput::Elements(paths as u64));
        group.bench_function(BenchmarkId::new("file to program", paths), |b| {
            b.iter(|| {
                let compiled = compile(art(&svg), &job, &Choice::default()).expect("compiled");
                Program::new(compiled.within)
                    .write(Comments::Full, &mut std::io::sink())
                    .expect("written");
            });
        });
    }
    group.finish();
}

criterion_group!(
    benches,
    import,
    cover,
    hatch,
    toolpaths,
    ordering,
    motion_and_emit,
    turned,
    whole
);
criterion_main!(benches);
