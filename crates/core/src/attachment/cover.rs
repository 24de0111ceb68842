//! A cover over a face or a number plate, or over everything else.

use serde::{Deserialize, Serialize};

use super::foreground::MOST_CORNERS;
use super::orientation::Orientation;
use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use super::show::Blend;
use crate::geometry::{Point, Rect, Size};
use crate::time::Frame;

/// The outline of a cover.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum CoverShape {
    /// A box.
    Box,
    /// An ellipse.
    #[default]
    Ellipse,
    /// A box with corners rounded by a quarter of its shorter side.
    Rounded,
    /// As it was drawn: its corners from the middle, in halves of its width and height.
    Drawn(Vec<Point>),
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
    /// Drawn out along a line, as by a camera that goes that way.
    Streak(Streak),
    /// This share of its colour, 0 to 1: none is grey.
    Saturation(f64),
}

/// The mean along a line about each pixel.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Streak {
    /// Length of the line, in pixels.
    pub length: f64,
    /// Its direction, from level, clockwise, in degrees.
    pub angle: f64,
}

/// A cover to start from.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct CoverLook {
    /// Its name.
    pub name: &'static str,
    /// What it does.
    pub effect: CoverEffect,
    /// How it is blended in.
    pub blend: Blend,
    /// How strongly.
    pub opacity: f64,
}

/// A cover. With its blend mode it also darkens (plain black, not fully opaque) and glows (blur, screened): see
/// [`Cover::looks`].
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

    /// Looks to start from, in a picture of this size.
    pub fn looks(picture: Size) -> Vec<CoverLook> {
        let share = f64::from(picture.height.min(picture.width)) / 720.0;
        let look = |name, effect, blend, opacity| CoverLook { name, effect, blend, opacity };
        let blur = |deviation: f64| CoverEffect::Blur((deviation * share).round().max(2.0));
        let streak = Streak { length: (60.0 * share).round().max(4.0), angle: 0.0 };
        let dark = CoverEffect::Plain("#05070a".into());
        vec![
            look("out of focus", blur(9.0), Blend::Normal, 1.0),
            look("darker", dark, Blend::Normal, 0.55),
            look("less colour", CoverEffect::Saturation(0.15), Blend::Normal, 1.0),
            look("glowing", blur(14.0), Blend::Screen, 0.7),
            look("rushing by", CoverEffect::Streak(streak), Blend::Normal, 1.0),
        ]
    }

    /// A cover within an outline in the picture of a frame, on which its subject is at `home`: it goes with it as if
    /// it lay on it. `None` for less than three corners.
    pub fn within(outline: &[Point], home: Point, since: Frame) -> Option<Self> {
        let bounds = Rect::around_all(outline).filter(|_| outline.len() > 2)?;
        let (middle, [width, height]) = (bounds.middle(), [bounds.right - bounds.left, bounds.bottom - bounds.top]);
        let share = |corner: &Point| {
            let from = *corner - middle;
            Point::new(2.0 * from.x / width, 2.0 * from.y / height)
        };
        let corners = outline.iter().map(share).collect();
        let orientation = Orientation { since, turns: true, grows: true, tilts: true };
        let shaped = Self {
            outline: CoverShape::Drawn(corners),
            place: middle - home,
            orientation,
            ..Self::over(width, height)
        };
        Some(shaped)
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
        if let CoverShape::Drawn(corners) = &self.outline {
            check_corners(corners)?;
        }
        match &self.effect {
            CoverEffect::Blur(deviation) => check_number("the blur", *deviation, 0.5, 200.0),
            CoverEffect::Mosaic(side) => check_number("the side of a square", f64::from(*side), 2.0, 400.0),
            CoverEffect::Plain(colour) => check_colour(colour),
            CoverEffect::Streak(Streak { length, angle }) => {
                check_number("the length of the streak", *length, 1.0, 1000.0)?;
                check_number("the direction of the streak", *angle, -36_000.0, 36_000.0)
            }
            CoverEffect::Saturation(share) => check_number("the share of colour", *share, 0.0, 1.0),
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
            ("effect.streak.length", CoverEffect::Streak(streak)) => NumberMut::Real(&mut streak.length),
            ("effect.streak.angle", CoverEffect::Streak(streak)) => NumberMut::Real(&mut streak.angle),
            ("effect.saturation", CoverEffect::Saturation(share)) => NumberMut::Real(share),
            _ => return None,
        })
    }
}

fn check_corners(corners: &[Point]) -> Result<(), SettingProblem> {
    let count = corners.len();
    (3..=MOST_CORNERS).contains(&count).then_some(()).ok_or(SettingProblem::Outline { count, most: MOST_CORNERS })?;
    corners.iter().try_for_each(|corner| {
        check_number("a corner across", corner.x, -1e3, 1e3)?;
        check_number("a corner down", corner.y, -1e3, 1e3)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_outline_becomes_shares_of_its_box() {
        let outline = [(100.0, 50.0), (180.0, 60.0), (120.0, 90.0)].map(|(x, y)| Point::new(x, y));
        let cover = Cover::within(&outline, Point::new(110.0, 60.0), Frame(4)).unwrap();
        assert_eq!((cover.size, cover.place), ([80.0, 40.0], Point::new(30.0, 10.0)));
        let CoverShape::Drawn(corners) = &cover.outline else { panic!("{cover:?}") };
        assert_eq!(corners[..], [(-1.0, -1.0), (1.0, -0.5), (-0.5, 1.0)].map(|(x, y)| Point::new(x, y)));
        assert_eq!(cover.check(), Ok(()));
        // On a line it has no inside.
        assert!(Cover::within(&[outline[0]; 3], Point::default(), Frame(0)).unwrap().check().is_err());
        assert_eq!(Cover::within(&outline[..2], Point::default(), Frame(0)), None);
    }

    #[test]
    fn every_look_can_be_set() {
        for look in Cover::looks(Size::new(320, 240)) {
            let cover = Cover { effect: look.effect, ..Cover::over(40.0, 30.0) };
            assert_eq!(cover.check(), Ok(()), "{}", look.name);
        }
    }
}
