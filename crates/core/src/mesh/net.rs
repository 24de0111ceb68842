//! The net: knots a spacing apart, in triangles of equal sides.

use crate::area::Outline;
use crate::geometry::{Point, Rect};

/// Knots at most: each costs time on every frame, and finer than this no film is.
pub const MOST_KNOTS: usize = 400;
/// Pixels between knots at least: less than a coarse pixel of film has nothing to hold on to.
pub const LEAST_SPACING: f64 = 6.0;
/// And at most.
pub const MOST_SPACING: f64 = 400.0;
/// Height of a triangle of equal sides, over its side.
const HEIGHT: f64 = 0.866_025_403_784_438_6;
/// How much wider the spacing is made at a time, where there would be too many knots.
const WIDER: f64 = 1.05;
/// A point so near to a side counts as inside, in shares of the triangle.
const ON_SIDE: f64 = 1e-9;

/// Knots and the triangles between them, in pixels of the picture in which the surface was outlined.
#[derive(Clone, Debug, PartialEq)]
pub struct Net {
    /// Row by row along the shorter way, so that neighbours have numbers near to each other.
    pub knots: Vec<Point>,
    /// Three knots each, all turning the same way.
    pub triangles: Vec<[usize; 3]>,
}

/// A place of the net: a triangle, and the share that each of its knots has in it. Beyond the net's rim a share is
/// negative.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Spot {
    /// Which triangle.
    pub triangle: usize,
    /// Shares of its knots; they add up to 1.
    pub shares: [f64; 3],
}

impl Spot {
    /// Whether it does not lie beyond the rim.
    pub fn is_inside(&self) -> bool {
        self.shares.iter().all(|share| *share >= -ON_SIDE)
    }
}

impl Net {
    /// Over all of an outline, its knots `spacing` pixels apart: further where these would be more than
    /// [`MOST_KNOTS`]. The same outline and spacing always give the same net. It reaches a little beyond the outline.
    pub fn over(outline: &Outline, spacing: f64) -> Self {
        let mut spacing = spacing.max(1.0);
        loop {
            let fewest = outline.pixels() / (HEIGHT * spacing * spacing);
            let net = (fewest <= MOST_KNOTS as f64).then(|| Self::lattice(outline, spacing));
            match net {
                Some(net) if net.knots.len() <= MOST_KNOTS => return net,
                _ => spacing *= WIDER,
            }
        }
    }

    fn lattice(outline: &Outline, spacing: f64) -> Self {
        let Some(bounds) = outline.bounds() else { return Self { knots: Vec::new(), triangles: Vec::new() } };
        let [along, across] = ways(bounds);
        // Half a spacing beyond on every side, the rest shared out evenly.
        let count = |length: f64, step: f64| (length / step).ceil() as usize + 1;
        let (rows, cols) = (count(along, HEIGHT * spacing), count(across, spacing) + 1);
        let middle = bounds.middle();
        let place = |row: usize, col: usize| {
            let shift = if row % 2 == 1 { 0.5 } else { 0.0 };
            let u = (row as f64 - (rows - 1) as f64 / 2.0) * HEIGHT * spacing;
            let v = (col as f64 + shift - (cols - 1) as f64 / 2.0 - 0.25) * spacing;
            if is_wide(bounds) { middle + Point::new(u, v) } else { middle + Point::new(v, u) }
        };
        let number = |row: usize, col: usize| row * cols + col;
        let mut triangles = Vec::new();
        for row in 0..rows.saturating_sub(1) {
            for col in 0..cols - 1 {
                let [a, b] = [number(row, col), number(row, col + 1)];
                let [c, d] = [number(row + 1, col), number(row + 1, col + 1)];
                triangles.extend(if row % 2 == 0 { [[a, b, c], [b, d, c]] } else { [[a, d, c], [a, b, d]] });
            }
        }
        let at = |knot: usize| place(knot / cols, knot % cols);
        triangles.retain(|corners| touches(outline, &corners.map(at)));
        let mut numbers = vec![None; rows * cols];
        triangles.iter().flatten().for_each(|knot| numbers[*knot] = Some(0));
        let mut knots = Vec::new();
        for (knot, number) in numbers.iter_mut().enumerate().filter(|(_, number)| number.is_some()) {
            *number = Some(knots.len());
            knots.push(at(knot));
        }
        let renumbered = |corners: [usize; 3]| corners.map(|knot| numbers[knot].unwrap_or(0));
        Self { knots, triangles: triangles.into_iter().map(renumbered).collect() }
    }

    /// Where a point of the picture lies in the net whose knots are at `knots` now; beyond the rim in the triangle whose
    /// middle is nearest. `None` for a net without triangles.
    pub fn spot(&self, knots: &[Point], at: Point) -> Option<Spot> {
        let mut nearest: Option<(f64, Spot)> = None;
        for (triangle, corners) in self.triangles.iter().enumerate() {
            let corners = corners.map(|knot| knots[knot]);
            let Some(shares) = shares_of(&corners, at) else { continue };
            let spot = Spot { triangle, shares };
            if spot.is_inside() {
                return Some(spot);
            }
            let middle = (corners[0] + corners[1] + corners[2]) * (1.0 / 3.0);
            let away = middle.distance(at);
            if nearest.is_none_or(|(least, _)| away < least) {
                nearest = Some((away, spot));
            }
        }
        nearest.map(|(_, spot)| spot)
    }

    /// Where a place of the net is, with its knots at `knots`.
    pub fn place(&self, knots: &[Point], spot: Spot) -> Point {
        let corners = self.triangles[spot.triangle].map(|knot| knots[knot]);
        corners.iter().zip(spot.shares).fold(Point::default(), |sum, (corner, share)| sum + *corner * share)
    }

    /// The knots that share a triangle with each.
    pub(super) fn neighbours(&self) -> Vec<Vec<usize>> {
        let mut all = vec![Vec::new(); self.knots.len()];
        for [a, b, c] in &self.triangles {
            for (one, other) in [(a, b), (b, c), (c, a)] {
                all[*one].push(*other);
                all[*other].push(*one);
            }
        }
        for near in &mut all {
            near.sort_unstable();
            near.dedup();
        }
        all
    }

    /// The mean length of a side.
    pub(super) fn spacing(&self) -> f64 {
        let lengths = self.triangles.iter().flat_map(|[a, b, c]| {
            [(a, b), (b, c), (c, a)].map(|(one, other)| self.knots[*one].distance(self.knots[*other]))
        });
        let (count, sum) = lengths.fold((0.0, 0.0), |(count, sum), length| (count + 1.0, sum + length));
        sum / f64::max(count, 1.0)
    }
}

fn is_wide(bounds: Rect) -> bool {
    bounds.right - bounds.left > bounds.bottom - bounds.top
}

/// The longer side of a box, then the shorter.
fn ways(bounds: Rect) -> [f64; 2] {
    let [width, height] = [bounds.right - bounds.left, bounds.bottom - bounds.top];
    [width.max(height), width.min(height)]
}

/// Whether a triangle has a part of the inside: one lies within the other, or their edges cross.
fn touches(outline: &Outline, corners: &[Point; 3]) -> bool {
    let holds = |at: &Point| shares_of(corners, *at).is_some_and(|shares| shares.iter().all(|share| *share >= 0.0));
    let edges = |points: &[Point]| -> Vec<[Point; 2]> {
        points.iter().zip(points.iter().cycle().skip(1)).map(|(from, to)| [*from, *to]).collect()
    };
    let sides = edges(corners);
    corners.iter().any(|corner| outline.contains(*corner))
        || outline.0.iter().any(holds)
        || edges(&outline.0).iter().any(|edge| sides.iter().any(|side| cross(*edge, *side)))
}

/// Whether two lines between points cross.
fn cross([a, b]: [Point; 2], [c, d]: [Point; 2]) -> bool {
    let side =
        |from: Point, to: Point, at: Point| (to.x - from.x) * (at.y - from.y) - (to.y - from.y) * (at.x - from.x);
    side(a, b, c) * side(a, b, d) < 0.0 && side(c, d, a) * side(c, d, b) < 0.0
}

/// The share of each corner in a point (Möbius' barycentric coordinates); `None` for a triangle without an inside.
pub(super) fn shares_of([a, b, c]: &[Point; 3], at: Point) -> Option<[f64; 3]> {
    let cross = |p: Point, q: Point| p.x * q.y - p.y * q.x;
    let whole = cross(*b - *a, *c - *a);
    if whole.abs() < 1e-9 {
        return None;
    }
    let (second, third) = (cross(at - *a, *c - *a) / whole, cross(*b - *a, at - *a) / whole);
    Some([1.0 - second - third, second, third])
}
