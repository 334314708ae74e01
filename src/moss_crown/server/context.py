"""What every route needs, made once a server and handed in."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import Request

from moss_crown.server.db.pool import Database
from moss_crown.server.live import Listeners
from moss_crown.server.pool import Pool
from moss_crown.server.settings import Settings


@dataclass
class Context:
    settings: Settings
    database: Database
    pool: Pool
    listeners: Listeners
    warm: bool = False


def context(request: Request) -> Context:
    found: Context = request.app.state.context
    return found
