"""Demo shots whose letters swell like balloons."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.inflate import InflateStep
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, LightsStep, Material, MaterialStep
from moss_crown.core.document.motion import Cadence, DriveStep, Offset, Pivot, ShiverStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Ease
from moss_crown.demo.bent import among
from moss_crown.demo.shots import behind, changed, sun, sweep


def swollen_shots() -> list[Shot]:
    return [regatta()]


def regatta() -> Shot:
    """Balloons of coral foil: they come up limp, are blown up one after the other, and tremble in the wind."""
    foil = Material(colour=(0.96, 0.33, 0.23), metal=1.0, roughness=0.12)
    shot = changed(
        new_shot("Regatta, balloons", "LOWMERE", last=100),
        block=BlockStep(id="block", text="LOWMERE", family="archivo-black", size=1.1, tracking=45.0),
        form=FormStep(id="form", depth=0.17, corners="round", front=EdgeProfile(profile="square")),
        material=MaterialStep(id="material", name="Coral foil", face=foil, edge=foil),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=1.7, turn=20.0),
        lights=LightsStep(
            id="lights",
            name="Noon on the water",
            lights=[
                sun((-4.5, 5.5, 5.0), 0.5, (1.0, 0.93, 0.82), 900.0, 3.0),
                behind("sky", (2.6, 5.2, 4.6), 0.5, (6.0, 3.0), (0.7, 0.86, 1.0), 620.0),
            ],
        ),
        stage=sweep(3.4, (0.03, 0.105, 0.125), 0.8, 0.45),
        camera=CameraStep(id="camera", lens=48.0, fit=0.86, orbit=(-9.0, 4.0)),
    )
    rises = DriveStep(
        id="rises",
        name="Comes up limp",
        pivot=Pivot(place="baseline"),
        reaches=[Cadence(start=4.0, delay=3.0, duration=20.0, ease=Ease(leave=(0.16, 0.55), arrive=(0.3, 1.0)))],
        offset=Offset(move=(0.0, 0.0, 0.35), turn=(-88.0, 0.0, 0.0)),
    )
    fills = InflateStep(
        id="fills",
        name="Blown up",
        wrinkles=0.15,
        stiff=0.05,
        fine="fine",
        reaches=[
            Cadence(way="leave", start=14.0, delay=3.0, duration=24.0, ease=Ease(leave=(0.3, 0.1), arrive=(0.6, 1.0)))
        ],
    )
    wind = ShiverStep(
        id="wind",
        name="Wind",
        pivot=Pivot(place="baseline"),
        move=(0.0, 0.0, 0.0),
        turn=(1.6, 2.4, 1.8),
        tempo=1.1,
        start=16.0,
        fade_in=30.0,
    )
    return among(shot, rises, fills, wind)
