//! Stopping long work that nobody wants any more.

use legere_store::StoreError;
use std::future::Future;
use std::time::Duration;

/// How often it is asked whether the work is still wanted: whoever says no may sit at another program.
const ASK_EVERY: Duration = Duration::from_millis(250);

/// Works until it is done, or until it is no longer wanted: none then, and what it had started is killed with it.
/// A database that does not answer is no reason to stop.
pub(super) async fn while_wanted<T, Q>(work: impl Future<Output = T>, wanted: impl Fn() -> Q) -> Option<T>
where
    Q: Future<Output = Result<bool, StoreError>>,
{
    let unwanted = async {
        loop {
            tokio::time::sleep(ASK_EVERY).await;
            if matches!(wanted().await, Ok(false)) {
                return;
            }
        }
    };
    tokio::select! {
        done = work => Some(done),
        () = unwanted => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicU32, Ordering};

    #[tokio::test]
    async fn work_goes_on_as_long_as_it_is_wanted() {
        let asked = AtomicU32::new(0);
        let wanted = || {
            let n = asked.fetch_add(1, Ordering::Relaxed);
            async move {
                // A database that is away for a moment, then a "no" at the fourth asking.
                if n == 1 { Err(StoreError::Away) } else { Ok(n < 3) }
            }
        };
        let short = while_wanted(tokio::time::sleep(ASK_EVERY * 5 / 2), wanted).await;
        assert!(short.is_some(), "it was done before anybody said no");
        let long = while_wanted(std::future::pending::<()>(), wanted).await;
        assert_eq!((long, asked.load(Ordering::Relaxed)), (None, 4));
    }
}
