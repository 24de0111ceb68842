//! Sparks: small bright bits that fly off a subject, or off a line through its corners, and go out.

use serde::{Deserialize, Serialize};

use super::boundary::Corner;
use super::settings::{NumberMut, SettingProblem, check_colour, check_number};
use crate::geometry::{Point, Size};

/// Sparks that are alive at once at most: number and life together may not make more.
const MOST_ALIVE: f64 = 2000.0;
/// The smaller side of the picture for which sparks are as they are by default, in pixels.
const USUAL_SIDE: f64 = 420.0;

/// Sparks. Everything about one is worked out from its number and the seed: any frame can be drawn without those before,
/// and everywhere the same.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sparks {
    /// Sparks that begin on each frame, on average.
    pub rate: f64,
    /// Frames that one lives, on average; each its own, by up to 40 %.
    pub life: f64,
    /// Pixels a frame at which one sets off; each its own, by up to half.
    pub speed: f64,
    /// Where they fly: degrees from straight up, clockwise.
    pub direction: f64,
    /// How far apart they fly: degrees, 360 for everywhere.
    pub spread: f64,
    /// Pixels a frame by which each frame pulls them down; less than 0 lifts them.
    pub pull: f64,
    /// Radius at birth, in pixels.
    pub size: f64,
    /// Radius at the end, in shares of that at birth.
    pub end_size: f64,
    /// How far one is drawn out along its way, in frames of its speed.
    pub streak: f64,
    /// Softness: standard deviation in pixels.
    pub softness: f64,
    /// Colour at birth as `#rrggbb`.
    pub colour: String,
    /// Colour at the end as `#rrggbb`.
    pub end_colour: String,
    /// Whether they stay where they set off in the picture; else they go along with the subject.
    #[serde(default)]
    pub stays: bool,
    /// Where they set off, counted from the subject, in pixels.
    #[serde(default)]
    pub place: Point,
    /// They set off along the line through these, if there are any.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub corners: Vec<Corner>,
    /// Whether that line goes on from the last of them to the first.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub closed: bool,
    /// Another number, other sparks.
    #[serde(default)]
    pub seed: u32,
}

impl Default for Sparks {
    fn default() -> Self {
        Self {
            rate: 4.0,
            life: 18.0,
            speed: 6.0,
            direction: 0.0,
            spread: 70.0,
            pull: 0.35,
            size: 2.5,
            end_size: 0.3,
            streak: 0.8,
            softness: 0.6,
            colour: "#fff2c0".into(),
            end_colour: "#ff6a1f".into(),
            stays: true,
            place: Point::default(),
            corners: Vec::new(),
            closed: false,
            seed: 1,
        }
    }
}

impl Sparks {
    /// Longest life over the average.
    pub(crate) const LONGEST: f64 = 1.4;

    /// Sparks as usual in a picture of this size.
    pub fn for_picture(picture: Size) -> Self {
        let usual = Self::default();
        let times = (f64::from(picture.width.min(picture.height)) / USUAL_SIDE).max(0.5);
        let rounded = |value: f64| (value * times * 100.0).round() / 100.0;
        Self {
            speed: rounded(usual.speed),
            pull: rounded(usual.pull),
            size: rounded(usual.size),
            softness: rounded(usual.softness),
            ..usual
        }
    }

    /// Frames after which every spark is out.
    pub(crate) fn longest_life(&self) -> u32 {
        (self.life * Self::LONGEST).ceil() as u32
    }

    /// Checks every setting.
    pub fn check(&self) -> Result<(), SettingProblem> {
        check_colour(&self.colour)?;
        check_colour(&self.end_colour)?;
        check_number("the number of sparks a frame", self.rate, 0.0, 100.0)?;
        check_number("the life of a spark, in frames,", self.life, 1.0, 500.0)?;
        check_number("the speed of the sparks", self.speed, 0.0, 200.0)?;
        check_number("the direction of the sparks", self.direction, -720.0, 720.0)?;
        check_number("how far the sparks fly apart", self.spread, 0.0, 360.0)?;
        check_number("the pull on the sparks", self.pull, -20.0, 20.0)?;
        check_number("the size of a spark", self.size, 0.2, 200.0)?;
        check_number("the size at the end", self.end_size, 0.0, 5.0)?;
        check_number("how far a spark is drawn out", self.streak, 0.0, 5.0)?;
        check_number("the softness of the sparks", self.softness, 0.0, 50.0)?;
        check_number("the place across", self.place.x, -1e5, 1e5)?;
        check_number("the place down", self.place.y, -1e5, 1e5)?;
        check_number("the number of corners", self.corners.len() as f64, 0.0, 200.0)?;
        check_number("the number of sparks at once (number times life)", self.rate * self.life, 0.0, MOST_ALIVE)
    }

    /// The number at an address.
    pub(super) fn number(&mut self, address: &str) -> Option<NumberMut<'_>> {
        Some(NumberMut::Real(match address {
            "rate" => &mut self.rate,
            "life" => &mut self.life,
            "speed" => &mut self.speed,
            "direction" => &mut self.direction,
            "spread" => &mut self.spread,
            "pull" => &mut self.pull,
            "size" => &mut self.size,
            "end_size" => &mut self.end_size,
            "streak" => &mut self.streak,
            "softness" => &mut self.softness,
            "place.x" => &mut self.place.x,
            "place.y" => &mut self.place.y,
            _ => return None,
        }))
    }
}
