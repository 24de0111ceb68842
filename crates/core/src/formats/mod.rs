//! Open data as text, in and out. docs/formats.md describes each for people.

mod import;
mod paths;
mod pins;
mod samples;

pub use import::{ImportProblem, Mapping, Table};
pub use paths::{keys_csv, path_json};
pub use pins::{PinFile, PinFileError, PinRequest, SizeRequest};
pub use samples::{NamedTrack, csv_field, samples_csv, samples_json};
