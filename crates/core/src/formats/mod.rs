//! Open data as text, in and out. docs/formats.md describes each for people.

mod pins;
mod samples;

pub use pins::{PinFile, PinFileError, PinRequest, SizeRequest};
pub use samples::{NamedTrack, csv_field, samples_csv, samples_json};
