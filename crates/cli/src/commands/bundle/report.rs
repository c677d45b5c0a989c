//! What somebody who shall help needs: what the commands say of the job, its program, how its last run went, and
//! what said so. Everything is made from the bundle itself, so that no folder of this computer is named.

use crate::args::LogFile;
use serde::Serialize;
use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::path::Path;
use tinkite_core::program::{Comments, Program};
use tinkite_files::bundle::job_in;
use tinkite_files::call::JobCall;
use tinkite_files::load;
use tinkite_files::log;
use tinkite_files::refusal::Refusal;
use tinkite_log::{Log, RunEntry};
use tinkite_report::look::{LookJson, Looked};
use tinkite_report::run::RunJson;
use tinkite_report::{CheckJson, RefusedJson, plan, problems_json};

/// How many of the log's last runs are searched for one of this job.
const SEARCHED: u32 = 1000;

/// What made the report.
#[derive(Debug, Serialize)]
struct AboutJson {
    tinkite: &'static str,
    system: &'static str,
    processor: &'static str,
    /// What the terminal says it is; `None` where there is none.
    terminal: Option<String>,
    colours: Option<String>,
    language: Option<String>,
}

fn about() -> AboutJson {
    let said = |name: &str| std::env::var(name).ok().filter(|value| !value.is_empty());
    AboutJson {
        tinkite: env!("CARGO_PKG_VERSION"),
        system: std::env::consts::OS,
        processor: std::env::consts::ARCH,
        terminal: said("TERM").filter(|_| std::io::stdout().is_terminal()),
        colours: said("COLORTERM"),
        language: said("LC_ALL").or_else(|| said("LANG")),
    }
}

/// The files of the report on the bundle `trial`, made of the job `path`, by name.
///
/// # Errors
/// A log that cannot be read, and a report that would name a folder of this computer.
pub(super) fn report(
    trial: &Path,
    path: &Path,
    log: &LogFile,
    with_program: bool,
) -> Result<BTreeMap<String, Vec<u8>>, Refusal> {
    let mut files = BTreeMap::new();
    let mut put = |name: &str, content: Vec<u8>| files.insert(name.to_string(), content);
    let job = job_in(trial)?;
    let args = JobCall::whole(job.clone(), None);
    put("about.json", as_json(&about())?);
    match load::make(&args) {
        Ok(made) => {
            put("plan.json", as_json(&plan::json(&made))?);
            let problems = load::locate(made.compiled.problems, &made.sources);
            put("check.json", as_json(&CheckJson { problems: problems_json(&problems) })?);
            if with_program {
                let mut program = Vec::new();
                Program::new(made.compiled.within)
                    .write(Comments::Full, &mut program)
                    .map_err(|error| Refusal::output("the bundle", error))?;
                put("program.nc", program);
            }
        }
        Err(Refusal::Problems(problems, _)) => {
            let problems = problems_json(&problems);
            put("check.json", as_json(&RefusedJson { refused: None, problems })?);
        }
        Err(other) => return Err(other),
    }
    put("look.json", look(&job)?);
    if let Some(run) = last_run(path, &log::path(log.path.as_deref())?)? {
        put("run.json", as_json(&RunJson::from(&run))?);
    }
    let inside = format!("{}/", trial.display());
    for (name, content) in &mut files {
        let text = String::from_utf8_lossy(content).replace(&inside, "");
        if let Some(folder) = folders(path).find(|folder| text.contains(folder.as_str())) {
            return Err(Refusal::Usage(format!(
                "{name} of the report would name a folder of this computer ({folder}), so nothing was written: leave it out of the job's names and notes"
            )));
        }
        *content = text.into_bytes();
    }
    Ok(files)
}

fn as_json(value: &impl Serialize) -> Result<Vec<u8>, Refusal> {
    Ok(serde_json::to_vec_pretty(value)?)
}

/// What `look` says of the job's drawings; a job that cannot be read has none.
fn look(job: &Path) -> Result<Vec<u8>, Refusal> {
    let loaded = match load::job(job, None, &[]) {
        Ok(loaded) => loaded,
        Err(Refusal::Problems(..)) => return as_json(&LookJson { files: Vec::new() }),
        Err(other) => return Err(other),
    };
    let looked: Vec<_> = loaded.artworks.iter().map(Looked::at).collect();
    as_json(&LookJson { files: looked.iter().map(Looked::json).collect() })
}

/// The last run of the job; where it was sent to and what lies where on this computer is taken out.
fn last_run(job: &Path, log: &Path) -> Result<Option<RunEntry>, Refusal> {
    if !log.exists() {
        return Ok(None);
    }
    let whole = std::path::absolute(job)
        .map_err(|error| Refusal::unreadable(&job.display().to_string(), &error))?;
    let of_job = |entry: &RunEntry| entry.began.made.as_ref().is_some_and(|made| made.job == whole);
    let entries = Log::look_into(log)?.entries(SEARCHED)?;
    Ok(entries.into_iter().find(of_job).map(without_places))
}

fn without_places(mut entry: RunEntry) -> RunEntry {
    let began = &mut entry.began;
    let kind = began.link.split_once(':').map_or("", |(kind, _)| kind).to_string();
    let address = began.link.split_once(':').map_or("", |(_, address)| address);
    if !address.is_empty() {
        entry.why = entry.why.map(|why| why.replace(address, "(its address)"));
    }
    began.link = kind;
    began.job = base(&began.job);
    for tried in began.steps.iter_mut().filter_map(|step| step.tried.as_mut()) {
        if let Some(used) = &mut tried.recipe {
            used.book = base(&used.book);
        }
    }
    entry
}

/// The last name of a path.
fn base(path: &str) -> String {
    path.rsplit(['/', '\\']).next().unwrap_or(path).to_string()
}

/// Folders of this computer that a report must not name.
fn folders(job: &Path) -> impl Iterator<Item = String> {
    let whole = std::path::absolute(job).ok();
    let of_job = whole.and_then(|path| path.parent().map(Path::to_path_buf));
    let here = std::env::current_dir().ok();
    let home = etcetera::home_dir().ok();
    let named = [of_job, here, home].into_iter().flatten();
    // The root of the disk stands in every path.
    named.filter(|folder| folder.parent().is_some()).map(|folder| folder.display().to_string())
}
