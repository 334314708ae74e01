"""Fonts, emblems and pictures that were brought in: what of them a shot names, and what this process has of them."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from moss_crown.core.document.deform import WrapStep
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.look import EnvironmentStep, Material, MaterialStep, StageStep
from moss_crown.core.document.motion import ReachingStep
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Keyed
from moss_crown.core.errors import FamilyUnknown, PictureUnknown
from moss_crown.core.look import pictures
from moss_crown.core.type import emblem, families, shape
from moss_crown.core.type.families import FAMILIES
from moss_crown.core.type.ornaments import ORNAMENTS


@dataclass(frozen=True)
class Asset:
    """A font, an emblem or a picture that was brought in: id by content, kind, name, facts and bytes."""

    id: str
    kind: str
    name: str
    facts: dict[str, Any]
    data: bytes


def bring_in(asset: Asset) -> None:
    """Make an asset known to this process. Once is enough; again changes nothing."""
    if asset.kind == "font":
        if families.bring_in(asset.id, asset.name, asset.data, tuple(asset.facts.get("scripts", ()))):
            shape.forget()
    elif asset.kind == "picture":
        pictures.bring_in(asset.id, asset.data)
    else:
        emblem.bring_in(emblem.read(asset.id, asset.facts))


def begin_with(ids: Iterable[str]) -> None:
    """Work begins that names these: none of them is let go while it lasts, older ones are where room is short."""
    wanted = frozenset(ids)
    fonts, emblems = families.OWN.begin(wanted), emblem.OWN.begin(wanted)
    if fonts or emblems:
        shape.forget()
    pictures.OWN.begin(wanted)


def is_at_hand(id: str) -> bool:
    """Can letters of this family, parts of this emblem, or this picture be drawn in this process?"""
    return families.is_known(id) or emblem.is_known(id) or pictures.is_known(id)


def assets_of(shot: Shot) -> dict[str, str]:
    """Every family, picture, and emblem that is not bundled, that a shot names, with the first place that names it."""
    found: dict[str, str] = {}
    for index, step in enumerate(shot.steps):
        if isinstance(step, BlockStep):
            named: list[tuple[str, Any]] = [(f"/steps/{index}/family", step.family)]
            named.append((f"/steps/{index}/baseline/emblem", step.baseline.emblem))
            named += [(f"/steps/{index}/patterns/{k}/family", p.family) for k, p in enumerate(step.patterns)]
            named += [(f"/steps/{index}/overrides/{k}/family", o.family) for k, o in enumerate(step.overrides)]
        elif isinstance(step, EmblemStep):
            named = [(f"/steps/{index}/emblem", step.emblem)]
        elif isinstance(step, EnvironmentStep):
            named = [(f"/steps/{index}/preset", step.preset), (f"/steps/{index}/backdrop", step.backdrop)]
        elif isinstance(step, ReachingStep):
            named = [
                (f"/steps/{index}/reaches/{k}/picture", reach.picture)
                for k, reach in enumerate(step.reaches)
                if reach.kind in ("picture", "passage")
            ]
            if isinstance(step, WrapStep):
                named.append((f"/steps/{index}/path/emblem", step.path.emblem))
            if isinstance(step, PiecesStep):
                named.append((f"/steps/{index}/line/emblem", step.line.emblem))
        elif isinstance(step, MaterialStep | StageStep):
            named = [
                (f"/steps/{index}/{part}/pictures/{map}", getattr(material.pictures, map))
                for part, material in step
                if isinstance(material, Material)
                for map in ("colour", "roughness", "bump")
            ]
        else:
            continue
        for path, value in named:
            for family in [key.value for key in value.keys] if isinstance(value, Keyed) else [value]:
                if family is None or family in ORNAMENTS:
                    continue
                if step.kind != "environment" or pictures.is_picture(family):
                    found.setdefault(str(family), path)
    return found


def check_assets(shot: Shot, own: Container[str] = ()) -> None:
    """Raise FamilyUnknown or PictureUnknown for the first place that names what is neither bundled nor one's own."""
    check_named(assets_of(shot), own)


def check_named(named: Mapping[str, str], own: Container[str]) -> None:
    """The same for what `assets_of` answered."""
    for id, path in named.items():
        if id not in FAMILIES and id not in own:
            raise unknown(id, path)


def unknown(id: str, field: str = "") -> FamilyUnknown | PictureUnknown:
    """What to raise for a font, an emblem or a picture that is nowhere, and the field that names it."""
    return PictureUnknown(field or "picture", id) if pictures.is_picture(id) else FamilyUnknown(field or "family", id)
