//! Where a pattern is below the pixel, and how sure that is.
//!
//! Position only so far. Further motions (rotation, scale, affine, perspective) add columns to the same normal
//! equations; what is reported stays the same.

mod translation;

pub use translation::{Aligner, Alignment, Pattern, StopReason};
