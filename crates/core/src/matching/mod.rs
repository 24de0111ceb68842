//! Where a pattern is, to the whole pixel; and which spots are worth following.

mod correlation;
mod features;
mod search;

pub use correlation::{Template, correlation};
pub use features::{PatternChoice, SpotProblem, choose_pattern, choose_search};
pub use search::{Candidate, Searcher};
