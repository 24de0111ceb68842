//! A motion fitted to places that are known in two pictures.

use crate::cholesky::{Cholesky, MOST, Matrix};
use crate::geometry::{Homography, Point};
use crate::track::{Covariance, MotionModel};

/// A pivot below this share of its diagonal: the places do not fix all of the motion (all on one line, say).
const LEAST_PIVOT: f64 = 1e-9;
/// Steps of refinement; the last ones change nothing any more.
const STEPS: usize = 12;
/// A step below this many normalised units ends the refinement.
const SMALL_STEP: f64 = 1e-12;

/// A place in one picture, and the same in another.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Match {
    /// Where it is in the first.
    pub from: Point,
    /// Where it is in the second.
    pub to: Point,
    /// How sure the second is, in squared pixels.
    pub covariance: Covariance,
}

/// A motion fitted to matches.
#[derive(Clone, Debug)]
pub struct Fit {
    /// From the first picture to the second.
    pub map: Homography,
    /// How far each match is from where the map takes it, in pixels.
    pub residuals: Vec<f64>,
    /// What share of each match was believed, 0 to 1.
    pub weights: Vec<f64>,
    model: MotionModel,
    factor: Cholesky,
    frame: Normalised,
    own: Homography,
}

impl MotionModel {
    /// The fewest matches that fix it.
    pub fn least_matches(self) -> usize {
        match self {
            Self::Position => 1,
            Self::Rotation | Self::Scale => 2,
            Self::Affine => 3,
            Self::Perspective => 4,
        }
    }

    /// The richest motion that so many pins allow.
    pub fn of_pins(count: usize) -> Self {
        match count {
            0 | 1 => Self::Position,
            2 => Self::Scale,
            3 => Self::Affine,
            _ => Self::Perspective,
        }
    }

    /// The next poorer motion; nothing below position.
    pub fn poorer(self) -> Option<Self> {
        match self {
            Self::Position => None,
            Self::Rotation => Some(Self::Position),
            Self::Scale => Some(Self::Rotation),
            Self::Affine => Some(Self::Scale),
            Self::Perspective => Some(Self::Affine),
        }
    }
}

/// The fit with these shares of each match; a share of 0 leaves it out.
pub(super) fn fit_weighted(model: MotionModel, matches: &[Match], weights: &[f64]) -> Option<Fit> {
    let counted = weights.iter().filter(|weight| **weight > 0.0).count();
    if counted < model.least_matches() {
        return None;
    }
    let frame = Normalised::of(matches, weights)?;
    let inner: Vec<Match> = matches.iter().map(|one| frame.into_it(one)).collect();
    let mut own = start(model, &inner, weights)?;
    let mut equations = Equations::new(model, &own, &inner, weights);
    for _ in 0..STEPS {
        let step = Cholesky::of(&equations.matrix, model.columns(), LEAST_PIVOT)?.solve(&equations.right);
        let Some(next) = own.checked_after(&model.map(&step)) else { break };
        let better = Equations::new(model, &next, &inner, weights);
        // Close to the best place rounding decides; far from it a step that makes it worse means that there is none.
        if better.cost.is_nan() || better.cost > equations.cost * (1.0 + 1e-9) + 1e-18 {
            break;
        }
        (own, equations) = (next, better);
        if step[..model.columns()].iter().all(|value| value.abs() < SMALL_STEP) {
            break;
        }
    }
    let factor = Cholesky::of(&equations.matrix, model.columns(), LEAST_PIVOT)?;
    let map = frame.out_of_it(&own)?;
    let residuals = matches.iter().map(|one| map.apply(one.from).distance(one.to)).collect();
    Some(Fit { map, residuals, weights: weights.to_vec(), model, factor, frame, own })
}

impl Fit {
    /// How sure the place is that the map takes a point to, from the covariances of the matches: first order, as usual
    /// (Hartley &
    /// Zisserman 2004, chapter 5).
    pub fn covariance_at(&self, from: Point) -> Covariance {
        let at = self.frame.inner(from);
        let columns = columns(self.model, &self.own, at);
        let count = self.model.columns();
        let spread = [0, 1].map(|axis| {
            let mut right = [0.0; MOST];
            (0..count).for_each(|k| right[k] = columns[k][axis]);
            self.factor.solve(&right)
        });
        let product = |a: usize, b: usize| (0..count).map(|k| columns[k][a] * spread[b][k]).sum::<f64>();
        let scale = self.frame.scale.powi(2);
        Covariance::new([product(0, 0) * scale, product(0, 1) * scale, product(1, 1) * scale])
    }
}

/// Both pictures moved and scaled so that places are about 1 from the middle: numbers of one size keep the equations
/// sound (Hartley 1997). One scale for both, so that a turn stays a turn.
#[derive(Clone, Copy, Debug)]
struct Normalised {
    from: Point,
    to: Point,
    scale: f64,
}

impl Normalised {
    fn of(matches: &[Match], weights: &[f64]) -> Option<Self> {
        let total: f64 = weights.iter().sum();
        let mean = |place: &dyn Fn(&Match) -> Point| {
            matches.iter().zip(weights).fold(Point::default(), |sum, (one, weight)| sum + place(one) * *weight)
                * (1.0 / total)
        };
        let (from, to) = (mean(&|one| one.from), mean(&|one| one.to));
        let spread =
            matches.iter().zip(weights).map(|(one, weight)| one.from.distance(from).powi(2) * weight).sum::<f64>()
                / total;
        let scale = if spread > 0.0 { spread.sqrt() } else { 1.0 };
        (from.is_finite() && to.is_finite() && scale.is_finite()).then_some(Self { from, to, scale })
    }

    fn inner(&self, at: Point) -> Point {
        (at - self.from) * (1.0 / self.scale)
    }

    fn into_it(self, one: &Match) -> Match {
        let Covariance { xx, xy, yy } = one.covariance;
        let squared = self.scale.powi(2);
        Match {
            from: self.inner(one.from),
            to: (one.to - self.to) * (1.0 / self.scale),
            covariance: Covariance::new([xx / squared, xy / squared, yy / squared]),
        }
    }

    fn out_of_it(self, own: &Homography) -> Option<Homography> {
        let into = |at: Point| Homography::new([[1.0, 0.0, -at.x], [0.0, 1.0, -at.y], [0.0, 0.0, self.scale]]);
        let whole = into(self.to).inverse()?.checked_after(own)?.checked_after(&into(self.from))?;
        whole.rows().iter().flatten().all(|value| value.is_finite()).then_some(whole)
    }
}

/// The linear start, in normalised coordinates.
fn start(model: MotionModel, matches: &[Match], weights: &[f64]) -> Option<Homography> {
    match model {
        MotionModel::Position => Some(Homography::shift(Point::default())),
        MotionModel::Rotation | MotionModel::Scale => similarity(model, matches, weights),
        MotionModel::Affine | MotionModel::Perspective => linear(model, matches, weights),
    }
}

/// Umeyama (1991) in the plane: with places as complex numbers the best turn and growth is one quotient of sums.
fn similarity(model: MotionModel, matches: &[Match], weights: &[f64]) -> Option<Homography> {
    let (mut along, mut across, mut squares) = (0.0, 0.0, 0.0);
    for (Match { from, to, .. }, weight) in matches.iter().zip(weights) {
        along += weight * (from.x * to.x + from.y * to.y);
        across += weight * (from.x * to.y - from.y * to.x);
        squares += weight * (from.x * from.x + from.y * from.y);
    }
    let growth = if model == MotionModel::Scale { along.hypot(across) / squares } else { 1.0 };
    let (sin, cos) = across.atan2(along).sin_cos();
    let (a, b) = (growth * cos, growth * sin);
    (a.hypot(b) > 1e-9).then(|| Homography::new([[a, -b, 0.0], [b, a, 0.0], [0.0, 0.0, 1.0]]))
}

/// `x' (g x + h y + 1) = a x + b y + c` and the same for y': linear in the eight numbers.
fn linear(model: MotionModel, matches: &[Match], weights: &[f64]) -> Option<Homography> {
    let count = if model == MotionModel::Perspective { 8 } else { 6 };
    let (mut matrix, mut right): (Matrix, _) = ([[0.0; MOST]; MOST], [0.0; MOST]);
    for (Match { from, to, .. }, weight) in matches.iter().zip(weights) {
        let Point { x, y } = *from;
        let rows = [
            ([x, y, 1.0, 0.0, 0.0, 0.0, -x * to.x, -y * to.x], to.x),
            ([0.0, 0.0, 0.0, x, y, 1.0, -x * to.y, -y * to.y], to.y),
        ];
        for (row, value) in rows {
            for a in 0..count {
                (a..count).for_each(|b| matrix[a][b] += weight * row[a] * row[b]);
                right[a] += weight * row[a] * value;
            }
        }
    }
    let [a, b, c, d, e, f, g, h] = Cholesky::of(&matrix, count, LEAST_PIVOT)?.solve(&right);
    let map = Homography::new([[a, b, c], [d, e, f], [g, h, 1.0]]);
    // Folded over, or with a place beyond the horizon, it is no motion of a face.
    let sound =
        matches.iter().zip(weights).all(|(one, weight)| *weight == 0.0 || g * one.from.x + h * one.from.y + 1.0 > 0.05);
    (sound && a * e - b * d > 1e-9).then_some(map)
}

/// Change of the place that `own` takes `at` to, for each number of the motion.
fn columns(model: MotionModel, own: &Homography, at: Point) -> [[f64; 2]; MOST] {
    let [[a, b, _], [d, e, _], [g, h, i]] = *own.rows();
    let w = g * at.x + h * at.y + i;
    let to = own.apply(at);
    // How the map moves its image for a step across and a step down in the first picture.
    let (across, down) = ([(a - g * to.x) / w, (d - g * to.y) / w], [(b - h * to.x) / w, (e - h * to.y) / w]);
    let mix = |x: f64, y: f64| [x * across[0] + y * down[0], x * across[1] + y * down[1]];
    let Point { x, y } = at;
    let mut columns = [[0.0; 2]; MOST];
    (columns[0], columns[1]) = (mix(1.0, 0.0), mix(0.0, 1.0));
    match model {
        MotionModel::Position => {}
        MotionModel::Rotation => columns[2] = mix(-y, x),
        MotionModel::Scale => (columns[2], columns[3]) = (mix(-y, x), mix(x, y)),
        MotionModel::Affine | MotionModel::Perspective => {
            (columns[2], columns[3], columns[4], columns[5]) = (mix(x, 0.0), mix(y, 0.0), mix(0.0, x), mix(0.0, y));
            if model == MotionModel::Perspective {
                (columns[6], columns[7]) = (mix(-x * x, -x * y), mix(-x * y, -y * y));
            }
        }
    }
    columns
}

/// Normal equations of one step.
struct Equations {
    matrix: Matrix,
    right: [f64; MOST],
    cost: f64,
}

impl Equations {
    fn new(model: MotionModel, own: &Homography, matches: &[Match], weights: &[f64]) -> Self {
        let (mut matrix, mut right, mut cost) = ([[0.0; MOST]; MOST], [0.0; MOST], 0.0);
        let count = model.columns();
        for (one, weight) in matches.iter().zip(weights).filter(|(_, weight)| **weight > 0.0) {
            let columns = columns(model, own, one.from);
            let rest = one.to - own.apply(one.from);
            let [xx, xy, yy] = information(one.covariance).map(|value| value * weight);
            let pull = [xx * rest.x + xy * rest.y, xy * rest.x + yy * rest.y];
            cost += rest.x * pull[0] + rest.y * pull[1];
            for a in 0..count {
                let [x, y] = columns[a];
                let weighed = [xx * x + xy * y, xy * x + yy * y];
                (a..count).for_each(|b| matrix[a][b] += weighed[0] * columns[b][0] + weighed[1] * columns[b][1]);
                right[a] += x * pull[0] + y * pull[1];
            }
        }
        Self { matrix, right, cost }
    }
}

/// The inverse of a covariance: across, both, down.
pub(super) fn information(covariance: Covariance) -> [f64; 3] {
    let Covariance { xx, xy, yy } = covariance;
    let area = xx * yy - xy * xy;
    [yy / area, -xy / area, xx / area]
}
