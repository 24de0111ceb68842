//! Drawables to pixels. Decides nothing about where anything is: that is the core's.

mod blend;
mod layer;
mod png;
mod soften;
mod typeset;
mod yuv;

pub use blend::blend_channel;
pub use layer::{Layer, Painter};
pub use png::grey_png;
pub use typeset::{Artwork, TypesetError, Typesetter};
pub use yuv::{YuvFrame, YuvMatrix};
