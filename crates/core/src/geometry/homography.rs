//! Maps between flat pieces of two pictures.

use serde::{Deserialize, Serialize};

use super::Point;

/// A map of the plane that keeps straight lines straight: `(x, y) -> (a x + b y + c, d x + e y + f) / (g x + h y + i)`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Homography {
    /// `a b c / d e f / g h i`, row by row; `i` is 1.
    rows: [[f64; 3]; 3],
}

impl Homography {
    /// From its nine numbers, row by row; they are scaled so that the last is 1.
    ///
    /// # Panics
    /// When the last is 0: the origin would be mapped to infinity.
    pub fn new(rows: [[f64; 3]; 3]) -> Self {
        let last = rows[2][2];
        assert!(last != 0.0, "a homography that maps the origin to infinity");
        Self { rows: rows.map(|row| row.map(|value| value / last)) }
    }

    /// Moves the origin to `at` and keeps everything else.
    pub fn shift(at: Point) -> Self {
        Self { rows: [[1.0, 0.0, at.x], [0.0, 1.0, at.y], [0.0, 0.0, 1.0]] }
    }

    /// Turns about the origin, clockwise as seen where down is positive, by an angle in radians.
    pub fn turn(angle: f64) -> Self {
        let (sin, cos) = angle.sin_cos();
        Self { rows: [[cos, -sin, 0.0], [sin, cos, 0.0], [0.0, 0.0, 1.0]] }
    }

    /// Stretches by a factor across and one down.
    pub fn stretch(across: f64, down: f64) -> Self {
        Self { rows: [[across, 0.0, 0.0], [0.0, down, 0.0], [0.0, 0.0, 1.0]] }
    }

    /// The nine numbers, row by row.
    pub fn rows(&self) -> &[[f64; 3]; 3] {
        &self.rows
    }

    /// Where a point goes.
    pub fn apply(&self, point: Point) -> Point {
        let [x, y, w] = self.rows.map(|[a, b, c]| a * point.x + b * point.y + c);
        Point::new(x / w, y / w)
    }

    /// Where the origin goes.
    pub fn origin(&self) -> Point {
        Point::new(self.rows[0][2], self.rows[1][2])
    }

    /// First `inner`, then this.
    pub fn after(&self, inner: &Self) -> Self {
        let product = |row: [f64; 3], col: usize| (0..3).map(|k| row[k] * inner.rows[k][col]).sum::<f64>();
        Self::new(self.rows.map(|row| [product(row, 0), product(row, 1), product(row, 2)]))
    }

    /// First `inner`, then this; `None` where that maps the origin to infinity.
    pub fn checked_after(&self, inner: &Self) -> Option<Self> {
        let corner: f64 = (0..3).map(|k| self.rows[2][k] * inner.rows[k][2]).sum();
        (corner.abs() > 1e-12).then(|| self.after(inner))
    }

    /// The way back; `None` when the plane is squeezed flat.
    pub fn inverse(&self) -> Option<Self> {
        let [[a, b, c], [d, e, f], [g, h, i]] = self.rows;
        let adjugate = [
            [e * i - f * h, c * h - b * i, b * f - c * e],
            [f * g - d * i, a * i - c * g, c * d - a * f],
            [d * h - e * g, b * g - a * h, a * e - b * d],
        ];
        let det = a * adjugate[0][0] + b * adjugate[1][0] + c * adjugate[2][0];
        (det.abs() > 1e-12 && adjugate[2][2] != 0.0).then(|| Self::new(adjugate))
    }

    /// The map that takes four points to four others (Heckbert 1989, by way of a square). `None` where three of either
    /// lie on one line.
    pub fn between(from: &[Point; 4], to: &[Point; 4]) -> Option<Self> {
        Self::of_square(to)?.checked_after(&Self::of_square(from)?.inverse()?)
    }

    /// From the square with the corners 0, 0 and 1, 1 to four points, in the order in which one goes round it.
    fn of_square(to: &[Point; 4]) -> Option<Self> {
        let [p, q, r, s] = *to;
        let (across, down, rest) = (q - r, s - r, p - q + (r - s));
        let cross = |a: Point, b: Point| a.x * b.y - b.x * a.y;
        let det = cross(across, down);
        let (g, h) = (cross(rest, down) / det, cross(across, rest) / det);
        let rows = [
            [q.x - p.x + g * q.x, s.x - p.x + h * s.x, p.x],
            [q.y - p.y + g * q.y, s.y - p.y + h * s.y, p.y],
            [g, h, 1.0],
        ];
        rows.iter().flatten().all(|value| value.is_finite()).then_some(Self { rows })
    }

    /// The same map with the origin sent to `at` instead.
    pub fn moved_to(&self, at: Point) -> Self {
        Self::shift(at - self.origin()).after(self)
    }

    /// What is left when the place of the origin is taken out.
    pub fn warp(&self) -> LocalWarp {
        let [[a, b, c], [d, e, f], [g, h, _]] = self.rows;
        LocalWarp { xx: a - c * g, xy: b - c * h, yx: d - f * g, yy: e - f * h, px: g, py: h }
    }
}

/// How a pattern has turned, grown, sheared and tilted since it was picked: `u -> M u / (1 + p u)` about its centre.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LocalWarp {
    /// Pixels to the right for each pixel to the right in the pattern.
    pub xx: f64,
    /// Pixels to the right for each pixel down in the pattern.
    pub xy: f64,
    /// Pixels down for each pixel to the right in the pattern.
    pub yx: f64,
    /// Pixels down for each pixel down in the pattern.
    pub yy: f64,
    /// Perspective across, per pixel.
    pub px: f64,
    /// Perspective down, per pixel.
    pub py: f64,
}

impl LocalWarp {
    /// As it was picked.
    pub const SAME: Self = Self { xx: 1.0, xy: 0.0, yx: 0.0, yy: 1.0, px: 0.0, py: 0.0 };

    /// The map from the pattern, counted from its centre, to the picture, with its centre at `at`.
    pub fn placed(self, at: Point) -> Homography {
        let Self { xx, xy, yx, yy, px, py } = self;
        Homography::shift(at).after(&Homography { rows: [[xx, xy, 0.0], [yx, yy, 0.0], [px, py, 1.0]] })
    }

    /// Between this and another, `share` of the way.
    pub fn mixed(&self, other: &Self, share: f64) -> Self {
        let mix = |a: f64, b: f64| a + (b - a) * share;
        Self {
            xx: mix(self.xx, other.xx),
            xy: mix(self.xy, other.xy),
            yx: mix(self.yx, other.yx),
            yy: mix(self.yy, other.yy),
            px: mix(self.px, other.px),
            py: mix(self.py, other.py),
        }
    }

    /// Rotation at the centre, in radians, clockwise positive: of the nearest rotation with scale.
    pub fn rotation(self) -> f64 {
        (self.yx - self.xy).atan2(self.xx + self.yy)
    }

    /// Scale at the centre: square root of the scale of an area.
    pub fn scale(self) -> f64 {
        (self.xx * self.yy - self.xy * self.yx).abs().sqrt()
    }
}

impl Default for LocalWarp {
    fn default() -> Self {
        Self::SAME
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn some() -> Homography {
        Homography::new([[1.1, -0.2, 40.0], [0.15, 0.93, -7.0], [0.0011, -0.0007, 1.0]])
    }

    #[test]
    fn there_and_back_is_where_it_was() {
        let (map, back) = (some(), some().inverse().unwrap());
        for at in [Point::new(0.0, 0.0), Point::new(13.5, -8.25), Point::new(-40.0, 31.0)] {
            assert!(back.apply(map.apply(at)).distance(at) < 1e-9);
            assert!(map.after(&back).apply(at).distance(at) < 1e-9);
        }
        assert!(Homography::new([[1.0, 2.0, 0.0], [2.0, 4.0, 0.0], [0.0, 0.0, 1.0]]).inverse().is_none());
    }

    #[test]
    fn four_points_fix_a_map() {
        let from = [(3.0, 4.0), (90.0, 1.0), (80.0, 70.0), (-5.0, 60.0)].map(|(x, y)| Point::new(x, y));
        let map = Homography::between(&from, &from.map(|point| some().apply(point))).unwrap();
        for at in [Point::new(40.0, 30.0), Point::new(-7.0, 99.0)] {
            assert!(map.apply(at).distance(some().apply(at)) < 1e-9);
        }
        let flat = [(0.0, 0.0), (1.0, 1.0), (2.0, 2.0), (3.0, 3.0)].map(|(x, y)| Point::new(x, y));
        assert!(Homography::between(&from, &flat).is_none_or(|map| map.inverse().is_none()));
        assert!(Homography::between(&flat, &from).is_none());
    }

    #[test]
    fn shape_and_place_make_the_map_again() {
        let map = some();
        let again = map.warp().placed(map.origin());
        let moved = map.moved_to(Point::new(3.0, 4.0));
        for at in [Point::new(0.0, 0.0), Point::new(20.0, -11.0)] {
            assert!(again.apply(at).distance(map.apply(at)) < 1e-9, "{at:?}");
            let by = Point::new(3.0, 4.0) - map.origin();
            assert!(moved.apply(at).distance(map.apply(at) + by) < 1e-9);
        }
    }

    #[test]
    fn turn_and_growth_are_read_off() {
        let (sin, cos) = 0.4f64.sin_cos();
        let shape = LocalWarp { xx: 1.5 * cos, xy: -1.5 * sin, yx: 1.5 * sin, yy: 1.5 * cos, ..LocalWarp::SAME };
        assert!((shape.rotation() - 0.4).abs() < 1e-12 && (shape.scale() - 1.5).abs() < 1e-12);
        // x right and y down: a positive turn takes right towards down, which is clockwise.
        assert!(shape.placed(Point::default()).apply(Point::new(1.0, 0.0)).y > 0.0);
    }
}
