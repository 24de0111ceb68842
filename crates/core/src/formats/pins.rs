//! `pins.json`: what `jampin track` is asked to follow.

use serde::Deserialize;
use thiserror::Error;

use super::AreaRequest;
use crate::geometry::Point;
use crate::pin::{Channel, Filter, ReferencePolicy};
use crate::time::Frame;
use crate::track::MotionModel;

/// The file: pins, areas, or both.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PinFile {
    /// The pins, in the order of the rows that come out.
    #[serde(default)]
    pub pins: Vec<PinRequest>,
    /// The areas, whose rows come after those of the pins.
    #[serde(default)]
    pub areas: Vec<AreaRequest>,
}

/// One pin as asked for.
#[derive(Clone, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PinRequest {
    /// Name in the results.
    pub name: String,
    /// Frame on which the pattern is picked.
    pub frame: Frame,
    /// Place on that frame, in pixels.
    pub x: f64,
    /// Place on that frame, in pixels.
    pub y: f64,
    /// Width and height of the pattern, or `"auto"`.
    #[serde(default)]
    pub pattern: SizeRequest,
    /// Search distance across and down to each side, or `"auto"`.
    #[serde(default)]
    pub search: SizeRequest,
    /// How much of the motion counts.
    #[serde(default)]
    pub motion: MotionModel,
    /// What of the picture is compared.
    #[serde(default)]
    pub channel: Channel,
    /// What a frame is compared with.
    #[serde(default)]
    pub reference: ReferencePolicy,
    /// What is done to the picture first.
    #[serde(default)]
    pub filter: Filter,
    /// The match below which nothing is believed, 0 to 1; nothing for as the film gives it.
    #[serde(default)]
    pub stop_below: Option<f64>,
    /// Places set by hand on other frames.
    #[serde(default)]
    pub guides: Vec<GuideRequest>,
}

/// A place set by hand.
#[derive(Clone, Copy, Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GuideRequest {
    /// On this frame.
    pub frame: Frame,
    /// In pixels.
    pub x: f64,
    /// In pixels.
    pub y: f64,
}

/// A width and height in pixels, or the wish to have them chosen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Deserialize)]
#[serde(untagged)]
pub enum SizeRequest {
    /// These.
    Given([u32; 2]),
    /// Chosen from the picture.
    #[default]
    #[serde(skip)]
    Auto,
    /// Any word; only `auto` is allowed.
    Word(AutoWord),
}

/// The word `auto`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum AutoWord {
    /// Chosen from the picture.
    Auto,
}

/// Why a pins file cannot be used.
#[derive(Debug, Error)]
pub enum PinFileError {
    /// It is not JSON of the right form.
    #[error("the pins file cannot be read: {0}")]
    Form(#[from] serde_json::Error),
    /// It has no pin and no area.
    #[error(
        "the pins file lists no pin and no area; write at least one, as in {{\"pins\":[{{\"name\":\"lamp\",\"frame\":0,\"x\":412.5,\"y\":230.5}}]}}"
    )]
    Empty,
    /// A name is used twice.
    #[error("the name {0:?} is used twice; every pin and area needs a name of its own")]
    SameName(String),
}

impl PinFile {
    /// Reads and checks the file's text.
    pub fn parse(text: &str) -> Result<Self, PinFileError> {
        let file: Self = serde_json::from_str(text)?;
        let areas = file.areas.iter().map(|area| &area.name);
        let mut names: Vec<&String> = file.pins.iter().map(|pin| &pin.name).chain(areas).collect();
        if names.is_empty() {
            return Err(PinFileError::Empty);
        }
        names.sort();
        match names.windows(2).find(|two| two[0] == two[1]) {
            Some(two) => Err(PinFileError::SameName(two[0].clone())),
            None => Ok(file),
        }
    }
}

impl PinRequest {
    /// Where the pattern is picked.
    pub fn at(&self) -> Point {
        Point::new(self.x, self.y)
    }
}

impl SizeRequest {
    /// The size given, if one was.
    pub fn given(self) -> Option<[u32; 2]> {
        match self {
            Self::Given(size) => Some(size),
            Self::Auto | Self::Word(AutoWord::Auto) => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn everything_but_name_frame_and_place_has_a_default() {
        let text = r#"{"pins":[{"name":"lamp","frame":4,"x":412.5,"y":230.5},
            {"name":"door","frame":0,"x":1,"y":2,"pattern":[31,21],"search":"auto","motion":"position",
             "channel":"luma","stop_below":0.7,"guides":[{"frame":46,"x":420.0,"y":231.0}]}]}"#;
        let file = PinFile::parse(text).unwrap();
        assert_eq!((file.pins[0].stop_below, file.pins[1].stop_below), (None, Some(0.7)));
        assert_eq!(file.pins[0].pattern.given(), None);
        assert_eq!(file.pins[1].pattern.given(), Some([31, 21]));
        assert_eq!(file.pins[1].search.given(), None);
        assert_eq!(file.pins[1].guides[0].frame, Frame(46));
    }

    #[test]
    fn mistakes_are_explained() {
        assert!(PinFile::parse("{}").unwrap_err().to_string().contains("pins"));
        let areas = r#"{"areas":[{"name":"a","frame":0,"outline":[[0,0],[9,0],[0,9]]}],"pins":[{"name":"a","frame":0,"x":1,"y":1}]}"#;
        assert!(PinFile::parse(areas).unwrap_err().to_string().contains("\"a\""));
        assert!(PinFile::parse(r#"{"pins":[]}"#).unwrap_err().to_string().contains("at least one"));
        let twice = r#"{"pins":[{"name":"a","frame":0,"x":1,"y":1},{"name":"a","frame":0,"x":1,"y":1}]}"#;
        assert!(PinFile::parse(twice).unwrap_err().to_string().contains("\"a\""));
        let typo = r#"{"pins":[{"name":"a","frame":0,"x":1,"y":1,"patern":[3,3]}]}"#;
        assert!(PinFile::parse(typo).unwrap_err().to_string().contains("patern"));
    }
}
