//! What keyframes of place, size, turn and opacity make of an attachment on one frame.

use crate::attachment::{AnimatedProperty, PropertyKeyframe, value_on};
use crate::geometry::Point;
use crate::time::Frame;

/// The numbers of one frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Keyed {
    pub moved: Point,
    pub size: f64,
    pub rotation: f64,
    pub opacity: f64,
}

impl Keyed {
    pub fn on(keys: &[PropertyKeyframe], frame: Frame) -> Self {
        let value = |number, else_| value_on(keys, &number, frame).unwrap_or(else_);
        Self {
            moved: Point::new(value(AnimatedProperty::Across, 0.0), value(AnimatedProperty::Down, 0.0)),
            size: value(AnimatedProperty::Size, 1.0),
            rotation: value(AnimatedProperty::Rotation, 0.0),
            opacity: value(AnimatedProperty::Opacity, 1.0),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::path::Easing;

    fn key(frame: u32, value: f64, easing: Easing) -> PropertyKeyframe {
        PropertyKeyframe { property: AnimatedProperty::Rotation, frame: Frame(frame), value, easing }
    }

    #[test]
    fn a_number_stands_still_outside_its_keyframes_and_eases_between() {
        let keys = [key(30, 10.0, Easing::LINEAR), key(10, -10.0, Easing::IN)];
        let turn = |frame| Keyed::on(&keys, Frame(frame)).rotation;
        assert_eq!((turn(0), turn(10), turn(30), turn(99)), (-10.0, -10.0, 10.0, 10.0));
        assert!((turn(20) - (-10.0 + 20.0 * Easing::IN.at(0.5))).abs() < 1e-9 && turn(20) < 0.0);
        assert_eq!(Keyed::on(&keys, Frame(20)).size, 1.0, "what has no keyframes is as it was set");
    }
}
