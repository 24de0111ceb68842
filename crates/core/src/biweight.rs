//! The weights of Beaton & Tukey (1974), of which two rooms make use.

/// Residuals beyond this many standard deviations do not count at all, smaller ones ever more: 95 % efficiency for
/// Gaussian noise. Smaller, and sharp texture starts to fall out; larger, and an outlier pulls.
pub(crate) const BIWEIGHT_LIMIT: f64 = 4.685;
/// The biweight cuts the tails: of Gaussian residuals it leaves this share of the variance (numerical integration).
pub(crate) const BIWEIGHT_VARIANCE: f64 = 0.827;
