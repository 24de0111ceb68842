//! What lies behind the subject, and the picture's edge.

use super::Pass;
use crate::geometry::{Point, Rect};
use crate::image::{FrameSource, Window};
use crate::locate::response::normal;
use crate::time::{Frame, FrameRange};

/// The empty scene: a subject before it differs from it by at least this at the click, a part of it by less than that.
const IN_FRONT: f64 = 0.25;
const BACKGROUND: f64 = 0.12;
/// Who passes close to a part of the scene is in its box, but not this near to the click, in boxes: where the empty scene
/// has a structure and the click shows the same, it is that. Where it has less than a subject differs by, nobody could say
/// so.
const NEAR: f64 = 0.5;
const LEAST_STRUCTURE: f64 = IN_FRONT;
/// A place that differs by this share of what the subject did is not the empty scene.
const PLAINLY_IN_FRONT: f64 = 0.6;
/// Cost of looking like the empty scene, and for a part of the scene of not looking like it.
const EMPTY: f64 = 2.0;
const COVERED: f64 = 3.0;
/// A part of the scene that is not covered differs by no more than this from what it was at the click; with so much
/// more it is covered.
const UNCHANGED: f64 = 0.1;
const CHANGED: f64 = 0.4;

/// Where the click does not say which of the two it is, frames so far from it do: a part of the scene soon is empty
/// again.
const AROUND_CLICK: [i32; 6] = [-12, -8, -4, 4, 8, 12];

impl Pass<'_> {
    /// How much the click differs from the empty scene.
    pub(super) fn settle_ground<S: FrameSource>(
        &mut self,
        source: &mut S,
        (frame, at): (Frame, Point),
        part: FrameRange,
    ) -> Result<(), S::Error> {
        let first = self.difference(source, frame, at, self.side)?;
        self.in_front = first;
        if first.is_some_and(|first| first >= BACKGROUND)
            && let Some(near) = self.difference_near(source, frame, at)?
        {
            (self.in_front, self.ground_share) = (Some(near), NEAR);
            return Ok(());
        }
        if first.is_some_and(|first| (BACKGROUND..IN_FRONT).contains(&first)) {
            let mut all = Vec::new();
            for other in AROUND_CLICK.into_iter().filter_map(|step| frame.step(step)).filter(|at| part.contains(*at)) {
                all.extend(self.difference(source, other, at, self.side)?);
            }
            all.sort_by(f64::total_cmp);
            self.in_front = all.get(all.len() / 2).copied().filter(|usual| *usual < BACKGROUND).or(first);
        }
        Ok(())
    }

    /// How little the nearest to a place does; `None` where that does not say that it is a part of the scene.
    fn difference_near<S: FrameSource>(
        &self,
        source: &mut S,
        frame: Frame,
        at: Point,
    ) -> Result<Option<f64>, S::Error> {
        let side = NEAR * self.side;
        let structure = self.plate.and_then(|plate| plate.structure(at, side));
        if structure.is_none_or(|structure| structure <= LEAST_STRUCTURE) {
            return Ok(None);
        }
        Ok(self.difference(source, frame, at, side)?.filter(|different| *different < BACKGROUND))
    }

    fn difference<S: FrameSource>(
        &self,
        source: &mut S,
        frame: Frame,
        at: Point,
        side: f64,
    ) -> Result<Option<f64>, S::Error> {
        let Some(plate) = self.plate else { return Ok(None) };
        let (window, _) = self.pixels(source, frame, &self.around(at))?;
        Ok(plate.difference(&window, at, side))
    }

    /// Share of the box that is inside the picture, its middle counting most.
    pub(super) fn inside(&self, at: Point) -> f64 {
        // A Gaussian of a quarter of the box, in each direction apart.
        let deviation = self.side() / 4.0;
        let share = |at: f64, first: f64, last: f64| normal((last - at) / deviation) - normal((first - at) / deviation);
        let Rect { left, top, right, bottom } = self.picture;
        share(at.x, left, right) * share(at.y, top, bottom)
    }

    /// What it costs to look like the empty scene, or unlike it.
    pub(super) fn plate_cost(&self, window: &Window, at: Point) -> f64 {
        let (Some(plate), Some(first)) = (self.plate, self.in_front) else { return 0.0 };
        let Some(different) = plate.difference(window, at, self.ground_share * self.side()) else { return 0.0 };
        match first {
            IN_FRONT.. => EMPTY * (1.0 - different / (PLAINLY_IN_FRONT * first)).clamp(0.0, 1.0),
            ..BACKGROUND => COVERED * ((different - first - UNCHANGED) / CHANGED).clamp(0.0, 1.0),
            // It may be either.
            _ => 0.0,
        }
    }

    /// Whether the click was on the empty scene itself.
    pub fn is_background(&self) -> bool {
        self.in_front.is_some_and(|different| different < BACKGROUND)
    }
}

#[cfg(test)]
mod tests {
    use crate::geometry::{Point, Size};
    use crate::image::{Plane, PlaneStack, SceneFinder};
    use crate::locate::{Film, Known, Settings, Side, Sighting, View};
    use crate::time::{Frame, FrameRange};

    const SIZE: Size = Size::new(320, 160);
    const MARK: Point = Point::new(160.0, 70.0);
    const FRAMES: u32 = 130;
    /// The first car is just below the mark; the second covers it.
    const BESIDE: u32 = 30;
    const BEFORE: u32 = 90;

    fn chance(a: f64, b: f64) -> f64 {
        ((a.floor() * 12.9898 + b.floor() * 78.233).sin() * 43_758.545).fract().abs()
    }

    /// A road that two cars drive along, a slow one and a fast one.
    fn road(n: u32) -> Plane {
        let car = |at: u32, speed: f64| MARK.x + speed * (f64::from(n) - f64::from(at));
        let (beside, before) = (car(BESIDE, 3.0), car(BEFORE, 9.0));
        Plane::from_fn(SIZE, |col, row| {
            let (x, y) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let is_on = |car: f64, half: f64, top: f64| (x - car).abs() < half && (top..top + 34.0).contains(&y);
            let light = match () {
                () if is_on(beside, 40.0, MARK.y + 5.0) => chance((x - beside) / 5.0, y / 5.0),
                () if is_on(before, 30.0, MARK.y - 17.0) => chance((x - before) / 5.0, y / 5.0 + 31.0),
                () => chance(x / 4.0, y / 4.0 + 50.0),
            };
            (60.0 + 130.0 * light) as u8
        })
    }

    fn seen(from: u32) -> Vec<Sighting> {
        let planes: Vec<Plane> = (0..FRAMES).map(road).collect();
        let mut finder = SceneFinder::default();
        planes.iter().for_each(|plane| finder.push(plane));
        let (scene, all) = (finder.finish(), FrameRange { first: Frame(0), last: Frame(FRAMES - 1) });
        let view = View::new(Film { scene: &scene, part: all }, SIZE, Settings::default());
        let start = Known { frame: Frame(from), at: MARK };
        let side = Side { from: start, taught: &[] };
        let frames: Vec<Frame> = (from + 1..FRAMES).map(Frame).collect();
        let mut source = PlaneStack::new(planes).unwrap();
        side.sightings(&mut source, &view, &frames, &|_| false, &mut || true).unwrap().unwrap()
    }

    #[test]
    fn a_mark_on_the_road_stays_though_a_car_passed_close_to_it_when_it_was_clicked_on() {
        for sighting in seen(BESIDE) {
            let from_car = sighting.frame.0.abs_diff(BEFORE);
            assert!(sighting.still);
            match sighting.seen {
                true => assert!(from_car > 2 && sighting.at.distance(MARK) < 2.0, "{sighting:?}"),
                // The car is a little longer than it takes to cover the mark.
                false => assert!(from_car < 8, "{sighting:?}"),
            }
        }
    }
}
