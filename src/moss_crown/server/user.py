"""Started as root, the server and all that it starts run as a user of their own, who owns nothing but its kernels.

What root keeps: the checkout, the state folder with the database's passwords, the log. What the other user must read of
the checkout and of Python it is let through to, by access lists that name it alone (acl(5)).
"""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import sys
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from moss_crown.server.db.cluster import mark_of

NAME = "moss-crown"


class UserFailed(Exception):
    """The user could not be made, or cannot read what it needs; the message says what to do."""


@dataclass(frozen=True, slots=True)
class Runner:
    """Who runs the server: how its command begins, and what its environment has besides."""

    command: tuple[str, ...] = ()
    environment: tuple[tuple[str, str], ...] = ()

    def environ(self) -> dict[str, str]:
        return dict(os.environ) | dict(self.environment)


def runner_for(home: Path, root: Path) -> Runner:
    """The runner for a checkout. `home` keeps the kernels, `root` is the checkout. MOSS_CROWN_USER names another user;
    `root` itself leaves things as they are. Raises UserFailed."""
    name = os.environ.get("MOSS_CROWN_USER", NAME)
    if os.geteuid() != 0 or name == "root":
        return Runner()
    entry = _ensured(name)
    command: tuple[str, ...] = (
        "setpriv",
        f"--reuid={name}",
        f"--regid={entry.pw_gid}",
        "--init-groups",
        "--no-new-privs",
    )
    command += ("--inh-caps=-all", "--bounding-set=-all")
    let_through(name, command, _needed(root))
    folder = folder_of(home)
    kernels = folder / "kernels"
    _copied(Path(os.environ.get("MOSS_CROWN_KERNELS", home / "kernels")), kernels, entry)
    kept = (("MOSS_CROWN_KERNELS", str(kernels)), ("NUMBA_CACHE_DIR", str(kernels)), ("HOME", str(folder)))
    return Runner(command, (*kept, ("MOSS_CROWN_HOME", str(folder))))


def folder_of(home: Path) -> Path:
    """What is the user's own, of a checkout with this state folder."""
    return Path("/var/lib/moss-crown") / f"{mark_of(home)}-server"


def _ensured(name: str) -> pwd.struct_passwd:
    try:
        return pwd.getpwnam(name)
    except KeyError:
        pass
    made = subprocess.run(
        ["useradd", "--system", "--user-group", "--no-create-home", "--shell", "/usr/sbin/nologin", name],
        capture_output=True,
        text=True,
        check=False,
    )
    try:
        return pwd.getpwnam(name)
    except KeyError:
        raise UserFailed(f"the user {name} could not be made: {made.stderr.strip()}") from None


def _needed(root: Path) -> list[Path]:
    """Trees that the server reads: Python, its packages, the sources, the built front end."""
    python = [Path(sys.executable).resolve(), Path(sys.base_prefix), Path(sys.prefix)]
    return [path for path in (*python, root / "src", root / "web" / "dist") if path.exists()]


def let_through(name: str, command: Iterable[str], trees: Iterable[Path]) -> None:
    """Let a user read trees that it can not read yet, and pass through the folders above them, nothing else."""
    for tree in trees:
        if _reads(command, tree):
            continue
        for folder in reversed(tree.parents):
            if not _passes(command, folder):
                _grant(f"u:{name}:--x", folder)
        if not _reads(command, tree):
            _grant(f"u:{name}:rX", tree, "-R")
        if not _reads(command, tree):
            raise UserFailed(_what_to_do(name, tree))


def _probes(tree: Path) -> Iterator[Path]:
    """A tree, and a file of it: one that was written under another umask is told by any of them."""
    yield tree
    if tree.is_dir():
        yield from islice(tree.rglob("*.py"), 1)


def _reads(command: Iterable[str], tree: Path) -> bool:
    return all(_test(command, "-r", path) for path in _probes(tree))


def _passes(command: Iterable[str], folder: Path) -> bool:
    return _test(command, "-x", folder)


def _test(command: Iterable[str], what: str, path: Path) -> bool:
    return subprocess.run([*command, "test", what, str(path)], check=False, capture_output=True).returncode == 0


def _grant(rule: str, path: Path, *options: str) -> None:
    print(f"moss crown: setfacl {' '.join(options)} -m {rule} {path}", file=sys.stderr)
    try:
        done = subprocess.run(["setfacl", *options, "-m", rule, str(path)], check=False, capture_output=True, text=True)
    except FileNotFoundError:
        raise UserFailed("setfacl is not installed: apt-get install acl") from None
    if done.returncode:
        raise UserFailed(f"{_what_to_do(rule.split(':')[1], path)} ({done.stderr.strip()})")


def _what_to_do(name: str, path: Path) -> str:
    return (
        f"the server runs as the user {name}, who can not read {path}: move the checkout to where all may read it, "
        "such as /opt or /srv, or set MOSS_CROWN_USER to one who can"
    )


def _copied(source: Path, target: Path, owner: pwd.struct_passwd) -> None:
    """Kernels are code that numba loads: root's own stay where only root writes, the other user has a copy. It is made
    anew each time, and handed over last: root writes nothing into what is the user's."""
    shutil.rmtree(target.parent, ignore_errors=True)
    target.parent.mkdir(mode=0o700, parents=True)
    if source.is_dir():
        shutil.copytree(source, target)
    else:
        target.mkdir()
    for path in (*target.rglob("*"), target, target.parent):
        os.chown(path, owner.pw_uid, owner.pw_gid, follow_symlinks=False)
