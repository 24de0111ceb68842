//! Changes to a shot as values. Applying one gives its inverse, from which undo follows.

mod apply;
mod check;
mod kinds;
mod looks;
mod subjects;

pub use kinds::{Edit, EditError};
pub use looks::{apply_look, changed_looks, propagate_look};

#[cfg(test)]
mod tests;
