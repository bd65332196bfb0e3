//! One problem from a file, without a database: for scripts, and to compare.

use crate::read::print;
use legere_common::{MainError, privileges};
use legere_core::arrange::exchange::ProblemFile;
use std::path::Path;
use std::time::Instant;

pub fn file(file: &Path, costs: bool) -> Result<(), MainError> {
    privileges::drop_for_file(file)?;
    let text = std::fs::read(file).map_err(|source| MainError::Unreadable { file: file.to_path_buf(), source })?;
    let problem: ProblemFile =
        serde_json::from_slice(&text).map_err(|source| MainError::NoProblem { file: file.to_path_buf(), source })?;
    let begun = Instant::now();
    let mut answer = problem.read()?.answer(costs)?;
    answer.ms = (begun.elapsed().as_secs_f64() * 1e5).round() / 100.0;
    print(&answer)
}
