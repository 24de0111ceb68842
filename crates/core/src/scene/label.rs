//! Text in a box that follows a subject.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_colour, check_number};
use crate::geometry::{Point, Size};

/// The faces that ship with the application.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Font {
    /// Public Sans, semi-bold: clear at small sizes.
    #[default]
    Sans,
    /// Public Sans, bold.
    SansBold,
    /// Barlow Condensed, semi-bold: long names in little room.
    Condensed,
    /// Bitter, medium: a slab serif.
    Serif,
    /// Caveat, bold: as if by hand.
    Hand,
}

/// Which part of the subject's motion a label takes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Takes {
    /// All of its position.
    #[default]
    Position,
    /// Only left and right.
    Across,
    /// Only up and down.
    UpAndDown,
}

/// Where a label is drawn, seen from the subject.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Placement {
    /// Where it hides neither the subject nor leaves the picture.
    #[default]
    Auto,
    /// The middle of its box at this offset from the subject, in pixels.
    Offset(Point),
}

/// The box behind the text.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BoxStyle {
    /// Fill as `#rrggbb`.
    pub fill: String,
    /// Share of the light that the fill covers, 0 to 1.
    pub opacity: f64,
    /// Room between text and edge, in pixels.
    pub padding: f64,
    /// Radius of the corners, in pixels.
    pub radius: f64,
}

/// A label.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Label {
    /// The text; `None` shows the subject's name.
    #[serde(default)]
    pub text: Option<String>,
    /// Face.
    pub font: Font,
    /// Height of the letters' square, in pixels.
    pub size: f64,
    /// Colour of the text as `#rrggbb`.
    pub colour: String,
    /// The box behind it, if any.
    #[serde(rename = "box")]
    pub box_style: Option<BoxStyle>,
    /// Width of the line to the subject, in pixels; `None` for no line.
    pub line_width: Option<f64>,
    /// Colour of the line as `#rrggbb`; `None` takes the subject's.
    #[serde(default)]
    pub line_colour: Option<String>,
    /// Where it is drawn.
    #[serde(default)]
    pub placement: Placement,
    /// Which motion it takes.
    #[serde(default)]
    pub takes: Takes,
    /// Frames over which it comes and goes with the subject.
    pub fade_frames: u32,
}

/// What the artwork of a label looks like: all that has to be known to draw it, and nothing about where.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LabelArt {
    /// The text, lines separated by `\n`.
    pub text: String,
    /// Face.
    pub font: Font,
    /// Height of the letters' square, in pixels.
    pub size: f64,
    /// Colour of the text as `#rrggbb`.
    pub colour: String,
    /// The box behind it, if any.
    pub box_style: Option<BoxStyle>,
}

impl Label {
    /// Longest text, in characters.
    pub const MAX_TEXT: usize = 500;

    /// A label in the default look that shows the subject's name.
    pub fn new() -> Self {
        Self {
            text: None,
            font: Font::Sans,
            size: 26.0,
            colour: "#ffffff".into(),
            box_style: Some(BoxStyle { fill: "#16202a".into(), opacity: 0.78, padding: 10.0, radius: 5.0 }),
            line_width: Some(2.0),
            line_colour: None,
            placement: Placement::Auto,
            takes: Takes::Position,
            fade_frames: 6,
        }
    }

    /// A label in the default look, as large as suits a picture of this size: about a twenty-eighth of its height.
    pub fn for_picture(size: Size) -> Self {
        let factor = (f64::from(size.height.min(size.width)) / 720.0).max(0.3);
        let mut label = Self::new();
        label.size = (label.size * factor).round().max(8.0);
        label.line_width = label.line_width.map(|width| (width * factor).max(1.0));
        if let Some(style) = &mut label.box_style {
            style.padding = (style.padding * factor).round();
            style.radius = (style.radius * factor).round();
        }
        label
    }

    /// A label in the default look with a text of its own.
    pub fn named(text: &str) -> Self {
        Self { text: Some(text.to_owned()), ..Self::new() }
    }

    /// The artwork it needs, for a subject of this name.
    pub fn art(&self, subject_name: &str) -> LabelArt {
        LabelArt {
            text: self.text.clone().unwrap_or_else(|| subject_name.to_owned()),
            font: self.font,
            size: self.size,
            colour: self.colour.clone(),
            box_style: self.box_style.clone(),
        }
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        if self.text.as_ref().is_some_and(|text| text.chars().count() > Self::MAX_TEXT) {
            return Err(SettingProblem::Text(Self::MAX_TEXT));
        }
        let box_fill = self.box_style.as_ref().map(|style| &style.fill);
        for colour in std::iter::once(&self.colour).chain(self.line_colour.as_ref()).chain(box_fill) {
            check_colour(colour)?;
        }
        check_number("the size", self.size, 4.0, 400.0)?;
        check_number("the fade", f64::from(self.fade_frames), 0.0, 500.0)?;
        if let Some(width) = self.line_width {
            check_number("the width of the line", width, 0.5, 40.0)?;
        }
        if let Some(style) = &self.box_style {
            check_number("the box's opacity", style.opacity, 0.0, 1.0)?;
            check_number("the box's padding", style.padding, 0.0, 200.0)?;
            check_number("the box's corner radius", style.radius, 0.0, 200.0)?;
        }
        if let Placement::Offset(offset) = self.placement {
            check_number("the offset across", offset.x, -1e5, 1e5)?;
            check_number("the offset down", offset.y, -1e5, 1e5)?;
        }
        Ok(())
    }
}

impl Default for Label {
    fn default() -> Self {
        Self::new()
    }
}
