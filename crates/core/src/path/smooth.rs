//! Smoothing weighted by how sure each sample is: a Kalman filter forward, a Rauch-Tung-Striebel smoother back.

/// Densities of the push that are tried, from a straight line to a hand that shakes by tens of pixels: the first, how
/// many, and the factor from one to the next.
const STIFFEST: f64 = 1e-8;
const STEPS: i32 = 28;
const FACTOR: f64 = 3.0;
/// Variance of the unknown beginning, in pixels squared (and per frame): so large that it says nothing.
const UNKNOWN: f64 = 1e8;

/// One axis that moves on at its velocity, which is pushed at random (white noise acceleration). The smoothed path is a
/// cubic smoothing spline (Wahba 1978), so it has no lag.
///
/// # Source
/// R. E. Kalman, "A New Approach to Linear Filtering and Prediction Problems", 1960; H. E. Rauch, F. Tung and C. T.
/// Striebel,
/// "Maximum likelihood estimates of linear dynamic systems", AIAA Journal 3(8), 1965. Model: Bar-Shalom, Li &
/// Kirubarajan,
/// *Estimation with Applications to Tracking and Navigation*, 2001, section 6.2.2 (continuous white noise
/// acceleration).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Smoother {
    /// Spectral density of the acceleration, in pixels squared a frame cubed.
    pub push: f64,
}

/// State and its covariance (place, velocity).
#[derive(Clone, Copy, Debug, Default)]
struct Belief {
    place: f64,
    velocity: f64,
    /// Variances of place, of both, of velocity.
    p: [f64; 3],
}

/// What the forward pass leaves.
struct Forward {
    foretold: Vec<Belief>,
    updated: Vec<Belief>,
    fit: Fit,
}

/// How well a model foretells what is measured.
#[derive(Clone, Copy, Debug, Default)]
struct Fit {
    /// Sum of squared innovations over their variances.
    squares: f64,
    /// Sum of the logarithms of these variances.
    logarithms: f64,
}

impl Smoother {
    /// Smoothed places and velocities of one axis.
    ///
    /// `measured` holds one value a frame, `None` where nothing is known; `variances` how sure each is, in pixels
    /// squared, all above 0.
    ///
    /// # Panics
    /// When the lengths differ.
    pub fn run(self, measured: &[Option<f64>], variances: &[f64]) -> Vec<(f64, f64)> {
        let Forward { foretold, updated, .. } = self.forward(measured, variances);
        let mut smoothed = updated;
        for i in (0..smoothed.len().saturating_sub(1)).rev() {
            let (next, ahead, this) = (smoothed[i + 1], foretold[i + 1], smoothed[i]);
            // Gain: P F' (P ahead)^-1, with F = [1 1; 0 1].
            let [a, b, c] = ahead.p;
            let det = a * c - b * b;
            let pf = [this.p[0] + this.p[1], this.p[1], this.p[1] + this.p[2], this.p[2]];
            let gain = [
                (pf[0] * c - pf[1] * b) / det,
                (pf[1] * a - pf[0] * b) / det,
                (pf[2] * c - pf[3] * b) / det,
                (pf[3] * a - pf[2] * b) / det,
            ];
            let (dx, dv) = (next.place - ahead.place, next.velocity - ahead.velocity);
            let d = [next.p[0] - ahead.p[0], next.p[1] - ahead.p[1], next.p[2] - ahead.p[2]];
            let [g0, g1, g2, g3] = gain;
            smoothed[i] = Belief {
                place: this.place + g0 * dx + g1 * dv,
                velocity: this.velocity + g2 * dx + g3 * dv,
                p: [
                    this.p[0] + g0 * g0 * d[0] + 2.0 * g0 * g1 * d[1] + g1 * g1 * d[2],
                    this.p[1] + g0 * g2 * d[0] + (g0 * g3 + g1 * g2) * d[1] + g1 * g3 * d[2],
                    this.p[2] + g2 * g2 * d[0] + 2.0 * g2 * g3 * d[1] + g3 * g3 * d[2],
                ],
            };
        }
        smoothed.into_iter().map(|belief| (belief.place, belief.velocity)).collect()
    }

    fn forward(self, measured: &[Option<f64>], variances: &[f64]) -> Forward {
        assert_eq!(measured.len(), variances.len(), "one variance a frame");
        let first = measured.iter().flatten().next().copied().unwrap_or_default();
        let mut belief = Belief { place: first, velocity: 0.0, p: [UNKNOWN, 0.0, UNKNOWN] };
        let q = self.push;
        let mut forward = Forward {
            foretold: Vec::with_capacity(measured.len()),
            updated: Vec::with_capacity(measured.len()),
            fit: Fit::default(),
        };
        for (i, (value, variance)) in measured.iter().zip(variances).enumerate() {
            if i > 0 {
                let [a, b, c] = belief.p;
                belief.place += belief.velocity;
                belief.p = [a + 2.0 * b + c + q / 3.0, b + c + q / 2.0, c + q];
            }
            forward.foretold.push(belief);
            if let Some(value) = value {
                let [a, b, c] = belief.p;
                let spread = a + variance;
                let (innovation, gain, gain_v) = (value - belief.place, a / spread, b / spread);
                belief.place += gain * innovation;
                belief.velocity += gain_v * innovation;
                belief.p = [a - gain * a, b - gain * b, c - gain_v * b];
                // The first two values only tell where it begins.
                if spread < UNKNOWN * 0.5 && i > 1 {
                    forward.fit.squares += innovation * innovation / spread;
                    forward.fit.logarithms += spread.ln();
                }
            }
            forward.updated.push(belief);
        }
        forward
    }
}

/// One axis, smoothed no more than its own uncertainty allows.
///
/// How freely the path moves is found by the likelihood of the innovations (Harvey, *Forecasting, Structural Time
/// Series Models and the Kalman Filter*, 1989, section 3.4); how much of what is measured is jitter is not: a shaking
/// hand and a jittering track look the same, and only `variances` tell them apart. `strength` is what their standard
/// deviations are taken times.
pub fn smoothed(measured: &[Option<f64>], variances: &[f64], strength: f64) -> Vec<f64> {
    let variances: Vec<f64> = variances.iter().map(|variance| variance * strength * strength).collect();
    let unlikeliness = |push: f64| {
        let fit = Smoother { push }.forward(measured, &variances).fit;
        fit.squares + fit.logarithms
    };
    let pushes = (0..STEPS).map(|step| STIFFEST * FACTOR.powi(step));
    let best = pushes.map(|push| (unlikeliness(push), push)).min_by(|a, b| a.0.total_cmp(&b.0));
    let push = best.map_or(1.0, |(_, push)| push);
    Smoother { push }.run(measured, &variances).into_iter().map(|(place, _)| place).collect()
}
