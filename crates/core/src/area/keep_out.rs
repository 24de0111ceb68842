//! What is not looked at, wherever it is.

use std::collections::BTreeMap;

use super::outline::Outline;
use crate::geometry::{Homography, PixelRect, Rect, Size};
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

/// What of a picture lies outside of a part of it.
pub(super) fn around(PixelRect { left, top, right, bottom }: PixelRect, size: Size) -> Vec<KeepOutTrack> {
    let (width, height) = (size.width as i32, size.height as i32);
    let sides = [(0, 0, left, height), (right, 0, width, height), (left, 0, right, top), (left, bottom, right, height)];
    let is_there = |(left, top, right, bottom): &(i32, i32, i32, i32)| left < right && top < bottom;
    let outline =
        |(left, top, right, bottom)| Outline(Rect::from(PixelRect { left, top, right, bottom }).corners().into());
    sides.into_iter().filter(is_there).map(|side| KeepOutTrack::Still(outline(side))).collect()
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

    #[test]
    fn every_pixel_is_either_within_a_part_of_the_picture_or_kept_out_once() {
        let size = Size::new(30, 20);
        for (left, top, right, bottom) in [(0, 0, 30, 20), (4, 0, 30, 17), (0, 3, 29, 20), (5, 2, 21, 11)] {
            let outlines = around(PixelRect { left, top, right, bottom }, size);
            for at in (0..600).map(|i| Point::new(f64::from(i % 30) + 0.5, f64::from(i / 30) + 0.5)) {
                let is_within = (f64::from(left)..f64::from(right)).contains(&at.x)
                    && (f64::from(top)..f64::from(bottom)).contains(&at.y);
                let kept_out = outlines.iter().filter(|out| out.on(Frame(7)).unwrap().contains(at)).count();
                assert_eq!(kept_out, usize::from(!is_within), "{at:?} outside of {left}, {top}, {right}, {bottom}");
            }
        }
    }
}
