//! What a program that reads other people's files can reach: entered by the process that then becomes that program.
//!
//! Four layers, each of which holds alone: limits (setrlimit), namespaces of its own without network
//! (user_namespaces(7)), which files it may open (landlock(7)), and which system calls it may make (seccomp(2)). A
//! system that lacks one of the first three layers goes on with the others; [`Strength`] says what holds.

mod calls;
mod error;
mod files;
mod limits;
mod reach;

use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;

pub use error::SandboxError;
pub use limits::Limits;
pub use reach::Reach;

/// Which layers hold on this system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Strength {
    /// A user and a network of its own.
    pub namespaces: bool,
    /// Only the files that were named.
    pub files: bool,
}

/// Shuts this process in. It must have one thread only, as the others would stay outside.
pub fn enter(program: &Path, reach: &Reach) -> Result<Strength, SandboxError> {
    reach.limits.set()?;
    let namespaces = limits::leave_network();
    let files = files::keep_away(program, reach)?;
    calls::keep_away()?;
    Ok(Strength { namespaces, files })
}

/// Shuts this process in and becomes the program. Returns only when that fails.
pub fn become_program(command: &mut Command, reach: &Reach) -> SandboxError {
    let program = PathBuf::from(command.get_program());
    if let Err(error) = enter(&program, reach) {
        return error;
    }
    SandboxError::Start { program: program.display().to_string(), source: command.exec() }
}
