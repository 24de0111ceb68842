//! Who listens for news.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex, PoisonError};

/// Pages and browsers that may listen at once, in all and from one address.
const STREAMS: usize = 200;
const STREAMS_OF_ONE: usize = 100;

/// Who listens, by address.
#[derive(Clone, Debug, Default)]
pub(crate) struct Listeners(Arc<Mutex<HashMap<IpAddr, usize>>>);

impl Listeners {
    pub fn admit(&self, from: IpAddr) -> Option<Listener> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.values().sum::<usize>() >= STREAMS || all.get(&from).is_some_and(|of_one| *of_one >= STREAMS_OF_ONE) {
            return None;
        }
        *all.entry(from).or_default() += 1;
        Some(Listener { all: self.clone(), from })
    }
}

/// A place among the listeners, given back when it is dropped.
pub(crate) struct Listener {
    all: Listeners,
    from: IpAddr,
}

impl Drop for Listener {
    fn drop(&mut self) {
        let mut all = self.all.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(of_one) = all.get_mut(&self.from) {
            *of_one -= 1;
        }
        all.retain(|_, of_one| *of_one > 0);
    }
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use super::*;

    #[test]
    fn one_address_leaves_room_for_others_and_gives_back_what_it_had() {
        let listeners = Listeners::default();
        let of = |last: u8| IpAddr::V4(Ipv4Addr::new(127, 0, 0, last));
        let mut held: Vec<_> = (0..STREAMS_OF_ONE).map(|_| listeners.admit(of(1)).expect("there is room")).collect();
        assert!(listeners.admit(of(1)).is_none(), "one address takes it all");
        let others: Vec<_> =
            (STREAMS_OF_ONE..STREAMS).map(|_| listeners.admit(of(2)).expect("there is room")).collect();
        assert!(listeners.admit(of(3)).is_none(), "more listen than may");
        held.pop();
        assert!(listeners.admit(of(3)).is_some(), "a place was not given back");
        drop((held, others));
        assert!(listeners.0.lock().unwrap().is_empty());
    }
}
