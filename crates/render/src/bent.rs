//! Artwork on a surface that bends: of every point that is looked at, where in the artwork it comes from.

use jampin_core::geometry::Point;
use jampin_core::scene::BentPiece;

/// A point this little outside of a triangle, in points, counts as inside: two triangles leave nothing between them.
const ON_SIDE: f64 = 1e-6;

/// Where the points of a layer come from, row by row.
pub(crate) struct Lookup {
    cols: usize,
    from: Vec<[f32; 2]>,
}

impl Lookup {
    /// For a layer of so many pixels across and down, with so many points across and down in each, whose top left corner is
    /// at `origin` in the film. A later triangle lies in front of an earlier one.
    pub fn of(piece: &BentPiece, origin: Point, (sides, points): ([usize; 2], usize)) -> Self {
        let [cols, rows] = sides.map(|side| side * points);
        let mut lookup = Self { cols, from: vec![[f32::NAN; 2]; cols * rows] };
        for corners in &piece.triangles {
            let seen = corners.map(|i| (piece.seen[i] - origin) * points as f64);
            lookup.fill(&seen, &corners.map(|i| piece.own[i]), rows);
        }
        lookup
    }

    fn fill(&mut self, seen: &[Point; 3], own: &[Point; 3], rows: usize) {
        let [a, b, c] = *seen;
        let whole = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
        if whole.abs() < 1e-9 {
            return;
        }
        let least = |of: fn(&Point) -> f64| seen.iter().map(of).fold(f64::INFINITY, f64::min);
        let most = |of: fn(&Point) -> f64| seen.iter().map(of).fold(f64::NEG_INFINITY, f64::max);
        let within = |value: f64, end: usize| value.clamp(0.0, end as f64) as usize;
        let (left, right) = (within(least(|p| p.x).floor(), self.cols), within(most(|p| p.x).ceil(), self.cols));
        let (top, bottom) = (within(least(|p| p.y).floor(), rows), within(most(|p| p.y).ceil(), rows));
        for row in top..bottom {
            for col in left..right {
                let at = Point::new(col as f64 + 0.5, row as f64 + 0.5) - a;
                let second = (at.x * (c.y - a.y) - at.y * (c.x - a.x)) / whole;
                let third = ((b.x - a.x) * at.y - (b.y - a.y) * at.x) / whole;
                if second >= -ON_SIDE && third >= -ON_SIDE && second + third <= 1.0 + ON_SIDE {
                    let from = own[0] + (own[1] - own[0]) * second + (own[2] - own[0]) * third;
                    self.from[row * self.cols + col] = [from.x as f32, from.y as f32];
                }
            }
        }
    }

    /// Where the point of a column and a row comes from; `None` where nothing is.
    pub fn at(&self, [col, row]: [usize; 2]) -> Option<Point> {
        let [x, y] = self.from[row * self.cols + col];
        (!x.is_nan()).then(|| Point::new(f64::from(x), f64::from(y)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn triangles_beside_each_other_leave_no_gap_and_come_from_where_they_should() {
        // A square about a crooked middle: whatever its sides, all of it comes from somewhere, and nothing beside it.
        let square = [(3.0, 2.0), (23.0, 2.0), (23.0, 18.0), (3.0, 18.0), (10.3, 7.7)].map(|(x, y)| Point::new(x, y));
        let triangles = vec![[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]];
        let own = square.map(|at| Point::new(2.0 * at.x + 5.0, 3.0 * at.y)).to_vec();
        let piece = BentPiece { art: 0, frame: None, own, seen: square.to_vec(), triangles };
        let origin = Point::new(1.0, 1.0);
        let lookup = Lookup::of(&piece, origin, ([30, 20], 2));
        for row in 0..40 {
            for col in 0..60 {
                let at = origin + Point::new(col as f64 + 0.5, row as f64 + 0.5) * 0.5;
                let is_in = at.x > 3.0 && at.x < 23.0 && at.y > 2.0 && at.y < 18.0;
                let from = lookup.at([col, row]);
                assert_eq!(from.is_some(), is_in, "{at:?}");
                if let Some(from) = from {
                    assert!(from.distance(Point::new(2.0 * at.x + 5.0, 3.0 * at.y)) < 1e-4);
                }
            }
        }
    }
}
