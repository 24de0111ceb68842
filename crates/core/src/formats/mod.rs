//! Open data as text, in and out. docs/formats.md describes each for people.

mod count;
mod import;
mod json_table;
mod lottie;
mod matrices;
mod paths;
mod pins;
mod samples;
mod strands;
mod svg;
mod webvtt;

pub use count::FrameCount;
pub use import::{ImportProblem, Mapping, Table};
pub use lottie::lottie;
pub use matrices::{NamedMotion, matrices_csv, matrices_json};
pub use paths::{keys_csv, path_json};
pub use pins::{PinFile, PinFileError, PinRequest, SizeRequest};
pub use samples::{NamedTrack, csv_field, samples_csv, samples_json};
pub use strands::{Contour, DrawnArt, Outlined};
pub use svg::animated_svg;
pub use webvtt::webvtt;
