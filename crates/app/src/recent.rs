//! What was used last, a few of a kind, so that it need not be made again for each page.

use std::sync::{Arc, Mutex, PoisonError};

/// How many are kept of a kind: nobody works on more at a time.
const KEPT: usize = 8;

/// Things by what they are of, each as it was at one state of that.
#[derive(Debug)]
pub struct Recent<K, S, V>(Arc<Mutex<Vec<(K, S, V)>>>);

impl<K, S, V> Default for Recent<K, S, V> {
    fn default() -> Self {
        Self(Arc::default())
    }
}

impl<K, S, V> Clone for Recent<K, S, V> {
    fn clone(&self) -> Self {
        Self(self.0.clone())
    }
}

impl<K: PartialEq, S: PartialEq, V: Clone> Recent<K, S, V> {
    /// None where it was made at another state.
    pub fn get(&self, of: &K, state: &S) -> Option<V> {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let at = kept.iter().position(|(k, s, _)| k == of && s == state)?;
        // What is asked for stays longest.
        kept[..=at].rotate_right(1);
        kept.first().map(|(.., value)| value.clone())
    }

    /// What is kept, or else what `make` gives.
    pub fn get_or_put(&self, of: K, state: S, make: impl FnOnce() -> V) -> V {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(at) = kept.iter().position(|(k, s, _)| *k == of && *s == state) {
            kept[..=at].rotate_right(1);
            return kept[0].2.clone();
        }
        let value = make();
        kept.retain(|(k, ..)| *k != of);
        kept.truncate(KEPT - 1);
        kept.insert(0, (of, state, value.clone()));
        value
    }

    /// In the place of what was made at another state.
    pub fn put(&self, of: K, state: S, value: V) {
        let mut kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        kept.retain(|(k, ..)| *k != of);
        kept.truncate(KEPT - 1);
        kept.insert(0, (of, state, value));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_used_last_is_there_at_its_state_alone() {
        let kept = Recent::default();
        for n in 0..KEPT {
            kept.put(n, 1, n * 10);
        }
        assert_eq!((kept.get(&0, &1), kept.get(&0, &2)), (Some(0), None));
        kept.put(1, 2, 11);
        assert_eq!((kept.get(&1, &1), kept.get(&1, &2)), (None, Some(11)), "one state of each");
        kept.put(KEPT, 1, 99);
        assert_eq!((kept.get(&0, &1), kept.get(&2, &1)), (Some(0), None), "what nobody asked for goes first");
    }
}
