"""Demo shots whose letters break, fall, collide and come whole."""

from __future__ import annotations

from moss_crown.core.document.become import BecomeStep
from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.letters import BlockStep, EmblemStep
from moss_crown.core.document.look import EnvironmentStep, LightsStep, Material, MaterialStep
from moss_crown.core.document.motion import Everywhere, Passage, Pivot
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Ease, Key, Keyed
from moss_crown.core.look.materials import MATERIALS
from moss_crown.demo.bent import among
from moss_crown.demo.shots import behind, changed, sun, sweep

STEADY = Ease(leave=(0.35, 0.0), arrive=(0.6, 1.0))


def broken_shots(emblem: str) -> list[Shot]:
    return [ice_breaks_up(), breakwater(), unloaded(), beacon(emblem)]


def ice_breaks_up() -> Shot:
    """Letters of ice break up from the left, drift, and freeze together again: one value, keyed there and back."""
    shot = changed(
        new_shot("Ice on the sound, there and back", "DRIFT ICE", last=110),
        block=BlockStep(id="block", text="DRIFT ICE", family="archivo-black", size=1.1),
        form=FormStep(id="form", depth=0.34, front=EdgeProfile(profile="chamfer", width=0.03, height=0.03, segments=1)),
        material=MaterialStep(
            id="material",
            name="Old ice",
            face=MATERIALS["frosted-ice"].material,
            edge=MATERIALS["frosted-ice"].material.model_copy(update={"colour": (0.62, 0.86, 0.94)}),
            inside=Material(colour=(0.1, 0.5, 0.68), roughness=0.14, coat=1.0, coat_roughness=0.04),
        ),
        environment=EnvironmentStep(id="environment", preset="overcast", strength=0.55),
        lights=LightsStep(
            id="lights",
            name="Low winter sun",
            lights=[
                sun((-5.0, 3.2, 4.0), 0.5, (1.0, 0.86, 0.68), 1700.0, 2.0),
                behind("sky", (3.0, 7.5, -3.0), 0.6, (5.0, 3.0), (0.6, 0.8, 1.0), 420.0),
            ],
        ),
        stage=sweep(5.0, (0.05, 0.075, 0.09), 0.4, 0.3),
        camera=CameraStep(id="camera", lens=46.0, fit=0.72, orbit=(-9.0, 6.0)),
    )
    there: Keyed[float] = Keyed(
        keys=[
            Key(frame=12.0, value=0.0, ease=STEADY),
            Key(frame=52.0, value=1.0, ease=STEADY),
            Key(frame=60.0, value=1.0, ease=STEADY),
            Key(frame=98.0, value=0.0),
        ]
    )
    breaks = PiecesStep(
        id="breaks",
        name="Breaks up",
        number=26,
        even=0.6,
        reaches=[Passage(passed=there, along=(1.0, 0.25, 0.0), each=0.45, rough=0.2)],
        centre=Pivot(place="centre"),
        outward=0.34,
        move=(0.0, 0.12, 0.5),
        turn=(50.0, 60.0, 40.0),
        spread=0.3,
    )
    return among(shot, breaks)


def breakwater() -> Shot:
    """Initials that were shattered: their shards fly up from the ground and are whole at frame 50."""
    stone = MATERIALS["concrete"].material.model_copy(update={"colour": (0.42, 0.4, 0.37)})
    shot = changed(
        new_shot("Breakwater, whole at frame 50", "L6C", last=80),
        block=BlockStep(id="block", text="L6C", family="anton", size=1.6, tracking=30.0),
        form=FormStep(
            id="form", depth=0.5, front=EdgeProfile(profile="chamfer", width=0.025, height=0.025, segments=1)
        ),
        material=MaterialStep(
            id="material",
            name="Cast stone, iron within",
            face=stone,
            edge=stone,
            inside=Material(colour=(0.52, 0.16, 0.05), roughness=0.55),
        ),
        environment=EnvironmentStep(id="environment", preset="overcast", strength=0.3),
        lights=LightsStep(
            id="lights",
            name="Evening",
            lights=[
                sun((-4.5, 3.4, 4.5), 0.6, (1.0, 0.82, 0.6), 1500.0, 1.5),
                behind("back", (4.0, 4.0, -3.0), 0.8, (2.5, 2.5), (0.55, 0.7, 1.0), 420.0),
            ],
        ),
        stage=sweep(5.5, (0.075, 0.08, 0.085), 0.8, 0.8),
        camera=CameraStep(id="camera", lens=40.0, fit=0.5, orbit=(-14.0, 9.0)),
    )
    shards = PiecesStep(id="shards", name="Shards", number=30, even=0.4, reaches=[Everywhere(level=0.0)])
    mends = BodiesStep(
        id="mends",
        name="Come whole",
        of="piece",
        start=50.0,
        backward=True,
        blow=5.5,
        blow_place=(0.0, 0.5, -1.2),
        blow_reach=3.0,
        chance=0.45,
        gravity=(0.0, -5.0, 0.0),
        friction=0.8,
        bounce=0.2,
    )
    return among(shot, shards, mends)


def unloaded() -> Shot:
    """Letters like crates: let go one after the other, they drop onto the quay, knock each other and lie still."""
    wood, ends = MATERIALS["pine"].material, MATERIALS["walnut"].material
    shot = changed(
        new_shot("Landing stage, unloaded", "CARGO", last=95),
        block=BlockStep(
            id="block", text="CARGO", family="alfa-slab-one", size=0.9, tracking=20.0, move=(0.0, 1.5, 0.0)
        ),
        form=FormStep(
            id="form", depth=0.42, front=EdgeProfile(profile="roundover", width=0.03, height=0.03, segments=4)
        ),
        material=MaterialStep(id="material", name="Crates", face=wood, edge=ends),
        environment=EnvironmentStep(id="environment", preset="overcast", strength=0.5),
        lights=LightsStep(
            id="lights",
            name="Harbour morning",
            lights=[
                sun((-4.0, 5.0, 4.0), 0.5, (1.0, 0.9, 0.76), 1300.0, 2.5),
                behind("rim", (3.5, 8.0, -3.0), 0.6, (3.0, 2.0), (0.7, 0.85, 1.0), 360.0),
            ],
        ),
        stage=sweep(4.5, (0.13, 0.15, 0.15), 0.75, 0.75),
        camera=CameraStep(id="camera", lens=42.0, fit=0.5, orbit=(-12.0, 11.0)),
    )
    drops = BodiesStep(
        id="drops",
        name="Dropped",
        start=6.0,
        delay=6.0,
        thrown=(0.0, -0.5, 0.0),
        spun=(60.0, 90.0, 70.0),
        chance=0.7,
        bounce=0.2,
        friction=0.7,
    )
    return among(shot, drops)


def beacon(emblem: str) -> Shot:
    """The lighthouse of the film unit becomes the name of the place that it stands for: pieces from its foot up fly
    over and are letters."""
    brass = MATERIALS["polished-gold"].material.model_copy(update={"roughness": 0.2})
    shot = changed(
        new_shot("Beacon into a name", "LOWMERE", last=100),
        block=BlockStep(id="block", text="LOWMERE", family="archivo-black", size=0.95, tracking=25.0),
        form=FormStep(id="form", depth=0.22, front=EdgeProfile(profile="chamfer", width=0.02, height=0.02, segments=1)),
        material=MaterialStep(
            id="material",
            name="Gold, dark within",
            face=brass,
            edge=brass,
            inside=Material(colour=(0.3, 0.09, 0.03), metal=1.0, roughness=0.35),
        ),
        environment=EnvironmentStep(id="environment", preset="wide_scrim", strength=1.5),
        lights=LightsStep(
            id="lights",
            name="Lamp room",
            lights=[
                sun((-4.0, 4.5, 5.0), 0.7, (1.0, 0.88, 0.7), 900.0, 2.5),
                behind("rim", (3.5, 5.5, -3.0), 0.8, (3.0, 2.0), (0.55, 0.75, 1.0), 420.0),
            ],
        ),
        stage=sweep(5.0, (0.02, 0.035, 0.045), 0.6, 0.35),
        camera=CameraStep(id="camera", lens=44.0, fit=0.72, orbit=(-8.0, 5.0)),
    )
    light = EmblemStep(id="emblem", name="Lighthouse", emblem=emblem, size=2.0)
    raw = shot.model_dump()
    steps = [light.model_dump(), *raw["steps"]]
    there: Keyed[float] = Keyed(keys=[Key(frame=14.0, value=0.0, ease=STEADY), Key(frame=78.0, value=1.0, ease=STEADY)])
    cut = PiecesStep(id="cut", name="Cut", number=60, reaches=[Everywhere(level=0.0)])
    becomes = BecomeStep(
        id="becomes",
        name="Becomes the name",
        what="emblem",
        into="block",
        reaches=[Passage(passed=there, along=(0.3, 1.0, 0.0), each=0.5, rough=0.12)],
        bow=(0.0, 0.3, 0.9),
    )
    return among(Shot.model_validate({**raw, "steps": steps}), cut, becomes)
