//! How much a program may use, and what it does not share with others.

use nix::sched::{CloneFlags, unshare};
use nix::sys::resource::{Resource, setrlimit};

/// What a program may use.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// Address space, in bytes.
    pub memory: u64,
    /// Seconds of processor time, all threads together.
    pub processor: u64,
    /// Length of a file that it writes, in bytes.
    pub file: u64,
}

/// Files open at once: more than any film needs.
const OPEN_FILES: u64 = 256;

impl Limits {
    pub(crate) fn set(self) -> nix::Result<()> {
        let limits = [
            (Resource::RLIMIT_AS, self.memory),
            (Resource::RLIMIT_CPU, self.processor),
            (Resource::RLIMIT_FSIZE, self.file),
            (Resource::RLIMIT_NOFILE, OPEN_FILES),
            (Resource::RLIMIT_CORE, 0),
        ];
        limits.into_iter().try_for_each(|(resource, most)| setrlimit(resource, most, most))
    }
}

/// A user without any right over others, and a network, messages and shared memory of its own: empty ones. `false`
/// where the system does not let everybody have them, as some containers do not; sockets cannot be made there either
/// ([`crate::calls`]).
pub(crate) fn leave_network() -> bool {
    unshare(CloneFlags::CLONE_NEWUSER | CloneFlags::CLONE_NEWNET | CloneFlags::CLONE_NEWIPC).is_ok()
}
