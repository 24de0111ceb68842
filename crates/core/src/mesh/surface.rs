//! A surface as it was drawn.

use super::compared::Placed;
use super::net::Net;
use super::stiffness::Stiffness;
use crate::area::{Face, Level};
use crate::geometry::Point;

/// A surface as it was drawn: its net, what it looks like, and where each sample of each level lies.
pub(super) struct Surface {
    pub net: Net,
    pub neighbours: Vec<Vec<usize>>,
    pub stiffness: Stiffness,
    pub face: Face,
    pub placed: Vec<Vec<Placed>>,
}

impl Surface {
    pub fn new(net: Net, face: Face) -> Self {
        let place = |level: &Level, [u, v]: &[f32; 2]| {
            let at = face.centre + Point::new(f64::from(*u), f64::from(*v)) * level.step;
            let spot = net.spot(&net.knots, at).expect("a net of an outline has triangles");
            let knots = net.triangles[spot.triangle];
            Placed { triangle: spot.triangle, knots, shares: spot.shares.map(|share| share as f32) }
        };
        let placed = face.levels.iter().map(|level| level.points.iter().map(|point| place(level, point)).collect());
        let placed = placed.collect();
        let (neighbours, stiffness) = (net.neighbours(), Stiffness::of(&net));
        Self { net, neighbours, stiffness, face, placed }
    }

    /// How much larger it is than it was drawn: the root of the ratio of areas.
    pub fn scale(&self, at: &[Point]) -> f64 {
        let pixels = |knots: &[Point]| -> f64 {
            self.net.triangles.iter().map(|corners| turned_area(&corners.map(|knot| knots[knot])).abs()).sum()
        };
        (pixels(at) / pixels(&self.net.knots).max(1e-9)).sqrt()
    }

    /// Share of the triangles that are seen from behind: of cloth, only folds are.
    pub fn flipped(&self, at: &[Point]) -> f64 {
        let is_flipped = |corners: &&[usize; 3]| {
            turned_area(&corners.map(|knot| at[knot])) * turned_area(&corners.map(|knot| self.net.knots[knot])) <= 0.0
        };
        self.net.triangles.iter().filter(is_flipped).count() as f64 / self.net.triangles.len() as f64
    }
}

fn turned_area([a, b, c]: &[Point; 3]) -> f64 {
    ((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x)) / 2.0
}
