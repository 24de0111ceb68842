//! How a subject moves as a whole: out of one pin or several, cleaned by its recipe; and what is carried by it.

mod bent_net;
mod carried;
mod complete;
mod fit;
mod least_squares;
mod poses;
mod robust;
mod rough;
mod subject;
#[cfg(test)]
mod tests;

pub use bent_net::{BentNet, flattened};
pub use carried::{CarriedPoint, PlacedAt};
pub use fit::{fit, fit_most};
pub use least_squares::{Fit, Match};
pub use poses::Poses;
pub use subject::SubjectMotion;
