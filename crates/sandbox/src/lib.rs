//! What a program that reads other people's files can reach: entered by the process that then becomes that program.
//!
//! Four layers, each of which holds alone: limits (setrlimit), namespaces of its own without network (user_namespaces(7)), which files it may
//! open (landlock(7)), and which system calls it may make (seccomp(2)). A system that lacks one of the first three layers goes on with the
//! others; [`Strength`] says what holds.

mod calls;
mod files;
mod limits;

use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use thiserror::Error;

pub use limits::Limits;

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

/// Which layers hold on this system.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Strength {
    /// A user and a network of its own.
    pub namespaces: bool,
    /// Only the files that were named.
    pub files: bool,
}

/// The sandbox could not be entered, or the program not be started: nothing of it was run.
#[derive(Debug, Error)]
pub enum SandboxError {
    /// A limit was refused.
    #[error("a limit cannot be set: {0}")]
    Limits(#[from] nix::Error),
    /// Files cannot be kept away.
    #[error("files cannot be kept away: {0}")]
    Files(#[from] landlock::RulesetError),
    /// System calls cannot be kept away.
    #[error("system calls cannot be kept away: {0}")]
    Calls(#[from] seccompiler::Error),
    /// They are not known for this kind of processor.
    #[error("system calls cannot be kept away on this kind of processor")]
    Processor,
    /// The program.
    #[error("{program} cannot be started: {source}")]
    Start {
        /// Which.
        program: String,
        /// The system's reason.
        source: std::io::Error,
    },
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
