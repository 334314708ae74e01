"""Families: a list with axes and features, words set in them, licences. A production's own fonts come first."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Depends, Query
from fastapi.responses import FileResponse

from moss_crown.core.type.families import FALLBACK, FAMILIES, FOLDER
from moss_crown.server.context import Context, context
from moss_crown.server.db import assets
from moss_crown.server.errors import FileMissing
from moss_crown.server.guard import PlainRoute
from moss_crown.server.named import jobs
from moss_crown.server.schemas import FamilyOut, SampleOut

router = APIRouter(prefix="/api/families", tags=["type"], route_class=PlainRoute)
ALL = {**FAMILIES, FALLBACK.id: FALLBACK}


async def _own(here: Context, production: UUID | None) -> list[str]:
    if production is None:
        return []
    return [row.id for row in await here.database.run(lambda c: assets.list_assets(c, production, "font"))]


@router.get("")
async def list_families(production: UUID | None = None, here: Context = Depends(context)) -> list[FamilyOut]:
    found = await here.pool.draft.of("families").run(jobs.families, await _own(here, production))
    return [
        FamilyOut(**family, licence=f"/api/families/{family['id']}/licence" if family["id"] in ALL else None)
        for family in found
    ]


@router.get("/samples")
async def samples(
    text: str = Query(min_length=1, max_length=60),
    family: str | None = None,
    production: UUID | None = None,
    here: Context = Depends(context),
) -> list[SampleOut]:
    """A line of text in every family, or in every weight of one, by the product's own shaping."""
    own = await _own(here, production)
    return [SampleOut(**one) for one in await here.pool.draft.of("families").run(jobs.samples, text, family, own)]


@router.get("/{id}/licence", response_class=FileResponse)
def licence(id: str) -> FileResponse:
    if id not in ALL:
        raise FileMissing(f"family {id}")
    return FileResponse(FOLDER / ALL[id].licence, media_type="text/plain; charset=utf-8")
