//! What is looked at.

use super::settings::Settings;
use crate::geometry::{PixelRect, Point, Size};
use crate::image::{Plate, Scene};
use crate::time::FrameRange;

/// Side of the box round a spot in a picture 360 pixels high: head and shoulders, not the eye.
const BOX: f64 = 25.0;
/// Height of the picture for which that is so, in pixels. In larger pictures the box grows with them, ...
const BOX_AT: f64 = 360.0;
/// ... to at most this many times.
const LARGEST_BOX: f64 = 6.0;

/// Side of the box that is followed round a spot, in pixels.
pub fn box_side(size: Size) -> f64 {
    BOX * (f64::from(size.height) / BOX_AT).clamp(1.0, LARGEST_BOX)
}

impl Film<'_> {
    /// The part of its picture that is not a black border.
    pub fn filmed(&self, size: Size) -> PixelRect {
        self.scene.inside(self.part, size)
    }
}

/// What is looked at: the film as a whole, and the part of it between two cuts that the range lies in.
#[derive(Clone, Copy, Debug)]
pub struct Film<'a> {
    /// As it was found while its frames went by; an empty one is one that nothing is known of.
    pub scene: &'a Scene,
    /// Between which cuts.
    pub part: FrameRange,
}

/// What is looked at: the film as a whole, and how a subject is looked for in it.
#[derive(Clone, Debug)]
pub struct View<'a> {
    pub(super) scene: &'a Scene,
    pub(super) part: FrameRange,
    pub(super) inside: PixelRect,
    pub(super) plate: Option<Plate>,
    /// Side of the subject's box, in pixels.
    pub side: f64,
    pub(super) settings: Settings,
}

impl<'a> View<'a> {
    /// Of a part of a film without a cut.
    pub fn new(film: Film<'a>, size: Size, settings: Settings) -> Self {
        let Film { scene, part } = film;
        let plate = if settings.plate { scene.plate(part, size) } else { None };
        Self { scene, part, inside: film.filmed(size), plate, side: box_side(size) * settings.side, settings }
    }

    /// The part of the film that is looked at.
    pub fn part(&self) -> FrameRange {
        self.part
    }

    /// Whether a place is in the picture, without black borders.
    pub fn contains(&self, at: Point) -> bool {
        let PixelRect { left, top, right, bottom } = self.inside;
        let within = |at: f64, first: i32, last: i32| (f64::from(first)..f64::from(last)).contains(&at);
        within(at.x, left, right) && within(at.y, top, bottom)
    }
}
