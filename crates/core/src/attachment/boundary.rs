//! A line through pins and carried points of a subject, in order: round a piece of ground, say.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::label::Label;
use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use crate::path::Easing;

/// A corner of a boundary line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Corner {
    /// A pin of the subject.
    Pin(Uuid),
    /// A carried point of the subject.
    Point(Uuid),
}

/// Where a boundary's text is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TextPlace {
    /// In the middle of the ground.
    #[default]
    Middle,
    /// On the line from this corner to the next.
    Edge(usize),
}

/// Light round the line.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Glow {
    /// Colour as `#rrggbb`.
    pub colour: String,
    /// How far it reaches, in pixels: two standard deviations.
    pub reach: f64,
    /// Its strength, 0 to 1.
    pub opacity: f64,
}

/// Colour over the ground inside.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Tint {
    /// Colour as `#rrggbb`.
    pub colour: String,
    /// Its strength, 0 to 1.
    pub opacity: f64,
}

/// How the line is drawn on and off.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawing {
    /// Frames over which it is drawn on; 0 when it is there at once, as in the shots after the first.
    pub on_frames: u32,
    /// Frames over which it is drawn off at the end; 0 when it stays.
    pub off_frames: u32,
    /// Easing of both.
    pub easing: Easing,
    /// Whether it goes off the way it came, instead of running on after its own end.
    #[serde(default)]
    pub goes_back: bool,
}

/// A boundary line.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Boundary {
    /// Its corners, in order; it is drawn from the first.
    pub corners: Vec<Corner>,
    /// Whether the last is joined to the first.
    pub closed: bool,
    /// Width: in pixels of the picture, or, lying on the ground, in pixels as the picture shows it nearest to where the
    /// pins were put.
    pub width: f64,
    /// Whether it lies on the ground, in perspective.
    #[serde(default)]
    pub on_ground: bool,
    /// Colour as `#rrggbb`; nothing takes the subject's.
    #[serde(default)]
    pub colour: Option<String>,
    /// Softness of its edges: standard deviation in pixels; 0 for a hard edge.
    #[serde(default)]
    pub softness: f64,
    /// Lengths of a dash and a gap, in pixels; nothing for a whole line.
    #[serde(default)]
    pub dashes: Option<[f64; 2]>,
    /// Light round it.
    #[serde(default)]
    pub glow: Option<Glow>,
    /// Radius of the marks on its corners, in pixels; 0 for none.
    #[serde(default)]
    pub marks: f64,
    /// Colour over the ground inside, when it is closed.
    #[serde(default)]
    pub tint: Option<Tint>,
    /// Text on it.
    #[serde(default)]
    pub label: Option<Label>,
    /// Where the text is.
    #[serde(default)]
    pub label_at: TextPlace,
    /// How it is drawn on and off.
    pub drawing: Drawing,
}

impl Boundary {
    /// Fewest corners.
    pub const LEAST_CORNERS: usize = 2;
    /// Most corners.
    pub const MOST_CORNERS: usize = 200;
    /// Frames over which a line is drawn on and off, unless set otherwise. Common practice: off over the last ten.
    pub const DRAWN_OVER: u32 = 10;

    /// A line as usual through these corners.
    pub fn through(corners: Vec<Corner>, closed: bool) -> Self {
        let drawing = Drawing {
            on_frames: Self::DRAWN_OVER,
            off_frames: Self::DRAWN_OVER,
            easing: Easing::IN_OUT,
            goes_back: false,
        };
        Self {
            corners,
            closed,
            width: 5.0,
            on_ground: false,
            colour: None,
            softness: 0.0,
            dashes: None,
            glow: None,
            marks: 0.0,
            tint: None,
            label: None,
            label_at: TextPlace::Middle,
            drawing,
        }
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        let count = self.corners.len();
        if !(Self::LEAST_CORNERS..=Self::MOST_CORNERS).contains(&count) {
            return Err(SettingProblem::Corners { least: Self::LEAST_CORNERS, most: Self::MOST_CORNERS, count });
        }
        let glow = self.glow.iter().map(|glow| &glow.colour);
        let tint = self.tint.iter().map(|tint| &tint.colour);
        self.colour.iter().chain(glow).chain(tint).try_for_each(|colour| check_colour(colour))?;
        check_number("the width", self.width, 0.5, 400.0)?;
        check_number("the softness", self.softness, 0.0, 100.0)?;
        check_number("the radius of the marks", self.marks, 0.0, 200.0)?;
        for length in self.dashes.iter().flatten() {
            check_number("the length of a dash or gap", *length, 1.0, 10_000.0)?;
        }
        if let Some(glow) = &self.glow {
            check_number("the reach of the glow", glow.reach, 0.5, 200.0)?;
            check_number("the strength of the glow", glow.opacity, 0.0, 1.0)?;
        }
        if let Some(tint) = &self.tint {
            check_number("the strength of the tint", tint.opacity, 0.0, 1.0)?;
        }
        check_number("the frames to draw it on", f64::from(self.drawing.on_frames), 0.0, 10_000.0)?;
        check_number("the frames to draw it off", f64::from(self.drawing.off_frames), 0.0, 10_000.0)?;
        if !self.drawing.easing.is_valid() {
            return Err(SettingProblem::Easing);
        }
        self.label.as_ref().map_or(Ok(()), Label::check)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        if let Some(inner) = address.strip_prefix("label.") {
            return self.label.as_mut()?.number(inner);
        }
        Some(match address {
            "width" => NumberMut::Real(&mut self.width),
            "softness" => NumberMut::Real(&mut self.softness),
            "dashes.0" => NumberMut::Real(&mut self.dashes.as_mut()?[0]),
            "dashes.1" => NumberMut::Real(&mut self.dashes.as_mut()?[1]),
            "glow.reach" => NumberMut::Real(&mut self.glow.as_mut()?.reach),
            "glow.opacity" => NumberMut::Real(&mut self.glow.as_mut()?.opacity),
            "marks" => NumberMut::Real(&mut self.marks),
            "tint.opacity" => NumberMut::Real(&mut self.tint.as_mut()?.opacity),
            "drawing.on_frames" => NumberMut::Whole(&mut self.drawing.on_frames),
            "drawing.off_frames" => NumberMut::Whole(&mut self.drawing.off_frames),
            _ => return None,
        })
    }
}
