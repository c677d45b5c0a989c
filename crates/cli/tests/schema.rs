//! The schemas against the real readers: every key that a reader knows is described and the other way round, and
//! every word and example of a schema is taken by the reader.

use crate::common::Bench;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};
use tinkite_core::problem::{Code, Problem};
use tinkite_core::{job, machine};

/// A key that nobody knows, and that is like no other.
const UNKNOWN: &str = "zzqqxxyy";

/// A file to be read, as JSON, and the table in it that is looked at.
struct Context {
    file: Value,
    table: &'static str,
}

/// TOML on one line of each key.
fn toml(value: &Value) -> String {
    match value {
        Value::Object(map) => {
            let pairs: Vec<String> =
                map.iter().map(|(k, v)| format!("{k} = {}", toml(v))).collect();
            format!("{{ {} }}", pairs.join(", "))
        }
        Value::Array(items) => {
            format!("[{}]", items.iter().map(toml).collect::<Vec<_>>().join(", "))
        }
        other => other.to_string(),
    }
}

fn as_file(value: &Value) -> String {
    let all = value.as_object().into_iter().flatten();
    all.map(|(key, value)| format!("{key} = {}\n", toml(value))).collect()
}

fn job() -> Value {
    json!({
        "tinkite": 1, "machine": "tube-laser", "artwork": [{"file": "panel.svg"}],
        "step": [{"take": {"colour": "black"}, "make": "cut", "speed": "20 mm/s", "power": "50 %"}],
    })
}

/// The job with something at a place of it.
fn with(place: &str, value: Value) -> Value {
    put(job(), place, value)
}

fn put(mut file: Value, place: &str, value: Value) -> Value {
    let (above, key) = place.rsplit_once('/').unwrap_or(("", place));
    let table = file.pointer_mut(above).and_then(Value::as_object_mut);
    table.map(|table| table.insert(key.into(), value));
    file
}

/// The job's step with more keys.
fn step(more: Value) -> Value {
    let mut file = job();
    let step = file.pointer_mut("/step/0").and_then(Value::as_object_mut);
    if let (Some(step), Value::Object(more)) = (step, more) {
        step.extend(more);
    }
    file
}

fn engraving(more: Value) -> Value {
    let mut more = more;
    more["make"] = json!("engrave");
    step(more)
}

fn shape(more: Value) -> Context {
    Context { file: with("/shape", json!([more])), table: "/shape/0" }
}

/// Where each table of a job stands.
fn job_contexts() -> Vec<(&'static str, Vec<Context>)> {
    let at = |file, table| vec![Context { file, table }];
    let lines = || json!({"spacing": "0.1 mm"});
    let relief = || json!({"depth": "0.8 mm", "layers": 4});
    let swatch = || {
        json!({"tinkite": 1, "machine": "tube-laser", "material": "scrap", "swatch": {
            "make": "engrave", "lines": {"spacing": "0.1 mm"}, "speed": "20 mm/s",
            "across": {"power": ["10 %", "60 %"], "count": 3}, "label": {"speed": "20 mm/s", "power": "20 %"}}})
    };
    vec![
        ("", at(job(), "")),
        ("Artwork", at(job(), "/artwork/0")),
        (
            "Window",
            at(
                with("/artwork/0/window", json!({"from": ["0 %", "0 %"], "to": ["50 %", "50 %"]})),
                "/artwork/0/window",
            ),
        ),
        ("Trace", at(with("/artwork/0/trace", json!({"threshold": "50 %"})), "/artwork/0/trace")),
        (
            "Beside",
            ["right", "above"]
                .map(|side| Context {
                    file: with(
                        "/artwork",
                        json!([{"file": "panel.svg"}, {"file": "panel.svg", "name": "again", "beside": {"of": "panel.svg", "side": side}}]),
                    ),
                    table: "/artwork/1/beside",
                })
                .into(),
        ),
        (
            "Paint",
            at(
                with("/artwork/0/paint", json!([{"take": {"id": "a"}, "fill": "none"}])),
                "/artwork/0/paint/0",
            ),
        ),
        (
            "RenderSome",
            at(with("/artwork/0/render", json!({"dpi": "100 dpi"})), "/artwork/0/render"),
        ),
        ("UnderEach", at(with("/artwork/0/under", json!({"lines": "keep"})), "/artwork/0/under")),
        ("Take", at(job(), "/step/0/take")),
        (
            "DrawnShape",
            vec![
                shape(json!({"kind": "border", "colour": "black", "distance": "2 mm"})),
                shape(
                    json!({"kind": "rectangle", "colour": "black", "width": "5 mm", "depth": "5 mm"}),
                ),
                shape(json!({"kind": "circle", "colour": "black", "diameter": "5 mm"})),
                shape(json!({"kind": "text", "colour": "black", "text": "a", "height": "5 mm"})),
                shape(
                    json!({"kind": "area", "colour": "black", "of": {"id": "frame"}, "combine": "minus", "with": {"id": "frame"}}),
                ),
            ],
        ),
        (
            "Stock",
            vec![
                Context {
                    file: with("/stock", json!({"width": "100 mm", "depth": "100 mm"})),
                    table: "/stock",
                },
                Context { file: with("/stock", json!({"margin": "5 mm"})), table: "/stock" },
            ],
        ),
        ("Placed", at(with("/place", json!({})), "/place")),
        (
            "Copies",
            vec![
                Context {
                    file: with("/place", json!({"copies": {"columns": 2}})),
                    table: "/place/copies",
                },
                Context {
                    file: with("/place", json!({"copies": {"count": 2}})),
                    table: "/place/copies",
                },
                Context {
                    file: with("/place", json!({"copies": {"each": "names.csv"}})),
                    table: "/place/copies",
                },
            ],
        ),
        ("Pack", at(with("/place", json!({"pack": {"gap": "2 mm"}})), "/place/pack")),
        (
            "Numbering",
            at(
                with("/place", json!({"copies": {"count": 2, "number": {"first": 1}}})),
                "/place/copies/number",
            ),
        ),
        (
            "Mark",
            at(
                with(
                    "/place",
                    json!({"mark": [{"drawn": ["1 mm", "1 mm"], "found": ["1 mm", "1 mm"]}, {"shape": "frame", "found": ["9 mm", "1 mm"]}]}),
                ),
                "/place/mark/0",
            ),
        ),
        (
            "Round",
            at(
                put(
                    with("/machine", json!("reel-laser")),
                    "/rotary",
                    json!({"hold": "chuck", "diameter": "70 mm"}),
                ),
                "/rotary",
            ),
        ),
        (
            "Photo",
            at(
                with(
                    "/photo",
                    json!({"file": "photo.png", "corners": [[1, 1], [9, 1], [9, 9], [1, 9]], "found": [["0 mm", "9 mm"], ["9 mm", "9 mm"], ["9 mm", "0 mm"], ["0 mm", "0 mm"]]}),
                ),
                "/photo",
            ),
        ),
        (
            "Swatch",
            vec![
                Context { file: swatch(), table: "/swatch" },
                Context {
                    file: json!({"tinkite": 1, "machine": "tube-laser", "swatch": {"kind": "kerf", "speed": "20 mm/s", "power": "50 %", "label": {"speed": "20 mm/s", "power": "20 %"}}}),
                    table: "/swatch",
                },
            ],
        ),
        ("SwatchLabel", at(swatch(), "/swatch/label")),
        (
            "Step",
            vec![
                Context { file: job(), table: "/step/0" },
                Context { file: engraving(json!({"lines": lines()})), table: "/step/0" },
                Context { file: engraving(json!({"rings": lines()})), table: "/step/0" },
                Context {
                    file: engraving(json!({"image": {"spacing": "0.1 mm"}})),
                    table: "/step/0",
                },
                Context {
                    file: engraving(
                        json!({"lines": lines(), "relief": relief(), "per-pass": "0.1 mm"}),
                    ),
                    table: "/step/0",
                },
            ],
        ),
        ("Ramp", at(step(json!({"ramp": {"slow": "40 %"}})), "/step/0/ramp")),
        (
            "RampStart",
            at(
                step(json!({"ramp": {"start": {"from": "40 %", "over": "1 mm"}}})),
                "/step/0/ramp/start",
            ),
        ),
        (
            "RampEnd",
            at(step(json!({"ramp": {"end": {"to": "40 %", "over": "1 mm"}}})), "/step/0/ramp/end"),
        ),
        (
            "Pierce",
            at(step(json!({"pierce": {"power": "40 %", "dwell": "0.2 s"}})), "/step/0/pierce"),
        ),
        ("ShapedLead", at(step(json!({"lead-in": {"length": "2 mm"}})), "/step/0/lead-in")),
        (
            "Bridges",
            at(step(json!({"bridges": {"count": 3, "width": "0.5 mm"}})), "/step/0/bridges"),
        ),
        ("Lines", at(engraving(json!({"lines": lines()})), "/step/0/lines")),
        ("Rings", at(engraving(json!({"rings": lines()})), "/step/0/rings")),
        (
            "Shoulder",
            at(
                engraving(json!({"lines": lines(), "shoulder": {"from": "20 %", "over": "1 mm"}})),
                "/step/0/shoulder",
            ),
        ),
        ("Image", at(engraving(json!({"image": {"spacing": "0.1 mm"}})), "/step/0/image")),
        (
            "Sharpen",
            at(
                engraving(
                    json!({"image": {"spacing": "0.1 mm", "sharpen": {"radius": "0.3 mm", "amount": "80 %"}}}),
                ),
                "/step/0/image/sharpen",
            ),
        ),
        (
            "Relief",
            at(
                engraving(json!({"lines": lines(), "relief": relief(), "per-pass": "0.1 mm"})),
                "/step/0/relief",
            ),
        ),
        (
            "Finish",
            at(
                engraving(
                    json!({"lines": lines(), "per-pass": "0.1 mm", "relief": {"depth": "0.8 mm", "layers": 4, "finish": {"speed": "20 mm/s", "power": "20 %"}}}),
                ),
                "/step/0/relief/finish",
            ),
        ),
    ]
}

fn machine() -> Value {
    json!({
        "tinkite": 1, "name": "A machine",
        "bed": {"width": "300 mm", "depth": "200 mm", "origin": "bottom-left"},
        "axis": {
            "x": {"top-speed": "200 mm/s", "acceleration": "1500 mm/s2"},
            "y": {"top-speed": "200 mm/s", "acceleration": "1500 mm/s2"},
            "z": {"top-speed": "20 mm/s", "acceleration": "150 mm/s2", "range": ["-5 mm", "20 mm"]},
            "a": {"top-speed": "180 deg/s", "acceleration": "900 deg/s2"},
        },
        "travel": {"as": "feed", "speed": "150 mm/s"},
        "beam": {"full": 1000.0, "ceiling": "90 %", "width": "0.1 mm", "follows-speed": true},
        "focus": {"height": "10 mm"}, "air": {"on": "M8", "off": "M9"}, "rotary": {"axis": "A"},
        "program": {"arcs": true}, "link": {"to": "rig:"}, "run": {"clear-air": "5 s"},
    })
}

fn machine_contexts() -> Vec<(&'static str, Vec<Context>)> {
    let tables = [
        ("", ""),
        ("Bed", "/bed"),
        ("Axes", "/axis"),
        ("Axis", "/axis/x"),
        ("FocusAxis", "/axis/z"),
        ("TurningAxis", "/axis/a"),
        ("Travel", "/travel"),
        ("Beam", "/beam"),
        ("Focus", "/focus"),
        ("Air", "/air"),
        ("Rotary", "/rotary"),
        ("ProgramText", "/program"),
        ("Link", "/link"),
        ("Attendance", "/run"),
    ];
    tables.into_iter().map(|(def, table)| (def, vec![Context { file: machine(), table }])).collect()
}

/// The machine of the jobs that are tried.
const MACHINE: &str = include_str!("../../../demo/tube-laser.machine.toml");

/// What the reader says of a file.
fn problems(kind: &str, file: &Value) -> Vec<Problem> {
    let text = as_file(file);
    let refused = if kind == "machine" {
        machine::read("a.machine.toml", &text).err()
    } else {
        let machine = machine::read("tube-laser", MACHINE).expect("a shipped machine");
        job::read("job.kite.toml", &text, machine).err()
    };
    refused.iter().flat_map(|problems| problems.iter().cloned()).collect()
}

/// The keys that the reader knows in a table.
fn known(kind: &str, context: &Context) -> BTreeSet<String> {
    let file = put(context.file.clone(), &format!("{}/{UNKNOWN}", context.table), json!(1));
    let all = problems(kind, &file);
    let told = all
        .iter()
        .find(|problem| problem.code == Code::UnknownKey && problem.message.contains(UNKNOWN));
    let list = told.and_then(|problem| problem.help.strip_prefix("keys that fit here: "));
    assert!(list.is_some(), "nothing was said of {UNKNOWN} in {}: {all:?}", context.table);
    list.unwrap_or_default().split(", ").map(str::to_string).collect()
}

fn schema(folder: &Bench, kind: &str) -> Value {
    let out = folder.run(&["schema", kind]);
    assert!(out.status == 0);
    serde_json::from_str(&out.out).unwrap_or_default()
}

/// The tables of a schema, by name; the file itself has none.
fn tables(schema: &Value) -> BTreeMap<String, Value> {
    let defs = schema["$defs"].as_object().into_iter().flatten();
    let defs = defs.filter(|(_, def)| def["properties"].is_object());
    let whole = ("".to_string(), schema.clone());
    defs.map(|(name, def)| (name.clone(), def.clone())).chain([whole]).collect()
}

/// Values that a described key can have: its words, its examples.
fn samples(schema: &Value, described: &Value) -> Vec<Value> {
    let list = |value: &Value| value.as_array().cloned().unwrap_or_default();
    let own = list(&described["examples"]);
    if !own.is_empty() {
        return own;
    }
    let words = list(&described["enum"]);
    if !words.is_empty() {
        return words;
    }
    if let Some(word) = described.get("const") {
        return vec![word.clone()];
    }
    let parts: Vec<Value> =
        ["anyOf", "oneOf"].iter().flat_map(|key| list(&described[key])).collect();
    if !parts.is_empty() {
        return parts.iter().flat_map(|part| samples(schema, part)).collect();
    }
    if let Some(name) = described["$ref"].as_str().and_then(|path| path.strip_prefix("#")) {
        return schema.pointer(name).map(|def| samples(schema, def)).unwrap_or_default();
    }
    let kind = described["type"].to_string();
    if kind.contains("boolean") {
        return vec![json!(true), json!(false)];
    }
    if kind.contains("array") {
        let items = samples(schema, &described["items"]);
        let many = described["minItems"].as_u64().unwrap_or(1) as usize;
        return items.into_iter().map(|item| json!(vec![item; many])).collect();
    }
    if kind.contains("string") { vec![json!("a")] } else { Vec::new() }
}

/// What the reader says against a value of a key; `None` where it takes it.
fn refused(kind: &str, context: &Context, key: &str, sample: &Value) -> Option<Problem> {
    let file = put(context.file.clone(), &format!("{}/{key}", context.table), sample.clone());
    problems(kind, &file).into_iter().find(|problem| {
        // One kind of shape has not the keys of another: that is told of those.
        let another = format!("has no key called {key}");
        match problem.code {
            Code::UnknownKey => problem.message.contains(&another),
            code => {
                matches!(code, Code::UnknownWord | Code::WrongType | Code::Quantity | Code::Toml)
            }
        }
    })
}

fn held(kind: &str, contexts: &[(&'static str, Vec<Context>)]) {
    let schema = schema(&Bench::new(), kind);
    let tables = tables(&schema);
    let here: BTreeSet<&str> = contexts.iter().map(|(name, _)| *name).collect();
    assert_eq!(here, tables.keys().map(String::as_str).collect(), "tables that are looked at");
    for (name, places) in contexts {
        held_table(kind, &schema, &tables[*name], (name, places));
    }
}

/// Holds one table, as the schema describes it, against the reader in all places where it may stand.
fn held_table(kind: &str, schema: &Value, table: &Value, (name, places): (&str, &[Context])) {
    let described = table["properties"].as_object().cloned().unwrap_or_default();
    let of_each: Vec<BTreeSet<String>> = places.iter().map(|at| known(kind, at)).collect();
    let mut reader: BTreeSet<String> = of_each.iter().flatten().cloned().collect();
    if name.is_empty() && kind == "job" {
        // A test sheet is laid out before the rest of the file is read; it has its own table below.
        reader.insert("swatch".into());
    }
    assert_eq!(described.keys().cloned().collect::<BTreeSet<_>>(), reader, "keys of {name:?}");
    for (key, value) in &described {
        for sample in samples(schema, value) {
            // Wherever the reader knows the key; a table is held in a place of its own.
            let here = places.iter().zip(&of_each).filter(|(_, known)| known.contains(key));
            let bad: Vec<Option<Problem>> =
                here.map(|(context, _)| refused(kind, context, key, &sample)).collect();
            assert!(bad.iter().any(Option::is_none), "{name} {key} = {sample}: {bad:?}");
        }
    }
}

#[test]
fn the_schema_of_jobs_is_what_the_reader_takes() {
    held("job", &job_contexts());
}

#[test]
fn the_schema_of_machines_is_what_the_reader_takes() {
    held("machine", &machine_contexts());
}

/// A recipe with every key that the schema describes is read, and one with another key is not.
#[test]
fn the_schema_of_recipes_is_what_the_reader_takes() {
    let folder = Bench::new();
    let schema = schema(&folder, "recipes");
    let described =
        tables(&schema)["Recipe"]["properties"].as_object().cloned().unwrap_or_default();
    let told = |make: &str, key: &str, sample: &Value| {
        let mut recipe =
            json!({"material": "scrap", "make": make, "speed": "20 mm/s", "power": "50 %"});
        recipe[key] = sample.clone();
        folder.write("a.recipes.toml", as_file(&json!({"tinkite": 1, "recipe": [recipe]})));
        folder.run(&["recipe", "list", "--verbose"]).err
    };
    let unknown = "has no key called";
    assert!(told("cut", UNKNOWN, &json!(1)).contains(unknown));
    for (key, value) in &described {
        for sample in samples(&schema, value) {
            let said = ["cut", "engrave"].map(|make| told(make, key, &sample));
            assert!(said.iter().any(|said| !said.contains(unknown)), "{key} = {sample}: {said:?}");
        }
    }
}
