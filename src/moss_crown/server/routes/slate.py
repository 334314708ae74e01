"""Productions and the shots on the slate."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Depends, Request, Response

from moss_crown.core.assets import assets_of
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.kinds import FrameRate
from moss_crown.server import editing
from moss_crown.server.context import Context, context
from moss_crown.server.db import shots, storage, takes
from moss_crown.server.errors import FileMissing
from moss_crown.server.guard import PlainRoute
from moss_crown.server.schemas import (
    MakeRoom,
    NewProduction,
    NewShot,
    ProductionOut,
    ShotCard,
    ShotDefaults,
    ShotMove,
    SlateOrder,
    StoredOut,
)

router = APIRouter(prefix="/api", tags=["slate"], route_class=PlainRoute)
files = APIRouter(prefix="/api", tags=["slate"])
"""Files are read elsewhere, whatever they hold."""
SHOT_FILE = {"requestBody": {"required": True, "content": {"application/json": {"schema": {"type": "object"}}}}}


@router.get("/productions")
def list_productions(here: Context = Depends(context)) -> list[ProductionOut]:
    rows = here.database.call(shots.list_productions)
    return [ProductionOut(id=r.id, name=r.name, defaults=ShotDefaults(**r.defaults), shots=r.shots) for r in rows]


@router.post("/productions", status_code=201)
def add_production(new: NewProduction, here: Context = Depends(context)) -> UUID:
    defaults = ShotDefaults().model_dump(mode="json")
    return here.database.call(lambda c: shots.add_production(c, new.name, defaults))


@router.patch("/productions/{production}", status_code=204)
def rename_production(production: UUID, new: NewProduction, here: Context = Depends(context)) -> None:
    here.database.call(lambda c: shots.rename_production(c, production, new.name))


@router.get("/productions/{production}/storage")
def list_storage(production: UUID, here: Context = Depends(context)) -> list[StoredOut]:
    """What a production takes up, by kind, and what of it may go by which rule."""
    return [StoredOut(**asdict(one)) for one in here.database.call(lambda c: storage.stored(c, production))]


@router.post("/productions/{production}/storage/make-room")
def make_room(production: UUID, order: MakeRoom, here: Context = Depends(context)) -> list[StoredOut]:
    """Let go of what may go of these kinds; answers what is left. It cannot be brought back."""

    def work(c: Any) -> list[storage.Stored]:
        storage.make_room(c, production, order.kinds)
        return storage.stored(c, production)

    return [StoredOut(**asdict(one)) for one in here.database.call(work)]


@router.get("/productions/{production}/shots")
def list_shots(production: UUID, here: Context = Depends(context)) -> list[ShotCard]:
    def work(c: Any) -> list[ShotCard]:
        posters = shots.list_posters(c, production)
        newest = takes.newest_takes(c, production)
        cards = []
        for row in shots.list_shots(c, production):
            head, poster, take = row.head, posters.get(row.id), newest.get(row.id)
            fps = FrameRate.model_validate(head["fps"])
            cards.append(
                ShotCard(
                    id=row.id,
                    title=head["title"],
                    width=head["width"],
                    height=head["height"],
                    seconds=float((head["last"] - head["first"] + 1) / fps.fraction),
                    revision=row.revision,
                    updated_at=row.updated_at,
                    poster=poster.revision if poster else 0,
                    strip=poster.strip if poster else [],
                    letters=poster.letters if poster else 0,
                    texts=row.texts,
                    take=_told(take) if take else "",
                )
            )
        return cards

    return here.database.call(work)


@router.put("/productions/{production}/order", status_code=204)
def order_shots(production: UUID, order: SlateOrder, here: Context = Depends(context)) -> None:
    """Put shots into an order by hand; those that are not named come after them."""
    here.database.call(lambda c: shots.order_shots(c, production, order.shots))


def _told(take: takes.TakeRow) -> str:
    total = len(take.take_orders.frames)
    if take.state == "done":
        return f"take {take.number} delivered"
    if take.state == "failed":
        return f"take {take.number} failed"
    return f"take {take.number}, {take.done} of {total} frames"


@router.post("/productions/{production}/shots", status_code=201)
def add_shot(production: UUID, new: NewShot, here: Context = Depends(context)) -> UUID:
    # Validated as a document: bounds that span members (last before first) are refused here as everywhere.
    raw = write_shot(new_shot()) | {
        "title": new.title,
        "width": new.width,
        "height": new.height,
        "fps": new.fps.model_dump(),
        "first": new.first,
        "last": new.last,
    }
    raw["steps"][0]["text"] = new.text
    shot = read_shot(raw)
    return here.database.call(lambda c: shots.add_shot(c, production, write_shot(shot), assets_of(shot)))


@files.post("/productions/{production}/import", status_code=201, openapi_extra=SHOT_FILE)
async def import_shot(production: UUID, request: Request, here: Context = Depends(context)) -> UUID:
    """Bring in a shot file. Answers the new shot's id."""
    found = await here.pool.edit.run(editing.brought_in, await request.body())
    return await here.database.run(lambda c: shots.add_shot(c, production, found.document, found.assets))


@router.post("/shots/{shot}/duplicate", status_code=201)
def duplicate_shot(shot: UUID, here: Context = Depends(context)) -> UUID:
    return here.database.call(lambda c: shots.copy_shot(c, shot))


@router.post("/shots/{shot}/move", status_code=204)
def move_shot(shot: UUID, order: ShotMove, here: Context = Depends(context)) -> None:
    """Put a shot into another production, with the fonts, emblems and pictures that it needs."""
    here.database.call(lambda c: shots.move_shot(c, shot, order.production))


@router.delete("/shots/{shot}", status_code=204)
def delete_shot(shot: UUID, here: Context = Depends(context)) -> None:
    here.database.call(lambda c: shots.set_deleted(c, shot, True))


@router.post("/shots/{shot}/restore", status_code=204)
def restore_shot(shot: UUID, here: Context = Depends(context)) -> None:
    here.database.call(lambda c: shots.set_deleted(c, shot, False))


@router.get("/shots/{shot}/poster", response_class=Response)
def poster(shot: UUID, here: Context = Depends(context)) -> Response:
    found = here.database.call(lambda c: shots.load_poster(c, shot))
    if found is None:
        raise FileMissing("poster")
    return Response(found[1], media_type="image/png", headers={"cache-control": "no-cache"})
