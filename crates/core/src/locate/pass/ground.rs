//! What lies behind the subject, and the picture's edge.

use super::Pass;
use crate::geometry::{Point, Rect};
use crate::image::{FrameSource, Window};
use crate::locate::response::normal;
use crate::time::{Frame, FrameRange};

/// The empty scene: a subject before it differs from it by at least this at the click, a part of it by less than that.
const IN_FRONT: f64 = 0.25;
const BACKGROUND: f64 = 0.12;
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
        let first = self.difference(source, frame, at)?;
        self.in_front = first;
        if first.is_some_and(|first| (BACKGROUND..IN_FRONT).contains(&first)) {
            let mut all = Vec::new();
            for other in AROUND_CLICK.into_iter().filter_map(|step| frame.step(step)).filter(|at| part.contains(*at)) {
                all.extend(self.difference(source, other, at)?);
            }
            all.sort_by(f64::total_cmp);
            self.in_front = all.get(all.len() / 2).copied().filter(|usual| *usual < BACKGROUND).or(first);
        }
        Ok(())
    }

    fn difference<S: FrameSource>(&self, source: &mut S, frame: Frame, at: Point) -> Result<Option<f64>, S::Error> {
        let Some(plate) = self.plate else { return Ok(None) };
        let (window, _) = self.pixels(source, frame, &self.around(at))?;
        Ok(plate.difference(&window, at, self.side))
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
        let Some(different) = plate.difference(window, at, self.side()) else { return 0.0 };
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
