//! Who listens for news.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use uuid::Uuid;

/// Browsers that may listen at once, in all and of one person or guest.
const STREAMS: usize = 1000;
const STREAMS_OF_ONE: usize = 100;

/// Who listens, by who they are.
#[derive(Clone, Debug, Default)]
pub(crate) struct Listeners(Arc<Mutex<HashMap<Uuid, usize>>>);

impl Listeners {
    pub fn admit(&self, who: Uuid) -> Option<Listener> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.values().sum::<usize>() >= STREAMS || all.get(&who).is_some_and(|of_one| *of_one >= STREAMS_OF_ONE) {
            return None;
        }
        *all.entry(who).or_default() += 1;
        Some(Listener { all: self.clone(), who })
    }
}

/// A place among the listeners, given back when it is dropped.
pub(crate) struct Listener {
    all: Listeners,
    who: Uuid,
}

impl Drop for Listener {
    fn drop(&mut self) {
        let mut all = self.all.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(of_one) = all.get_mut(&self.who) {
            *of_one -= 1;
        }
        all.retain(|_, of_one| *of_one > 0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_person_leaves_room_for_others_and_gives_back_what_they_had() {
        let listeners = Listeners::default();
        let of = Uuid::from_u128;
        let mut held: Vec<_> = (0..STREAMS_OF_ONE).map(|_| listeners.admit(of(0)).expect("there is room")).collect();
        assert!(listeners.admit(of(0)).is_none(), "one person takes it all");
        let others: Vec<_> = (STREAMS_OF_ONE..STREAMS)
            .map(|n| listeners.admit(of(1 + n as u128 / 50)).expect("there is room"))
            .collect();
        assert!(listeners.admit(of(999)).is_none(), "more listen than may");
        held.pop();
        assert!(listeners.admit(of(999)).is_some(), "a place was not given back");
        drop((held, others));
        assert!(listeners.0.lock().unwrap().is_empty());
    }
}
