//! Where a pattern is, to the whole pixel; and which spots are worth following.

mod boxes;
mod corners;
mod correlation;
mod features;
mod search;
mod spots;

pub use corners::CornerMap;
pub use correlation::{Template, correlation};
pub use features::{NEIGHBOURHOOD, PatternChoice, SpotProblem, choose_pattern, choose_search};
pub use search::{CorrelationPeak, Searcher};
pub use spots::{Spot, good_spots, judge_spot, margin};
