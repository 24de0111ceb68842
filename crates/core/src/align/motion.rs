//! The numbers of each motion: how a small change of them moves a sample, and the map they stand for.

use std::ops::{Add, Mul, Neg, Sub};

use crate::geometry::Homography;
use crate::track::MotionModel;

/// Numbers of the richest motion.
pub(crate) const MOST_COLUMNS: usize = crate::cholesky::MOST;

impl MotionModel {
    /// How many numbers it has; the first two are the place.
    pub(crate) fn columns(self) -> usize {
        match self {
            Self::Position => 2,
            Self::Rotation => 3,
            Self::Scale => 4,
            Self::Affine => 6,
            Self::Perspective => 8,
        }
    }

    /// The map of the pattern onto itself that these numbers stand for; all 0 is no motion.
    pub(crate) fn map(self, step: &[f64; MOST_COLUMNS]) -> Homography {
        let [x, y, a, b, c, d, g, h] = *step;
        let rows = match self {
            Self::Position => [[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]],
            Self::Rotation | Self::Scale => {
                let scale = if self == Self::Scale { b.exp() } else { 1.0 };
                let (sin, cos) = a.sin_cos();
                [[scale * cos, -scale * sin, x], [scale * sin, scale * cos, y], [0.0, 0.0, 1.0]]
            }
            Self::Affine => [[1.0 + a, b, x], [c, 1.0 + d, y], [0.0, 0.0, 1.0]],
            Self::Perspective => [[1.0 + a, b, x], [c, 1.0 + d, y], [g, h, 1.0]],
        };
        Homography::new(rows)
    }
}

/// Change of brightness at `(u, v)` of the pattern for each number of the motion, from the gradient there.
#[inline]
pub(super) fn add_columns<const LANES: usize>(
    motion: MotionModel,
    (gx, gy): (&[f32; LANES], &[f32; LANES]),
    (u, v): (&[f32; LANES], &[f32; LANES]),
    columns: &mut [[f32; LANES]],
) {
    let mut fill = |which: usize, value: &dyn Fn(usize) -> f32| {
        for (lane, out) in columns[which].iter_mut().enumerate() {
            *out = value(lane);
        }
    };
    fill(0, &|i| gx[i]);
    fill(1, &|i| gy[i]);
    match motion {
        MotionModel::Position => {}
        MotionModel::Rotation => fill(2, &|i| u[i] * gy[i] - v[i] * gx[i]),
        MotionModel::Scale => {
            fill(2, &|i| u[i] * gy[i] - v[i] * gx[i]);
            fill(3, &|i| u[i] * gx[i] + v[i] * gy[i]);
        }
        MotionModel::Affine | MotionModel::Perspective => {
            fill(2, &|i| u[i] * gx[i]);
            fill(3, &|i| v[i] * gx[i]);
            fill(4, &|i| u[i] * gy[i]);
            fill(5, &|i| v[i] * gy[i]);
        }
    }
    if motion == MotionModel::Perspective {
        fill(6, &|i| -u[i] * (u[i] * gx[i] + v[i] * gy[i]));
        fill(7, &|i| -v[i] * (u[i] * gx[i] + v[i] * gy[i]));
    }
}

/// The same for one sample in double precision.
pub(crate) fn columns_of<T>(motion: MotionModel, [gx, gy]: [T; 2], [u, v]: [T; 2]) -> [T; MOST_COLUMNS]
where
    T: Copy + Default + Add<Output = T> + Sub<Output = T> + Mul<Output = T> + Neg<Output = T>,
{
    let mut out = [T::default(); MOST_COLUMNS];
    (out[0], out[1]) = (gx, gy);
    let along = u * gx + v * gy;
    match motion {
        MotionModel::Position => {}
        MotionModel::Rotation => out[2] = u * gy - v * gx,
        MotionModel::Scale => (out[2], out[3]) = (u * gy - v * gx, along),
        MotionModel::Affine => out[2..6].copy_from_slice(&[u * gx, v * gx, u * gy, v * gy]),
        MotionModel::Perspective => {
            out[2..].copy_from_slice(&[u * gx, v * gx, u * gy, v * gy, -u * along, -v * along]);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;

    #[test]
    fn columns_are_the_derivatives_of_the_maps() {
        // A brightness that is linear over the plane, so that its change is the gradient times the move, exactly.
        let gradient = Point::new(3.0, -2.0);
        let brightness = |at: Point| gradient.x * at.x + gradient.y * at.y;
        let (u, v) = (7.5, -11.0);
        for motion in [
            MotionModel::Position,
            MotionModel::Rotation,
            MotionModel::Scale,
            MotionModel::Affine,
            MotionModel::Perspective,
        ] {
            let mut columns = [[0f32; 1]; MOST_COLUMNS];
            add_columns(motion, (&[3.0], &[-2.0]), (&[u as f32], &[v as f32]), &mut columns);
            for which in 0..motion.columns() {
                let moved = |by: f64| {
                    let mut step = [0.0; MOST_COLUMNS];
                    step[which] = by;
                    brightness(motion.map(&step).apply(Point::new(u, v)))
                };
                let want = (moved(1e-6) - moved(-1e-6)) / 2e-6;
                let got = f64::from(columns[which][0]);
                assert!((got - want).abs() < 1e-3 * want.abs().max(1.0), "{motion:?} {which}: {got} {want}");
                let got = columns_of(motion, [3.0, -2.0], [u, v])[which];
                assert!((got - want).abs() < 1e-3 * want.abs().max(1.0), "{motion:?} {which}: {got} {want}");
            }
        }
    }
}
