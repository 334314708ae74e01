"""Demo shots that show looks: brass under a turning environment, timber, stone, cloth, neon, glass, a low sun."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.form import EdgeProfile, FormStep, Tubes
from moss_crown.core.document.letters import BlockStep, Rule, Some
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, Material, MaterialStep, StageStep, Texture
from moss_crown.core.document.motion import Cadence, DriveStep, Offset
from moss_crown.core.document.shot import Shot
from moss_crown.core.document.values import Ease, Key, Keyed
from moss_crown.core.look.materials import MATERIALS
from moss_crown.core.proposals.arranging import stand
from moss_crown.core.proposals.kits import Kit
from moss_crown.core.proposals.lighting import light_with
from moss_crown.demo.shots import changed

CALM = Ease(leave=(0.3, 0.0), arrive=(0.25, 1.0))


def looks() -> list[Shot]:
    return [
        turning_brass(),
        ferry_sign(),
        witness_stones(),
        winter_wool(),
        lantern_row(),
        still_water(),
        long_shadows(),
        paper_tides(),
        moss_moon(),
    ]


def dressed(face: str, edge: str | None = None) -> MaterialStep:
    """Curated materials for faces and edges."""
    one, other = MATERIALS[face], MATERIALS[edge or face]
    return MaterialStep(id="material", name=one.name, face=one.material, edge=other.material)


def lit(shot: Shot, kit: Kit, dim: float = 1.0) -> Shot:
    """The shot under a kit of lights, their power times `dim`."""
    patch = light_with(shot, float(shot.last), kit)
    patch[0]["value"] = [lamp | {"power": lamp["power"] * dim} for lamp in patch[0]["value"]]
    return patched(write_shot(shot), patch)


def turning_brass() -> Shot:
    """The main title at rest, while what it reflects wanders through its bevels."""
    turn: Keyed[float] = Keyed(keys=[Key(frame=0, value=-60.0, ease=CALM), Key(frame=96, value=50.0, ease=CALM)])
    shot = changed(
        new_shot("Lowmere, turning reflections", "LOWMERE", last=96),
        block=BlockStep(id="block", text="LOWMERE", family="cinzel", axes={"wght": 900}, tracking=60.0),
        form=FormStep(id="form", depth=0.3, front=EdgeProfile(profile="ogee", width=0.055, height=0.06, segments=6)),
        material=dressed("harbour-brass", "polished-gold"),
        environment=EnvironmentStep(id="environment", preset="long_softbox", strength=1.0, turn=turn),
        stage=StageStep(
            id="stage",
            floor_material=Material(colour=(0.012, 0.012, 0.013), roughness=0.16),
            wall_material=Material(colour=(0.03, 0.026, 0.022), roughness=0.7),
        ),
        camera=CameraStep(id="camera", fit=0.74, orbit=(-9.0, 5.0), lens=58.0),
    )
    return lit(shot, "soft_front", 0.3)


def ferry_sign() -> Shot:
    """A ferry's sign in old timber, painted faces, the sun nearly down."""
    shot = changed(
        new_shot("The Last Ferry, sign", "THE LAST\nFERRY", last=72),
        block=BlockStep(
            id="block", text="THE LAST\nFERRY", family="alfa-slab-one", align="fill", leading=1.32, tracking=10.0
        ),
        form=FormStep(
            id="form", depth=0.42, front=EdgeProfile(profile="chamfer", width=0.035, height=0.035, segments=1)
        ),
        material=dressed("chipped-paint", "oak"),
        environment=EnvironmentStep(id="environment", preset="low_sun", strength=0.32, turn=10.0),
        stage=StageStep(
            id="stage",
            wall_distance=0.7,
            floor_material=MATERIALS["concrete"].material,
            wall_material=MATERIALS["plaster"].material,
        ),
        camera=CameraStep(id="camera", fit=0.62, orbit=(-14.0, 8.0), lens=50.0),
    )
    return lit(shot, "low_sun", 0.62)


def witness_stones() -> Shot:
    """A stone card: veined dark marble, edges gilded."""
    shot = changed(
        new_shot("Witness Stones, card", "WITNESS\nSTONES", last=72),
        block=BlockStep(
            id="block", text="WITNESS\nSTONES", family="playfair", align="centre", leading=1.4, tracking=30.0
        ),
        form=FormStep(
            id="form", depth=0.26, front=EdgeProfile(profile="roundover", width=0.022, height=0.022, segments=5)
        ),
        material=dressed("dark-marble", "polished-gold"),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=1.0, turn=-20.0),
        stage=StageStep(
            id="stage",
            floor_material=Material(colour=(0.05, 0.05, 0.052), roughness=0.28),
            wall_material=Material(colour=(0.16, 0.155, 0.145), roughness=0.8),
        ),
        camera=CameraStep(id="camera", fit=0.6, orbit=(10.0, 5.0), lens=60.0),
    )
    return lit(shot, "key_and_fill", 0.8)


def winter_wool() -> Shot:
    """A card in knitted wool that drops in letter by letter."""
    shot = changed(
        new_shot("Winter Crossing, wool", "WINTER\nCROSSING", last=84),
        block=BlockStep(id="block", text="WINTER\nCROSSING", family="fredoka", leading=1.36, align="fill"),
        form=FormStep(
            id="form", depth=0.4, front=EdgeProfile(profile="roundover", width=0.14, height=0.14, segments=10)
        ),
        drive=DriveStep(
            id="arrive",
            name="Drop in",
            offset=Offset(move=(0.0, 2.4, 0.0), turn=(0.0, 0.0, 14.0)),
            reaches=[Cadence(start=2.0, delay=2.5, duration=20.0, ease=Ease(leave=(0.2, 0.7), arrive=(0.3, 1.0)))],
        ),
        material=dressed("fisher-knit"),
        environment=EnvironmentStep(id="environment", preset="paper_tent", strength=0.5),
        stage=StageStep(
            id="stage",
            floor_material=Material(colour=(0.30, 0.045, 0.035), roughness=0.7),
            wall_material=Material(colour=(0.30, 0.045, 0.035), roughness=0.8),
        ),
        camera=CameraStep(id="camera", fit=0.6, orbit=(-8.0, 7.0), lens=55.0),
    )
    return lit(shot, "key_and_fill", 0.55)


def lantern_row() -> Shot:
    """Neon at night: tubes along the letters before a wet quay."""
    neon = MATERIALS["signal-neon"].material.model_copy(update={"glow": 7.0})
    shot = changed(
        new_shot("Lantern Row, neon", "LANTERN\nROW", last=72),
        block=BlockStep(id="block", text="LANTERN\nROW", family="comfortaa", tracking=40.0, leading=1.6),
        form=FormStep(id="form", tubes=Tubes(on=True, width=0.055, height=0.055, offset=0.0)),
        material=MaterialStep(id="material", name="Signal red neon", face=neon, edge=neon),
        environment=EnvironmentStep(id="environment", preset="night_market", strength=0.3),
        stage=StageStep(
            id="stage",
            wall_distance=0.45,
            floor_material=Material(colour=(0.012, 0.013, 0.016), roughness=0.12),
            wall_material=MATERIALS["concrete"].material.model_copy(update={"colour": (0.10, 0.10, 0.105)}),
        ),
        camera=CameraStep(id="camera", fit=0.66, orbit=(7.0, 4.0), lens=46.0),
    )
    return lit(shot, "top_light", 0.06)


def still_water() -> Shot:
    """Solid glass letters that settle on a pale quay, each a little later than the last."""
    shot = changed(
        new_shot("Still Water, glass", "STILL\nWATER", last=84),
        block=BlockStep(
            id="block", text="STILL\nWATER", family="league-spartan", axes={"wght": 800}, tracking=30.0, leading=1.36
        ),
        form=FormStep(
            id="form", depth=0.34, front=EdgeProfile(profile="roundover", width=0.05, height=0.05, segments=8)
        ),
        drive=DriveStep(
            id="arrive",
            name="Settle",
            offset=Offset(move=(0.0, 0.0, 1.6), turn=(0.0, 70.0, 0.0)),
            reaches=[Cadence(start=2.0, delay=2.5, duration=26.0, ease=Ease(leave=(0.2, 0.6), arrive=(0.3, 1.0)))],
        ),
        material=dressed("bottle-glass"),
        environment=EnvironmentStep(id="environment", preset="long_softbox", strength=1.6, turn=-18.0),
        stage=StageStep(
            id="stage",
            wall_distance=2.4,
            floor_material=Material(colour=(0.02, 0.028, 0.028), roughness=0.14),
            wall_material=Material(colour=(0.16, 0.21, 0.19), roughness=0.7),
        ),
        camera=CameraStep(id="camera", fit=0.6, orbit=(-10.0, 4.0), lens=58.0, exposure=0.5),
    )
    return lit(shot, "key_and_rim", 2.2)


def long_shadows() -> Shot:
    """Enamelled letters on a plaster wall, the sun low: shadows as long as the letters are high."""
    shot = changed(
        new_shot("Harbour Wall, long shadows", "HARBOUR\nWALL", last=72),
        block=BlockStep(id="block", text="HARBOUR\nWALL", family="archivo-black", align="fill", leading=1.3),
        form=FormStep(
            id="form", depth=0.2, front=EdgeProfile(profile="chamfer", width=0.015, height=0.015, segments=1)
        ),
        material=dressed("porcelain"),
        environment=EnvironmentStep(id="environment", preset="low_sun", strength=0.35, turn=160.0),
        stage=StageStep(
            id="stage",
            wall_distance=0.11,
            floor=False,
            wall_material=Material(
                colour=(0.50, 0.23, 0.13),
                roughness=0.85,
                texture=Texture(
                    pattern="paper", scale=0.8, colour=(0.45, 0.20, 0.11), roughness=0.9, tone=0.3, relief=0.3
                ),
            ),
        ),
        camera=CameraStep(id="camera", fit=0.6, orbit=(0.0, 0.0), lens=60.0),
        lights=LightsStep(
            id="lights",
            name="Low sun",
            lights=[
                Light(
                    name="sun",
                    shape="sun",
                    place=(8.0, 3.6, 3.4),
                    aim=(0.0, 0.0, 0.0),
                    power=1500.0,
                    white=4300.0,
                    angle=0.8,
                ),
                Light(name="sky", place=(-5.0, 6.0, 6.0), width=5.0, height=5.0, power=120.0, white=9500.0),
            ],
        ),
    )
    return shot


def paper_tides() -> Shot:
    """Flat and bright: white letters a hand's width before a coloured wall, with a stack of shadows behind them."""
    return lit(
        changed(
            new_shot("Paper Tides, stacked shadows", "PAPER\nTIDES", last=72),
            block=BlockStep(
                id="block",
                text="PAPER\nTIDES",
                family="archivo-black",
                tracking=20.0,
                leading=1.3,
            ),
            form=FormStep(id="form", depth=0.05, front=EdgeProfile(profile="roundover", width=0.006, height=0.006)),
            material=MaterialStep(
                id="material",
                name="Card",
                face=Material(colour=(0.86, 0.84, 0.78), roughness=0.9),
                edge=Material(colour=(0.80, 0.77, 0.70), roughness=0.9),
            ),
            drive=DriveStep(
                id="arrive",
                name="Drop in",
                reaches=[Cadence(order="reading", start=4.0, delay=2.0, duration=16.0, ease=CALM)],
                offset=Offset(move=(0.0, 0.0, 0.9), turn=(0.0, 0.0, 9.0), scale=(1.0, 1.0, 1.0)),
            ),
            environment=EnvironmentStep(id="environment", preset="paper_tent", strength=0.12),
            stage=StageStep(
                id="stage",
                floor=False,
                wall_distance=0.62,
                wall_material=Material(colour=(0.70, 0.115, 0.035), roughness=0.9),
            ),
            camera=CameraStep(id="camera", fit=0.62, orbit=(0.0, 0.0), shift=(-0.01, 0.01), lens=85.0, exposure=0.45),
        ),
        "stacked",
    )


def moss_moon() -> Shot:
    """A line that stands on a mossy globe in the haze, one word of it gilded."""
    text = "MOSS MOON"
    gilded = dressed("polished-gold").model_copy(
        update={
            "id": "material-2",
            "name": "MOON: polished gold",
            "some": Some(by="rule", rule=Rule(unit="word", pick="last")),
        }
    )
    air = (0.045, 0.085, 0.09)
    shot = changed(
        new_shot("Moss Moon, card", text, last=72),
        block=BlockStep(id="block", text=text, family="fredoka", axes={"wght": 700}, tracking=20.0, size=0.9),
        form=FormStep(
            id="form", depth=0.34, front=EdgeProfile(profile="roundover", width=0.07, height=0.07, segments=6)
        ),
        material=dressed("porcelain"),
        environment=EnvironmentStep(id="environment", preset="lantern_room", strength=0.9, behind="colour", colour=air),
        stage=StageStep(
            id="stage",
            shape="globe",
            radius=5.5,
            haze=26.0,
            haze_colour=air,
            floor_material=MATERIALS["moss"].material,
        ),
        camera=CameraStep(id="camera", fit=0.6, orbit=(0.0, 7.0), lens=50.0, shift=(0.0, 0.08)),
    )
    steps = [*shot.steps]
    steps.insert(next(k for k, s in enumerate(steps) if s.kind == "material") + 1, gilded)
    shot = shot.model_copy(update={"steps": steps})
    return lit(patched(write_shot(shot), stand(shot, float(shot.last), "block")), "key_and_rim", 0.75)
