//! Key pictures: the frames that the frames near them are best compared with.

use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{Sample, SampleState, Track};

/// Frames among which the plainest one is a key picture: a person who turns looks another one after about a second.
const APART: u32 = 24;
/// Match of a place, or likeness of one known roughly, that is plain enough.
const PLAIN: f64 = 0.8;

/// The frames of a pin's key pictures, in order: the one on which it was picked, every guide, and of each run of 24
/// frames the one on which it was seen most plainly.
pub fn key_pictures(pin: &Pin, track: &Track) -> Vec<Frame> {
    let mut plainest: Vec<(Frame, f64)> = Vec::new();
    let seen = |sample: &Sample| sample.state == SampleState::Found && sample.matched >= PLAIN;
    for (frame, sample) in track.iter().filter(|(_, sample)| seen(sample)) {
        match plainest.last_mut() {
            Some(best) if best.0.0 / APART == frame.0 / APART => {
                if sample.matched > best.1 {
                    *best = (frame, sample.matched);
                }
            }
            _ => plainest.push((frame, sample.matched)),
        }
    }
    let guides = track.guides().map(|(frame, _)| frame);
    let mut all: Vec<Frame> = guides.chain([pin.frame]).chain(plainest.into_iter().map(|(frame, _)| frame)).collect();
    all.sort_unstable();
    all.dedup();
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::track::Covariance;
    use uuid::Uuid;

    #[test]
    fn guides_and_the_plainest_of_each_second_are_key_pictures() {
        let pin = Pin::new(Uuid::nil(), Frame(3), Point::new(5.0, 5.0), [31, 31], [24, 24]);
        let sample = |matched, state| Sample::bare(Point::default(), matched, Covariance::default(), state);
        let track: Track = (0..96)
            .map(|n| match n {
                40 => (Frame(n), Sample::guide(Point::default())),
                10 | 60 => (Frame(n), sample(0.99, SampleState::Found)),
                // Hidden, and hardly like it: no picture of it.
                72..84 => (Frame(n), sample(0.97, SampleState::Hidden)),
                84.. => (Frame(n), sample(0.5, SampleState::Found)),
                _ => (Frame(n), sample(0.9, SampleState::Found)),
            })
            .collect();
        let keys: Vec<u32> = key_pictures(&pin, &track).iter().map(|frame| frame.0).collect();
        assert_eq!(keys, [3, 10, 24, 40, 60]);
        assert_eq!(key_pictures(&pin, &Track::new()), [Frame(3)]);
    }
}
