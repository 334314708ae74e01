"""The bundled families: a list, their files for the browser, their licences."""

from __future__ import annotations

from pathlib import Path

from fastapi import APIRouter
from fastapi.responses import FileResponse

from moss_crown.core.type.families import FALLBACK, FAMILIES, FOLDER, Family
from moss_crown.server.errors import FileMissing
from moss_crown.server.schemas import FamilyOut

router = APIRouter(prefix="/api/families", tags=["type"])
ALL = {**FAMILIES, FALLBACK.id: FALLBACK}
YEAR = {"cache-control": "public, max-age=31536000"}


@router.get("")
def list_families() -> list[FamilyOut]:
    return [
        FamilyOut(id=f.id, name=f.name, character=f.character, licence=f"/api/families/{f.id}/licence")
        for f in FAMILIES.values()
    ]


def _family(id: str) -> Family:
    if id not in ALL:
        raise FileMissing(f"family {id}")
    return ALL[id]


@router.get("/{id}/font", response_class=FileResponse)
def font(id: str) -> FileResponse:
    path: Path = _family(id).paths()[0]
    return FileResponse(path, media_type="font/ttf", headers=YEAR)


@router.get("/{id}/licence", response_class=FileResponse)
def licence(id: str) -> FileResponse:
    return FileResponse(FOLDER / _family(id).licence, media_type="text/plain; charset=utf-8")
