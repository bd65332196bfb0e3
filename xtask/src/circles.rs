//! Whether files of a crate import each other in a circle: then neither can be understood, or changed, without the other.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// Modules by their path within the crate, each with those that it names.
type Graph = BTreeMap<String, BTreeSet<String>>;

/// The circles in the crates of a folder, each as the modules on it, one line each.
pub fn circles(crates: &Path) -> std::io::Result<Vec<String>> {
    let mut found = Vec::new();
    let mut folders: Vec<_> = std::fs::read_dir(crates)?.flatten().map(|e| e.path().join("src")).collect();
    folders.sort();
    for src in folders.iter().filter(|src| src.is_dir()) {
        let mut files = BTreeMap::new();
        gather(src, &mut Vec::new(), &mut files)?;
        let name = src.parent().and_then(Path::file_name).unwrap_or_default().to_string_lossy();
        found.extend(circle(&graph(&files)).map(|modules| format!("{name}: {}", modules.join(" → "))));
    }
    Ok(found)
}

/// Sources by module path; files of tests are left out.
fn gather(folder: &Path, above: &mut Vec<String>, files: &mut BTreeMap<String, String>) -> std::io::Result<()> {
    for entry in std::fs::read_dir(folder)?.flatten() {
        let path = entry.path();
        let Some(stem) = path.file_stem().and_then(|s| s.to_str()).map(str::to_owned) else { continue };
        if stem == "tests" {
            continue;
        }
        let root = above.is_empty() && ["lib", "main"].contains(&stem.as_str());
        if path.is_dir() {
            above.push(stem);
            gather(&path, above, files)?;
            above.pop();
        } else if path.extension().is_some_and(|e| e == "rs") {
            let mut module = above.clone();
            if !root && stem != "mod" {
                module.push(stem);
            }
            files.insert(module.join("::"), std::fs::read_to_string(&path)?);
        }
    }
    Ok(())
}

fn graph(files: &BTreeMap<String, String>) -> Graph {
    let named = |module: &str, source: &str| {
        let code = source.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
        let code: Vec<&str> = code.lines().map(|line| line.split("//").next().unwrap_or_default()).collect();
        let own: Vec<&str> = module.split("::").filter(|part| !part.is_empty()).collect();
        let paths = paths(&code.join("\n"));
        let found = paths.iter().filter_map(|path| module_of(&own, path, files));
        // What lies in the crate's root is for all.
        found.filter(|found| !found.is_empty() && found != module).collect()
    };
    files.iter().map(|(module, source)| (module.clone(), named(module, source))).collect()
}

/// The paths in a source that begin within its crate, those in braces each for itself.
fn paths(code: &str) -> Vec<Vec<String>> {
    let mut found = Vec::new();
    for start in ["crate::", "super::", "self::"] {
        for (at, _) in code.match_indices(start) {
            let before = code[..at].chars().next_back();
            if before.is_some_and(|c| c.is_alphanumeric() || c == '_' || c == ':') {
                continue;
            }
            let is_of_path = |c: char| c.is_alphanumeric() || c == '_' || c == ':';
            let end = code[at..].find(|c| !is_of_path(c)).map_or(code.len(), |n| at + n);
            let stem = code[at..end].trim_end_matches(':');
            let listed = code[end..].strip_prefix('{').and_then(|rest| rest.split('}').next());
            for item in listed.unwrap_or_default().split(',') {
                let item: String = item.trim().chars().take_while(|c| is_of_path(*c)).collect();
                let whole = format!("{stem}::{item}");
                found.push(whole.split("::").filter(|part| !part.is_empty()).map(str::to_owned).collect());
            }
        }
    }
    found
}

/// The innermost module that a path from `own` lies in.
fn module_of(own: &[&str], path: &[String], files: &BTreeMap<String, String>) -> Option<String> {
    let mut full: Vec<&str> = if path.first().is_some_and(|p| p == "crate") { Vec::new() } else { own.to_vec() };
    for part in path {
        match part.as_str() {
            "crate" | "self" => {}
            "super" => drop(full.pop()),
            name => full.push(name),
        }
    }
    (0..=full.len()).rev().map(|n| full[..n].join("::")).find(|module| files.contains_key(module))
}

/// One circle, if there is any: modules that name each other, from one of them back to it.
fn circle(graph: &Graph) -> Option<Vec<String>> {
    fn walk(graph: &Graph, at: &str, on: &mut Vec<String>, done: &mut BTreeSet<String>) -> Option<Vec<String>> {
        if let Some(begun) = on.iter().position(|m| m == at) {
            return Some(on[begun..].iter().cloned().chain([at.to_owned()]).collect());
        }
        if !done.insert(at.to_owned()) {
            return None;
        }
        on.push(at.to_owned());
        let found = graph[at].iter().find_map(|next| walk(graph, next, on, done));
        on.pop();
        found
    }
    let mut done = BTreeSet::new();
    graph.keys().find_map(|module| walk(graph, module, &mut Vec::new(), &mut done))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(files: &[(&str, &str)]) -> Option<Vec<String>> {
        circle(&graph(&files.iter().map(|(m, s)| ((*m).to_owned(), (*s).to_owned())).collect()))
    }

    #[test]
    fn files_that_import_each_other_are_found() {
        let one = [
            ("", "mod a;"),
            ("a", "use crate::b::B;"),
            ("b", "use super::{c::C, d};"),
            ("c", ""),
            ("d", "use self::x;"),
        ];
        assert_eq!(of(&one), None);
        let mut two = one;
        two[3].1 = "fn f() { crate::a::g() }";
        assert_eq!(of(&two).expect("a circle"), ["a", "b", "c", "a"]);
        // Neither a comment nor a test makes one.
        for harmless in ["// crate::a::g", "#[cfg(test)]\nmod tests { use crate::a::g; }"] {
            two[3].1 = harmless;
            assert_eq!(of(&two), None, "{harmless}");
        }
        assert_eq!(of(&[("", ""), ("a", "use super::a::b::B;"), ("a::b", "use super::X;")]).map(|c| c.len()), Some(3));
    }

    #[test]
    fn no_file_of_ours_imports_one_that_imports_it() {
        let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates");
        assert_eq!(circles(&crates).expect("the sources"), Vec::<String>::new());
    }
}
