"""A new shot: what an untouched title looks like. Chosen by eye, as a lighting artist would."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, Material, MaterialStep, StageStep
from moss_crown.core.document.motion import DriveStep
from moss_crown.core.document.shot import Shot

BACKGROUND = (0.016, 0.022, 0.021)
"""Darker than any letter that is lit: titles stand off from it."""


def new_shot(
    title: str = "Untitled",
    text: str = "KESTREL TIDE",
    width: int = 1280,
    height: int = 720,
    fps: FrameRate | None = None,
    first: int = 0,
    last: int = 72,
) -> Shot:
    """A lit, bevelled, arriving title on a floor that goes over into the dark. The key comes from the upper left, a
    cool rim from behind, and metal sees a wide scrim: so any words, in any metal, are lit alike from the first letter
    to the last, and stand off from what is behind them."""
    return Shot(
        title=title,
        width=width,
        height=height,
        fps=fps or FrameRate(),
        first=first,
        last=last,
        steps=[
            BlockStep(id="block", text=text),
            FormStep(id="form", front=EdgeProfile(width=0.1, height=0.1, of_stem=True)),
            DriveStep(id="arrive", name="Arrive"),
            MaterialStep(id="material", name="Harbour brass"),
            EnvironmentStep(id="environment", preset="wide_scrim"),
            LightsStep(
                id="lights",
                name="Sun and rim",
                lights=[
                    # A sun lights the first letter as it does the last, however long the title gets.
                    Light(
                        name="key",
                        shape="sun",
                        place=(-5.0, 5.5, 6.5),
                        aim=(0.0, 0.5, 0.0),
                        angle=22.0,
                        colour=(1.0, 0.93, 0.84),
                        power=2000.0,
                        # Its gleam on the floor would stand under some letters and not under others.
                        mirrored_stage=False,
                    ),
                    Light(
                        name="rim",
                        shape="sun",
                        place=(4.0, 5.0, -3.5),
                        aim=(0.0, 0.5, 0.0),
                        angle=22.0,
                        colour=(0.80, 0.90, 1.0),
                        power=480.0,
                        on_stage=False,
                    ),
                ],
            ),
            StageStep(
                id="stage",
                wall_distance=14.0,
                horizon=4.5,
                horizon_colour=BACKGROUND,
                floor_material=Material(colour=(0.014, 0.017, 0.016), roughness=0.38),
            ),
            CameraStep(id="camera"),
        ],
    )
