//! Where the subject is: robustly, roughly, with a picture of it that is learned while it is followed.
//!
//! People are no rigid patches: what was clicked on turns, bends, grows and is half covered. A discriminative correlation filter over channels
//! of edges and colour, learned from every frame that is believed, says where something like the subject is; a beam of paths with *hidden*
//! decides where it went. What is found is right to a few pixels; which spot on the subject it is, is for [`crate::align`] to say.

mod alibi;
mod beam;
mod channels;
mod colours;
mod edges;
mod filter;
mod memory;
mod neighbourhood;
mod pass;
mod response;
mod sides;
mod spectrum;

use crate::geometry::{PixelRect, Point, Size};
use crate::image::{Plate, Scene};
use crate::time::FrameRange;

pub use pass::Sighting;
pub use sides::{Known, Side, joined};

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

/// What is looked at: the film as a whole, and how a subject is looked for in it.
#[derive(Clone, Debug)]
pub struct View<'a> {
    scene: &'a Scene,
    part: FrameRange,
    inside: PixelRect,
    plate: Option<Plate>,
    /// Side of the subject's box, in pixels.
    pub side: f64,
    settings: Settings,
}

impl<'a> View<'a> {
    /// Of a part of a film without a cut.
    pub fn new(scene: &'a Scene, part: FrameRange, size: Size, settings: Settings) -> Self {
        let plate = if settings.plate { scene.plate(part, size) } else { None };
        Self { scene, part, inside: scene.inside(part, size), plate, side: box_side(size) * settings.side, settings }
    }

    /// Whether a place is in the picture, without black borders.
    pub fn contains(&self, at: Point) -> bool {
        let PixelRect { left, top, right, bottom } = self.inside;
        let within = |at: f64, first: i32, last: i32| (f64::from(first)..f64::from(last)).contains(&at);
        within(at.x, left, right) && within(at.y, top, bottom)
    }
}

/// Parts of the method that can be left out, to see what each brings.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settings {
    /// Ways that are kept a frame.
    pub beam: usize,
    /// Whether it can be hidden.
    pub hidden: bool,
    /// Whether the empty scene is used.
    pub plate: bool,
    /// Whether it may change its size.
    pub scale: bool,
    /// Whether copied frames are passed over.
    pub copies: bool,
    /// Whether the film's pace counts.
    pub pace: bool,
    /// Whether the camera's motion is taken out.
    pub camera: bool,
    /// Whether who comes back has to look like somebody.
    pub strange: bool,
    /// Whether colour counts, where there is some.
    pub colour: bool,
    /// Whether it is looked for far away by correlation when in doubt.
    pub leaps: bool,
    /// Whether a ring around is searched after some hidden frames.
    pub ring: bool,
    /// Whether who comes back is followed back, to see whether it is somebody else.
    pub alibi: bool,
    /// Side of the box over the usual one.
    pub side: f64,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            beam: beam::USUAL_BEAM,
            hidden: true,
            plate: true,
            scale: true,
            copies: true,
            pace: true,
            camera: true,
            strange: true,
            colour: true,
            leaps: true,
            ring: true,
            alibi: true,
            side: 1.0,
        }
    }
}
