//! Work that takes its time, kept off the threads that serve pages.

use crate::error::AppError;

/// Runs `work` on a thread of its own kind, and gives what it gives.
pub async fn run_blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, AppError> {
    tokio::task::spawn_blocking(work).await.map_err(AppError::stopped)
}
