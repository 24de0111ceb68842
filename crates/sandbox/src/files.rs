//! Which files a program may open (Linux' Landlock, landlock(7)).

use std::path::{Path, PathBuf};

use landlock::{
    ABI, Access, AccessFs, AccessNet, BitFlags, CompatLevel, Compatible, PathBeneath, PathFd, Ruleset, RulesetAttr,
    RulesetCreated, RulesetCreatedAttr, RulesetError, RulesetStatus, Scope,
};

use crate::Reach;

/// The newest rules that are asked for; an older system gives those that it knows.
const NEWEST: ABI = ABI::V6;
/// What a program needs to be started: itself, libraries, and how they are found.
const SYSTEM: [&str; 8] =
    ["/usr", "/lib", "/lib64", "/bin", "/etc/ld.so.cache", "/etc/alternatives", "/dev/urandom", "/sys/devices/system"];
const NULL: &str = "/dev/null";

/// `false` where the system has no such rules.
pub(crate) fn keep_away(program: &Path, reach: &Reach) -> Result<bool, RulesetError> {
    let read = AccessFs::from_read(NEWEST);
    let run = AccessFs::ReadFile | AccessFs::Execute;
    let look = AccessFs::ReadFile | AccessFs::ReadDir;
    let write = AccessFs::ReadFile | AccessFs::WriteFile | AccessFs::Truncate;
    let fill = write | AccessFs::ReadDir | AccessFs::MakeReg | AccessFs::RemoveFile;

    let mut rules = Ruleset::default()
        .set_compatibility(CompatLevel::BestEffort)
        .handle_access(AccessFs::from_all(NEWEST))?
        .handle_access(AccessNet::from_all(NEWEST))?
        .scope(Scope::from_all(NEWEST))?
        .create()?;
    for path in SYSTEM {
        rules = allow(rules, Path::new(path), read)?;
    }
    rules = allow(rules, program, run)?;
    rules = allow(rules, Path::new(NULL), write)?;
    let named = |paths: &[PathBuf], rights| paths.iter().cloned().map(move |path| (path, rights)).collect::<Vec<_>>();
    for (path, rights) in named(&reach.reads, look).into_iter().chain(named(&reach.writes, fill)) {
        rules = allow(rules, &path, rights)?;
    }
    Ok(rules.restrict_self()?.ruleset != RulesetStatus::NotEnforced)
}

/// What is not there needs no right; the program says what it misses.
fn allow(rules: RulesetCreated, path: &Path, rights: BitFlags<AccessFs>) -> Result<RulesetCreated, RulesetError> {
    let Ok(opened) = PathFd::new(path) else { return Ok(rules) };
    let of_file = AccessFs::from_file(NEWEST);
    let rights = if path.is_dir() { rights } else { rights & of_file };
    rules.add_rule(PathBeneath::new(opened, rights))
}
