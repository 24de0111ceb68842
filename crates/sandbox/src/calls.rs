//! Which system calls a program may not make (seccomp(2)). What a decoder or encoder does is compute, read, write, and
//! start threads.

use std::collections::BTreeMap;

use seccompiler::{
    SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter, SeccompRule, TargetArch,
    apply_filter,
};

use crate::SandboxError;

/// Sockets, other processes, mounts, and corners of the system where faults are found again and again.
const FORBIDDEN: [libc::c_long; 39] = [
    libc::SYS_socket,
    libc::SYS_socketpair,
    libc::SYS_connect,
    libc::SYS_bind,
    libc::SYS_listen,
    libc::SYS_accept,
    libc::SYS_accept4,
    libc::SYS_sendto,
    libc::SYS_sendmsg,
    libc::SYS_ptrace,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_pidfd_open,
    libc::SYS_pidfd_getfd,
    libc::SYS_kcmp,
    libc::SYS_setns,
    libc::SYS_unshare,
    libc::SYS_mount,
    libc::SYS_umount2,
    libc::SYS_pivot_root,
    libc::SYS_chroot,
    libc::SYS_move_mount,
    libc::SYS_open_tree,
    libc::SYS_fsopen,
    libc::SYS_open_by_handle_at,
    libc::SYS_name_to_handle_at,
    libc::SYS_bpf,
    libc::SYS_perf_event_open,
    libc::SYS_userfaultfd,
    libc::SYS_io_uring_setup,
    libc::SYS_keyctl,
    libc::SYS_add_key,
    libc::SYS_request_key,
    libc::SYS_init_module,
    libc::SYS_finit_module,
    libc::SYS_kexec_load,
    libc::SYS_swapon,
    libc::SYS_reboot,
    libc::SYS_memfd_create,
];

pub(crate) fn keep_away() -> Result<(), SandboxError> {
    let arch = TargetArch::try_from(std::env::consts::ARCH).map_err(|_| SandboxError::Processor)?;
    let mut rules: BTreeMap<i64, Vec<SeccompRule>> = FORBIDDEN.iter().map(|call| (*call, Vec::new())).collect();
    #[cfg(target_arch = "x86_64")]
    rules.extend([libc::SYS_fork, libc::SYS_vfork].map(|call| (call, Vec::new())));
    rules.insert(libc::SYS_clone, vec![new_process()?]);
    apply(rules, libc::EPERM, arch)?;
    // What clone3 is asked for lies in memory, where a filter cannot look: the C library takes `clone` where there is
    // no such call.
    apply(BTreeMap::from([(libc::SYS_clone3, Vec::new())]), libc::ENOSYS, arch)
}

/// Anything that `clone` makes but a thread.
fn new_process() -> Result<SeccompRule, SandboxError> {
    let thread = libc::CLONE_THREAD as u64;
    let flags = SeccompCondition::new(0, SeccompCmpArgLen::Qword, SeccompCmpOp::MaskedEq(thread), 0);
    Ok(SeccompRule::new(vec![flags.map_err(seccompiler::Error::from)?]).map_err(seccompiler::Error::from)?)
}

fn apply(rules: BTreeMap<i64, Vec<SeccompRule>>, refusal: i32, arch: TargetArch) -> Result<(), SandboxError> {
    let refuse = SeccompAction::Errno(refusal as u32);
    let filter = SeccompFilter::new(rules, SeccompAction::Allow, refuse, arch).map_err(seccompiler::Error::from)?;
    let program: seccompiler::BpfProgram = filter.try_into().map_err(seccompiler::Error::from)?;
    // Sets "no new privileges" too.
    Ok(apply_filter(&program)?)
}
