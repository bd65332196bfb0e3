//! How much is decoded and rendered at the same time, in the whole program: one limit for everything that takes a core, so
//! that ten hand-offs do not take ten times as many as there are.
//!
//! What somebody waits for has its own permit beside those for reading, so that both go on.

use tokio::sync::{Semaphore, SemaphorePermit};

/// Two at a time: one decodes while the other encodes; more only compete for the same cores.
static RENDERS: Semaphore = Semaphore::const_new(2);
/// Versions of tracks that are written at the same time.
static MUSIC: Semaphore = Semaphore::const_new(2);

/// Full-size stills that are decoded at the same time.
static STILLS: Semaphore = Semaphore::const_new(2);

/// Waits for the turn to decode a still.
pub async fn still() -> Option<SemaphorePermit<'static>> {
    STILLS.acquire().await.ok()
}

/// Waits for the turn to render a piece.
pub async fn render() -> Option<SemaphorePermit<'static>> {
    // Never closed, so there is always one in the end.
    RENDERS.acquire().await.ok()
}

/// Waits for the turn to write music.
pub async fn music() -> Option<SemaphorePermit<'static>> {
    MUSIC.acquire().await.ok()
}
