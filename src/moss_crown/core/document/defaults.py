"""A new shot: what an untouched title looks like. Chosen by eye, as a lighting artist would."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.form import FormStep
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, MaterialStep, StageStep
from moss_crown.core.document.motion import DriveStep
from moss_crown.core.document.shot import Shot


def new_shot(
    title: str = "Untitled",
    text: str = "KESTREL TIDE",
    width: int = 1280,
    height: int = 720,
    fps: FrameRate | None = None,
    first: int = 0,
    last: int = 72,
) -> Shot:
    """A lit, bevelled, arriving title. The key comes from the upper left, the fill is cool, metal sees two windows."""
    return Shot(
        title=title,
        width=width,
        height=height,
        fps=fps or FrameRate(),
        first=first,
        last=last,
        steps=[
            BlockStep(id="block", text=text),
            FormStep(id="form"),
            DriveStep(id="arrive", name="Arrive"),
            MaterialStep(id="material", name="Harbour brass"),
            EnvironmentStep(id="environment"),
            LightsStep(
                id="lights",
                name="Key and fill",
                lights=[
                    Light(
                        name="key",
                        place=(-5.0, 3.5, 4.4),
                        aim=(0.0, 0.5, 0.0),
                        width=1.1,
                        height=1.1,
                        colour=(1.0, 0.90, 0.78),
                        power=1900.0,
                    ),
                    Light(
                        name="fill",
                        place=(7.0, 3.0, 5.5),
                        aim=(0.0, 0.5, 0.0),
                        width=3.0,
                        height=3.0,
                        colour=(0.70, 0.85, 1.0),
                        power=170.0,
                    ),
                ],
            ),
            StageStep(id="stage"),
            CameraStep(id="camera"),
        ],
    )
