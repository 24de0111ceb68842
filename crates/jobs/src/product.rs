//! Kinds of files that are written.

use jampin_media::Container;
use serde::{Deserialize, Serialize};

/// What kind of file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Product {
    /// A film.
    Film(Container),
    /// Something else.
    Other(Pictured),
}

/// Kinds of files that are no films.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Pictured {
    /// Numbered PNG pictures of the graphics alone, with transparency, in a ZIP file.
    PngGraphics,
}

impl Product {
    /// Ending of its files.
    pub fn extension(self) -> &'static str {
        match self {
            Self::Film(container) => container.extension(),
            Self::Other(Pictured::PngGraphics) => "zip",
        }
    }

    /// Its media type.
    pub fn media_type(self) -> &'static str {
        match self {
            Self::Film(container) => container.media_type(),
            Self::Other(Pictured::PngGraphics) => "application/zip",
        }
    }

    /// Whether it has the graphics alone.
    pub fn is_graphics(self) -> bool {
        match self {
            Self::Film(container) => container.is_graphics(),
            Self::Other(Pictured::PngGraphics) => true,
        }
    }
}

/// What came out.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ExportResult {
    /// Name to save it under.
    pub file_name: String,
    /// Its length in bytes.
    pub bytes: u64,
    /// Frames written.
    pub frames: u32,
}
