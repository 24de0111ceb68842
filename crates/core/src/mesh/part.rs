//! The part of a net that lies where the thing is that it is on.

use super::net::{Net, Spot};
use crate::geometry::Point;

/// The part is looked at along this many lines each way.
const LINES: i32 = 5;

/// Places of a net, evenly over a box.
#[derive(Clone)]
pub(super) struct Part(Vec<Spot>);

impl Part {
    /// Those of the box with this middle and side that lie in the net, in pairs opposite each other: so the middle of all of them is
    /// that of the box, however the net is moved, turned or sheared. A box that has none of the net has what is nearest to
    /// its middle; `None` for a net without triangles.
    pub fn of(net: &Net, middle: Point, side: f64) -> Option<Self> {
        let spot = |by: Point| net.spot(&net.knots, middle + by);
        let inside = |by: Point| spot(by).filter(Spot::is_inside);
        let step = side / f64::from(LINES);
        let half = LINES / 2;
        let all = (-half..=half).flat_map(|row| (-half..=half).map(move |col| [col, row]));
        let offsets = all.map(|[col, row]| Point::new(f64::from(col), f64::from(row)) * step);
        let pairs = offsets.filter_map(|by| Some([inside(by)?, inside(by * -1.0)?]));
        let mut spots: Vec<Spot> = pairs.flatten().collect();
        if spots.is_empty() {
            spots.push(spot(Point::default())?);
        }
        Some(Self(spots))
    }

    /// Its middle, with the net's knots at these places. A thing goes as all of a surface does that it is covered with, not
    /// as the one spot in the middle, which swings more.
    pub fn middle(&self, net: &Net, knots: &[Point]) -> Point {
        let sum = self.0.iter().fold(Point::default(), |sum, spot| sum + net.place(knots, *spot));
        sum * (1.0 / self.0.len() as f64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::area::Outline;
    use crate::geometry::Rect;

    fn net() -> Net {
        let corners = Rect { left: 0.0, top: 0.0, right: 90.0, bottom: 60.0 }.corners();
        Net::over(&Outline(corners.to_vec()), 10.0)
    }

    #[test]
    fn its_middle_is_the_boxs_also_at_the_rim_and_whatever_way_the_net_is_sheared() {
        let (net, sheared) = (net(), |at: Point| Point::new(1.2 * at.x + 0.3 * at.y + 5.0, 0.9 * at.y - 0.1 * at.x));
        let knots: Vec<Point> = net.knots.iter().map(|knot| sheared(*knot)).collect();
        for middle in [Point::new(45.0, 30.0), Point::new(10.0, 50.0), Point::new(-400.0, 30.0)] {
            let part = Part::of(&net, middle, 40.0).unwrap();
            assert!(part.middle(&net, &knots).distance(sheared(middle)) < 1e-9, "{middle:?}");
        }
    }

    #[test]
    fn a_swelling_in_the_middle_of_it_moves_it_less_than_the_spot() {
        let (net, middle) = (net(), Point::new(45.0, 30.0));
        let swollen = |at: Point| at + Point::new(0.0, 8.0 * (-(at.distance(middle) / 12.0).powi(2)).exp());
        let knots: Vec<Point> = net.knots.iter().map(|knot| swollen(*knot)).collect();
        let moved = Part::of(&net, middle, 40.0).unwrap().middle(&net, &knots) - middle;
        assert!((0.5..4.0).contains(&moved.y), "{moved:?}");
    }
}
