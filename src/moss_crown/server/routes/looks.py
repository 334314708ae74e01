"""What titles are made of: the catalogue of materials, and the textures as the draft draws them."""

from __future__ import annotations

from fastapi import APIRouter, Response
from fastapi.responses import FileResponse

from moss_crown.core.look.glsl import texture_source
from moss_crown.core.look.materials import CONTROLS, MATERIALS, SWATCHES
from moss_crown.core.look.patterns import NAMES
from moss_crown.server.errors import FileMissing
from moss_crown.server.schemas import MaterialOut

router = APIRouter(prefix="/api", tags=["looks"])
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
def texture(pattern: str) -> Response:
    """A pattern as GLSL ES 3.00 functions."""
    if pattern not in NAMES:
        raise FileMissing(f"pattern {pattern}")
    return Response(texture_source(pattern), media_type="text/plain", headers=A_DAY)
