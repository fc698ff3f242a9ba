//! What the process that reads a file may do: compute, within its memory and time. It opens nothing, starts nothing and
//! reaches no network, whatever the file makes of its reader.

use rustix::process::{Resource, Rlimit, setrlimit};
use seccompiler::{BpfProgram, SeccompAction, SeccompFilter, apply_filter_all_threads};
use std::collections::BTreeMap;

/// The most time it may compute, on all cores together, s.
pub const MOST_SECONDS: u64 = 60;

/// Memory is not set aside in large pieces that would not be used.
pub const ENVIRONMENT: [(&str, &str); 2] = [("MIMALLOC_ARENA_RESERVE", "0"), ("MIMALLOC_ARENA_EAGER_COMMIT", "0")];

/// Everything that opens, starts, reaches out or meddles with others.
const FORBIDDEN: &[i64] = &[
    libc::SYS_openat,
    libc::SYS_openat2,
    libc::SYS_execve,
    libc::SYS_execveat,
    libc::SYS_socket,
    libc::SYS_socketpair,
    libc::SYS_connect,
    libc::SYS_bind,
    libc::SYS_listen,
    libc::SYS_accept4,
    libc::SYS_sendto,
    libc::SYS_sendmsg,
    libc::SYS_ptrace,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_kill,
    libc::SYS_tkill,
    libc::SYS_unlinkat,
    libc::SYS_renameat2,
    libc::SYS_linkat,
    libc::SYS_symlinkat,
    libc::SYS_mkdirat,
    libc::SYS_mknodat,
    libc::SYS_fchmodat,
    libc::SYS_fchownat,
    libc::SYS_truncate,
    libc::SYS_mount,
    libc::SYS_umount2,
    libc::SYS_chroot,
    libc::SYS_pivot_root,
    libc::SYS_setns,
    libc::SYS_unshare,
    libc::SYS_bpf,
    libc::SYS_keyctl,
    libc::SYS_io_uring_setup,
    libc::SYS_inotify_init1,
    libc::SYS_memfd_create,
    libc::SYS_shmget,
    libc::SYS_prlimit64,
];

/// The same under the names they had before there were folders to start from.
#[cfg(target_arch = "x86_64")]
const FORBIDDEN_OF_OLD: &[i64] = &[
    libc::SYS_open,
    libc::SYS_creat,
    libc::SYS_fork,
    libc::SYS_vfork,
    libc::SYS_accept,
    libc::SYS_unlink,
    libc::SYS_rename,
    libc::SYS_link,
    libc::SYS_symlink,
    libc::SYS_mkdir,
    libc::SYS_mknod,
    libc::SYS_chmod,
    libc::SYS_chown,
];
#[cfg(not(target_arch = "x86_64"))]
const FORBIDDEN_OF_OLD: &[i64] = &[];

/// Closes the cage around this process for good; `memory`: bytes of addresses it may hold. Errors: the system does not
/// know how.
pub fn close(memory: u64) -> Result<(), Box<dyn std::error::Error>> {
    let limit = |what, most| setrlimit(what, Rlimit { current: Some(most), maximum: Some(most) });
    limit(Resource::As, memory)?;
    limit(Resource::Cpu, MOST_SECONDS)?;
    limit(Resource::Nofile, 3)?;
    limit(Resource::Core, 0)?;
    limit(Resource::Fsize, 0)?;
    let rules: BTreeMap<i64, Vec<_>> =
        FORBIDDEN.iter().chain(FORBIDDEN_OF_OLD).map(|&call| (call, Vec::new())).collect();
    let filter = SeccompFilter::new(
        rules,
        SeccompAction::Allow,
        SeccompAction::Errno(libc::EPERM as u32),
        std::env::consts::ARCH.try_into()?,
    )?;
    let program: BpfProgram = filter.try_into()?;
    apply_filter_all_threads(&program)?;
    Ok(())
}
