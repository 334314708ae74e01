"""Is the server up, and can it work?"""

from __future__ import annotations

import psycopg
import psycopg_pool
from fastapi import APIRouter, Depends, Response

from moss_crown.server.context import Context, context
from moss_crown.server.guard import PlainRoute
from moss_crown.server.schemas import Health, LaneOut, Ready

router = APIRouter(prefix="/api", tags=["health"], route_class=PlainRoute)


@router.get("/health")
async def health() -> Health:
    """Up: the web process answers. It asks nothing else, so that it answers at once."""
    return Health(status="up")


@router.get("/ready")
async def ready(response: Response, here: Context = Depends(context)) -> Ready:
    """Ready: the database answers and the kernels are compiled; 503 until then."""
    try:
        await here.database.run(lambda c: c.execute("select 1").fetchone())
        database = True
    except (psycopg.Error, psycopg_pool.PoolTimeout):
        database = False
    if not (database and here.warm):
        response.status_code = 503
    lanes = {lane.name: LaneOut(waiting=lane.waiting, replaced=lane.replaced) for lane in here.pool.lanes}
    return Ready(database=database, kernels=here.warm, failures=dict(here.watch.failures), lanes=lanes)
