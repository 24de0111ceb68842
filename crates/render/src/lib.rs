//! Drawables to pixels. Decides nothing about where anything is: that is the core's.

mod bent;
mod blend;
mod clip_frame;
mod colour;
mod cover;
mod film;
mod flare;
mod graphics;
mod layer;
mod outlines;
mod painter;
mod picture;
mod png;
mod soften;
mod streak;
mod svg_bounds;
mod typeset;
mod yuv;
mod yuv_matrix;

pub use blend::blend_channel;
pub use clip_frame::{ClipFrames, ClipPicture};
pub use film::FilmPicture;
pub use graphics::Graphics;
pub use layer::Layer;
pub use painter::{Behind, Painter, PainterError, Pictures};
pub use picture::{PictureError, harmless_svg};
pub use png::grey_png;
pub use svg_bounds::TooMuch;
pub use typeset::{Artwork, TypesetError, Typesetter};
pub use yuv::YuvFrame;
pub use yuv_matrix::YuvMatrix;
