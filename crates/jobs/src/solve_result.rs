//! What a solve says when it is done.

use jampin_core::time::Frame;
use serde::{Deserialize, Serialize};

/// How solving ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SolveResult {
    /// The first frame solved.
    pub first: Frame,
    /// The last.
    pub last: Frame,
    /// Frames on which it was found.
    pub found: u32,
}
