//! A cover over a face or a number plate, or over everything else.

use serde::{Deserialize, Serialize};

use super::orientation::Orientation;
use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use crate::geometry::Point;

/// The outline of a cover.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CoverShape {
    /// A box.
    Box,
    /// An ellipse.
    #[default]
    Ellipse,
    /// A box with corners rounded by a quarter of its shorter side.
    Rounded,
}

/// What it does to the film's picture.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CoverEffect {
    /// Gaussian blur of this standard deviation, in pixels.
    Blur(f64),
    /// Squares with sides of so many pixels, each with its mean colour.
    Mosaic(u32),
    /// Plain colour as `#rrggbb`.
    Plain(String),
}

/// A cover. With its blend mode it also darkens (plain black, not fully opaque) and glows (blur, screened).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Cover {
    /// Its outline.
    pub outline: CoverShape,
    /// Where its middle is, counted from the subject, in pixels.
    #[serde(default)]
    pub place: Point,
    /// Width and height, in pixels.
    pub size: [f64; 2],
    /// Its own turn, in degrees, clockwise.
    #[serde(default, rename = "turn")]
    pub rotation: f64,
    /// Which part of turn and growth it takes.
    #[serde(default)]
    #[serde(rename = "facing")]
    pub orientation: Orientation,
    /// Softness of its edge: standard deviation in pixels.
    #[serde(default)]
    pub feather: f64,
    /// Turned inside out: everything but.
    #[serde(default)]
    pub inside_out: bool,
    /// What it does.
    pub effect: CoverEffect,
}

impl Cover {
    /// A cover is so many times as large as the pattern of its pin: half as large again on each side.
    pub const OF_PATTERN: f64 = 2.2;

    /// A cover as usual, of this size.
    pub fn over(width: f64, height: f64) -> Self {
        Self {
            outline: CoverShape::Ellipse,
            place: Point::default(),
            size: [width, height],
            rotation: 0.0,
            orientation: Orientation { turns: true, grows: true, ..Orientation::default() },
            feather: 3.0,
            inside_out: false,
            effect: CoverEffect::Blur(12.0),
        }
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        for side in self.size {
            check_number("the size of the cover", side, 1.0, 20_000.0)?;
        }
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the turn", self.rotation, -36_000.0, 36_000.0)?;
        check_number("the softness of the edge", self.feather, 0.0, 200.0)?;
        match &self.effect {
            CoverEffect::Blur(deviation) => check_number("the blur", *deviation, 0.5, 200.0),
            CoverEffect::Mosaic(side) => check_number("the side of a square", f64::from(*side), 2.0, 400.0),
            CoverEffect::Plain(colour) => check_colour(colour),
        }
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(match (address, &mut self.effect) {
            ("size.0", _) => NumberMut::Real(&mut self.size[0]),
            ("size.1", _) => NumberMut::Real(&mut self.size[1]),
            ("place.x", _) => NumberMut::Real(&mut self.place.x),
            ("place.y", _) => NumberMut::Real(&mut self.place.y),
            ("turn", _) => NumberMut::Real(&mut self.rotation),
            ("feather", _) => NumberMut::Real(&mut self.feather),
            ("effect.blur", CoverEffect::Blur(deviation)) => NumberMut::Real(deviation),
            ("effect.mosaic", CoverEffect::Mosaic(side)) => NumberMut::Whole(side),
            _ => return None,
        })
    }
}
