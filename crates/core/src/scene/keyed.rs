//! Numbers of an attachment that change over time, from keyframe to keyframe.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::geometry::Point;
use crate::path::Easing;
use crate::time::Frame;

/// Most keyframes of one attachment.
const MOST_KEYS: usize = 2000;

/// Which number. All but the last count on top of the attachment's own settings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Number {
    /// Pixels to the right.
    Across,
    /// Pixels down.
    Down,
    /// Factor of its size.
    Size,
    /// Degrees, clockwise, about its middle.
    Turn,
    /// Factor of its opacity.
    Opacity,
    /// A setting of the attachment, by its path in the attachment as JSON, in place of what was set: `effect.blur`, say.
    #[serde(untagged)]
    Setting(String),
}

impl Number {
    /// The path of a setting.
    pub(super) fn setting(&self) -> Option<&str> {
        if let Self::Setting(path) = self { Some(path) } else { None }
    }
}

/// A number on a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Key {
    /// Which number.
    pub number: Number,
    /// On which frame.
    pub frame: Frame,
    /// What it is there.
    pub value: f64,
    /// How it goes on to the next.
    pub easing: Easing,
}

pub(super) fn check(keys: &[Key]) -> Result<(), SettingProblem> {
    check_number("the number of keyframes", keys.len() as f64, 0.0, MOST_KEYS as f64)?;
    for key in keys {
        let (least, most) = match &key.number {
            Number::Across | Number::Down => (-1e5, 1e5),
            Number::Size => (0.0, 1000.0),
            Number::Turn => (-36_000.0, 36_000.0),
            Number::Opacity => (0.0, 1.0),
            // The attachment is checked with it.
            Number::Setting(_) => (f64::MIN, f64::MAX),
        };
        check_number("the value of a keyframe", key.value, least, most)?;
        key.easing.is_valid().then_some(()).ok_or(SettingProblem::Easing)?;
    }
    Ok(())
}

/// The numbers of one frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Keyed {
    pub moved: Point,
    pub size: f64,
    pub turn: f64,
    pub opacity: f64,
}

impl Keyed {
    pub fn on(keys: &[Key], frame: Frame) -> Self {
        let value = |number, else_| value_on(keys, &number, frame).unwrap_or(else_);
        Self {
            moved: Point::new(value(Number::Across, 0.0), value(Number::Down, 0.0)),
            size: value(Number::Size, 1.0),
            turn: value(Number::Turn, 0.0),
            opacity: value(Number::Opacity, 1.0),
        }
    }
}

/// Before the first keyframe and after the last the number stands still.
pub(super) fn value_on(keys: &[Key], number: &Number, frame: Frame) -> Option<f64> {
    let own = || keys.iter().filter(|key| key.number == *number);
    let before = own().filter(|key| key.frame <= frame).max_by_key(|key| key.frame);
    let after = own().filter(|key| key.frame > frame).min_by_key(|key| key.frame);
    Some(match (before, after) {
        (Some(from), Some(to)) => {
            let share = from.frame.until(frame) as f64 / from.frame.until(to.frame) as f64;
            from.value + (to.value - from.value) * from.easing.at(share)
        }
        (Some(only), None) | (None, Some(only)) => only.value,
        (None, None) => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn key(frame: u32, value: f64, easing: Easing) -> Key {
        Key { number: Number::Turn, frame: Frame(frame), value, easing }
    }

    #[test]
    fn a_number_stands_still_outside_its_keyframes_and_eases_between() {
        let keys = [key(30, 10.0, Easing::LINEAR), key(10, -10.0, Easing::IN)];
        let turn = |frame| Keyed::on(&keys, Frame(frame)).turn;
        assert_eq!((turn(0), turn(10), turn(30), turn(99)), (-10.0, -10.0, 10.0, 10.0));
        assert!((turn(20) - (-10.0 + 20.0 * Easing::IN.at(0.5))).abs() < 1e-9 && turn(20) < 0.0);
        assert_eq!(Keyed::on(&keys, Frame(20)).size, 1.0, "what has no keyframes is as it was set");
    }

    #[test]
    fn senseless_keyframes_are_refused() {
        assert!(check(&[key(0, f64::NAN, Easing::LINEAR)]).is_err());
        assert!(check(&[key(0, 1.0, Easing::new(2.0, 0.0, 0.0, 0.0))]).is_err());
        assert_eq!(check(&[key(0, 1.0, Easing::OUT)]), Ok(()));
    }
}
