//! What a person types: `cargo xtask demo`, `test`, `screenshots`, `bench`.

#[cfg(test)]
mod circles;
mod debian;
mod licences;
mod picture;

use clap::{Parser, Subcommand};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

#[derive(Parser)]
#[command(name = "cargo xtask", about = "Builds, shows, tests and measures Legere")]
struct Cli {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Install what is missing, build, and serve "The Long Hour".
    Demo {
        /// Passed on to `legere demo`, for example `--port 0`.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        more: Vec<String>,
    },
    /// Install what is missing, then formatting, lints and all tests.
    Test {
        /// Passed on to `cargo test`, for example `-p legere-core`; lints are then left out.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        more: Vec<String>,
    },
    /// Take the pictures of docs/screenshots from the demo.
    Screenshots,
    /// List the licences of all that ships.
    Licences,
    /// Draw docs/house.svg from the crates' dependencies.
    Picture,
    /// Measure what is to be fast.
    Bench {
        /// `track` (and words of the pieces' names, or `fit`) judges the reading of music on pieces of our own, `scores`
        /// and folders on the MIDI files in them; `footage` (and `fitting`, or a folder of photographs) the reading of footage on
        /// clips that are drawn for it; `screen` presses keys in a job of a thousand clips; `server` measures requests of jobs of 1,200 and 10,000 selects; `pressure` has sixteen people judge in one job for a minute; `mutants` puts faults into the core; `arrange` lays thirty drawn problems; `clip` measures what is made of a clip, stage by stage; all else is passed on to `cargo bench`.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        more: Vec<String>,
    },
}

#[derive(Debug, thiserror::Error)]
enum TaskError {
    #[error("{0} failed")]
    Step(String),
    #[error("{program} cannot be started")]
    Start { program: String, source: std::io::Error },
    #[error("these Debian packages are missing; install them with\n  {0}")]
    Packages(String),
}

fn main() -> ExitCode {
    let result = match Cli::parse().task {
        Task::Demo { more } => demo(&more),
        Task::Test { more } => test(&more),
        Task::Screenshots => screenshots(),
        Task::Licences => licences::list(),
        Task::Picture => picture::draw(),
        Task::Bench { more } => bench(&more),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::FAILURE
        }
    }
}

fn demo(more: &[String]) -> Result<(), TaskError> {
    debian::ensure(&[debian::MEDIA, debian::DATABASE])?;
    build_shipped()?;
    let program = root().join("target/demo/legere");
    let mut legere = Command::new(&program);
    legere.arg("demo").arg("--data").arg(data_folder()).args(more);
    // The program takes this one's place, so that Ctrl-C and its exit code are its own.
    Err(TaskError::Start { program: program.display().to_string(), source: legere.exec() })
}

fn test(more: &[String]) -> Result<(), TaskError> {
    let packages = [debian::MEDIA, debian::DATABASE, debian::BROWSER, debian::SCRIPTS, debian::READERS];
    debian::ensure(&packages)?;
    // The browser tests read what npm brings, those of the hand-off what pip brings.
    run(npm().arg("ci"))?;
    readers()?;
    if more.is_empty() {
        run(cargo().args(["fmt", "--all", "--check"]))?;
        run(cargo().args(["clippy", "--workspace", "--all-targets", "--", "-D", "warnings"]))?;
        run(npm().args(["run", "check"]))?;
        run(npm().arg("test"))?;
    }
    run(cargo().args(["test", "--workspace"]).args(more))
}

fn screenshots() -> Result<(), TaskError> {
    debian::ensure(&[debian::MEDIA, debian::DATABASE, debian::BROWSER])?;
    on_the_shipped_program("screenshots")
}

fn bench(more: &[String]) -> Result<(), TaskError> {
    debian::ensure(&[debian::MEDIA, debian::DATABASE, debian::BROWSER, debian::INSTRUMENTS])?;
    // Words behind these are for the evaluation of readings alone.
    if let Some((first, words)) = more.split_first()
        && ["track", "scores", "footage"].contains(&first.as_str())
    {
        return run(research(&["bench", "--bench", first, "--"]).args(words));
    }
    let screen =
        ["test", "--release", "-p", "legere", "--test", "screen", "--test", "live", "--", "--ignored", "--nocapture"];
    if more.first().is_some_and(|first| first == "screen") {
        return run(cargo().args(screen));
    }
    if more.first().is_some_and(|first| first == "server") {
        let server = ["test", "--release", "-p", "legere", "--test", "costs", "--", "--ignored", "--nocapture"];
        return run(cargo().args(server));
    }
    if more.first().is_some_and(|first| first == "pressure") {
        let pressure = ["test", "--release", "-p", "legere-web", "--test", "pressure", "--", "--nocapture"];
        return run(cargo().args(pressure).env("LEGERE_PRESSURE_SECONDS", "60"));
    }
    if more.first().is_some_and(|first| first == "mutants") {
        return mutants(&more[1..]);
    }
    if more.first().is_some_and(|first| first == "arrange") {
        return run(cargo().args(["bench", "-p", "legere-core", "--bench", "arrange"]));
    }
    if more.first().is_some_and(|first| first == "clip") {
        return run(cargo().args(["bench", "-p", "legere-media", "--bench", "clip"]).args(&more[1..]));
    }
    let benches = ["--bench", "proposals", "--bench", "reading", "--bench", "clip"];
    run(cargo().args(["bench", "--workspace"]).args(benches).args(more))?;
    if more.is_empty() {
        run(cargo().args(screen))?;
        on_the_shipped_program("figures")?;
    }
    Ok(())
}

/// Puts small faults into the core one at a time, and says which of them its tests do not notice. `track/` is left out: what it
/// reads is judged by measures, not by examples.
fn mutants(more: &[String]) -> Result<(), TaskError> {
    let tool = root().join("target/mutants-tool");
    if !tool.join("bin/cargo-mutants").exists() {
        run(cargo().args(["install", "--quiet", "--locked", "cargo-mutants", "--root"]).arg(&tool))?;
    }
    let program = tool.join("bin/cargo-mutants");
    // The core is compiled for speed otherwise, which takes longer than its tests.
    let quick = ["--cargo-arg=--config=profile.dev.package.legere-core.opt-level=1", "--cargo-test-arg=--lib"];
    let core = ["mutants", "--package", "legere-core", "--exclude", "crates/core/src/track/**", "--output", "target"];
    // A shard is a sample of the whole core, not a stretch of it.
    let sample = ["--sharding", "round-robin"];
    run(Command::new(program).current_dir(root()).args(core).args(sample).args(quick).args(more))
}

fn build_shipped() -> Result<(), TaskError> {
    run(cargo().args(["build", "--profile", "demo", "--bin", "legere", "--bin", "legere-work"]))
}

/// Builds what is shipped, and runs an ignored test program on it.
fn on_the_shipped_program(test: &str) -> Result<(), TaskError> {
    build_shipped()?;
    let words = ["test", "--workspace", "--test", test, "--", "--ignored", "--nocapture"];
    run(cargo().args(words).env("LEGERE_BINARY", root().join("target/demo/legere")))
}

/// The libraries that read what is handed off, each at the version it was tried with.
const READERS: [&str; 4] = ["opentimelineio==0.18.1", "otio-cmx3600-adapter==1.0.0", "pycmx==1.5.1", "timecode==1.5.1"];

fn readers() -> Result<(), TaskError> {
    let folder = root().join("target/readers");
    let listed = folder.join("readers.txt");
    if std::fs::read_to_string(&listed).is_ok_and(|l| l == READERS.join("\n")) {
        return Ok(());
    }
    run(Command::new("python3").args(["-m", "venv", "--clear"]).arg(&folder))?;
    run(Command::new(folder.join("bin/pip")).args(["install", "--quiet"]).args(READERS))?;
    let listing = std::fs::write(&listed, READERS.join("\n"));
    listing.map_err(|source| TaskError::Start { program: listed.display().to_string(), source })
}

/// Cargo in the workspace that fits and judges the reading of music.
fn research(words: &[&str]) -> Command {
    let mut cargo = cargo();
    let manifest = root().join("research/Cargo.toml");
    cargo.arg(words[0]).arg("--manifest-path").arg(manifest).args(&words[1..]);
    cargo.env("CARGO_TARGET_DIR", root().join("target/research"));
    cargo
}

fn npm() -> Command {
    let mut npm = Command::new("npm");
    npm.current_dir(root().join("crates/web"));
    npm
}

fn cargo() -> Command {
    let mut cargo = Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()));
    cargo.current_dir(root());
    if std::env::var_os("CI").is_some() {
        // Nothing is built a second time there, and what would make that quicker is half of what a build takes on the disk.
        cargo.env("CARGO_INCREMENTAL", "0");
    }
    cargo
}

fn run(command: &mut Command) -> Result<(), TaskError> {
    let words: Vec<_> = std::iter::once(command.get_program()).chain(command.get_args()).collect();
    let said = words.iter().map(|w| w.to_string_lossy()).collect::<Vec<_>>().join(" ");
    eprintln!("» {said}");
    let status = command.status().map_err(|source| TaskError::Start { program: said.clone(), source })?;
    if status.success() { Ok(()) } else { Err(TaskError::Step(said)) }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map(Path::to_path_buf).unwrap_or_default()
}

/// Where the demo keeps its things: in the checkout, or where PostgreSQL's own user can get to when that lies below a
/// folder of root's alone.
fn data_folder() -> PathBuf {
    use std::os::unix::fs::PermissionsExt;
    let open = |folder: &Path| std::fs::metadata(folder).is_ok_and(|m| m.permissions().mode() & 0o001 != 0);
    let here = root();
    if nix::unistd::Uid::effective().is_root() && !here.ancestors().all(open) {
        return PathBuf::from("/var/lib/legere-demo");
    }
    here.join("data").join("demo")
}
