//! What is not looked at, wherever it is.

use std::collections::BTreeMap;

use super::outline::Outline;
use crate::geometry::Homography;
use crate::time::Frame;

/// An outline whose inside is not compared. Kept so that a long film takes little: worked out for a frame when that is
/// looked at.
#[derive(Clone, Debug, PartialEq)]
pub enum KeepOutTrack {
    /// It stays in the picture.
    Still(Outline),
    /// It goes from one place to the next, and is there from the first to the last; in order of frames, with the same
    /// points.
    Between(Vec<(Frame, Outline)>),
    /// Something carries it: the maps that take it to every frame on which it is there.
    Carried {
        /// The outline.
        outline: Outline,
        /// By frame.
        maps: BTreeMap<Frame, Homography>,
    },
}

impl KeepOutTrack {
    /// Where it is on a frame; `None` where it is not there.
    pub fn on(&self, frame: Frame) -> Option<Outline> {
        match self {
            Self::Still(outline) => Some(outline.clone()),
            Self::Carried { outline, maps } => Some(outline.seen_through(maps.get(&frame)?)),
            Self::Between(places) => {
                let after = places.partition_point(|(on, _)| *on <= frame);
                let (before, last) = places[..after].last()?;
                match places.get(after) {
                    Some((next, outline)) => {
                        let share = before.until(frame) as f64 / before.until(*next) as f64;
                        Some(last.mixed(outline, share))
                    }
                    None => (*before == frame).then(|| last.clone()),
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;

    fn triangle(x: f64) -> Outline {
        Outline([(x, 0.0), (x + 9.0, 0.0), (x, 9.0)].map(|(x, y)| Point::new(x, y)).into())
    }

    #[test]
    fn it_stays_goes_or_is_carried() {
        assert_eq!(KeepOutTrack::Still(triangle(3.0)).on(Frame(99)), Some(triangle(3.0)));
        let between = KeepOutTrack::Between(vec![(Frame(10), triangle(50.0)), (Frame(20), triangle(70.0))]);
        assert_eq!((between.on(Frame(15)), between.on(Frame(20))), (Some(triangle(60.0)), Some(triangle(70.0))));
        assert_eq!((between.on(Frame(9)), between.on(Frame(21))), (None, None));
        let maps = [(Frame(4), Homography::shift(Point::new(2.0, 0.0)))].into();
        let carried = KeepOutTrack::Carried { outline: triangle(1.0), maps };
        assert_eq!((carried.on(Frame(4)), carried.on(Frame(5))), (Some(triangle(3.0)), None));
    }
}
