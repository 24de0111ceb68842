//! What stands: a tower, a parked car, somebody who waits. What passes before it may take it along.

use super::sighting::Sighting;
use crate::geometry::Point;

/// Who has not left a place for so many frames stands there: about a second. None of these numbers was varied.
const STOOD: usize = 24;
/// It is in its place within this share of its box, ...
const IN_PLACE: f64 = 0.15;
/// ... and has gone when it is so far from it.
const GONE: f64 = 0.5;
/// It stands where it is on this share of the last frames, of twice as many as make it stand.
const MOSTLY: f64 = 0.75;

/// Where the subject had stood, at the end of these frames; `None` when it had not. `side` is that of its box at the
/// start, in pixels.
pub(super) fn stood_at(found: &[Sighting], side: f64) -> Option<Point> {
    let last = &found[found.len().saturating_sub(2 * STOOD)..];
    let middle = |of: fn(&Sighting) -> f64| {
        let mut all: Vec<f64> = last.iter().map(of).collect();
        all.sort_by(f64::total_cmp);
        all[all.len() / 2]
    };
    let place = Sighting { at: Point::new(middle(|one| one.at.x), middle(|one| one.at.y)), ..*last.last()? };
    let there = last.iter().filter(|one| one.seen && one.boxes_from(&place, side) <= IN_PLACE).count();
    (last.len() >= STOOD && there as f64 >= MOSTLY * last.len() as f64).then_some(place.at)
}

/// Since when the subject has been where it is. Indices are of the sightings it is asked with.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Stand {
    since: usize,
    last: usize,
}

impl Stand {
    /// It has come to where it is on this one.
    pub fn at(since: usize) -> Self {
        Self { since, last: since }
    }

    /// Goes on to a sighting: the first one on which it was no longer in its place, when it has left it as of this one.
    pub fn left(&mut self, found: &[Sighting], now: usize, side: f64) -> Option<usize> {
        let off = found[now].boxes_from(&found[self.since], side);
        let stood = self.last - self.since >= STOOD;
        if off <= IN_PLACE {
            self.last = now;
        } else if off > GONE || !stood {
            let left = self.last + 1;
            *self = Self::at(now);
            return stood.then_some(left);
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::Frame;

    fn way(places: impl Fn(u32) -> f64) -> Vec<Sighting> {
        let sighting = |n: u32| Sighting {
            frame: Frame(n),
            at: Point::new(places(n), 50.0),
            likeness: 0.9,
            known: 0.9,
            scale: 1.0,
            seen: true,
            still: false,
            learned: false,
            cost: 0.1,
        };
        (0..60).map(sighting).collect()
    }

    fn left(found: &[Sighting]) -> Vec<(usize, usize)> {
        let mut stand = Stand::at(0);
        (1..found.len()).filter_map(|now| Some((stand.left(found, now, 20.0)?, now))).collect()
    }

    #[test]
    fn who_has_stood_for_a_second_and_goes_has_left() {
        assert_eq!(left(&way(|n| 100.0 + 2.0 * n.saturating_sub(39) as f64)), [(41, 45)]);
        assert_eq!(left(&way(|n| 100.0 + 2.0 * f64::from(n))), [], "who walks has not stood");
        assert_eq!(left(&way(|n| if n % 10 < 5 { 100.0 } else { 102.0 })), [], "nor left, who sways");
        assert_eq!(left(&way(|n| 100.0 + 2.0 * n.saturating_sub(12) as f64)), [], "half a second is nothing");
    }

    #[test]
    fn where_it_had_stood_is_known_though_it_was_carried_off_at_last() {
        let carried = way(|n| 100.0 + 3.0 * n.saturating_sub(51) as f64);
        assert_eq!(stood_at(&carried, 20.0), Some(Point::new(100.0, 50.0)));
        assert_eq!(stood_at(&carried[..STOOD - 1], 20.0), None, "that short");
        assert_eq!(stood_at(&way(|n| 100.0 + f64::from(n)), 20.0), None);
    }
}
