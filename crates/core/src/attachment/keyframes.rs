//! Numbers of an attachment that change over time, from keyframe to keyframe.

use serde::{Deserialize, Serialize};

use super::settings::{SettingProblem, check_number};
use crate::path::Easing;
use crate::time::Frame;

/// Most keyframes of one attachment.
const MOST_KEYS: usize = 2000;

/// Which number. All but the last count on top of the attachment's own settings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum AnimatedProperty {
    /// Pixels to the right.
    Across,
    /// Pixels down.
    Down,
    /// Factor of its size.
    Size,
    /// Degrees, clockwise, about its middle.
    #[serde(rename = "turn")]
    Rotation,
    /// Factor of its opacity.
    Opacity,
    /// A setting of the attachment, by its address, in place of what was set: `effect.blur`, say. Each kind has a table
    /// of its addresses.
    #[serde(untagged)]
    Setting(String),
}

impl AnimatedProperty {
    /// The address of a setting.
    pub(super) fn address(&self) -> Option<&str> {
        if let Self::Setting(address) = self { Some(address) } else { None }
    }
}

/// A number on a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PropertyKeyframe {
    /// Which number.
    #[serde(rename = "number")]
    pub property: AnimatedProperty,
    /// On which frame.
    pub frame: Frame,
    /// What it is there.
    pub value: f64,
    /// How it goes on to the next.
    pub easing: Easing,
}

pub(super) fn check(keys: &[PropertyKeyframe]) -> Result<(), SettingProblem> {
    check_number("the number of keyframes", keys.len() as f64, 0.0, MOST_KEYS as f64)?;
    for key in keys {
        let (least, most) = match &key.property {
            AnimatedProperty::Across | AnimatedProperty::Down => (-1e5, 1e5),
            AnimatedProperty::Size => (0.0, 1000.0),
            AnimatedProperty::Rotation => (-36_000.0, 36_000.0),
            AnimatedProperty::Opacity => (0.0, 1.0),
            // The attachment is checked with it.
            AnimatedProperty::Setting(_) => (f64::MIN, f64::MAX),
        };
        check_number("the value of a keyframe", key.value, least, most)?;
        key.easing.is_valid().then_some(()).ok_or(SettingProblem::Easing)?;
    }
    Ok(())
}

/// Before the first keyframe and after the last the number stands still.
pub(crate) fn value_on(keys: &[PropertyKeyframe], property: &AnimatedProperty, frame: Frame) -> Option<f64> {
    let own = || keys.iter().filter(|key| key.property == *property);
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

    fn key(frame: u32, value: f64, easing: Easing) -> PropertyKeyframe {
        PropertyKeyframe { property: AnimatedProperty::Rotation, frame: Frame(frame), value, easing }
    }

    #[test]
    fn senseless_keyframes_are_refused() {
        assert!(check(&[key(0, f64::NAN, Easing::LINEAR)]).is_err());
        assert!(check(&[key(0, 1.0, Easing::new(2.0, 0.0, 0.0, 0.0))]).is_err());
        assert_eq!(check(&[key(0, 1.0, Easing::OUT)]), Ok(()));
    }
}
