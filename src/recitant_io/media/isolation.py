"""What a process that reads a stranger's file may still ask of the system: its own file, and no network, program or
other process.

Two means of Linux, each used where the kernel has it: a filter of system calls (seccomp), and rules for the file
system (Landlock, from Linux 5.13). Both hold for the process and all that it makes, and cannot be taken back.

Source: seccomp(2), landlock(7).
"""

import ctypes
import errno
import os
import struct
import sys
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Final

import pyseccomp

_REFUSED_CALLS: Final = (
    "socket", "connect", "bind", "listen", "accept", "accept4", "socketpair",
    "execve", "execveat", "ptrace", "process_vm_readv", "process_vm_writev", "pidfd_open", "pidfd_getfd",
    "kill", "tkill", "tgkill", "io_uring_setup", "bpf", "perf_event_open", "userfaultfd", "keyctl", "add_key",
    "request_key", "mount", "umount2", "pivot_root", "chroot", "unshare", "setns", "open_by_handle_at",
)  # fmt: skip
_PR_SET_NO_NEW_PRIVS: Final = 38  # prctl(2)
_CREATE_RULESET, _ADD_RULE, _RESTRICT_SELF = 444, 445, 446  # system calls of Landlock, the same on every machine
_RULE_PATH_BENEATH: Final = 1
_WRITE_FILE, _READ_FILE, _READ_DIR, _REMOVE_FILE, _MAKE_REG = 1 << 1, 1 << 2, 1 << 3, 1 << 5, 1 << 8
_FIRST_RIGHTS: Final = (1 << 13) - 1
"""All rights of version 1: run, write, read, list, remove, make."""
_LATER_RIGHTS: Final = {2: 1 << 13, 3: 1 << 14}
"""By version: move to another folder, shorten."""
_OF_FILES: Final = _WRITE_FILE | _READ_FILE | _LATER_RIGHTS[3]
_SYSTEM: Final = ("/usr/lib", "/usr/local/lib", "/lib", "/lib64", "/usr/share", "/etc/ld.so.cache", "/dev/null",
                  "/dev/urandom")  # fmt: skip


def has_file_rules() -> bool:
    """Whether the kernel keeps rules for the file system."""
    return _file_rules_version() > 0


def isolate(readable: Sequence[Path], writable: Sequence[Path]) -> None:
    """Take from this process all that reading does not need, for good.

    Args:
        readable: files, beside the libraries that may still be loaded; one that is not there is left out.
        writable: folders in which files may be made, written, read, renamed and removed.
    """
    libc = ctypes.CDLL(None, use_errno=True)
    libc.prctl(_PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0)
    if has_file_rules():
        _restrict_files(libc, readable, writable)
    calls = pyseccomp.SyscallFilter(defaction=pyseccomp.ALLOW)
    for name in _REFUSED_CALLS:
        with suppress(OSError, ValueError):  # a call that this machine does not have
            calls.add_rule(pyseccomp.ERRNO(errno.EPERM), name)
    calls.load()


def _restrict_files(libc: ctypes.CDLL, readable: Sequence[Path], writable: Sequence[Path]) -> None:
    version = _file_rules_version()
    handled = _FIRST_RIGHTS | sum(right for since, right in _LATER_RIGHTS.items() if version >= since)
    attributes = struct.pack("=Q", handled)
    rules = libc.syscall(_CREATE_RULESET, attributes, ctypes.c_size_t(len(attributes)), 0)
    if rules < 0:
        raise OSError(ctypes.get_errno(), "no rules for files")
    libraries = [sys.prefix, sys.base_prefix, str(Path(__file__).parents[2]), *_SYSTEM]
    libraries += [os.environ["NUMBA_CACHE_DIR"]] if "NUMBA_CACHE_DIR" in os.environ else []
    read = _READ_FILE | _READ_DIR
    write = read | _WRITE_FILE | _REMOVE_FILE | _MAKE_REG | _LATER_RIGHTS[3]
    wanted = [(path, read) for path in (*map(Path, libraries), *readable)] + [(path, write) for path in writable]
    for path, rights in wanted:
        with suppress(OSError):
            _allow(libc, rules, path, rights & handled)
    if libc.syscall(_RESTRICT_SELF, rules, 0) < 0:
        raise OSError(ctypes.get_errno(), "no rules for files")
    os.close(rules)


def _allow(libc: ctypes.CDLL, rules: int, path: Path, rights: int) -> None:
    descriptor = os.open(path, os.O_PATH | os.O_CLOEXEC)
    try:
        beneath = struct.pack("=Qi", rights if path.is_dir() else rights & _OF_FILES, descriptor)
        libc.syscall(_ADD_RULE, rules, _RULE_PATH_BENEATH, beneath, 0)
    finally:
        os.close(descriptor)


def _file_rules_version() -> int:
    """Of Landlock; 0 or less where the kernel has none."""
    return int(ctypes.CDLL(None).syscall(_CREATE_RULESET, None, ctypes.c_size_t(0), 1))
