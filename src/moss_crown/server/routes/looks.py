"""Looks: the catalogue of materials, textures as the draft draws them, looks that any title can wear."""

from __future__ import annotations

import json
from typing import Annotated, Any, get_args
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Response
from fastapi.responses import FileResponse

from moss_crown.core import limits
from moss_crown.core.deform.rows import FELT, KINDS
from moss_crown.core.document.look import Pattern
from moss_crown.core.look.materials import CONTROLS, MATERIALS, SWATCHES
from moss_crown.core.proposals.look_book import LOOKS, Look
from moss_crown.server.context import Context, context
from moss_crown.server.db import looks, shots
from moss_crown.server.errors import FileMissing
from moss_crown.server.guard import PlainRoute
from moss_crown.server.named import jobs
from moss_crown.server.schemas import LookName, LookOut, MaterialOut

router = APIRouter(prefix="/api", tags=["looks"], route_class=PlainRoute)
A_DAY = {"cache-control": "public, max-age=86400"}


@router.get("/materials")
def list_materials() -> list[MaterialOut]:
    """Every curated material, in the order of its group."""
    return [
        MaterialOut(
            id=m.id, name=m.name, group=m.group, controls=m.controls, material=m.material.model_dump(mode="json")
        )
        for m in MATERIALS.values()
    ]


@router.get("/materials/{id}/swatch", response_class=Response)
def swatch(id: str) -> Response:
    """A picture of a curated material, as the renderer makes it."""
    if id not in MATERIALS:
        raise FileMissing(f"material {id}")
    return FileResponse(SWATCHES / f"{id}.jpg", media_type="image/jpeg", headers=A_DAY)


@router.get("/textures")
def texture_controls() -> dict[str, dict[str, str]]:
    """What the values of a texture mean for each pattern."""
    return CONTROLS


@router.get("/textures/{pattern}", response_class=Response)
async def texture(pattern: str, here: Context = Depends(context)) -> Response:
    """A pattern as GLSL ES 3.00 functions."""
    if pattern not in get_args(Pattern):
        raise FileMissing(f"pattern {pattern}")
    return Response(await here.pool.works.run(jobs.pattern_source, pattern), media_type="text/plain", headers=A_DAY)


@router.get("/deformers", response_class=Response)
async def deformers(
    kinds: Annotated[str, Query(max_length=200)],
    most: Annotated[int, Query(ge=1, le=limits.BEND_ROWS)],
    here: Context = Depends(context),
) -> Response:
    """What bends letters by deformers of these kinds, parted by commas, at most so many rows of a letter: GLSL ES 3.00
    for a vertex shader."""
    asked = tuple(kinds.split(","))
    for kind in asked:
        if kind not in (*KINDS, FELT):
            raise FileMissing(f"deformer {kind[:40]}")
    text = await here.pool.works.run(jobs.deformer_source, asked, most)
    return Response(text, media_type="text/plain", headers=A_DAY)


@router.get("/productions/{production}/looks")
def list_looks(production: UUID, here: Context = Depends(context)) -> list[LookOut]:
    """What the production keeps, the newest first; then the looks of our own."""
    kept = here.database.call(lambda c: looks.list_looks(c, production))
    return [LookOut(id=str(id), name=name, own=True) for id, name in kept] + [
        LookOut(id=id, name=look.name, own=False) for id, look in LOOKS.items()
    ]


@router.post("/productions/{production}/looks", status_code=201)
def bring_in_look(production: UUID, look: Look, here: Context = Depends(context)) -> LookOut:
    """Keep a look that was exported."""
    id = here.database.call(lambda c: looks.add_look(c, production, look))
    return LookOut(id=str(id), name=look.name, own=True)


@router.delete("/productions/{production}/looks/{look}", status_code=204)
def remove_look(production: UUID, look: UUID, here: Context = Depends(context)) -> None:
    here.database.call(lambda c: looks.remove_look(c, production, look))


@router.get("/looks/{look}", response_class=Response)
def export_look(look: str, here: Context = Depends(context)) -> Response:
    """A look as a JSON file."""
    found = here.database.call(lambda c: looks.find_look(c, look))
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in found.name.lower())
    return Response(
        json.dumps(found.model_dump(mode="json"), indent=1, ensure_ascii=False),
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="{name}.look.json"'},
    )


@router.post("/shots/{shot}/looks", status_code=201)
async def keep_look(shot: UUID, order: LookName, here: Context = Depends(context)) -> LookOut:
    """Keep the look of a shot, as it is at a frame, with its production."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    look = Look.model_validate(
        await here.pool.draft.of(shot).run(jobs.look_of_shot, row.document, order.frame, order.name)
    )
    id = await here.database.run(lambda c: looks.add_look(c, row.production_id, look))
    return LookOut(id=str(id), name=look.name, own=True)


@router.get("/shots/{shot}/looks/{look}", response_class=Response)
async def look_picture(
    shot: UUID,
    look: str,
    frame: float = Query(ge=-1e6, le=1e6),
    width: int = Query(default=240, ge=64, le=640),
    here: Context = Depends(context),
) -> Response:
    """The shot's own title in a look, as the renderer makes it."""

    def work(c: Any) -> tuple[shots.ShotRow, Look]:
        return shots.load_shot(c, shot), looks.find_look(c, look)

    row, found = await here.database.run(work)
    picture = await here.pool.proof.run(jobs.picture_in_look, row.document, found.model_dump(mode="json"), frame, width)
    return Response(picture, media_type="image/jpeg", headers={"cache-control": "private, max-age=600"})
