//! Open data as text, in and out. docs/formats.md describes each for people.

mod areas;
mod count;
mod drawable_tracks;
mod import;
mod json_table;
mod lottie;
mod matrices;
mod paths;
mod pins;
mod samples;
mod scene_file;
mod svg;
mod table;
mod webvtt;

pub use areas::{AreaProblem, AreaRequest};
pub use count::FrameCount;
pub use drawable_tracks::{Contour, DrawnArt, Outlined};
pub use import::Mapping;
pub use lottie::lottie;
pub use matrices::{NamedMotion, matrices_csv, matrices_json};
pub use paths::{keys_csv, path_json};
pub use pins::{PinFile, PinFileError, PinRequest, SizeRequest};
pub use samples::{NamedTrack, csv_field, samples_csv, samples_json};
pub use scene_file::{SceneFile, SceneFileError, SceneSubject};
pub use svg::animated_svg;
pub use table::{ImportProblem, Table};
pub use webvtt::webvtt;
