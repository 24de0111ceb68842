//! A polyline on a subject's plane, cut by length and put into the picture.

use crate::geometry::{Homography, Point};

/// Corners of the polygon that stands for a disc: at 16, half a pixel is lost on a radius of 26.
const DISC_CORNERS: usize = 16;
/// Nothing nearer to the horizon than this share of the anchor's distance is drawn.
const HORIZON: f64 = 0.02;

/// A corner: where it is on the plane, and where in the picture.
#[derive(Clone, Copy, Debug)]
pub(super) struct Knot {
    pub own: Point,
    pub seen: Point,
}

/// A polyline through corners. Closed, the last is joined to the first.
pub(super) struct Polyline<'a> {
    knots: Vec<Knot>,
    /// Length on the plane from the start to each knot; one more than knots when it is closed.
    lengths: Vec<f64>,
    pose: &'a Homography,
    anchor: Point,
}

/// A place on the line: on the plane, in the picture.
type Place = (Point, Point);

impl<'a> Polyline<'a> {
    pub fn new(knots: Vec<Knot>, closed: bool, pose: &'a Homography, anchor: Point) -> Self {
        let ring: Vec<Knot> = knots.iter().chain(knots.first().filter(|_| closed)).copied().collect();
        let mut lengths = vec![0.0];
        for pair in ring.windows(2) {
            lengths.push(lengths[lengths.len() - 1] + pair[0].own.distance(pair[1].own));
        }
        Self { knots: ring, lengths, pose, anchor }
    }

    /// Its length on the plane.
    pub fn length(&self) -> f64 {
        self.lengths[self.lengths.len() - 1]
    }

    /// The length from the start to a corner.
    pub fn length_at(&self, corner: usize) -> f64 {
        self.lengths[corner]
    }

    /// The length from the start to the corner after this one.
    pub fn end_of(&self, corner: usize) -> f64 {
        self.lengths[corner + 1]
    }

    /// The part between two lengths, as lines in plane and picture, parted where it goes behind the camera.
    pub fn part(&self, from: f64, to: f64) -> Vec<Vec<Place>> {
        let mut parts: Vec<Vec<Place>> = Vec::new();
        let mut open = false;
        for i in 0..self.knots.len() - 1 {
            let (begins, ends) = (self.lengths[i], self.lengths[i + 1]);
            let (low, high) = (from.max(begins), to.min(ends));
            if low >= high || ends <= begins {
                continue;
            }
            let share = |length: f64| (length - begins) / (ends - begins);
            let Some((low, high)) = self.in_front(i, share(low), share(high)) else {
                open = false;
                continue;
            };
            if !open || low > 1e-9 {
                parts.push(vec![self.place(i, low)]);
            }
            if let Some(part) = parts.last_mut() {
                part.push(self.place(i, high));
            }
            open = high > 1.0 - 1e-9;
        }
        parts
    }

    /// A place on a segment. What a corner is beside the plane, the line is too, in proportion.
    fn place(&self, segment: usize, share: f64) -> Place {
        let (a, b) = (self.knots[segment], self.knots[segment + 1]);
        let own = a.own + (b.own - a.own) * share;
        let beside = |knot: Knot| knot.seen - self.pose.apply(knot.own);
        (own, self.pose.apply(own) + beside(a) * (1.0 - share) + beside(b) * share)
    }

    /// The part of a piece of a segment that is in front of the camera.
    fn in_front(&self, segment: usize, low: f64, high: f64) -> Option<(f64, f64)> {
        let [g, h, i] = self.pose.rows()[2];
        let depth = |at: Point| g * at.x + h * at.y + i;
        let near = depth(self.anchor);
        let share = |at: f64| {
            let (a, b) = (self.knots[segment].own, self.knots[segment + 1].own);
            depth(a + (b - a) * at) / near - HORIZON
        };
        let (first, last) = (share(low), share(high));
        match (first > 0.0, last > 0.0) {
            (true, true) => Some((low, high)),
            (false, false) => None,
            (is_first, _) => {
                let cut = low + (high - low) * first / (first - last);
                Some(if is_first { (low, cut) } else { (cut, high) })
            }
        }
    }

    /// Polygons, all turning the same way, that together are a line of this width lying on the plane.
    pub fn laid_flat(&self, parts: &[Vec<Place>], width: f64, rounded: bool) -> Vec<Vec<Point>> {
        let mut rings = Vec::new();
        for part in parts {
            for pair in part.windows(2) {
                let (a, b) = (pair[0], pair[1]);
                let along = b.0 - a.0;
                let length = along.length();
                if length == 0.0 {
                    continue;
                }
                let side = Point::new(-along.y, along.x) * (width / 2.0 / length);
                let corners = [(a, side), (b, side), (b, side * -1.0), (a, side * -1.0)];
                rings.push(corners.map(|(at, by)| self.beside(at, by)).to_vec());
            }
            let joints = if rounded { &part[..] } else { part.get(1..part.len().saturating_sub(1)).unwrap_or(&[]) };
            rings.extend(joints.iter().map(|joint| self.disc(*joint, width / 2.0)));
        }
        rings
    }

    /// A disc on the plane, turning the way the pieces of [`Self::laid_flat`] do.
    pub fn disc(&self, at: Place, radius: f64) -> Vec<Point> {
        let corner = |i: usize| {
            let (sin, cos) = (-std::f64::consts::TAU * i as f64 / DISC_CORNERS as f64).sin_cos();
            self.beside(at, Point::new(cos, sin) * radius)
        };
        (0..DISC_CORNERS).map(corner).collect()
    }

    fn beside(&self, (own, seen): Place, by: Point) -> Point {
        seen + self.pose.apply(own + by) - self.pose.apply(own)
    }

    /// The corner itself.
    pub fn corner(&self, corner: usize) -> Place {
        (self.knots[corner].own, self.knots[corner].seen)
    }
}
