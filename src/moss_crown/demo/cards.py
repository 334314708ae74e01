"""Demo shots that show lettering: a large first letter, an arc, a ring of rows, an emblem, a right-to-left card."""

from __future__ import annotations

from pathlib import Path

from moss_crown.core.assets import Asset
from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.letters import Baseline, BlockStep, EmblemStep, Pattern
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, Material, MaterialStep, StageStep
from moss_crown.core.document.motion import Cadence, DriveStep, Offset
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Ease, Key, Keyed
from moss_crown.core.formats.svg_file import read_svg
from moss_crown.demo.shots import changed

GENTLE = Ease(leave=(0.3, 0.0), arrive=(0.2, 1.0))
DARK_WALL = Material(colour=(0.035, 0.043, 0.05), roughness=0.6)


def film_unit_emblem() -> Asset:
    """The film unit's lighthouse, as an asset of the demo production."""
    raw = (Path(__file__).parent / "film_unit.svg").read_bytes()
    emblem = read_svg(raw)
    return Asset(emblem.id, "emblem", "Film unit", emblem.facts() | {"remarks": list(emblem.remarks)}, raw)


def cards() -> list[Shot]:
    return [episode_card(), harbour_fair(), ring_of_crossings(), lighthouse(film_unit_emblem().id), sea_of_salt()]


def episode_card() -> Shot:
    """An episode's card: two lines filled to one width, every word with a large first letter, ogee edges in pewter."""
    return changed(
        new_shot("Episode three, card", "THE THIRD\nCROSSING", last=72),
        block=BlockStep(
            id="block",
            text="THE THIRD\nCROSSING",
            family="cinzel",
            axes={"wght": 800},
            align="fill",
            leading=1.3,
            patterns=[
                Pattern(name="First letter of each word larger", pick="first", within="word", size=1.28, depth=1.25)
            ],
        ),
        form=FormStep(
            id="form",
            depth=0.3,
            front=EdgeProfile(profile="ogee", width=0.05, height=0.045, segments=5),
        ),
        drive=DriveStep(
            id="arrive",
            name="Rise",
            offset=Offset(move=(0.0, -0.5, 0.6), turn=(55.0, 0.0, 0.0), scale=(0.8, 0.8, 0.8)),
            reaches=[Cadence(start=2.0, delay=1.5, duration=26.0)],
        ),
        material=MaterialStep(
            id="material",
            name="Pewter",
            face=Material(colour=(0.66, 0.66, 0.63), metal=1.0, roughness=0.28),
            edge=Material(colour=(0.78, 0.77, 0.73), metal=1.0, roughness=0.16),
        ),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=0.9, turn=12.0),
        stage=StageStep(id="stage", wall_distance=1.8, wall_material=DARK_WALL),
        camera=CameraStep(id="camera", lens=50.0, fit=0.64, orbit=(-7.0, 4.0)),
    )


def harbour_fair() -> Shot:
    """Soft old-style letters on an arc, with beads along their edges, in red enamel before a chalk wall."""
    return changed(
        new_shot("Harbour Fair, arc", "HARBOUR FAIR", last=80),
        block=BlockStep(
            id="block",
            text="HARBOUR FAIR",
            family="fraunces",
            axes={"wght": 900, "SOFT": 100, "opsz": 144},
            tracking=45.0,
            baseline=Baseline(kind="arc", radius=6.4),
        ),
        form=FormStep(id="form", depth=0.26, front=EdgeProfile(profile="bead", width=0.045, height=0.035, segments=5)),
        drive=DriveStep(
            id="arrive",
            name="Swing up",
            offset=Offset(move=(0.0, -0.9, 0.0), turn=(0.0, 0.0, -70.0), scale=(0.2, 0.2, 0.2)),
            reaches=[Cadence(start=2.0, delay=2.0, duration=24.0, ease=Ease(leave=(0.25, 0.4), arrive=(0.4, 1.25)))],
        ),
        material=MaterialStep(
            id="material",
            name="Enamel",
            face=Material(colour=(0.42, 0.018, 0.014), roughness=0.2),
            edge=Material(colour=(0.86, 0.62, 0.28), metal=1.0, roughness=0.2),
        ),
        environment=EnvironmentStep(id="environment", preset="paper_tent", strength=0.42),
        lights=LightsStep(
            id="lights",
            name="Afternoon",
            lights=[
                Light(
                    name="key",
                    place=(-4.5, 5.0, 5.0),
                    aim=(0.0, 1.0, 0.0),
                    width=0.8,
                    height=0.8,
                    colour=(1.0, 0.88, 0.7),
                    power=1900.0,
                )
            ],
        ),
        stage=StageStep(
            id="stage",
            wall_distance=0.75,
            wall_material=Material(colour=(0.44, 0.43, 0.38), roughness=0.8),
            floor_material=Material(colour=(0.30, 0.28, 0.24), roughness=0.5),
        ),
        camera=CameraStep(id="camera", lens=55.0, fit=0.74, orbit=(4.0, 3.0)),
    )


def ring_of_crossings() -> Shot:
    """Three rows around a drum that turns once; the camera looks slightly down into the ring."""
    text = "SIX CROSSINGS · SIX CROSSINGS · \nLOWMERE · LOWMERE · LOWMERE · \nONE TIDE · ONE TIDE · ONE TIDE · "
    return changed(
        new_shot("Ring of crossings", text, last=100),
        block=BlockStep(
            id="block",
            text=text,
            family="league-spartan",
            axes={"wght": 800},
            size=0.62,
            leading=1.5,
            baseline=Baseline(
                kind="drum",
                radius=2.9,
                spread=True,
                start=Keyed(
                    keys=[
                        Key(frame=0, value=0.0, ease=Ease(leave=(1 / 3, 1 / 3), arrive=(2 / 3, 2 / 3))),
                        Key(frame=100, value=60.0),
                    ]
                ),
            ),
            patterns=[
                Pattern(name="Every second line smaller", unit="line", pick="every", every=2, start=2, size=0.72)
            ],
        ),
        form=FormStep(id="form", depth=0.12, front=EdgeProfile(profile="roundover", width=0.02, height=0.02)),
        drive=DriveStep(id="arrive", name="Arrive", on=False),
        material=MaterialStep(
            id="material",
            name="Copper",
            face=Material(colour=(0.93, 0.56, 0.42), metal=1.0, roughness=0.2),
            edge=Material(colour=(0.62, 0.26, 0.16), metal=1.0, roughness=0.2),
        ),
        stage=StageStep(id="stage", wall_distance=8.5, wall_material=DARK_WALL),
        camera=CameraStep(id="camera", lens=35.0, fit=0.58, orbit=(0.0, 13.0)),
    )


def lighthouse(emblem: str) -> Shot:
    """The film unit's emblem in the colours of its drawing; its parts come forward one after the other."""
    shot = changed(
        new_shot("Film unit, emblem", "LOWMERE FILM UNIT", last=72),
        block=BlockStep(
            id="block",
            text="LOWMERE FILM UNIT",
            family="big-shoulders-stencil",
            axes={"wght": 700},
            size=0.34,
            tracking=140.0,
        ),
        form=FormStep(
            id="form", depth=0.22, front=EdgeProfile(profile="chamfer", width=0.012, height=0.012, segments=1)
        ),
        drive=DriveStep(
            id="arrive",
            name="Come forward",
            offset=Offset(move=(0.0, 0.0, -0.9), turn=(0.0, 40.0, 0.0), scale=(0.0, 0.0, 0.0)),
            reaches=[Cadence(start=0.0, delay=2.5, duration=22.0, ease=Ease(leave=(0.2, 0.5), arrive=(0.4, 1.15)))],
        ),
        material=MaterialStep(
            id="material",
            name="Painted tin",
            face=Material(colour=(0.72, 0.68, 0.6), roughness=0.3),
            edge=Material(colour=(0.30, 0.30, 0.28), metal=1.0, roughness=0.3),
        ),
        environment=EnvironmentStep(id="environment", preset="overcast", strength=0.75),
        stage=StageStep(
            id="stage", wall_distance=0.55, wall_material=Material(colour=(0.02, 0.05, 0.06), roughness=0.7)
        ),
        camera=CameraStep(id="camera", lens=55.0, fit=0.44, orbit=(-9.0, 3.0), shift=(0.0, 0.0)),
    )
    mark = EmblemStep(id="emblem", name="Lighthouse", emblem=emblem, size=2.6, own_colours=True, move=(0.0, 0.62, 0.0))
    return Shot.model_validate(
        {**shot.model_dump(), "steps": [s.model_dump() for s in [shot.steps[0], mark, *shot.steps[1:]]]}
    )


def sea_of_salt() -> Shot:
    """A card in Arabic: joined letters at rest, in blue lacquer, arriving from the right, as it is read."""
    return changed(
        new_shot("Sea of Salt, right-to-left card", "بحر الملح", last=80),
        block=BlockStep(id="block", text="بحر الملح", family="lalezar", size=1.5),
        form=FormStep(
            id="form", depth=0.3, front=EdgeProfile(profile="roundover", width=0.04, height=0.04, segments=6)
        ),
        drive=DriveStep(
            id="arrive",
            name="Slide in",
            offset=Offset(move=(2.2, 0.0, 0.0), turn=(0.0, 60.0, 0.0), scale=(1.0, 1.0, 1.0)),
            reaches=[Cadence(start=2.0, delay=3.0, duration=26.0)],
        ),
        material=MaterialStep(
            id="material",
            name="Blue lacquer",
            face=Material(colour=(0.012, 0.06, 0.19), roughness=0.14),
            edge=Material(colour=(0.012, 0.06, 0.19), roughness=0.14),
        ),
        environment=EnvironmentStep(id="environment", preset="dusk_harbour", strength=1.3, turn=-30.0),
        stage=StageStep(
            id="stage", wall_distance=1.5, wall_material=Material(colour=(0.35, 0.30, 0.24), roughness=0.8)
        ),
        camera=CameraStep(id="camera", lens=50.0, fit=0.62, orbit=(6.0, 3.0)),
    )
