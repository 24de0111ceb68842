//! What was found a moment ago. A page that plays asks thirty times a second whether it may; the database is asked once.

use std::collections::HashMap;
use std::hash::Hash;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// How long it is known: what is changed by another server shows here after as long at most.
const KNOWN_FOR: Duration = Duration::from_secs(2);
/// With so many the oldest are not looked for: all are forgotten.
const MOST: usize = 10_000;

/// Values by key, each for a moment. Clones share them.
#[derive(Debug)]
pub(crate) struct Recent<K, V>(Arc<Mutex<Known<K, V>>>);

#[derive(Debug)]
struct Known<K, V> {
    values: HashMap<K, (Instant, V)>,
    /// How often all was forgotten.
    changes: u64,
}

impl<K, V> Clone for Recent<K, V> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl<K, V> Default for Recent<K, V> {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(Known { values: HashMap::new(), changes: 0 })))
    }
}

impl<K: Eq + Hash, V: Clone> Recent<K, V> {
    fn lock(&self) -> MutexGuard<'_, Known<K, V>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What was found for a key.
    pub fn get(&self, key: &K) -> Option<V> {
        let known = self.lock();
        let (at, value) = known.values.get(key)?;
        (at.elapsed() < KNOWN_FOR).then(|| value.clone())
    }

    /// How often all was forgotten: asked before something is looked up that will be [`put`](Self::put).
    pub fn changes(&self) -> u64 {
        self.lock().changes
    }

    /// Keeps what was found, unless something was changed since it was looked up.
    pub fn put(&self, key: K, value: V, changes: u64) {
        let mut known = self.lock();
        if known.changes != changes {
            return;
        }
        if known.values.len() >= MOST {
            known.values.clear();
        }
        known.values.insert(key, (Instant::now(), value));
    }

    /// Something was changed: nothing is known any more.
    pub fn forget(&self) {
        let mut known = self.lock();
        known.values.clear();
        known.changes += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_looked_up_before_a_change_is_not_kept_after_it() {
        let recent = Recent::default();
        let before = recent.changes();
        recent.put("mara", 1, before);
        assert_eq!(recent.get(&"mara"), Some(1));
        recent.forget();
        assert_eq!(recent.get(&"mara"), None);
        recent.put("mara", 1, before);
        assert_eq!(recent.get(&"mara"), None, "it was looked up before the change");
        recent.put("mara", 2, recent.changes());
        assert_eq!(recent.clone().get(&"mara"), Some(2));
    }

    #[test]
    fn it_does_not_grow_without_end() {
        let recent = Recent::default();
        for n in 0..3 * MOST {
            recent.put(n, (), recent.changes());
        }
        assert!(recent.lock().values.len() <= MOST);
    }
}
