"""Numbered migrations, run once each, under a lock, each in its own transaction."""

from __future__ import annotations

import re
from pathlib import Path

import psycopg

FOLDER = Path(__file__).parent / "migrations"
LOCK = 7_262_001


def migrate(database: str) -> list[int]:
    """Bring a database up to date. Answers the numbers that were run now. Two at once: the second waits and finds
    nothing to do."""
    ran = []
    with psycopg.connect(database, autocommit=True) as connection:
        connection.execute("select pg_advisory_lock(%s)", [LOCK])
        try:
            connection.execute("create table if not exists migration (number integer primary key, name text not null)")
            done = {row[0] for row in connection.execute("select number from migration")}
            for number, path in numbered():
                if number not in done:
                    with connection.transaction():
                        connection.execute(path.read_bytes())
                        connection.execute("insert into migration values (%s, %s)", [number, path.name])
                    ran.append(number)
        finally:
            connection.execute("select pg_advisory_unlock(%s)", [LOCK])
    return ran


def numbered() -> list[tuple[int, Path]]:
    found = [(int(match[1]), path) for path in FOLDER.iterdir() if (match := re.match(r"(\d+)_.*\.sql$", path.name))]
    return sorted(found)
