"""Demo shots whose letters bend: an arch, a line that unrolls, waves, a globe that straightens, a blast; and a sign of
tubes that draws itself."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.deform import BendStep, BlastStep, CurlStep, LetterPivot, WaveStep, WrapStep
from moss_crown.core.document.form import EdgeProfile, FormStep, Tubes
from moss_crown.core.document.letters import BlockStep, EmblemStep, Some
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, Material, MaterialStep, StageStep
from moss_crown.core.document.motion import Cadence, DriveStep, Everywhere, FollowStep, GrowStep, Offset
from moss_crown.core.document.shot import Shot, Step
from moss_crown.core.document.values import Ease, Formula, Key, Keyed
from moss_crown.core.look.materials import MATERIALS
from moss_crown.demo.looks import lit
from moss_crown.demo.shots import changed

EVEN = Ease(leave=(0.4, 0.0), arrive=(0.3, 1.0))
NIGHT = Material(colour=(0.006, 0.011, 0.014), roughness=0.5)


def bent_shots(emblem: str) -> list[Shot]:
    bent = [over_the_light(emblem), unrolled_line(), slack_water(), around_the_buoy(), blown_whole()]
    return [*bent, growing_sign(emblem)]


def among(shot: Shot, *steps: Step, after: str = "form", without: str = "drive") -> Shot:
    """The shot with more steps after the one of a kind, and without those of another."""
    kept = [step for step in shot.steps if step.kind != without]
    place = next(k for k, step in enumerate(kept) if step.kind == after) + 1
    all_steps = [*kept[:place], *steps, *kept[place:]]
    return Shot.model_validate({**shot.model_dump(), "steps": [step.model_dump() for step in all_steps]})


def _from(start: float, end: float, first: float, last: float) -> Keyed[float]:
    return Keyed(keys=[Key(frame=first, value=start, ease=EVEN), Key(frame=last, value=end)])


def over_the_light(emblem: str) -> Shot:
    """A line springs into an arch over the film unit's lighthouse."""
    shot = changed(
        new_shot("Over the light, arch", "SIX CROSSINGS", last=100),
        block=BlockStep(id="block", text="SIX CROSSINGS", family="league-spartan", size=0.62, move=(0.0, 2.55, 0.0)),
        form=FormStep(id="form", depth=0.16, front=EdgeProfile(profile="roundover", width=0.02, height=0.02)),
        material=MaterialStep(
            id="material",
            name="Worn brass",
            face=Material(colour=(0.86, 0.62, 0.32), metal=1.0, roughness=0.26),
            edge=Material(colour=(0.62, 0.36, 0.16), metal=1.0, roughness=0.24),
        ),
        stage=StageStep(id="stage", wall_distance=1.6, wall_material=NIGHT, floor_material=NIGHT),
        camera=CameraStep(id="camera", lens=50.0, fit=0.72, orbit=(-6.0, 2.0)),
    )
    bend = BendStep(
        id="arch",
        name="Arch",
        scope="block",
        angle=150.0,
        centre=LetterPivot(about="block", place="baseline"),
        reaches=[Cadence(way="leave", start=8.0, delay=0.0, duration=18.0, ease=EVEN)],
    )
    mark = EmblemStep(id="emblem", name="Lighthouse", emblem=emblem, size=2.3, own_colours=True)
    spring = FollowStep(id="spring", tempo=1.4, damping=0.24)
    bent = among(shot, bend, spring)
    # Below the arch, which bends what stands above it.
    steps = [step.model_dump() for step in bent.steps]
    place = next(k for k, step in enumerate(steps) if step["id"] == "spring") + 1
    return Shot.model_validate({**bent.model_dump(), "steps": [*steps[:place], mark.model_dump(), *steps[place:]]})


def unrolled_line() -> Shot:
    """A small line unrolls onto the frame under a large one, from left to right."""
    shot = changed(
        new_shot("Chart room, unrolled line", "a voyage in six crossings", last=90),
        block=BlockStep(
            id="block",
            text="a voyage in six crossings",
            family="fraunces",
            axes={"wght": 650, "opsz": 14},
            size=0.42,
            tracking=60.0,
            move=(0.0, 0.0, 0.3),
        ),
        form=FormStep(id="form", depth=0.05, front=EdgeProfile(profile="roundover", width=0.008, height=0.008)),
        material=MaterialStep(
            id="material",
            name="Chart brass",
            face=Material(colour=(0.94, 0.74, 0.42), metal=1.0, roughness=0.3),
            edge=Material(colour=(0.66, 0.36, 0.14), metal=1.0, roughness=0.22),
        ),
        camera=CameraStep(id="camera", lens=45.0, fit=0.7, orbit=(6.0, 4.0)),
    )
    curl = CurlStep(
        id="unroll",
        name="Unroll",
        scope="block",
        rolled=_from(1.0, 0.0, 10, 62),
        radius=0.16,
        gap=0.1,
    )
    large = BlockStep(id="large", text="KESTREL TIDE", family="fraunces", axes={"wght": 800}, move=(0.0, 0.8, 0.0))
    return among(shot, curl, large, without="drive")


def slack_water() -> Shot:
    """Crests run through a line from its right end, one after the other."""
    shot = changed(
        new_shot("Slack water, waves", "SLACK WATER", last=100),
        block=BlockStep(id="block", text="SLACK WATER", family="unbounded", axes={"wght": 800}, move=(0.0, 0.25, 0.0)),
        form=FormStep(
            id="form", depth=0.3, front=EdgeProfile(profile="roundover", width=0.05, height=0.05, segments=5)
        ),
        material=MaterialStep(
            id="material",
            name="Sea glaze",
            face=Material(colour=(0.02, 0.34, 0.34), roughness=0.18, coat=0.8),
            edge=Material(colour=(0.02, 0.18, 0.2), roughness=0.2, coat=0.8),
        ),
        camera=CameraStep(id="camera", lens=40.0, fit=0.7, orbit=(-12.0, 8.0)),
    )
    wave = WaveStep(
        id="wave",
        name="Crests",
        centre=LetterPivot(about="block", place="right"),
        travels="left",
        lifts="up",
        width=4.2,
        height=0.55,
        narrow=1.6,
        speed=4.0,
        start=4.0,
    )
    return among(shot, wave)


def around_the_buoy() -> Shot:
    """A line lies around the globe of the stage and straightens in front of it, and is read at frame 70."""
    radius, high = 1.75, 1.0
    shot = changed(
        new_shot("Around the buoy, globe", "HOLLIN FERRY", last=90),
        block=BlockStep(
            id="block",
            text="HOLLIN FERRY",
            family="archivo-black",
            size=0.62,
            move=(0.0, high - 0.31, radius + 0.14),
        ),
        form=FormStep(id="form", depth=0.2, front=EdgeProfile(profile="chamfer", width=0.02, height=0.02, segments=1)),
        material=MaterialStep(
            id="material",
            name="Signal white",
            face=Material(colour=(0.86, 0.83, 0.76), roughness=0.4),
            edge=Material(colour=(0.5, 0.05, 0.03), roughness=0.3, coat=0.5),
        ),
        stage=StageStep(
            id="stage",
            shape="globe",
            radius=radius,
            globe_place=(0.0, high + radius, 0.0),
            floor_material=Material(colour=(0.3, 0.016, 0.009), roughness=0.34, coat=0.7),
        ),
        environment=EnvironmentStep(
            id="environment",
            preset="wide_scrim",
            behind="gradient",
            colour=(0.004, 0.011, 0.016),
            colour_above=(0.028, 0.06, 0.075),
        ),
        camera=CameraStep(id="camera", lens=42.0, fit=0.78, orbit=(-8.0, 6.0)),
    )
    wrap = WrapStep(
        id="wrap",
        name="Buoy",
        onto="stage",
        centre=LetterPivot(about="block"),
        wrapped=_from(1.0, 0.0, 14, 70),
    )
    return among(shot, wrap)


def blown_whole() -> Shot:
    """Letters blown apart come together one after the other, all of them whole at frame 50."""
    shot = changed(
        new_shot("Storm warning, blast", "STORM", last=75),
        block=BlockStep(id="block", text="STORM", family="anton", size=1.4),
        form=FormStep(
            id="form", depth=0.35, front=EdgeProfile(profile="roundover", width=0.04, height=0.04, segments=4)
        ),
        material=MaterialStep(
            id="material",
            name="Gunmetal",
            face=Material(colour=(0.62, 0.66, 0.72), metal=1.0, roughness=0.24),
            edge=Material(colour=(0.4, 0.45, 0.52), metal=1.0, roughness=0.22),
        ),
        lights=LightsStep(
            id="lights",
            name="Flash and lamp",
            lights=[
                Light(
                    name="key",
                    shape="rectangle",
                    place=(-4.0, 4.5, 5.5),
                    aim=(0.0, 0.7, 0.0),
                    width=3.0,
                    height=3.0,
                    power=420.0,
                ),
                Light(
                    name="flash",
                    shape="sun",
                    place=(5.0, 4.0, -3.0),
                    aim=(0.0, 0.7, 0.0),
                    colour=(0.6, 0.75, 1.0),
                    power=900.0,
                    on_stage=False,
                ),
            ],
        ),
        camera=CameraStep(id="camera", lens=45.0, fit=0.6, orbit=(-8.0, 4.0)),
    )
    blast = BlastStep(
        id="blast",
        name="Blast",
        outward=0.6,
        core=0.4,
        rough=1.5,
        size=0.5,
        reaches=[Cadence(start=50.0, backward=True, delay=3.0, duration=26.0, ease=EVEN)],
    )
    return among(shot, blast)


def _neon(glow: tuple[float, float, float], strength: float) -> Material:
    return Material(colour=(0.03, 0.03, 0.035), roughness=0.25, glow=strength, glow_colour=glow)


def growing_sign(emblem: str) -> Shot:
    """A sign on a wall by the water is drawn tube by tube, a red line within a green one, and strikes by fits and
    starts, the film unit's lighthouse beside it."""
    red, green, amber = _neon((1.0, 0.09, 0.04), 4.0), _neon((0.05, 0.9, 0.5), 1.6), _neon((1.0, 0.5, 0.1), 2.6)
    shot = changed(
        new_shot("Pilot house, growing sign", "PILOT\nHOUSE", last=110),
        block=BlockStep(
            id="block",
            text="PILOT\nHOUSE",
            family="comfortaa",
            axes={"wght": 700},
            tracking=110.0,
            leading=1.62,
            align="left",
            move=(1.75, 0.5, 0.0),
        ),
        form=FormStep(id="form", tubes=Tubes(on=True, width=0.04, height=0.04, rows=2, gap=0.085)),
        material=MaterialStep(id="material", name="Red within green", face=red, edge=red, rear=green),
        environment=EnvironmentStep(id="environment", preset="night_market", strength=0.18),
        stage=StageStep(
            id="stage",
            wall_distance=0.32,
            floor_material=Material(colour=(0.012, 0.013, 0.016), roughness=0.14),
            wall_material=MATERIALS["concrete"].material.model_copy(update={"colour": (0.11, 0.11, 0.115)}),
        ),
        camera=CameraStep(id="camera", fit=0.8, orbit=(-9.0, 3.0), lens=48.0),
    )
    mark = EmblemStep(id="emblem", name="Lighthouse", emblem=emblem, size=2.7, move=(-3.15, 0.4, 0.0))
    lamp = MaterialStep(
        id="lamp", name="Amber", face=amber, edge=amber, rear=amber, some=Some(by="all", blocks=["emblem"])
    )
    grow = GrowStep(
        id="grow",
        name="Drawn",
        reaches=[Cadence(start=6.0, delay=4.0, duration=30.0, ease=EVEN)],
    )
    begun = "(f - 6 - 4 * i)"
    fits = "(0.12 + 0.88 * (rand(floor(f / 2) + 37 * i) < 0.5))"
    strike = DriveStep(
        id="strike",
        name="Strikes",
        offset=Offset(glow=Formula(formula=f"mix({fits}, 1, smooth(0, 36, {begun}))")),
        reaches=[Everywhere()],
    )
    sign = among(lit(shot, "top_light", 0.025), mark, grow, strike, after="form")
    return among(sign, lamp, after="material", without="none")
