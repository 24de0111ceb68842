//! What a program may reach.

use std::path::PathBuf;

use crate::limits::Limits;

/// What a program may reach besides the system's own libraries.
#[derive(Clone, Debug)]
pub struct Reach {
    /// Files and folders that it may read.
    pub reads: Vec<PathBuf>,
    /// Files that it may write over, and folders in which it may make, write and remove files.
    pub writes: Vec<PathBuf>,
    /// What it may use.
    pub limits: Limits,
}
