//! Smoothing weighted by how sure each sample is: a Kalman filter forward, a Rauch-Tung-Striebel smoother back.

/// Ratios of process noise to measurement noise that are tried, from nearly straight to nearly raw: the first, how many, and
/// the factor from one to the next.
const STIFFEST: f64 = 1e-7;
const STEPS: u32 = 34;
const FACTOR: f64 = 2.0;
/// Variance of the unknown beginning, in pixels squared (and per frame): so large that it says nothing.
const UNKNOWN: f64 = 1e8;

/// One axis that moves on at its velocity, which is pushed at random (white noise acceleration). The smoothed path is a cubic
/// smoothing spline (Wahba 1978), so it has no lag.
///
/// # Source
/// R. E. Kalman, "A New Approach to Linear Filtering and Prediction Problems", 1960; H. E. Rauch, F. Tung and C. T. Striebel,
/// "Maximum likelihood estimates of linear dynamic systems", AIAA Journal 3(8), 1965. Model: Bar-Shalom, Li & Kirubarajan,
/// *Estimation with Applications to Tracking and Navigation*, 2001, section 6.2.2 (continuous white noise acceleration).
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
    /// Sum of squared innovations over their variance, sum of logarithms of these variances, and their number.
    fit: (f64, f64, usize),
}

impl Smoother {
    /// Smoothed places and velocities of one axis.
    ///
    /// `measured` holds one value a frame, `None` where nothing is known; `variances` how sure each is, in pixels squared, all above 0.
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
            fit: (0.0, 0.0, 0),
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
                    forward.fit.0 += innovation * innovation / spread;
                    forward.fit.1 += spread.ln();
                    forward.fit.2 += 1;
                }
            }
            forward.updated.push(belief);
        }
        forward
    }
}

/// One axis smoothed as strongly as its own jitter says.
///
/// `variances` count as weights: only their ratios matter, for the true size of the jitter is found together with how freely the
/// path moves, by the likelihood of the innovations with the common scale worked out (Harvey, *Forecasting, Structural Time Series
/// Models and the Kalman Filter*, 1989, section 3.4). `stiffer` above 1 smooths more than that, below 1 less.
pub fn smoothed(measured: &[Option<f64>], variances: &[f64], stiffer: f64) -> Vec<f64> {
    let known: Vec<f64> =
        measured.iter().zip(variances).filter(|(value, _)| value.is_some()).map(|(_, variance)| *variance).collect();
    if known.len() < 4 {
        return Smoother { push: 1.0 }.run(measured, variances).into_iter().map(|(place, _)| place).collect();
    }
    let typical = known.iter().sum::<f64>() / known.len() as f64;
    let unlikeliness = |ratio: f64| {
        let (squares, logs, count) = Smoother { push: ratio * typical }.forward(measured, variances).fit;
        let count = count.max(1) as f64;
        count * (squares / count).max(f64::MIN_POSITIVE).ln() + logs
    };
    let ratios = (0..STEPS).map(|step| STIFFEST * FACTOR.powi(step as i32));
    let best = ratios.map(|ratio| (unlikeliness(ratio), ratio)).min_by(|a, b| a.0.total_cmp(&b.0));
    let ratio = best.map_or(1.0, |(_, ratio)| ratio) / stiffer.max(1e-6);
    Smoother { push: ratio * typical }.run(measured, variances).into_iter().map(|(place, _)| place).collect()
}
