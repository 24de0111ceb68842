//! Drawables to pixels. Decides nothing about where anything is: that is the core's.

mod blend;
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
mod svg_bounds;
mod typeset;
mod yuv;
mod yuv_matrix;

pub use blend::blend_channel;
pub use film::FilmPicture;
pub use graphics::Graphics;
pub use layer::Layer;
pub use painter::{Painter, PainterError, Pictures};
pub use picture::{PictureError, harmless_svg};
pub use png::grey_png;
pub use svg_bounds::TooMuch;
pub use typeset::{Artwork, TypesetError, Typesetter};
pub use yuv::YuvFrame;
pub use yuv_matrix::YuvMatrix;
