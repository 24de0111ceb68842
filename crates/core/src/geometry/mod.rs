//! Points, sizes and rectangles in picture coordinates (see the crate head for the convention).

mod homography;

use std::ops::{Add, Mul, Sub};

use serde::{Deserialize, Serialize};

pub use homography::{Homography, LocalWarp};

/// A place in the picture, or a difference of two places, in pixels.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Point {
    /// Pixels from the left edge of the picture.
    pub x: f64,
    /// Pixels from the top edge of the picture.
    pub y: f64,
}

impl Point {
    /// A point from its two coordinates.
    pub const fn new(x: f64, y: f64) -> Self {
        Self { x, y }
    }

    /// Length of the line to `other`, in pixels.
    pub fn distance(self, other: Self) -> f64 {
        (self - other).length()
    }

    /// Length of the vector from the origin, in pixels.
    pub fn length(self) -> f64 {
        self.x.hypot(self.y)
    }

    /// Whether both coordinates are ordinary numbers.
    pub fn is_finite(self) -> bool {
        self.x.is_finite() && self.y.is_finite()
    }
}

impl Add for Point {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self::new(self.x + other.x, self.y + other.y)
    }
}

impl Sub for Point {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self::new(self.x - other.x, self.y - other.y)
    }
}

impl Mul<f64> for Point {
    type Output = Self;
    fn mul(self, factor: f64) -> Self {
        Self::new(self.x * factor, self.y * factor)
    }
}

/// Width and height of a picture, in whole pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Size {
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

impl Size {
    /// A size from width and height.
    pub const fn new(width: u32, height: u32) -> Self {
        Self { width, height }
    }

    /// Whether the point lies on the picture (right and bottom edge excluded).
    pub fn contains(self, point: Point) -> bool {
        point.x >= 0.0 && point.y >= 0.0 && point.x < f64::from(self.width) && point.y < f64::from(self.height)
    }

    /// Number of pixels.
    pub fn area(self) -> usize {
        self.width as usize * self.height as usize
    }
}

/// A run of whole pixels: `left..right` across, `top..bottom` down, ends exclusive. May reach outside the picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PixelRect {
    /// First column.
    pub left: i32,
    /// First row.
    pub top: i32,
    /// One past the last column.
    pub right: i32,
    /// One past the last row.
    pub bottom: i32,
}

impl PixelRect {
    /// The whole pixels that reach `half_width` and `half_height` to each side of `centre`, at least one.
    pub fn around(centre: Point, half_width: f64, half_height: f64) -> Self {
        let left = (centre.x - half_width).floor() as i32;
        let top = (centre.y - half_height).floor() as i32;
        Self {
            left,
            top,
            right: ((centre.x + half_width).ceil() as i32).max(left + 1),
            bottom: ((centre.y + half_height).ceil() as i32).max(top + 1),
        }
    }

    /// The part that lies on the picture. When nothing does: the nearest row or column of the picture, so that
    /// there is always at least one pixel to look at.
    pub fn clamped_to(self, size: Size) -> Self {
        let (width, height) = (size.width as i32, size.height as i32);
        let left = self.left.clamp(0, width - 1);
        let top = self.top.clamp(0, height - 1);
        Self { left, top, right: self.right.clamp(left + 1, width), bottom: self.bottom.clamp(top + 1, height) }
    }

    /// Columns in it.
    pub fn cols(self) -> usize {
        (self.right - self.left).max(0) as usize
    }

    /// Rows in it.
    pub fn rows(self) -> usize {
        (self.bottom - self.top).max(0) as usize
    }
}

impl From<PixelRect> for Rect {
    fn from(PixelRect { left, top, right, bottom }: PixelRect) -> Self {
        let [left, top, right, bottom] = [left, top, right, bottom].map(f64::from);
        Self { left, top, right, bottom }
    }
}

/// An upright box, `left <= right` and `top <= bottom`, in pixels.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rect {
    /// Left edge.
    pub left: f64,
    /// Top edge.
    pub top: f64,
    /// Right edge.
    pub right: f64,
    /// Bottom edge.
    pub bottom: f64,
}

impl Rect {
    /// The box of this width and height about a centre.
    pub fn centred(centre: Point, width: f64, height: f64) -> Self {
        Self {
            left: centre.x - width / 2.0,
            top: centre.y - height / 2.0,
            right: centre.x + width / 2.0,
            bottom: centre.y + height / 2.0,
        }
    }

    /// The box round some points; `None` for no points.
    pub fn around_all(points: &[Point]) -> Option<Self> {
        let single = |point: &Point| Self { left: point.x, top: point.y, right: point.x, bottom: point.y };
        points.iter().map(single).reduce(Self::with)
    }

    /// The box round both.
    pub fn with(self, other: Self) -> Self {
        Self {
            left: self.left.min(other.left),
            top: self.top.min(other.top),
            right: self.right.max(other.right),
            bottom: self.bottom.max(other.bottom),
        }
    }

    /// Its corners, clockwise from the upper left.
    pub fn corners(self) -> [Point; 4] {
        let Self { left, top, right, bottom } = self;
        [(left, top), (right, top), (right, bottom), (left, bottom)].map(|(x, y)| Point::new(x, y))
    }

    /// Its middle.
    pub fn middle(self) -> Point {
        Point::new((self.left + self.right) / 2.0, (self.top + self.bottom) / 2.0)
    }

    /// The point of the box (edge or inside) nearest to `point`.
    pub fn nearest(self, point: Point) -> Point {
        Point::new(point.x.clamp(self.left, self.right), point.y.clamp(self.top, self.bottom))
    }

    /// Whether `point` lies inside or on the edge.
    pub fn contains(self, point: Point) -> bool {
        self.nearest(point) == point
    }

    /// The box with room added on each side.
    pub fn widened(self, room: f64) -> Self {
        Self { left: self.left - room, top: self.top - room, right: self.right + room, bottom: self.bottom + room }
    }

    /// The box moved.
    pub fn moved(self, by: Point) -> Self {
        Self { left: self.left + by.x, top: self.top + by.y, right: self.right + by.x, bottom: self.bottom + by.y }
    }

    /// The share of `other` that the box covers, 0 to 1.
    pub fn share_of(self, other: Self) -> f64 {
        let common = |low: f64, high: f64| (high - low).max(0.0);
        let wide = common(self.left.max(other.left), self.right.min(other.right));
        let high = common(self.top.max(other.top), self.bottom.min(other.bottom));
        let area = (other.right - other.left) * (other.bottom - other.top);
        if area > 0.0 { wide * high / area } else { 0.0 }
    }

    /// How far the box reaches out of the picture, summed over the four sides, in pixels.
    pub fn overhang(self, size: Size) -> f64 {
        (-self.left).max(0.0)
            + (-self.top).max(0.0)
            + (self.right - f64::from(size.width)).max(0.0)
            + (self.bottom - f64::from(size.height)).max(0.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn clamped_rect_keeps_at_least_one_pixel() {
        let size = Size::new(10, 8);
        for centre in [Point::new(-50.0, 3.0), Point::new(5.0, 90.0), Point::new(4.2, 4.7)] {
            let rect = PixelRect::around(centre, 3.0, 2.0).clamped_to(size);
            assert!(rect.cols() >= 1 && rect.rows() >= 1, "{centre:?}: {rect:?}");
            assert!(rect.left >= 0 && rect.right <= 10 && rect.top >= 0 && rect.bottom <= 8, "{rect:?}");
        }
    }

    #[test]
    fn nearest_point_of_a_box_is_on_its_edge_for_a_point_outside() {
        let rect = Rect::centred(Point::new(10.0, 10.0), 8.0, 4.0);
        assert_eq!(rect.nearest(Point::new(0.0, 10.0)), Point::new(6.0, 10.0));
        assert_eq!(rect.nearest(Point::new(20.0, 0.0)), Point::new(14.0, 8.0));
        assert!(rect.contains(Point::new(9.0, 11.0)));
    }
}
