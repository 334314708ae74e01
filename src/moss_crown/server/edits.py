"""Edits of a shot: worked out beside the web process and outside any transaction, then stored in a short one."""

from __future__ import annotations

import json
from functools import partial
from typing import Any
from uuid import UUID

from starlette.concurrency import run_in_threadpool

from moss_crown.core.document.door import Patch
from moss_crown.core.document.shot import VERSION
from moss_crown.server import editing
from moss_crown.server.context import Context
from moss_crown.server.db import shots
from moss_crown.server.db.shots import ShotRow
from moss_crown.server.errors import RevisionStale

TURNS = 20
"""How often an undo that others were faster than is worked out again."""


async def edit(here: Context, shot: UUID, revision: int, patch: Patch, label: str) -> bytes:
    """Apply a patch made against a revision; answers the shot as it is then. Raises RevisionStale and what the document
    raises; then nothing has changed."""
    row = await current(here, shot, revision)
    made = await here.pool.edit.of(shot).run(editing.edited, row.document, patch)
    if not made.inverse:
        return await told(here, row)
    stored = await here.database.run(
        partial(_stored, shot=shot, revision=revision, made=made, patch=patch, label=label)
    )
    return await told(here, stored, changed=True)


def _stored(connection: Any, *, shot: UUID, revision: int, made: editing.Edited, patch: Patch, label: str) -> ShotRow:
    return shots.store_edit(connection, shot, revision, made, patch, label)


async def step(here: Context, shot: UUID, forward: bool) -> bytes:
    """Undo or redo one edit, however long ago it was made. Raises NothingTo at either end."""
    for turn in range(TURNS):
        row, patch = await here.database.run(lambda c: shots.load_step(c, shot, forward))
        document = await here.pool.edit.of(shot).run(editing.stepped, row.document, patch)
        try:
            stored = await here.database.run(partial(_step_stored, row=row, document=document, forward=forward))
        except RevisionStale:
            if turn == TURNS - 1:
                raise
        else:
            return await told(here, stored, changed=True)
    raise AssertionError("unreachable")


def _step_stored(connection: Any, *, row: ShotRow, document: dict[str, Any], forward: bool) -> ShotRow:
    return shots.store_step(connection, row, document, forward)


async def current(here: Context, shot: UUID, revision: int) -> ShotRow:
    """The shot, when it still stands at this revision. Raises RevisionStale."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    if row.revision != revision:
        raise RevisionStale(revision, row.revision)
    return row


async def told(here: Context, row: ShotRow, changed: bool = False) -> bytes:
    """A shot as the API shows it (`ShotOut`), as JSON text; with `changed` other windows hear of it.

    It was valid when it was stored, and is not read again."""
    if changed:
        here.listeners.tell(row.id, {"type": "changed", "revision": row.revision})
    document = row.document
    if document["version"] != VERSION:
        document = await here.pool.edit.of(row.id).run(editing.renewed, document)

    shown = {
        "id": str(row.id),
        "production_id": str(row.production_id),
        "production": row.production,
        "document": document,
        "revision": row.revision,
        "undo": row.undo,
        "redo": row.redo,
    }
    return await run_in_threadpool(_written, shown)


def _written(shown: dict[str, Any]) -> bytes:
    return json.dumps(shown, ensure_ascii=False, separators=(",", ":")).encode()
