//! A keyframed curve: places and velocities at some frames, cubic pieces or straight ones between them.

use serde::{Deserialize, Serialize};

use crate::geometry::Point;
use crate::time::Frame;

/// How a curve leaves or reaches a key.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Tangent {
    /// In a straight line from key to key at even pace.
    Straight,
    /// With this velocity, in pixels a frame: the handle of a cubic Bézier piece lies a third of the piece's frames
    /// away, by that many times the velocity.
    Velocity(Point),
}

/// A keyframe.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct PathKeyframe {
    /// When.
    pub frame: Frame,
    /// Where.
    pub at: Point,
    /// How the curve comes in from the key before.
    pub arrive: Tangent,
    /// How it goes on to the key after.
    pub leave: Tangent,
}

impl PathKeyframe {
    /// A key that the curve passes with this velocity.
    pub fn smooth(frame: Frame, at: Point, velocity: Point) -> Self {
        Self { frame, at, arrive: Tangent::Velocity(velocity), leave: Tangent::Velocity(velocity) }
    }

    /// Whether all its numbers are ordinary ones.
    pub fn is_finite(&self) -> bool {
        let joint = |joint: Tangent| !matches!(joint, Tangent::Velocity(velocity) if !velocity.is_finite());
        self.at.is_finite() && joint(self.arrive) && joint(self.leave)
    }

    /// Where the cubic through this key and a later one is on a frame, with the velocities of both.
    pub fn between(&self, to: &Self, frame: Frame) -> Point {
        piece(self, to, f64::from(frame.0)).0
    }

    /// A key between straight pieces.
    pub fn straight(frame: Frame, at: Point) -> Self {
        Self { frame, at, arrive: Tangent::Straight, leave: Tangent::Straight }
    }
}

/// A keyframed curve over a run of frames.
///
/// # Guarantees
/// At least one key; frames strictly increase.
#[derive(Clone, Debug, PartialEq)]
pub struct Curve(Vec<PathKeyframe>);

impl Curve {
    /// Sorts the keys; of two on one frame the later given counts. `None` without any.
    pub fn new(keys: impl IntoIterator<Item = PathKeyframe>) -> Option<Self> {
        let mut sorted: std::collections::BTreeMap<Frame, PathKeyframe> = Default::default();
        sorted.extend(keys.into_iter().map(|key| (key.frame, key)));
        (!sorted.is_empty()).then(|| Self(sorted.into_values().collect()))
    }

    /// In order of frames.
    pub fn keys(&self) -> &[PathKeyframe] {
        &self.0
    }

    /// The place on a frame, which may lie between whole ones; before the first key and after the last it stands still.
    pub fn at(&self, frame: f64) -> Point {
        let (from, to) = self.around(frame);
        piece(from, to, frame).0
    }

    /// The velocity on a frame, in pixels a frame.
    pub fn velocity(&self, frame: f64) -> Point {
        let (from, to) = self.around(frame);
        piece(from, to, frame).1
    }

    /// The same curve with one more key, which changes nothing (de Casteljau's subdivision).
    pub fn split_at(&mut self, frame: Frame) {
        let Err(index) = self.0.binary_search_by_key(&frame, |key| key.frame) else { return };
        if index == 0 || index == self.0.len() {
            return;
        }
        let (before, after) = (self.0[index - 1], self.0[index]);
        let (at, velocity) = piece(&before, &after, f64::from(frame.0));
        let is_straight = before.leave == Tangent::Straight && after.arrive == Tangent::Straight;
        let key =
            if is_straight { PathKeyframe::straight(frame, at) } else { PathKeyframe::smooth(frame, at, velocity) };
        if !is_straight {
            // A piece that is straight on one side only becomes one with both velocities, which is the same curve.
            let length = before.frame.until(after.frame) as f64;
            let (leave, arrive) = velocities(&before, &after, length);
            self.0[index - 1].leave = Tangent::Velocity(leave);
            self.0[index].arrive = Tangent::Velocity(arrive);
        }
        self.0.insert(index, key);
    }

    /// The keys on either side of a frame; the same key twice beyond the ends.
    fn around(&self, frame: f64) -> (&PathKeyframe, &PathKeyframe) {
        let after = self.0.partition_point(|key| f64::from(key.frame.0) <= frame);
        let last = self.0.len() - 1;
        (&self.0[after.saturating_sub(1)], &self.0[if after == 0 { 0 } else { after.min(last) }])
    }
}

fn velocities(from: &PathKeyframe, to: &PathKeyframe, length: f64) -> (Point, Point) {
    let chord = (to.at - from.at) * (1.0 / length);
    let of = |joint: Tangent| if let Tangent::Velocity(velocity) = joint { velocity } else { chord };
    (of(from.leave), of(to.arrive))
}

/// Place and velocity on a piece: a cubic in Hermite form, which is a Bézier curve whose handles lie at a third and two
/// thirds of the time, so that time itself is even.
fn piece(from: &PathKeyframe, to: &PathKeyframe, frame: f64) -> (Point, Point) {
    let length = from.frame.until(to.frame) as f64;
    if length <= 0.0 {
        return (from.at, Point::default());
    }
    let (leave, arrive) = velocities(from, to, length);
    let u = (frame - f64::from(from.frame.0)) / length;
    let (u2, u3) = (u * u, u * u * u);
    let at = from.at * (2.0 * u3 - 3.0 * u2 + 1.0)
        + to.at * (3.0 * u2 - 2.0 * u3)
        + (leave * (u3 - 2.0 * u2 + u) + arrive * (u3 - u2)) * length;
    let velocity = (to.at - from.at) * ((6.0 * u - 6.0 * u2) / length)
        + leave * (3.0 * u2 - 4.0 * u + 1.0)
        + arrive * (3.0 * u2 - 2.0 * u);
    (at, velocity)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn curve() -> Curve {
        Curve::new([
            PathKeyframe::smooth(Frame(10), Point::new(0.0, 0.0), Point::new(3.0, 0.0)),
            PathKeyframe {
                arrive: Tangent::Velocity(Point::new(0.0, -4.0)),
                ..PathKeyframe::straight(Frame(22), Point::new(30.0, 12.0))
            },
            PathKeyframe::straight(Frame(30), Point::new(30.0, 60.0)),
        ])
        .unwrap()
    }

    #[test]
    fn it_passes_its_keys_and_stands_still_beyond_them() {
        let curve = curve();
        for key in curve.keys() {
            assert!(curve.at(f64::from(key.frame.0)).distance(key.at) < 1e-12);
        }
        assert_eq!(curve.at(3.0), Point::new(0.0, 0.0));
        assert_eq!(curve.at(99.0), Point::new(30.0, 60.0));
        assert!(curve.at(26.0).distance(Point::new(30.0, 36.0)) < 1e-12, "straight at even pace");
    }

    #[test]
    fn it_is_the_bezier_curve_of_its_handles() {
        let curve = curve();
        // Bernstein form with the handles worked out by hand: 12 frames, so a handle is 4 times the velocity away.
        let points = [(0.0, 0.0), (12.0, 0.0), (30.0, 28.0), (30.0, 12.0)];
        for step in 0..=12 {
            let u = f64::from(step) / 12.0;
            let weights = [(1.0 - u).powi(3), 3.0 * u * (1.0 - u).powi(2), 3.0 * u * u * (1.0 - u), u.powi(3)];
            let want =
                points.iter().zip(weights).fold(Point::default(), |sum, (&(x, y), w)| sum + Point::new(x, y) * w);
            assert!(curve.at(10.0 + f64::from(step)).distance(want) < 1e-9, "step {step}");
        }
    }

    #[test]
    fn one_more_key_changes_nothing() {
        for frame in [11, 16, 21, 22, 25, 10, 30, 5] {
            let mut split = curve();
            split.split_at(Frame(frame));
            for n in 80..=320 {
                let at = f64::from(n) / 10.0;
                assert!(split.at(at).distance(curve().at(at)) < 1e-9, "split at {frame}, looked at {at}");
            }
        }
    }

    #[test]
    fn the_velocity_is_the_slope() {
        let curve = curve();
        for n in 102..298 {
            let at = f64::from(n) / 10.0 + 0.013;
            let slope = (curve.at(at + 1e-5) - curve.at(at - 1e-5)) * (1.0 / 2e-5);
            assert!(curve.velocity(at).distance(slope) < 1e-5, "at {at}");
        }
    }
}
