//! Surfaces that bend: a net of triangles laid over an outline, all its knots followed together.
//!
//! As areas are, it is aligned directly to the picture in which it was outlined, never to the frame before, so it does not
//! drift: coarse to fine, with robust weights ([`fit`]). What holds the net together where the picture says little is a
//! stiffness that lets it turn, grow and be squeezed, but not be crumpled ([`stiffness`]). Folds are bright and dark:
//! the light is taken out knot by knot ([`light`]). From frame to frame it goes both ways through the shot ([`chain`], [`solve`]);
//! the thing that it is on is followed for itself, as with a flat face.

mod asked;
mod banded;
mod chain;
mod compared;
mod cover;
mod fit;
mod light;
mod net;
mod part;
mod solve;
mod stiffness;
mod surface;
mod task;
#[cfg(test)]
mod tests;

pub use net::{LEAST_SPACING, MOST_KNOTS, MOST_SPACING, Net, Spot};
pub use solve::solve_mesh;
pub use task::{MeshEnd, MeshTask, MeshWatch};
