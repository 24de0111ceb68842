//! Parts of the method, each of which can be left out.

/// Ways that are kept a frame: with fewer, who was right and looked worse for a while is gone; with more, nothing is
/// gained.
const BEAM: usize = 12;

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
    /// Whether who comes back after long has to look plainly like the subject.
    pub wary_of_returns: bool,
    /// Side of the box over the usual one.
    pub side: f64,
}

impl Default for Settings {
    fn default() -> Self {
        Self {
            beam: BEAM,
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
            wary_of_returns: true,
            side: 1.0,
        }
    }
}
