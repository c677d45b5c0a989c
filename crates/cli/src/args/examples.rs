//! Two examples at the end of each help page. Those that need no controller work in the demo's folder.

use clap::Command;

/// Commands by their words, each with two calls and what they are for.
pub(super) const EXAMPLES: &[(&str, [[&str; 2]; 2])] = &[
    (
        "",
        [
            ["tinkite demo", "everything once, in a new folder"],
            ["tinkite begin name-tag.svg", "a job file to start from"],
        ],
    ),
    (
        "demo",
        [
            ["tinkite demo", "into the folder tinkite-demo"],
            ["tinkite demo workshop", "into a folder of that name"],
        ],
    ),
    (
        "look",
        [
            ["tinkite look sail-panel.svg", "its size, its colours, its trouble"],
            [
                "tinkite look sail-panel.svg --measure \"20 mm, 35 mm\"",
                "the shape whose line is nearest",
            ],
        ],
    ),
    (
        "begin",
        [
            ["tinkite begin sail-panel.svg -o mine.kite.toml", "a step for each colour"],
            [
                "tinkite begin kite-sky.png --width \"80 mm\" -o sky.kite.toml",
                "a photograph, 80 mm wide",
            ],
        ],
    ),
    (
        "check",
        [
            ["tinkite check sail-panel.kite.toml", "is anything wrong or doubtful?"],
            ["tinkite check --explain open-shape", "what a problem code means"],
        ],
    ),
    (
        "plan",
        [
            ["tinkite plan sail-panel.kite.toml --faster", "what would save time?"],
            [
                "tinkite plan sail-panel.kite.toml --set 'steps.outline.speed=\"20 mm/s\"'",
                "what if this were slower?",
            ],
        ],
    ),
    (
        "draw",
        [
            ["tinkite draw sail-panel.kite.toml -o panel.svg", "the job on its bed"],
            ["tinkite draw sail-panel.kite.toml -o panel.html", "a job sheet, to print or play"],
        ],
    ),
    (
        "photo",
        [
            ["tinkite photo offcut.kite.toml", "how true the job's photo is"],
            ["tinkite photo offcut.kite.toml -o bed.png", "flat, with rulers"],
        ],
    ),
    (
        "bundle",
        [
            ["tinkite bundle sail-panel.kite.toml", "one file to carry to the machine"],
            [
                "tinkite bundle sail-panel.kite.toml --report -o help.kite.zip",
                "for somebody who shall help",
            ],
        ],
    ),
    (
        "emit",
        [
            ["tinkite emit sail-panel.kite.toml -o panel.nc", "the machine program"],
            [
                "tinkite emit sail-panel.kite.toml -o - --terse",
                "to standard output, without comments",
            ],
        ],
    ),
    (
        "read",
        [
            ["tinkite read sail-panel.nc", "lengths, places, power, beam"],
            [
                "tinkite read sail-panel.nc --machine bench-laser --explain",
                "each line in words, checked against a machine",
            ],
        ],
    ),
    (
        "run",
        [
            ["tinkite run sail-panel.kite.toml --to rig:", "on the simulated controller"],
            ["tinkite run --go-on", "finish the run that broke off"],
        ],
    ),
    (
        "machine",
        [
            ["tinkite machine list", "profiles that can be named from here"],
            ["tinkite machine new shop-laser", "a profile of your own, by questions"],
        ],
    ),
    (
        "machine list",
        [
            ["tinkite machine list", "profiles that can be named from here"],
            ["tinkite machine list --json", "the same for programs"],
        ],
    ),
    (
        "machine show",
        [
            ["tinkite machine show bench-laser", "what a profile says"],
            ["tinkite machine show tube-laser --power", "from percent to S, mA and W"],
        ],
    ),
    (
        "machine new",
        [
            ["tinkite machine new shop-laser", "asks what it needs"],
            [
                "tinkite machine new shop-laser --like tube-laser --width \"600 mm\" --depth \"400 mm\" --own",
                "without questions, for every job",
            ],
        ],
    ),
    (
        "machine check",
        [
            ["tinkite machine check tube-laser", "compare it with the controller on its link"],
            ["tinkite machine check bench-laser --to tcp:127.0.0.1:2323", "against a rig"],
        ],
    ),
    (
        "machine measure",
        [
            [
                "tinkite machine measure tube-laser \"10 % = 2.1 mA, 4 W\" \"60 % = 14 mA, 38 W\" -o measured.machine.toml",
                "what was read at the meters",
            ],
            ["tinkite machine measure bench-laser --times", "accelerations from logged runs"],
        ],
    ),
    (
        "edge",
        [
            [
                "tinkite edge sail-panel.kite.toml --to rig:",
                "round the box of all that burns, beam off",
            ],
            [
                "tinkite edge sail-panel.kite.toml --shape outline --pointer",
                "along the outermost lines, pointer lit",
            ],
        ],
    ),
    (
        "head",
        [
            ["tinkite head --machine bench-laser", "the panel: drive with the arrow keys"],
            ["tinkite head sail-panel.kite.toml", "the same, with the job's corners"],
        ],
    ),
    (
        "head where",
        [
            ["tinkite head where --machine bench-laser", "where the head is"],
            ["tinkite head where --machine bench-laser --json", "the same for programs"],
        ],
    ),
    (
        "head home",
        [
            ["tinkite head home --machine bench-laser", "look for the machine's zero"],
            [
                "tinkite head home --machine bench-laser --to serial:/dev/ttyUSB0@115200",
                "on another port",
            ],
        ],
    ),
    (
        "head unlock",
        [
            ["tinkite head unlock --machine bench-laser", "behind an alarm"],
            ["tinkite head unlock --machine bench-laser --to rig:", "of the simulated controller"],
        ],
    ),
    (
        "head zero",
        [
            ["tinkite head zero --machine bench-laser", "X and Y count from here"],
            [
                "tinkite head zero --clear --machine bench-laser",
                "from the machine's own zero again",
            ],
        ],
    ),
    (
        "head go",
        [
            ["tinkite head go 100 50 --machine bench-laser", "to a place on the bed, mm"],
            ["tinkite head go 0 0 --from stock --machine bench-laser", "to the zero on the stock"],
        ],
    ),
    (
        "head move",
        [
            ["tinkite head move 10 0 --machine bench-laser", "10 mm to the right"],
            [
                "tinkite head move 0 \"1 in\" --machine bench-laser",
                "an inch away from you; \"-1 in\" comes back",
            ],
        ],
    ),
    (
        "head free",
        [
            ["tinkite head free --machine bench-laser", "push the head by hand"],
            ["tinkite head free --machine bench-laser --to rig:", "of the simulated controller"],
        ],
    ),
    (
        "head focus",
        [
            [
                "tinkite head focus \"3 mm\" --machine tube-laser",
                "onto the surface of stock 3 mm thick",
            ],
            [
                "tinkite head focus --block --machine tube-laser",
                "the gauge block is under the head now",
            ],
        ],
    ),
    (
        "head mark",
        [
            ["tinkite head mark hubs.kite.toml", "all marks, one after the other, in a panel"],
            ["tinkite head mark hubs.kite.toml 2", "the head stands on the second mark"],
        ],
    ),
    (
        "head pointer",
        [
            ["tinkite head pointer --machine bench-laser", "lit for as long as the profile allows"],
            ["tinkite head pointer --for \"3 s\" --machine bench-laser", "for three seconds"],
        ],
    ),
    (
        "head dark",
        [
            ["tinkite head dark --machine bench-laser", "put out a beam that was left on"],
            ["tinkite head dark --machine bench-laser --to rig:", "of the simulated controller"],
        ],
    ),
    ("log", [["tinkite log list", "the last runs"], ["tinkite log show", "how the last one went"]]),
    (
        "log list",
        [
            ["tinkite log list", "the last twenty"],
            ["tinkite log list --last 100", "the last hundred"],
        ],
    ),
    ("log show", [["tinkite log show", "the last run"], ["tinkite log show 12", "run 12"]]),
    (
        "log note",
        [
            ["tinkite log note 12 \"second sheet had a dark core\"", "something to remember"],
            ["tinkite log note 12 --step outline --result good", "it counts for the step's recipe"],
        ],
    ),
    (
        "log find",
        [
            ["tinkite log find --material \"poplar plywood\"", "what was tried on it"],
            [
                "tinkite log find --material \"poplar plywood\" --thickness \"3 mm\" --draw tried.svg",
                "the same as a chart",
            ],
        ],
    ),
    (
        "log export",
        [
            ["tinkite log export -o runs.jsonl", "to carry to another computer"],
            ["tinkite log export -o whole.jsonl --programs", "so that runs can be repeated there"],
        ],
    ),
    (
        "log import",
        [
            ["tinkite log import shop.jsonl", "take in the runs of another log"],
            ["tinkite log import shop.jsonl --log shop.sqlite", "into a log of that name"],
        ],
    ),
    (
        "recipe",
        [
            ["tinkite recipe list", "what is to be had here"],
            ["tinkite recipe keep hubs.kite.toml hubs", "these settings worked"],
        ],
    ),
    (
        "recipe list",
        [
            ["tinkite recipe list", "all books"],
            [
                "tinkite recipe list --material \"poplar plywood\" --thickness \"3 mm\"",
                "for this stock",
            ],
        ],
    ),
    (
        "recipe show",
        [
            [
                "tinkite recipe show cut --material \"poplar plywood\" --thickness \"3 mm\"",
                "its settings and how often it worked",
            ],
            [
                "tinkite recipe show cut --material \"poplar plywood\" --thickness \"3 mm\" --json",
                "the same for programs",
            ],
        ],
    ),
    (
        "recipe keep",
        [
            ["tinkite recipe keep hubs.kite.toml hubs", "under the job's material"],
            [
                "tinkite recipe keep hubs.kite.toml hubs --as \"birch plywood\" --thickness \"4 mm\"",
                "under another",
            ],
        ],
    ),
    (
        "recipe copy",
        [
            [
                "tinkite recipe copy cut --material \"poplar plywood\" --thickness \"3 mm\" --to-thickness \"4 mm\"",
                "a guess for thicker stock",
            ],
            [
                "tinkite recipe copy cut --material \"poplar plywood\" --thickness \"3 mm\" --to-machine bench-laser",
                "for another machine",
            ],
        ],
    ),
    (
        "recipe drop",
        [
            [
                "tinkite recipe drop cut --material \"poplar plywood\" --thickness \"3 mm\"",
                "out of its book",
            ],
            [
                "tinkite recipe drop score --material \"poplar plywood\" --book workshop.recipes.toml",
                "out of this book",
            ],
        ],
    ),
    (
        "recipe print",
        [
            ["tinkite recipe print -o recipes.html", "a sheet to hang at the machine"],
            ["tinkite recipe print --start -o recipes.svg", "with the values to start from"],
        ],
    ),
    (
        "swatch",
        [
            [
                "tinkite swatch make --make engrave --power \"10..60 %\" --speed \"50..300 mm/s\"",
                "a test sheet",
            ],
            ["tinkite swatch keep hub-swatch.kite.toml C3", "its best square becomes a recipe"],
        ],
    ),
    (
        "swatch make",
        [
            [
                "tinkite swatch make --make cut --power \"40..90 %\" --speed \"5..20 mm/s\"",
                "which squares fall out?",
            ],
            ["tinkite swatch make --kind kerf -o comb.kite.toml", "a comb that measures the kerf"],
        ],
    ),
    (
        "swatch read",
        [
            [
                "tinkite swatch read hub-swatch.kite.toml hub-swatch-scan.png",
                "how dark each square is",
            ],
            [
                "tinkite swatch read hub-swatch.kite.toml hub-swatch-scan.png --darkness \"60 %\"",
                "the square nearest to that",
            ],
        ],
    ),
    (
        "swatch keep",
        [
            ["tinkite swatch keep hub-swatch.kite.toml C3", "this square"],
            [
                "tinkite swatch keep hub-wedge.kite.toml --scan hub-wedge-scan.png --name picture",
                "the tone curve of a wedge",
            ],
        ],
    ),
    (
        "rig",
        [
            ["tinkite rig", "a simulated controller on 127.0.0.1:2323"],
            [
                "tinkite rig --pty --once --picture burnt.png",
                "as a serial port, and a picture at the end",
            ],
        ],
    ),
    (
        "schema",
        [
            ["tinkite schema job > job.schema.json", "for an editor"],
            ["tinkite schema machine", "of machine profiles"],
        ],
    ),
    (
        "completions",
        [
            [
                "tinkite completions bash > ~/.local/share/bash-completion/completions/tinkite",
                "for bash",
            ],
            ["tinkite completions fish", "for fish"],
        ],
    ),
    (
        "man",
        [
            ["tinkite man", "the first page, on standard output"],
            ["tinkite man --into man1", "all pages into a folder"],
        ],
    ),
];

/// The same commands with examples at the end of each help page.
pub(crate) fn with_examples(command: Command) -> Command {
    put(command, "")
}

fn put(command: Command, path: &str) -> Command {
    let own = EXAMPLES.iter().find(|(words, _)| *words == path);
    let command = match own {
        Some((_, examples)) => command.after_help(text(examples)),
        None => command,
    };
    command.mut_subcommands(|inner| {
        let name = inner.get_name().to_string();
        let words = if path.is_empty() { name } else { format!("{path} {name}") };
        put(inner, &words)
    })
}

fn text(examples: &[[&str; 2]]) -> String {
    let lines = examples.iter().map(|[call, what]| format!("  {call}\n      {what}"));
    format!("Examples:\n{}", lines.collect::<Vec<_>>().join("\n"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::Args;
    use clap::CommandFactory;

    /// The words of a call, as a shell parts them.
    fn words(call: &str) -> Vec<String> {
        let mut words = vec![String::new()];
        let mut open = None;
        for c in call.chars() {
            match (open, c) {
                (None, '"' | '\'') => open = Some(c),
                (Some(quote), c) if quote == c => open = None,
                (None, ' ') => words.push(String::new()),
                (_, c) => words.last_mut().into_iter().for_each(|word| word.push(c)),
            }
        }
        let end = words.iter().position(|word| word == ">").unwrap_or(words.len());
        words.truncate(end);
        words
    }

    fn every(command: &Command, path: &str, all: &mut Vec<String>) {
        all.push(path.to_string());
        for inner in command.get_subcommands() {
            let name = inner.get_name();
            every(inner, format!("{path} {name}").trim_start(), all);
        }
    }

    #[test]
    fn every_help_page_has_its_own_examples_and_each_can_be_typed() {
        let mut all = Vec::new();
        every(&Args::command(), "", &mut all);
        for path in all {
            let own = EXAMPLES.iter().find(|(words, _)| *words == path);
            assert!(own.is_some(), "no examples of {path:?}");
        }
        for (path, examples) in EXAMPLES {
            for [call, _] in examples {
                assert!(call.starts_with(format!("tinkite {path}").trim_end()), "{call}");
                let read = Args::command().try_get_matches_from(words(call));
                assert!(
                    read.is_ok(),
                    "{call}: {}",
                    read.err().map_or(String::new(), |e| e.to_string())
                );
            }
        }
    }
}
