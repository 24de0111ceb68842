//! Films in and out: ffmpeg and ffprobe as child processes, exact frame times, small copies for watching, planes for
//! computing. Knows nothing of subjects.
//!
//! Every call here blocks; callers run it off their async threads.

mod child;
mod clip;
mod colour;
mod container;
mod decode;
mod encode;
mod error;
mod join;
mod matroska;
mod numbered;
mod picture;
mod pieces;
mod planes;
mod prepare;
mod probe;
mod sampling;
mod sequence;
mod showinfo;
mod sound;
mod tools;

pub use child::{Cancel, by_ourselves};
pub use clip::{AudioInfo, ClipInfo, ColourTags, FrameTable};
pub use colour::prepare_colour;
pub use container::{Container, EncodeJob};
pub use decode::{FrameReader, Layout, RawFrame, picture, picture_with_alpha, raw_frame};
pub use encode::Encoder;
pub use error::MediaError;
pub use join::{Part, join};
pub use numbered::{NumberedPictures, join_numbered};
pub use picture::{StillKind, still_kind, still_to_png};
pub use pieces::{Piece, join_pieces};
pub use planes::{PlaneFolder, StoredPlanes, TILE_COLS, TILE_ROWS, WhenMissing};
pub use prepare::{ClipFolder, Leave, Prepared, Progress, first_picture, prepare};
pub use probe::probe;
pub use sequence::{assemble, holds_pictures};
pub use tools::{Limits, Tools};
