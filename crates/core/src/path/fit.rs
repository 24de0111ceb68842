//! A cubic curve with few keys that stays within a tolerance of every place on its own frame.

use super::keys::{Curve, PathKeyframe, Tangent};
use crate::geometry::Point;
use crate::time::Frame;

/// Weight of the bending energy beside the squared distances: so small that it moves nothing by a hundredth of a pixel,
/// but decides where the places alone do not say how the curve bends.
const BENDING: f64 = 1e-6;
/// Keys are tried without only while their number times that of the places stays below this: each try fits all anew. A
/// path that needs more has hardly any to spare.
const MOST_PRUNED: usize = 100_000;
/// Weight of a place that the curve has to pass through after all.
const PINNED: f64 = 1e6;

/// Fits a curve of cubic pieces with even velocity at the keys (C1) to one place a frame, from `first` on.
///
/// Least squares over all pieces at once; a key is added where a piece strays most, until none strays by more than
/// `tolerance` pixels on any frame; then keys that are not needed any more go.
///
/// # Source
/// The splitting is that of P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves", Graphics Gems,
/// 1990;
/// here time is given, so there is nothing to reparametrise, and all pieces are fitted together.
///
/// # Panics
/// Without places.
pub fn fit_curve(first: Frame, places: &[Point], tolerance: f64) -> Curve {
    let mut fit = Fit { places, weights: vec![1.0; places.len()], tolerance: tolerance.max(0.0) };
    let mut knots = if places.len() == 1 { vec![0] } else { vec![0, places.len() - 1] };
    let mut solved = fit.solve(&knots);
    while let Some(worst) = fit.strays(&knots, &solved) {
        for i in worst {
            match knots.binary_search(&i) {
                // It is a key and strays all the same: there it has to be exact.
                Ok(_) => fit.weights[i] = PINNED,
                Err(at) => knots.insert(at, i),
            }
        }
        solved = fit.solve(&knots);
    }
    if knots.len() * places.len() <= MOST_PRUNED {
        fit.prune(&mut knots, &mut solved);
    }
    let key = |(&knot, state): (&usize, &State)| PathKeyframe {
        frame: Frame(first.0 + knot as u32),
        at: state.at,
        arrive: Tangent::Velocity(state.velocity),
        leave: Tangent::Velocity(state.velocity),
    };
    Curve::new(knots.iter().zip(&solved).map(key)).expect("there is a first place")
}

/// What is looked for at a key.
#[derive(Clone, Copy, Debug, Default)]
struct State {
    at: Point,
    velocity: Point,
}

struct Fit<'a> {
    places: &'a [Point],
    weights: Vec<f64>,
    tolerance: f64,
}

type Block = [[f64; 2]; 2];

impl Fit<'_> {
    /// Cubic Hermite weights of a piece for place and velocity at its start, place and velocity at its end.
    fn basis(length: f64, u: f64) -> [f64; 4] {
        let (u2, u3) = (u * u, u * u * u);
        [2.0 * u3 - 3.0 * u2 + 1.0, (u3 - 2.0 * u2 + u) * length, 3.0 * u2 - 2.0 * u3, (u3 - u2) * length]
    }

    fn value(basis: &[f64; 4], from: &State, to: &State) -> Point {
        from.at * basis[0] + from.velocity * basis[1] + to.at * basis[2] + to.velocity * basis[3]
    }

    /// Places and velocities at the keys: the normal equations couple neighbours only, so they are block tridiagonal.
    fn solve(&self, knots: &[usize]) -> Vec<State> {
        let count = knots.len();
        if count == 1 {
            return vec![State { at: self.places[knots[0]], velocity: Point::default() }];
        }
        let mut diagonal: Vec<Block> = vec![[[0.0; 2]; 2]; count];
        let mut upper: Vec<Block> = vec![[[0.0; 2]; 2]; count - 1];
        let mut right: Vec<State> = vec![State::default(); count];
        let mut add = |piece: usize, matrix: &[[f64; 4]; 4]| {
            for row in 0..2 {
                for col in 0..2 {
                    diagonal[piece][row][col] += matrix[row][col];
                    diagonal[piece + 1][row][col] += matrix[row + 2][col + 2];
                    upper[piece][row][col] += matrix[row][col + 2];
                }
            }
        };
        for (piece, pair) in knots.windows(2).enumerate() {
            let length = (pair[1] - pair[0]) as f64;
            add(piece, &bending(length));
            // A place on a key belongs to the piece after it, the last one to the piece before.
            let last = if piece + 2 == count { pair[1] } else { pair[1] - 1 };
            for i in pair[0]..=last {
                let basis = Self::basis(length, (i - pair[0]) as f64 / length);
                let weight = self.weights[i];
                add(piece, &basis.map(|a| basis.map(|b| a * b * weight)));
                for (half, state) in right[piece..=piece + 1].iter_mut().enumerate() {
                    state.at = state.at + self.places[i] * (basis[2 * half] * weight);
                    state.velocity = state.velocity + self.places[i] * (basis[2 * half + 1] * weight);
                }
            }
        }
        solve_tridiagonal(&mut diagonal, &upper, right)
    }

    /// For each piece that strays too far, its worst frame; `None` when no piece does.
    fn strays(&self, knots: &[usize], solved: &[State]) -> Option<Vec<usize>> {
        let mut worst = Vec::new();
        let pieces = knots.len().max(2) - 1;
        for piece in 0..pieces {
            let (from, to) = (piece, (piece + 1).min(knots.len() - 1));
            let length = ((knots[to] - knots[from]) as f64).max(1.0);
            let off = |i: usize| {
                let basis = Self::basis(length, (i - knots[from]) as f64 / length);
                Self::value(&basis, &solved[from], &solved[to]).distance(self.places[i])
            };
            let found = (knots[from]..=knots[to]).map(|i| (off(i), i)).max_by(|a, b| a.0.total_cmp(&b.0));
            let exact = |i: usize| self.weights[i] == PINNED;
            worst.extend(found.filter(|(off, i)| *off > self.tolerance && !exact(*i)).map(|(_, i)| i));
        }
        worst.dedup();
        (!worst.is_empty()).then_some(worst)
    }

    /// Takes away keys without which no piece strays.
    fn prune(&self, knots: &mut Vec<usize>, solved: &mut Vec<State>) {
        let mut at = 1;
        while at + 1 < knots.len() {
            let removed = knots.remove(at);
            let without = self.solve(knots);
            if self.weights[removed] == PINNED || self.strays(knots, &without).is_some() {
                knots.insert(at, removed);
                at += 1;
            } else {
                *solved = without;
            }
        }
    }
}

/// Bending energy of a cubic piece: the stiffness matrix of a beam.
fn bending(length: f64) -> [[f64; 4]; 4] {
    let (l, l2) = (length, length * length);
    let rows = [
        [12.0, 6.0 * l, -12.0, 6.0 * l],
        [6.0 * l, 4.0 * l2, -6.0 * l, 2.0 * l2],
        [-12.0, -6.0 * l, 12.0, -6.0 * l],
        [6.0 * l, 2.0 * l2, -6.0 * l, 4.0 * l2],
    ];
    rows.map(|row| row.map(|value| value * BENDING / (l2 * l)))
}

fn inverse([[a, b], [c, d]]: Block) -> Block {
    let det = a * d - b * c;
    [[d / det, -b / det], [-c / det, a / det]]
}

fn product(a: Block, b: Block) -> Block {
    let cell = |row: usize, col: usize| a[row][0] * b[0][col] + a[row][1] * b[1][col];
    [[cell(0, 0), cell(0, 1)], [cell(1, 0), cell(1, 1)]]
}

fn transposed([[a, b], [c, d]]: Block) -> Block {
    [[a, c], [b, d]]
}

fn times(m: Block, state: State) -> State {
    State { at: state.at * m[0][0] + state.velocity * m[0][1], velocity: state.at * m[1][0] + state.velocity * m[1][1] }
}

fn less(a: State, b: State) -> State {
    State { at: a.at - b.at, velocity: a.velocity - b.velocity }
}

/// The Thomas algorithm with blocks: symmetric and positive definite, so it needs no pivots.
fn solve_tridiagonal(diagonal: &mut [Block], upper: &[Block], mut right: Vec<State>) -> Vec<State> {
    for i in 1..diagonal.len() {
        let factor = product(transposed(upper[i - 1]), inverse(diagonal[i - 1]));
        let taken = product(factor, upper[i - 1]);
        for row in 0..2 {
            for col in 0..2 {
                diagonal[i][row][col] -= taken[row][col];
            }
        }
        right[i] = less(right[i], times(factor, right[i - 1]));
    }
    for i in (0..diagonal.len()).rev() {
        let known = if i + 1 < diagonal.len() { times(upper[i], right[i + 1]) } else { State::default() };
        right[i] = times(inverse(diagonal[i]), less(right[i], known));
    }
    right
}
