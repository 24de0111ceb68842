//! Why a program was not started.

use thiserror::Error;

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
