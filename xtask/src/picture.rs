//! The picture of the house in ARCHITECTURE.md, drawn from the dependencies that the crates' manifests name.

use crate::{TaskError, root};
use std::collections::BTreeMap;
use std::fmt::Write;

const PREFIX: &str = "legere-";
const WIDE: usize = 168;
const HIGH: usize = 74;
const APART: usize = 46;

/// What each crate is for, as the picture says it.
const FOR: [(&str, &str); 8] = [
    ("legere", "the program"),
    ("app", "what can be done"),
    ("web", "pages"),
    ("store", "PostgreSQL, journal, queue"),
    ("media", "ffmpeg, shelf"),
    ("demo", "draws the demo"),
    ("analysis", "reads music and footage"),
    ("core", "model and rules"),
];

/// The crates that each one is built on.
fn dependencies() -> std::io::Result<BTreeMap<String, Vec<String>>> {
    let mut all = BTreeMap::new();
    for entry in std::fs::read_dir(root().join("crates"))? {
        let folder = entry?;
        let manifest = std::fs::read_to_string(folder.path().join("Cargo.toml"))?;
        let needs = manifest.split("[dependencies]").nth(1).unwrap_or_default();
        let needs = needs.split("\n[").next().unwrap_or_default();
        let named = needs.lines().filter_map(|line| line.strip_prefix(PREFIX)?.split('.').next().map(str::to_owned));
        all.insert(folder.file_name().to_string_lossy().into_owned(), named.collect());
    }
    Ok(all)
}

/// One above the highest that it stands on.
fn floor(of: &str, all: &BTreeMap<String, Vec<String>>) -> usize {
    all.get(of).into_iter().flatten().map(|below| floor(below, all) + 1).max().unwrap_or(0)
}

fn drawn(all: &BTreeMap<String, Vec<String>>) -> String {
    let mut floors: BTreeMap<usize, Vec<&str>> = BTreeMap::new();
    for name in all.keys() {
        floors.entry(floor(name, all)).or_default().push(name);
    }
    let top = floors.keys().last().copied().unwrap_or(0);
    let widest = floors.values().map(Vec::len).max().unwrap_or(1);
    let (width, height) = (widest * (WIDE + APART) + APART, (top + 1) * (HIGH + APART) + APART);
    let mut at: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    for (floor, names) in &floors {
        let row = names.len() * (WIDE + APART) - APART;
        for (i, name) in names.iter().enumerate() {
            at.insert(name, ((width - row) / 2 + i * (WIDE + APART), APART + (top - floor) * (HIGH + APART)));
        }
    }
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width} {height}\" font-family=\"sans-serif\">\n\
         <title>Which crate is built on which</title>\n<rect width=\"{width}\" height=\"{height}\" fill=\"#f6f3ec\"/>\n"
    );
    // Writing into a String cannot fail.
    for (name, below) in all {
        let (x, y) = at[name.as_str()];
        for other in below.iter().filter_map(|b| at.get(b.as_str())) {
            let (from, to) = ((x + WIDE / 2, y + HIGH), (other.0 + WIDE / 2, other.1));
            let bend = usize::midpoint(from.1, to.1);
            let _ = writeln!(
                svg,
                "<path d=\"M{} {}C{} {bend} {} {bend} {} {}\" fill=\"none\" stroke=\"#8c2f2b\" stroke-opacity=\".45\"/>",
                from.0, from.1, from.0, to.0, to.0, to.1
            );
        }
    }
    for (name, (x, y)) in &at {
        let what = FOR.iter().find(|(n, _)| n == name).map_or("", |(_, what)| what);
        let middle = x + WIDE / 2;
        let _ = writeln!(
            svg,
            "<rect x=\"{x}\" y=\"{y}\" width=\"{WIDE}\" height=\"{HIGH}\" rx=\"2\" fill=\"#fffdf8\" stroke=\"#211d18\"/>\n\
             <text x=\"{middle}\" y=\"{}\" text-anchor=\"middle\" font-size=\"19\" fill=\"#211d18\">{name}</text>\n\
             <text x=\"{middle}\" y=\"{}\" text-anchor=\"middle\" font-size=\"12\" fill=\"#6b6357\">{what}</text>",
            y + 32,
            y + 54
        );
    }
    svg + "</svg>\n"
}

/// Writes docs/house.svg.
pub fn draw() -> Result<(), TaskError> {
    let file = root().join("docs/house.svg");
    let written = dependencies().and_then(|all| std::fs::write(&file, drawn(&all)));
    written.map_err(|source| TaskError::Start { program: file.display().to_string(), source })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn arrows_point_down_only_and_the_picture_is_of_today() {
        let all = dependencies().expect("manifests");
        for (name, below) in &all {
            for other in below {
                assert!(floor(other, &all) < floor(name, &all), "{name} stands on {other}");
            }
        }
        assert!(all["core"].is_empty(), "the core stands on nothing of ours");
        let kept = std::fs::read_to_string(root().join("docs/house.svg")).expect("the picture");
        assert_eq!(kept, drawn(&all), "cargo xtask picture draws it again");
    }
}
