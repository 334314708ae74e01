"""What every route needs, made once a server and handed in."""

from __future__ import annotations

from dataclasses import dataclass, field

from fastapi import Request

from moss_crown.server.db.pool import Database
from moss_crown.server.live import Listeners
from moss_crown.server.pool import Pool
from moss_crown.server.settings import Settings
from moss_crown.server.watch import Watch


@dataclass
class Context:
    settings: Settings
    database: Database
    pool: Pool
    listeners: Listeners
    watch: Watch = field(default_factory=Watch)
    warm: bool = False


def context(request: Request) -> Context:
    found: Context = request.app.state.context
    return found
