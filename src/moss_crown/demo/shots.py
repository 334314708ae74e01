"""The demo production: title shots of an invented series about a tidal island."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.kinds import Colour, Vec2, Vec3
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, Material, MaterialStep, StageStep
from moss_crown.core.document.motion import Cadence, DriveStep, Offset
from moss_crown.core.document.shot import Shot, Step
from moss_crown.core.document.values import Ease, Key, Keyed
from moss_crown.core.form.profile import ProfileKind

PRODUCTION = "Lowmere: Six Crossings"
GENTLE = Ease(leave=(0.3, 0.0), arrive=(0.2, 1.0))


def _edge(profile: ProfileKind, size: float, segments: int) -> EdgeProfile:
    return EdgeProfile(profile=profile, width=size, height=size, segments=segments)


def demo_shots() -> list[Shot]:
    return [kestrel_tide(), salt_roads(), lamp_keepers(), slack_water(), film_unit()]


def kestrel_tide() -> Shot:
    """The main title: brass letters tip up out of the floor in reading order while the camera comes slowly nearer."""
    shot = new_shot("Kestrel Tide, main title", "KESTREL TIDE", last=96)
    return changed(
        shot,
        camera=CameraStep(
            id="camera",
            name="Slow push",
            fit=Keyed(keys=[Key(frame=0, value=0.72, ease=GENTLE), Key(frame=96, value=0.84)]),
            orbit=Keyed(keys=[Key(frame=0, value=(-7.0, 5.5), ease=GENTLE), Key(frame=96, value=(3.0, 4.0))]),
        ),
    )


def salt_roads() -> Shot:
    """An episode card in two lines of inscription capitals, white plaster over a red edge, in the low glow of dusk."""
    return changed(
        new_shot("Salt Roads", "SALT\nROADS", last=84),
        block=BlockStep(id="block", text="SALT\nROADS", family="cinzel", tracking=60.0, leading=1.32),
        form=FormStep(id="form", depth=0.34, front=_edge("chamfer", 0.022, 1)),
        drive=DriveStep(
            id="arrive",
            name="Arrive from the left",
            offset=Offset(move=(-0.9, 0.0, 0.5), turn=(0.0, -75.0, 0.0)),
            reaches=[Cadence(start=3.0, delay=3.0, duration=30.0)],
        ),
        material=MaterialStep(
            id="material",
            name="Chalk and oxide",
            face=Material(colour=(0.78, 0.75, 0.69), roughness=0.55),
            edge=Material(colour=(0.46, 0.07, 0.035), roughness=0.35),
        ),
        environment=EnvironmentStep(id="environment", preset="dusk_harbour", strength=1.0),
        lights=LightsStep(
            id="lights",
            name="Low key",
            lights=[
                Light(
                    name="key",
                    place=(5.2, 3.6, 4.6),
                    aim=(0.0, 1.0, 0.0),
                    width=0.9,
                    height=0.9,
                    colour=(1.0, 0.74, 0.5),
                    power=1500.0,
                ),
                Light(
                    name="fill",
                    place=(-6.0, 4.0, 4.0),
                    aim=(0.0, 1.0, 0.0),
                    width=3.0,
                    height=3.0,
                    colour=(0.45, 0.62, 1.0),
                    power=260.0,
                ),
            ],
        ),
        stage=StageStep(
            id="stage",
            wall_distance=0.9,
            wall_material=Material(colour=(0.16, 0.15, 0.17), roughness=0.7),
            floor_material=Material(colour=(0.10, 0.09, 0.09), roughness=0.32),
        ),
        camera=CameraStep(id="camera", lens=50.0, fit=0.5, orbit=(8.0, 3.0)),
    )


def lamp_keepers() -> Shot:
    """A slab serif in green lacquer with polished edges, lit by one lamp from above; letters drop in and settle."""
    return changed(
        new_shot("The Lamp Keepers", "THE LAMP\nKEEPERS", last=90),
        block=BlockStep(id="block", text="THE LAMP\nKEEPERS", family="alfa-slab-one", tracking=30.0, leading=1.3),
        form=FormStep(id="form", depth=0.3, front=_edge("roundover", 0.035, 6)),
        drive=DriveStep(
            id="arrive",
            name="Drop in",
            offset=Offset(move=(0.0, 2.4, 0.0), turn=(0.0, 0.0, 14.0)),
            reaches=[Cadence(start=2.0, delay=2.0, duration=20.0, ease=Ease(leave=(0.25, 0.35), arrive=(0.45, 1.18)))],
        ),
        material=MaterialStep(
            id="material",
            name="Lacquer and nickel",
            face=Material(colour=(0.012, 0.10, 0.062), roughness=0.22),
            edge=Material(colour=(0.83, 0.80, 0.74), metal=1.0, roughness=0.14),
        ),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=0.8, turn=25.0),
        lights=LightsStep(
            id="lights",
            name="Lamp and rim",
            lights=[
                Light(
                    name="lamp",
                    place=(-1.5, 6.5, 3.6),
                    aim=(0.0, 0.8, -0.2),
                    width=0.8,
                    height=0.8,
                    colour=(1.0, 0.86, 0.66),
                    power=1700.0,
                ),
                Light(
                    name="rim",
                    place=(7.0, 3.0, 2.2),
                    aim=(0.0, 1.0, 0.0),
                    width=0.5,
                    height=1.6,
                    colour=(0.7, 0.86, 1.0),
                    power=520.0,
                ),
            ],
        ),
        camera=CameraStep(id="camera", lens=40.0, fit=0.62, orbit=(-5.0, 6.0)),
    )


def slack_water() -> Shot:
    """Rounded letters in pale ceramic inside a paper tent; the title floats in and turns, from the last letter on."""
    return changed(
        new_shot("Slack Water", "slack water", last=80),
        block=BlockStep(id="block", text="slack water", family="fredoka", tracking=10.0),
        form=FormStep(id="form", depth=0.4, front=_edge("roundover", 0.07, 8)),
        drive=DriveStep(
            id="arrive",
            name="Float in",
            offset=Offset(move=(0.4, 0.9, 1.4), turn=(40.0, 70.0, 0.0), scale=(0.4, 0.4, 0.4)),
            reaches=[Cadence(order="reverse", start=2.0, delay=3.0, duration=28.0)],
        ),
        material=MaterialStep(
            id="material",
            name="Ceramic",
            face=Material(colour=(0.60, 0.71, 0.70), roughness=0.18),
            edge=Material(colour=(0.60, 0.71, 0.70), roughness=0.18),
        ),
        environment=EnvironmentStep(id="environment", preset="paper_tent", strength=0.5),
        lights=LightsStep(
            id="lights",
            name="Window",
            lights=[
                Light(
                    name="window",
                    place=(-5.0, 4.6, 4.0),
                    aim=(0.0, 0.5, 0.0),
                    width=1.4,
                    height=1.4,
                    colour=(1.0, 0.95, 0.87),
                    power=1300.0,
                )
            ],
        ),
        stage=StageStep(
            id="stage",
            wall_distance=1.6,
            wall_material=Material(colour=(0.13, 0.22, 0.24), roughness=0.8),
            floor_material=Material(colour=(0.13, 0.20, 0.21), roughness=0.35),
        ),
    )


def film_unit() -> Shot:
    """The bumper of the film unit: a stencil in brushed steel, the whole block keyed in size and turn."""
    return changed(
        new_shot("Lowmere Film Unit, bumper", "LOWMERE\nFILM UNIT", last=60),
        block=BlockStep(
            id="block",
            text="LOWMERE\nFILM UNIT",
            family="stardos-stencil",
            tracking=70.0,
            leading=1.28,
            turn=Keyed(keys=[Key(frame=0, value=(0.0, -38.0, 0.0), ease=GENTLE), Key(frame=48, value=(0.0, 0.0, 0.0))]),
            scale=Keyed(
                keys=[Key(frame=0, value=(0.82, 0.82, 0.82), ease=GENTLE), Key(frame=48, value=(1.0, 1.0, 1.0))]
            ),
        ),
        form=FormStep(id="form", depth=0.22, front=_edge("chamfer", 0.016, 1)),
        drive=DriveStep(id="arrive", name="Arrive", on=False),
        material=MaterialStep(
            id="material",
            name="Steel",
            face=Material(colour=(0.56, 0.57, 0.58), metal=1.0, roughness=0.3),
            edge=Material(colour=(0.80, 0.81, 0.83), metal=1.0, roughness=0.12),
        ),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=0.9, turn=-20.0),
        stage=StageStep(
            id="stage", wall_distance=3.4, wall_material=Material(colour=(0.075, 0.085, 0.095), roughness=0.6)
        ),
        camera=CameraStep(id="camera", lens=45.0, fit=0.6, orbit=(0.0, 5.0)),
    )


def changed(shot: Shot, **steps: Step) -> Shot:
    """The shot with some of its steps replaced, by kind; the order of the recipe stays."""
    return Shot.model_validate(
        {**shot.model_dump(), "steps": [(steps.get(step.kind) or step).model_dump() for step in shot.steps]}
    )


def sweep(distance: float, colour: Colour, wall: float, floor: float) -> StageStep:
    """One colour from floor to wall, each as rough as that."""
    return StageStep(
        id="stage",
        shape="sweep",
        wall_distance=distance,
        wall_material=Material(colour=colour, roughness=wall),
        floor_material=Material(colour=colour, roughness=floor),
    )


def sun(place: Vec3, high: float, colour: Colour, power: float, angle: float) -> Light:
    """Aimed so high above the middle of the floor."""
    return Light(name="sun", shape="sun", place=place, aim=(0.0, high, 0.0), colour=colour, power=power, angle=angle)


def behind(name: str, place: Vec3, high: float, size: Vec2, colour: Colour, power: float) -> Light:
    """A rectangle behind the letters, aimed so high, that leaves the stage dark."""
    width, height = size
    return Light(
        name=name,
        shape="rectangle",
        place=place,
        aim=(0.0, high, 0.0),
        width=width,
        height=height,
        colour=colour,
        power=power,
        on_stage=False,
    )
