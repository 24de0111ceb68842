//! A cover over a face or a number plate, or over everything else.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_colour, check_number};
use super::stance::{Facing, stance};
use super::{Drawable, Placed, Shape};
use crate::geometry::{Homography, Point};
use crate::time::Frame;

/// Corners of an ellipse, and of each rounded corner: at these numbers no side is seen.
const ELLIPSE_SIDES: usize = 72;
const CORNER_SIDES: usize = 10;

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
    #[serde(default)]
    pub turn: f64,
    /// Which part of turn and growth it takes.
    #[serde(default)]
    pub facing: Facing,
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
    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        for side in self.size {
            check_number("the size of the cover", side, 1.0, 20_000.0)?;
        }
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the turn", self.turn, -36_000.0, 36_000.0)?;
        check_number("the softness of the edge", self.feather, 0.0, 200.0)?;
        match &self.effect {
            CoverEffect::Blur(deviation) => check_number("the blur", *deviation, 0.5, 200.0),
            CoverEffect::Mosaic(side) => check_number("the side of a square", f64::from(*side), 2.0, 400.0),
            CoverEffect::Plain(colour) => check_colour(colour),
        }
    }

    /// Its corners, counted from the subject.
    fn ring(&self) -> Vec<Point> {
        let [half_width, half_height] = self.size.map(|side| side / 2.0);
        let angle = |i: usize, of: usize| std::f64::consts::TAU * i as f64 / of as f64;
        let own: Vec<Point> = match self.outline {
            CoverShape::Box => [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)]
                .map(|(x, y)| Point::new(x * half_width, y * half_height))
                .into(),
            CoverShape::Ellipse => (0..ELLIPSE_SIDES)
                .map(|i| angle(i, ELLIPSE_SIDES))
                .map(|angle| Point::new(half_width * angle.cos(), half_height * angle.sin()))
                .collect(),
            CoverShape::Rounded => {
                let radius = 0.5 * half_width.min(half_height);
                let middles = [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)];
                let corner = |(quarter, (x, y)): (usize, (f64, f64))| {
                    let middle = Point::new(x * (half_width - radius), y * (half_height - radius));
                    (0..=CORNER_SIDES).map(move |i| {
                        let angle = angle(quarter * CORNER_SIDES + i, 4 * CORNER_SIDES);
                        middle + Point::new(angle.cos(), angle.sin()) * radius
                    })
                };
                middles.into_iter().enumerate().flat_map(corner).collect()
            }
        };
        let (sin, cos) = self.turn.to_radians().sin_cos();
        own.into_iter().map(|p| self.place + Point::new(cos * p.x - sin * p.y, sin * p.x + cos * p.y)).collect()
    }

    pub(super) fn drawables(&self, placed: &Placed<'_>, frame: Frame) -> Option<Vec<Drawable>> {
        let map: Homography = stance(&placed.show.takes, self.facing, &placed.poses, frame)?;
        let ring = self.ring().into_iter().map(|corner| map.apply(corner)).collect();
        let shape = Shape::Cover {
            rings: vec![ring],
            middle: map.apply(self.place),
            feather: self.feather,
            inside_out: self.inside_out,
            effect: self.effect.clone(),
        };
        Some(vec![placed.drawable(shape, 1.0)])
    }
}
