//! The thing that a face lies on: where it is seen, roughly, whatever the face looks like by then.

use std::collections::BTreeMap;

use super::task::AreaTask;
use crate::geometry::{PixelRect, Point};
use crate::image::FrameSource;
use crate::locate::{Film, Known, Settings, Side, Sighting, View, box_side, joined};
use crate::time::{Frame, FrameRange};

/// Its box is so much of the outline, or the usual one where that is larger: an outline is drawn roughly, and has some of
/// what is behind near its rim.
const INNER: f64 = 1.0 / 3.0;
/// It is never smaller than this, in pixels, ...
const LEAST_SIDE: f64 = 12.0;
/// ... nor larger than this share of the picture: the filter needs as much again round it.
const MOST_SIDE: f64 = 0.5;

/// So much of its usual response has to be there for anybody to go by it: less is often something else.
const PLAIN: f64 = 0.5;
/// So many deviations off is the middle of the face still on it. On people a face that is aligned further away has slid:
/// its picture fits there as well, and it is not flat. ...
const AGREE: f64 = 2.0;
/// ... Nothing is told apart below this, in pixels.
const TOLERANCE: f64 = 2.0;
/// A face that is so like itself as nothing but a flat one is knows better: of 226 labels on real film found so 208 were
/// right, of 225 below it 124. ...
const FLAT: f64 = 0.98;
/// ... It may be off by this share of the thing's box: a pattern that comes again beside itself leads its filter astray.
const ASTRAY: f64 = 0.5;

/// Where the thing is that a face lies on, frame by frame.
pub(crate) struct Subject {
    sightings: BTreeMap<Frame, Sighting>,
    /// Of its box, in pixels.
    side: f64,
    /// Of a square as large as the outline, in pixels.
    outlined: f64,
    middle: Point,
    filmed: PixelRect,
}

impl Subject {
    /// Gone through from all places that are known, as far as that is asked for. `goes_on` is asked after each frame;
    /// `None` when it says no, and where the outline has no middle.
    pub fn find<S: FrameSource>(
        source: &mut S,
        film: Film<'_>,
        task: &AreaTask,
        goes_on: &mut dyn FnMut() -> bool,
    ) -> Result<Option<Self>, S::Error> {
        let Some(bounds) = task.outline.bounds() else { return Ok(None) };
        let (middle, size) = (bounds.middle(), source.size());
        let outlined = ((bounds.right - bounds.left) * (bounds.bottom - bounds.top)).sqrt();
        let most = MOST_SIDE * f64::from(size.width.min(size.height));
        let side = (outlined * INNER).max(box_side(size)).min(outlined).max(LEAST_SIDE).min(most);
        let view = View::new(film, size, Settings { side: side / box_side(size), ..Settings::default() });
        let mut known = vec![Known { frame: task.frame, at: middle }];
        let guides = task.guides.iter().filter(|(frame, _)| film.part.contains(**frame) && **frame != task.frame);
        known.extend(guides.map(|(frame, map)| Known { frame: *frame, at: map.apply(middle) }));
        known.sort_by_key(|known| known.frame);
        let mut sightings = BTreeMap::new();
        // What covers the middle goes its own way.
        let gaps = if task.is_left_out(middle) { Vec::new() } else { gaps(&known, film.part) };
        for gap in gaps.into_iter().filter(|gap| task.asks_for(&gap.frames)) {
            let Some(way) = gap.gone_through(source, &view, (&known, task), goes_on)? else { return Ok(None) };
            sightings.extend(way.into_iter().map(|sighting| (sighting.frame, sighting)));
        }
        Ok(Some(Self { sightings, side, outlined, middle, filmed: film.filmed(size) }))
    }

    /// One that is plainly seen at these places from frame 0 on, in a box of `side` pixels; the picture has no end.
    #[cfg(test)]
    pub fn made(places: &[Point], side: f64, middle: Point) -> Self {
        let sighting = |(frame, at): (u32, &Point)| {
            let (likeness, known, scale, cost) = (1.0, 1.0, 1.0, 0.0);
            let (seen, still, learned) = (true, false, true);
            let frame = Frame(frame);
            (frame, Sighting { frame, at: *at, likeness, known, scale, seen, still, learned, cost })
        };
        let filmed = PixelRect { left: i32::MIN, top: i32::MIN, right: i32::MAX, bottom: i32::MAX };
        let sightings = (0..).zip(places).map(sighting).collect();
        Self { sightings, side, outlined: side, middle, filmed }
    }

    /// The same, not seen on a frame; whether it is of a scene that stands still is known there.
    #[cfg(test)]
    pub fn unseen_on(mut self, frame: Frame, still: bool) -> Self {
        self.sightings.entry(frame).and_modify(|sighting| (sighting.seen, sighting.still) = (false, still));
        self
    }

    /// Where it is on a frame, or should be.
    pub fn foreseen_on(&self, frame: Frame) -> Option<&Sighting> {
        self.sightings.get(&frame)
    }

    /// Whether it is seen well enough to go by.
    pub fn is_plain(sighting: &Sighting) -> bool {
        sighting.seen && sighting.likeness >= PLAIN
    }

    /// Side of its box where it was outlined, in pixels.
    pub fn side_drawn(&self) -> f64 {
        self.side
    }

    /// Side of its box, in pixels.
    pub fn side(&self, sighting: &Sighting) -> f64 {
        self.side * sighting.scale
    }

    /// How large the face is, in pixels.
    pub fn outlined_side(&self, sighting: &Sighting) -> f64 {
        self.outlined * sighting.scale
    }

    /// Standard deviation of where it is, in pixels.
    pub fn deviation(&self, sighting: &Sighting) -> f64 {
        sighting.deviation(self.side(sighting))
    }

    /// How far off the middle of a face may be that is so like itself, in pixels.
    pub fn reach(&self, sighting: &Sighting, matched: f64) -> f64 {
        let agrees = (AGREE * self.deviation(sighting)).max(TOLERANCE);
        if matched >= FLAT { agrees.max(ASTRAY * self.side(sighting)) } else { agrees }
    }

    /// The part of the film's picture that is not a black border.
    pub fn filmed(&self) -> PixelRect {
        self.filmed
    }

    /// The middle of the face, in the picture in which it was outlined.
    pub fn middle(&self) -> Point {
        self.middle
    }
}

/// Frames between two places that are known, or between one and an end.
struct Gap {
    left: Option<Known>,
    right: Option<Known>,
    frames: Vec<Frame>,
}

fn gaps(known: &[Known], part: FrameRange) -> Vec<Gap> {
    let lefts = std::iter::once(None).chain(known.iter().copied().map(Some));
    let rights = known.iter().copied().map(Some).chain(std::iter::once(None));
    let gap = |(left, right): (Option<Known>, Option<Known>)| {
        let first = left.map_or(part.first.0, |known| known.frame.0 + 1);
        let end = right.map_or(part.last.0 + 1, |known| known.frame.0);
        Gap { left, right, frames: (first..end).map(Frame).collect() }
    };
    lefts.zip(rights).map(gap).filter(|gap| !gap.frames.is_empty()).collect()
}

impl Gap {
    fn gone_through<S: FrameSource>(
        &self,
        source: &mut S,
        view: &View<'_>,
        (known, task): (&[Known], &AreaTask),
        goes_on: &mut dyn FnMut() -> bool,
    ) -> Result<Option<Vec<Sighting>>, S::Error> {
        let mut from = |start: Option<Known>, frames: &[Frame]| {
            let Some(from) = start else { return Ok(Some(None)) };
            let taught: Vec<Known> = known.iter().filter(|other| other.frame != from.frame).copied().collect();
            let side = Side { from, taught: &taught };
            let seen = side.sightings(source, view, frames, &|frame| task.is_hidden(frame), goes_on)?;
            Ok(seen.map(Some))
        };
        let backwards: Vec<Frame> = self.frames.iter().rev().copied().collect();
        let Some(left) = from(self.left, &self.frames)? else { return Ok(None) };
        let Some(mut right) = from(self.right, &backwards)? else { return Ok(None) };
        if let Some(right) = &mut right {
            right.reverse();
        }
        Ok(Some(joined(left, right, view.side)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_frames_but_those_that_are_known_lie_in_one_gap() {
        let known = [3, 4, 9].map(|n| Known { frame: Frame(n), at: Point::default() });
        let found = gaps(&known, FrameRange { first: Frame(1), last: Frame(9) });
        let told: Vec<_> = found
            .iter()
            .map(|gap| {
                let ends = [gap.left, gap.right].map(|known| known.map(|known| known.frame.0));
                (ends, gap.frames.iter().map(|frame| frame.0).collect::<Vec<u32>>())
            })
            .collect();
        assert_eq!(told, [([None, Some(3)], vec![1, 2]), ([Some(4), Some(9)], vec![5, 6, 7, 8])]);
    }
}
