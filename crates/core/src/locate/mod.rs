//! Where the subject is: robustly, roughly, with a picture of it that is learned while it is followed.
//!
//! People are no rigid patches: what was clicked on turns, bends, grows and is half covered. A discriminative correlation filter over channels
//! of edges and colour, learned from every frame that is believed, says where something like the subject is; a beam of paths with *hidden*
//! decides where it went. What is found is right to a few pixels; which spot on the subject it is, is for [`crate::align`] to say.

mod beam;
mod channels;
mod filter;
mod pass;
mod spectrum;

pub use pass::{Pass, Sighting};

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
    /// Side of the box for a picture 360 pixels high, in pixels.
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
            side: 25.0,
        }
    }
}
