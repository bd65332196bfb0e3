//! The licences of all that ships: the crates of the program, and the scripts, styles and fonts of its pages.

use crate::{TaskError, cargo, root};
use std::collections::BTreeSet;

/// Prints a line for each; an error where one has none.
pub fn list() -> Result<(), TaskError> {
    let mut tree = cargo();
    tree.args(["tree", "--package", "legere", "--edges", "normal", "--prefix", "none", "--format", "{p}\t{l}"]);
    let out = tree.output().map_err(|source| TaskError::Start { program: "cargo tree".into(), source })?;
    if !out.status.success() {
        return Err(TaskError::Step("cargo tree".into()));
    }
    let text = String::from_utf8_lossy(&out.stdout).into_owned();
    // "name v1.2.3 (where it lies)", once for each place in the tree.
    let crates: BTreeSet<(&str, &str)> = text
        .lines()
        .filter_map(|line| line.split_once('\t'))
        .map(|(name, licence)| (name.split(" (").next().unwrap_or(name), licence.trim_end_matches(" (*)").trim()))
        .collect();
    println!("{} crates:", crates.len());
    let mut without = Vec::new();
    for (name, licence) in &crates {
        println!("  {name:<44} {}", if licence.is_empty() { "none said" } else { licence });
        if licence.is_empty() {
            without.push(*name);
        }
    }
    let assets = root().join("crates/web/assets");
    let notice = assets.join("vendor/NOTICE");
    let said = std::fs::read_to_string(&notice);
    let said = said.map_err(|source| TaskError::Start { program: notice.display().to_string(), source })?;
    println!("scripts and styles of the pages:");
    said.lines().for_each(|line| println!("  {line}"));
    println!(
        "fonts (each with its licence beside it): Alegreya, Atkinson Hyperlegible Next and Mono: SIL Open Font License 1.1"
    );
    if without.is_empty() { Ok(()) } else { Err(TaskError::Step(format!("a licence for {}", without.join(", ")))) }
}
