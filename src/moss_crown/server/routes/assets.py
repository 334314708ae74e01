"""What users bring in: fonts, emblems and pictures of a production."""

from __future__ import annotations

from typing import Any, Literal
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Request

from moss_crown.core.assets import Asset
from moss_crown.core.errors import FileRefused
from moss_crown.core.type.drawing import box_of, path_of
from moss_crown.core.type.ornaments import ORNAMENTS
from moss_crown.server.context import Context, context
from moss_crown.server.db import assets
from moss_crown.server.errors import ComputeFailed, ComputeTooLong
from moss_crown.server.guard import PlainRoute
from moss_crown.server.named import reading
from moss_crown.server.pool import READER_SECONDS, VIEWER_SECONDS
from moss_crown.server.schemas import AssetOut

router = APIRouter(prefix="/api/productions/{production}/assets", tags=["assets"], route_class=PlainRoute)
Kind = Literal["font", "emblem", "picture"]


def _shown(facts: dict[str, Any]) -> dict[str, Any]:
    return {name: facts[name] for name in ("remarks", "path", "box") if name in facts}


def _out(id: str, kind: str, name: str, facts: dict[str, Any], bundled: bool = False) -> AssetOut:
    shown = {"remarks": [], "path": "", "box": []} | _shown(facts)
    return AssetOut(id=id, kind=kind, name=name, bundled=bundled, **shown)


@router.get("")
def list_assets(production: UUID, kind: Kind, here: Context = Depends(context)) -> list[AssetOut]:
    """Those that the production brought in, then, of emblems, those that ship with the application."""
    rows = here.database.call(lambda c: assets.list_assets(c, production, kind))
    bundled = [
        _out(o.id, kind, o.name, {"path": path_of(o.parts), "box": box_of(o.parts)}, bundled=True)
        for o in (ORNAMENTS.values() if kind == "emblem" else ())
    ]
    return [_out(row.id, row.kind, row.name, row.facts) for row in rows] + bundled


@router.post("", status_code=201)
async def add_asset(
    production: UUID,
    kind: Kind,
    request: Request,
    name: str = Query(min_length=1, max_length=200),
    here: Context = Depends(context),
) -> list[AssetOut]:
    """Bring in a font file, an SVG drawing or a picture as the request's body. Of a collection every face is kept.

    The file is taken apart in a process with a limit of time and room; what is refused changes nothing.
    """
    raw = await request.body()
    if not raw:
        raise FileRefused("file", "a file", "the file is empty")
    try:
        found = await _read(here, kind, name, raw)
    except (ComputeTooLong, ComputeFailed) as beyond:
        seconds, room = (VIEWER_SECONDS, "1 GB") if kind == "picture" else (READER_SECONDS, "512 MB")
        bound = f"{seconds:.0f} seconds and {room}"
        raise FileRefused("file", bound, f"the file takes too much to read: {beyond}") from None

    def keep(connection: Any) -> None:
        for asset in found:
            assets.add_asset(connection, production, asset)

    await here.database.run(keep)
    return [_out(a.id, a.kind, a.name, a.facts) for a in found]


async def _read(here: Context, kind: Kind, name: str, raw: bytes) -> list[Asset]:
    if kind == "font":
        faces = await here.pool.reader.run(reading.font, raw)
        return [
            Asset(f.id, kind, f.name, {"scripts": list(f.scripts), "remarks": list(f.remarks)}, f.raw) for f in faces
        ]
    plain = "".join(c for c in name if c.isprintable()).rsplit(".", 1)[0][:80] or kind
    if kind == "picture":
        picture = await here.pool.viewer.run(reading.picture, raw)
        facts = {"width": picture.width, "height": picture.height, "remarks": list(picture.remarks)}
        return [Asset(picture.id, kind, plain, facts, picture.packed)]
    emblem = await here.pool.reader.run(reading.emblem, raw)
    return [Asset(emblem.id, kind, plain, emblem.facts() | {"remarks": list(emblem.remarks)}, raw)]


@router.delete("/{id}", status_code=204)
def remove_asset(production: UUID, id: str, here: Context = Depends(context)) -> None:
    """Take it out of the choosers. Shots that use it keep it."""
    here.database.call(lambda c: assets.remove_asset(c, production, id))
