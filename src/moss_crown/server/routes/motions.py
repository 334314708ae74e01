"""Motions: the book of named motions and rigs, tried on a shot's own title; what a production keeps."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from fastapi import APIRouter, Depends, Response

from moss_crown.core.proposals.motion_book import BOOK, TEXTS_WANTED, MotionSet
from moss_crown.server import edits
from moss_crown.server.context import Context, context
from moss_crown.server.db import motions, shots
from moss_crown.server.guard import PlainRoute
from moss_crown.server.named import jobs
from moss_crown.server.routes.shot import SHOT, shown
from moss_crown.server.schemas import MotionName, MotionOrder, MotionOut, NamedMotion

router = APIRouter(prefix="/api", tags=["motions"], route_class=PlainRoute)


@router.get("/shots/{shot}/motions")
async def list_motions(shot: UUID, here: Context = Depends(context)) -> list[MotionOut]:
    """What the production keeps, the newest first, then the book, each on the shot's own title."""

    def work(c: Any) -> tuple[shots.ShotRow, list[tuple[UUID, MotionSet]]]:
        row = shots.load_shot(c, shot)
        return row, motions.list_motions(c, row.production_id)

    row, kept = await here.database.run(work)
    own = {str(id): motion for id, motion in kept}
    raw = {id: motion.model_dump(mode="json") for id, motion in own.items()}
    found = await here.pool.works.run(jobs.motions_on, row.document, raw)

    def out(id: str, name: str, group: Any, about: str) -> MotionOut:
        seen = found[id]
        return MotionOut(
            id=id,
            name=name,
            group=group,
            about=about,
            texts=id in TEXTS_WANTED,
            frames=seen["frames"],
            outlines=seen["outlines"],
            which=seen["which"],
        )

    return [out(id, m.name, "own", f"{len(m.steps)} steps") for id, m in own.items() if id in found] + [
        out(id, entry.name, entry.group, entry.about) for id, entry in BOOK.items() if id in found
    ]


@router.get("/motions")
async def list_book() -> list[NamedMotion]:
    """The book of motions, without pictures: to find one by its name or by what it does."""
    return [
        NamedMotion(id=id, name=entry.name, group=entry.group, about=entry.about, texts=id in TEXTS_WANTED)
        for id, entry in BOOK.items()
    ]


@router.post("/shots/{shot}/motion", **SHOT)
async def set_motion(shot: UUID, order: MotionOrder, here: Context = Depends(context)) -> Response:
    """Give a shot a motion. One edit, undone like any."""
    row = await edits.current(here, shot, order.revision)
    kept, name = None, order.motion
    if order.motion in BOOK:
        name = BOOK[order.motion].name
    else:
        own = await here.database.run(lambda c: motions.find_motion(c, row.production_id, order.motion))
        kept, name = own.model_dump(mode="json"), own.name
    patch = await here.pool.draft.of(shot).run(jobs.motion_set, row.document, order.model_dump(), kept)
    return shown(await edits.edit(here, shot, order.revision, patch, f"motion: {name}"))


@router.post("/shots/{shot}/motions", status_code=201)
async def keep_motion(shot: UUID, order: MotionName, here: Context = Depends(context)) -> str:
    """Keep the motion steps of a shot with its production; answers their id."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    motion = MotionSet.model_validate(await here.pool.draft.of(shot).run(jobs.motion_of_shot, row.document, order.name))
    id = await here.database.run(lambda c: motions.add_motion(c, row.production_id, motion))
    return str(id)


@router.delete("/productions/{production}/motions/{motion}", status_code=204)
def remove_motion(production: UUID, motion: UUID, here: Context = Depends(context)) -> None:
    here.database.call(lambda c: motions.remove_motion(c, production, motion))
