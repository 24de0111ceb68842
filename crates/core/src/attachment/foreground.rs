//! What stands in front: the film's own picture, over everything that lies further back.

use serde::{Deserialize, Serialize};

use super::settings::{NumberMut, SettingProblem, check_number};
use crate::geometry::Point;
use crate::time::Frame;

/// Most corners of an outline.
pub(super) const MOST_CORNERS: usize = 400;

/// Which brightness stands in front.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Brightness {
    /// From this luma on, 0 to 1.
    pub from: f64,
    /// Up to this luma.
    pub to: f64,
    /// Over how much luma outside of these it comes in.
    pub softness: f64,
}

impl Brightness {
    /// How much of a pixel of this luma stands in front, 0 to 1.
    pub fn share(&self, luma: f64) -> f64 {
        let outside = (self.from - luma).max(luma - self.to).max(0.0);
        if self.softness > 0.0 { (1.0 - outside / self.softness).max(0.0) } else { f64::from(u8::from(outside == 0.0)) }
    }
}

/// Something that stands in front: what is within an outline, what has a brightness, or both.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ForegroundMatte {
    /// The outline, in pixels of the picture of the frame on which it was drawn; none for the whole picture.
    #[serde(default)]
    pub outline: Vec<Point>,
    /// The frame on which it was drawn.
    #[serde(default)]
    pub since: Frame,
    /// Whether it goes with the subject; else it stays where it is.
    #[serde(default)]
    pub rides: bool,
    /// Softness of its edge: standard deviation in pixels.
    #[serde(default)]
    pub feather: f64,
    /// Only what has this brightness.
    #[serde(default)]
    pub brightness: Option<Brightness>,
}

impl ForegroundMatte {
    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        let corners = self.outline.len();
        if corners == 1 || corners == 2 || corners > MOST_CORNERS {
            return Err(SettingProblem::Outline { count: corners, most: MOST_CORNERS });
        }
        for corner in &self.outline {
            check_number("a corner across", corner.x, -1e5, 1e5)?;
            check_number("a corner down", corner.y, -1e5, 1e5)?;
        }
        check_number("the softness of the edge", self.feather, 0.0, 200.0)?;
        if let Some(brightness) = &self.brightness {
            check_number("the least brightness", brightness.from, 0.0, 1.0)?;
            check_number("the greatest brightness", brightness.to, brightness.from, 1.0)?;
            check_number("the softness of the brightness", brightness.softness, 0.0, 1.0)?;
        }
        Ok(())
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(NumberMut::Real(match address {
            "feather" => &mut self.feather,
            "brightness.from" => &mut self.brightness.as_mut()?.from,
            "brightness.to" => &mut self.brightness.as_mut()?.to,
            "brightness.softness" => &mut self.brightness.as_mut()?.softness,
            _ => return None,
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn brightness_comes_in_softly_on_both_sides() {
        let dark = Brightness { from: 0.0, to: 0.3, softness: 0.2 };
        for (luma, want) in [(0.0, 1.0), (0.3, 1.0), (0.4, 0.5), (0.5, 0.0), (1.0, 0.0)] {
            assert!((dark.share(luma) - want).abs() < 1e-9, "{luma}");
        }
        let hard = Brightness { from: 0.5, to: 0.7, softness: 0.0 };
        assert_eq!([0.49, 0.5, 0.7, 0.71].map(|luma| hard.share(luma)), [0.0, 1.0, 1.0, 0.0]);
    }

    #[test]
    fn an_outline_of_two_corners_is_none() {
        let front = |corners: usize| ForegroundMatte {
            outline: vec![Point::default(); corners],
            since: Frame(0),
            rides: false,
            feather: 0.0,
            brightness: None,
        };
        assert!(front(2).check().unwrap_err().to_string().contains("3"));
        assert!(front(0).check().is_ok() && front(3).check().is_ok());
    }
}
