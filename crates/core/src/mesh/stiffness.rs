//! What holds a net together where the picture says little.
//!
//! Three terms. The first keeps every knot and those round it near to where *some* affine map takes them from where they
//! were drawn: cloth that turns away from the camera is squeezed, and that costs nothing, only a crease does. The second
//! says the same, and more strictly, of how they go on from where they were foreseen: folds stay folds from one frame to
//! the next, also where there is nothing to be seen on them. The third, weak, keeps them near to where the best turn and
//! growth takes them (as-rigid-as-possible, Sorkine & Alexa 2007, with the growth left free): what is covered for long is
//! not squeezed to a line.

use super::banded::Banded;
use super::net::Net;
use crate::geometry::Point;

/// Knots of a ring at least: six numbers of an affine map, and something left to disagree.
const LEAST_RING: usize = 7;
/// A knot strays by so much from where its ring's affine map takes it, as a share of the spacing. Smaller, and folds
/// are ironed out; larger, and noise wrinkles what is smooth.
const CREASE: f64 = 0.1;
/// ... and by so much from where such a map takes it from where its ring was foreseen. Larger, and what passes in front
/// drags knots along.
const FLOW: f64 = 0.03;
/// A side of a triangle differs by so much from where the best turn and growth takes it, as a share of the spacing.
const SHAPE: f64 = 0.35;
/// A knot strays by so much from where it is foreseen, as a share of the spacing. Only what nothing else holds feels it.
const FORESEEN: f64 = 0.6;

/// The stiffness of a net.
pub(super) struct Stiffness {
    rings: Vec<Vec<usize>>,
    neighbours: Vec<Vec<usize>>,
    rest: Vec<Point>,
    spacing: f64,
    /// The affine term's second derivatives, for one coordinate of all knots, row by row: `(row, column, value)`.
    affine: Vec<(usize, usize, f64)>,
    width: usize,
}

/// How strongly each term pulls at a net of some size, in inverse squared pixels.
struct Pull {
    crease: f64,
    flow: f64,
    shape: f64,
    foreseen: f64,
}

impl Stiffness {
    pub fn of(net: &Net) -> Self {
        let neighbours = net.neighbours();
        let rings: Vec<Vec<usize>> = (0..net.knots.len()).map(|knot| ring(&neighbours, knot)).collect();
        let spacing = net.spacing().max(1e-6);
        let mut affine = Vec::new();
        for ring in stiff_rings(&rings, &neighbours) {
            let projection = off_affine(&net.knots, ring);
            for (i, one) in ring.iter().enumerate() {
                affine.extend(ring.iter().enumerate().map(|(j, other)| (*one, *other, projection[i][j])));
            }
        }
        affine.retain(|(row, col, _)| row >= col);
        affine.sort_unstable_by_key(|(row, col, _)| (*row, *col));
        affine.dedup_by(|next, kept| {
            let same = (next.0, next.1) == (kept.0, kept.1);
            if same {
                kept.2 += next.2;
            }
            same
        });
        let width = affine.iter().map(|(row, col, _)| row - col).max().unwrap_or(0);
        Self { rings, neighbours, rest: net.knots.clone(), spacing, affine, width }
    }

    /// How far from the diagonal the matrix of both coordinates of all knots reaches.
    pub fn width(&self) -> usize {
        2 * self.width + 1
    }

    /// Second derivatives of all terms, where the net is about `scale` times as large as it was drawn. They do not depend
    /// on where it is.
    pub fn matrix(&self, scale: f64) -> Banded {
        let mut matrix = Banded::new(2 * self.rest.len(), self.width());
        let Pull { crease, flow, shape, foreseen } = self.pull(scale);
        let both = |matrix: &mut Banded, row: usize, col: usize, value: f64| {
            matrix.add(2 * row, 2 * col, value);
            matrix.add(2 * row + 1, 2 * col + 1, value);
        };
        for (row, col, value) in &self.affine {
            both(&mut matrix, *row, *col, (crease + flow) * value);
        }
        for (knot, near) in self.neighbours.iter().enumerate() {
            both(&mut matrix, knot, knot, foreseen);
            for other in near {
                both(&mut matrix, knot, knot, 2.0 * shape);
                if *other < knot {
                    both(&mut matrix, knot, *other, -2.0 * shape);
                }
            }
        }
        matrix
    }

    /// The force that all terms exert on knots that are at `at` and were foreseen at `foreseen`: less than nothing of it
    /// is left where they rest.
    pub fn force(&self, scale: f64, at: &[Point], foreseen: &[Point]) -> Vec<f64> {
        let mut force = vec![0.0; 2 * at.len()];
        let mut push = |knot: usize, by: Point| {
            force[2 * knot] += by.x;
            force[2 * knot + 1] += by.y;
        };
        let Pull { crease, flow, shape, foreseen: held } = self.pull(scale);
        let creased = |knot: usize| at[knot] * crease + (at[knot] - foreseen[knot]) * flow;
        for (row, col, value) in &self.affine {
            push(*row, creased(*col) * -value);
            if row != col {
                push(*col, creased(*row) * -value);
            }
        }
        for (knot, ring) in self.rings.iter().enumerate() {
            push(knot, (foreseen[knot] - at[knot]) * held);
            let [real, imaginary] = self.turn(ring, at);
            for other in &self.neighbours[knot] {
                let side = self.rest[knot] - self.rest[*other];
                let wanted = Point::new(real * side.x - imaginary * side.y, imaginary * side.x + real * side.y);
                let off = (wanted - (at[knot] - at[*other])) * shape;
                push(knot, off);
                push(*other, off * -1.0);
            }
        }
        force
    }

    fn pull(&self, scale: f64) -> Pull {
        let of = |share: f64| (share * self.spacing * scale).powi(-2);
        Pull { crease: of(CREASE), flow: of(FLOW), shape: of(SHAPE), foreseen: of(FORESEEN) }
    }

    /// The turn and growth that takes a ring nearest to where it is now, as a complex number.
    fn turn(&self, ring: &[usize], at: &[Point]) -> [f64; 2] {
        let middle =
            |of: &[Point]| ring.iter().fold(Point::default(), |sum, knot| sum + of[*knot]) * (1.0 / ring.len() as f64);
        let (from, to) = (middle(&self.rest), middle(at));
        let (mut real, mut imaginary, mut squares) = (0.0, 0.0, 1e-9);
        for knot in ring {
            let (a, b) = (self.rest[*knot] - from, at[*knot] - to);
            real += a.x * b.x + a.y * b.y;
            imaginary += a.x * b.y - a.y * b.x;
            squares += a.x * a.x + a.y * a.y;
        }
        [real / squares, imaginary / squares]
    }
}

/// The rings that are kept from being creased: those of knots that have others all round them, and of what none of these
/// reaches. The wide rings of the rim would couple what is far apart, and the equations take four times as long.
fn stiff_rings<'a>(rings: &'a [Vec<usize>], neighbours: &[Vec<usize>]) -> Vec<&'a Vec<usize>> {
    let is_inside = |knot: usize| neighbours[knot].len() + 1 >= LEAST_RING;
    let mut reached = vec![false; rings.len()];
    let inside = rings.iter().enumerate().filter(|(knot, _)| is_inside(*knot));
    inside.for_each(|(_, ring)| ring.iter().for_each(|knot| reached[*knot] = true));
    rings.iter().enumerate().filter(|(knot, _)| is_inside(*knot) || !reached[*knot]).map(|(_, ring)| ring).collect()
}

/// A knot with those round it; at the rim with those behind them too.
fn ring(neighbours: &[Vec<usize>], knot: usize) -> Vec<usize> {
    let mut ring = vec![knot];
    ring.extend(&neighbours[knot]);
    if ring.len() < LEAST_RING {
        let further: Vec<usize> = ring[1..].iter().flat_map(|near| neighbours[*near].iter().copied()).collect();
        ring.extend(further);
    }
    ring.sort_unstable();
    ring.dedup();
    ring
}

/// What takes the places of a ring's knots to what an affine map of where they were drawn leaves of them: `I - A (A'A)⁻¹ A'`,
/// by an orthonormal basis of `A` (Gram & Schmidt).
fn off_affine(rest: &[Point], ring: &[usize]) -> Vec<Vec<f64>> {
    let count = ring.len();
    let columns: [Vec<f64>; 3] = [
        vec![1.0; count],
        ring.iter().map(|knot| rest[*knot].x - rest[ring[0]].x).collect(),
        ring.iter().map(|knot| rest[*knot].y - rest[ring[0]].y).collect(),
    ];
    let mut basis: Vec<Vec<f64>> = Vec::new();
    for mut column in columns {
        let before = dot(&column, &column).sqrt();
        for known in &basis {
            let share = dot(&column, known);
            column.iter_mut().zip(known).for_each(|(value, known)| *value -= share * known);
        }
        let length = dot(&column, &column).sqrt();
        if length > 1e-9 * before.max(1e-9) {
            basis.push(column.iter().map(|value| value / length).collect());
        }
    }
    let element = |i: usize, j: usize| {
        f64::from(u8::from(i == j)) - basis.iter().map(|column| column[i] * column[j]).sum::<f64>()
    };
    (0..count).map(|i| (0..count).map(|j| element(i, j)).collect()).collect()
}

fn dot(a: &[f64], b: &[f64]) -> f64 {
    a.iter().zip(b).map(|(a, b)| a * b).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::area::Outline;

    fn net() -> Net {
        let corners = [(10.0, 20.0), (170.0, 20.0), (170.0, 110.0), (10.0, 110.0)];
        Net::over(&Outline(corners.map(|(x, y)| Point::new(x, y)).into()), 24.0)
    }

    fn strongest(force: &[f64]) -> f64 {
        force.iter().fold(0.0, |most, force| f64::max(most, force.abs()))
    }

    #[test]
    fn turning_and_growing_costs_nothing_squeezing_little_and_a_crease_much() {
        let net = net();
        let stiffness = Stiffness::of(&net);
        let moved = |map: &dyn Fn(Point) -> Point| -> f64 {
            let at: Vec<Point> = net.knots.iter().map(|knot| map(*knot)).collect();
            strongest(&stiffness.force(1.0, &at, &at))
        };
        let (sin, cos) = 0.7f64.sin_cos();
        assert!(moved(&|p| Point::new(1.3 * (cos * p.x - sin * p.y) + 5.0, 1.3 * (sin * p.x + cos * p.y))) < 1e-9);
        let squeezed = moved(&|p| Point::new(0.6 * p.x, p.y));
        // As far as the squeezing goes at the ends: a fold of so many pixels.
        let creased = moved(&|p| Point::new(p.x, p.y + if p.x > 90.0 { 32.0 } else { 0.0 }));
        assert!(squeezed > 0.0 && creased > 20.0 * squeezed, "{squeezed} {creased}");
    }

    #[test]
    fn the_matrix_is_what_the_force_changes_by() {
        let net = net();
        let stiffness = Stiffness::of(&net);
        let matrix = stiffness.matrix(1.2);
        let at: Vec<Point> = net.knots.iter().map(|p| Point::new(1.2 * p.x, 1.2 * p.y)).collect();
        // A knot in the middle, by a little; the turns that are fitted anew change by less.
        let (knot, by) = (net.knots.len() / 2, 1e-4);
        let mut moved = at.clone();
        moved[knot].x += by;
        let (before, after) = (stiffness.force(1.2, &at, &at), stiffness.force(1.2, &moved, &at));
        let mut one = vec![0.0; 2 * at.len()];
        one[2 * knot] = by;
        let foreseen = matrix.times(&one);
        let most = strongest(&foreseen);
        for ((before, after), foreseen) in before.iter().zip(&after).zip(foreseen) {
            assert!((before - after - foreseen).abs() < 0.02 * most, "{before} {after} {foreseen}");
        }
    }
}
