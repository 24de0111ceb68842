//! Text in a box that follows a subject.

use serde::{Deserialize, Serialize};

use super::lying::LyingFace;
use super::orientation::Orientation;
use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use crate::geometry::{Point, Size};

/// Letters of fewer pixels could not be read.
pub(super) const SMALLEST_LABEL: f64 = 4.0;

/// The faces that ship with the application.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Font {
    /// Public Sans, regular.
    SansRegular,
    /// Public Sans, semi-bold: clear at small sizes.
    #[default]
    Sans,
    /// Public Sans, bold.
    SansBold,
    /// Barlow Condensed, medium.
    CondensedMedium,
    /// Barlow Condensed, semi-bold: long names in little room.
    Condensed,
    /// Bitter, medium: a slab serif.
    Serif,
    /// Bitter, bold.
    SerifBold,
    /// Caveat, bold: as if by hand.
    Hand,
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
    /// A line round it, if any.
    #[serde(default)]
    pub border: Option<Edge>,
}

/// A line round a box or round letters.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Edge {
    /// Colour as `#rrggbb`.
    pub colour: String,
    /// Width, in pixels.
    pub width: f64,
}

/// A shadow behind the box, or behind the letters where there is no box.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Shadow {
    /// Colour as `#rrggbb`.
    pub colour: String,
    /// Its strength, 0 to 1.
    pub opacity: f64,
    /// How far it lies to the right and down, in pixels.
    pub shift: Point,
    /// Softness: standard deviation in pixels.
    pub softness: f64,
}

/// A second, smaller text below the first: a role, say.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Second {
    /// The text.
    pub text: String,
    /// Height of its letters in shares of the first text's.
    pub size: f64,
    /// Colour as `#rrggbb`; nothing takes the first text's.
    #[serde(default)]
    pub colour: Option<String>,
}

/// The course of the line from the box to the subject.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum LineCourse {
    /// Straight.
    #[default]
    Straight,
    /// Level at first, then straight to the subject.
    Elbow,
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
    /// A line round the letters, if any.
    #[serde(default)]
    pub outline: Option<Edge>,
    /// A second text below, if any.
    #[serde(default)]
    pub second: Option<Second>,
    /// The box behind it, if any.
    #[serde(rename = "box")]
    pub box_style: Option<BoxStyle>,
    /// A shadow, if any.
    #[serde(default)]
    pub shadow: Option<Shadow>,
    /// Width of the line to the subject, in pixels; `None` for no line.
    pub line_width: Option<f64>,
    /// Colour of the line as `#rrggbb`; `None` takes the subject's.
    #[serde(default)]
    pub line_colour: Option<String>,
    /// Course of the line.
    #[serde(default)]
    pub line_course: LineCourse,
    /// Where it is drawn.
    #[serde(default)]
    pub placement: Placement,
    /// Its own turn, in degrees, clockwise.
    #[serde(default, rename = "turn")]
    pub rotation: f64,
    /// The face on which it lies; its offset is then counted from the middle of that. `None` for one that stands in the
    /// picture.
    #[serde(default)]
    pub lies: Option<LyingFace>,
    /// Which part of turn and growth it takes: none, as usual, keeps it upright and of one size.
    #[serde(default)]
    #[serde(rename = "facing")]
    pub orientation: Orientation,
    /// Whether its box is kept inside the picture.
    #[serde(default)]
    pub keeps_inside: bool,
    /// Whether it makes room for labels further back that do the same.
    #[serde(default)]
    pub keeps_apart: bool,
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
    /// A line round the letters, if any.
    pub outline: Option<Edge>,
    /// A second text below, if any.
    pub second: Option<Second>,
    /// The box behind it, if any.
    pub box_style: Option<BoxStyle>,
    /// A shadow, if any.
    pub shadow: Option<Shadow>,
}

impl LabelArt {
    /// How far the shadow and the lines round it reach beyond its box, in pixels.
    pub fn bleed(&self) -> f64 {
        let border = self.box_style.as_ref().and_then(|style| style.border.as_ref());
        let edges =
            border.map_or(0.0, |edge| edge.width / 2.0).max(self.outline.as_ref().map_or(0.0, |edge| edge.width));
        let shadow = self.shadow.as_ref();
        edges + shadow.map_or(0.0, |shadow| shadow.shift.x.abs().max(shadow.shift.y.abs()) + 3.0 * shadow.softness)
    }
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
            outline: None,
            second: None,
            box_style: Some(BoxStyle {
                fill: "#16202a".into(),
                opacity: 0.78,
                padding: 10.0,
                radius: 5.0,
                border: None,
            }),
            shadow: None,
            line_width: Some(2.0),
            line_colour: None,
            line_course: LineCourse::Straight,
            placement: Placement::Auto,
            rotation: 0.0,
            lies: None,
            orientation: Orientation::default(),
            keeps_inside: false,
            keeps_apart: false,
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
            outline: self.outline.clone(),
            second: self.second.clone(),
            box_style: self.box_style.clone(),
            shadow: self.shadow.clone(),
        }
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        let own_place = match &mut self.placement {
            Placement::Offset(offset) => Some(offset),
            Placement::Auto => None,
        };
        Some(NumberMut::Real(match address {
            "size" => &mut self.size,
            "outline.width" => &mut self.outline.as_mut()?.width,
            "second.size" => &mut self.second.as_mut()?.size,
            "box.opacity" => &mut self.box_style.as_mut()?.opacity,
            "box.padding" => &mut self.box_style.as_mut()?.padding,
            "box.radius" => &mut self.box_style.as_mut()?.radius,
            "box.border.width" => &mut self.box_style.as_mut()?.border.as_mut()?.width,
            "shadow.opacity" => &mut self.shadow.as_mut()?.opacity,
            "shadow.shift.x" => &mut self.shadow.as_mut()?.shift.x,
            "shadow.shift.y" => &mut self.shadow.as_mut()?.shift.y,
            "shadow.softness" => &mut self.shadow.as_mut()?.softness,
            "turn" => &mut self.rotation,
            "line_width" => self.line_width.as_mut()?,
            "placement.offset.x" => &mut own_place?.x,
            "placement.offset.y" => &mut own_place?.y,
            _ => return None,
        }))
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        let second = self.second.as_ref().map(|second| &second.text);
        if self.text.iter().chain(second).any(|text| text.chars().count() > Self::MAX_TEXT) {
            return Err(SettingProblem::Text(Self::MAX_TEXT));
        }
        check_colour(&self.colour)?;
        self.line_colour.iter().try_for_each(|colour| check_colour(colour))?;
        check_number("the size", self.size, SMALLEST_LABEL, 400.0)?;
        self.line_width.map_or(Ok(()), |width| check_number("the width of the line", width, 0.5, 40.0))?;
        let border = self.box_style.as_ref().and_then(|style| style.border.as_ref());
        self.outline.iter().chain(border).try_for_each(Edge::check)?;
        self.second.as_ref().map_or(Ok(()), Second::check)?;
        self.box_style.as_ref().map_or(Ok(()), BoxStyle::check)?;
        self.shadow.as_ref().map_or(Ok(()), Shadow::check)?;
        check_number("the turn", self.rotation, -36_000.0, 36_000.0)?;
        self.lies.as_ref().map_or(Ok(()), LyingFace::check)?;
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

impl BoxStyle {
    fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.fill)?;
        check_number("the box's opacity", self.opacity, 0.0, 1.0)?;
        check_number("the box's padding", self.padding, 0.0, 200.0)?;
        check_number("the box's corner radius", self.radius, 0.0, 200.0)
    }
}

impl Edge {
    fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.colour)?;
        check_number("the width of the outline or border", self.width, 0.0, 60.0)
    }
}

impl Shadow {
    fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.colour)?;
        check_number("the shadow's strength", self.opacity, 0.0, 1.0)?;
        check_number("the shadow's shift across", self.shift.x, -200.0, 200.0)?;
        check_number("the shadow's shift down", self.shift.y, -200.0, 200.0)?;
        check_number("the shadow's softness", self.softness, 0.0, 100.0)
    }
}

impl Second {
    fn check(&self) -> Result<(), SettingProblem> {
        self.colour.iter().try_for_each(|colour| check_colour(colour))?;
        check_number("the size of the second text", self.size, 0.2, 3.0)
    }
}
