"""A copy of everything that is kept, in one file, and its way back: PostgreSQL's own programs do the work."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import psycopg

from moss_crown.server.db.cluster import NAME, ROLE, Cluster, programs
from moss_crown.server.db.migrate import migrate

TAKES = ("take_frame", "take_file")


class BackupFailed(Exception):
    """The copy could not be made or taken back; the message says why. What was there is there still."""


def back_up(cluster: Cluster, out: Path, takes: bool = True) -> None:
    """Write a copy as it is at this moment; editing goes on meanwhile. Without `takes`, no frames and movies."""
    partial = out.with_name(f"{out.name}.part")
    partial.touch(0o600)
    left = [] if takes else [f"--exclude-table-data={table}" for table in TAKES]
    try:
        _run(cluster, "pg_dump", "--format=custom", "--no-owner", "--no-privileges", *left, f"--file={partial}", NAME)
        partial.replace(out)
    finally:
        partial.unlink(missing_ok=True)


def restore(cluster: Cluster, file: Path) -> None:
    """Put a copy in the place of all that is kept, in one transaction, and bring it up to date."""
    _run(cluster, "pg_restore", "--list", str(file))  # else a file that is none would be found out half way
    with psycopg.connect(cluster.url(), autocommit=True) as connection:
        others = connection.execute(
            "select count(*) from pg_stat_activity where datname = %s and pid <> pg_backend_pid()", [NAME]
        ).fetchone()
        if others and others[0]:
            raise BackupFailed("the application runs: stop it, then restore")
    options = ("--single-transaction", "--clean", "--if-exists", "--no-owner", "--no-privileges", "--exit-on-error")
    _run(cluster, "pg_restore", *options, f"--dbname={NAME}", str(file))
    migrate(cluster.url())


def _run(cluster: Cluster, program: str, *arguments: str) -> None:
    way_in = {"PGHOST": "127.0.0.1", "PGPORT": str(cluster.port), "PGUSER": ROLE, "PGPASSWORD": cluster.application}
    command = [str(programs() / program), *arguments]
    done = subprocess.run(command, env=os.environ | way_in, capture_output=True, text=True, check=False)
    if done.returncode:
        raise BackupFailed(done.stderr.strip().split("\n")[-1] or f"{program} ended with {done.returncode}")
