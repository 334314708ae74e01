"""Demo shots that show motion: drum, hinge, changing texts, letters past the camera, a band, a zone, a spring."""

from __future__ import annotations

from moss_crown.core.document.camera import CameraStep
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.form import EdgeProfile, FormStep
from moss_crown.core.document.letters import BlockStep
from moss_crown.core.document.look import EnvironmentStep, Material, StageStep
from moss_crown.core.document.motion import Copies, GroupStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.proposals.motions import set_motion
from moss_crown.demo.looks import dressed, lit
from moss_crown.demo.shots import changed

DARK = Material(colour=(0.03, 0.036, 0.042), roughness=0.55)
PALE = Material(colour=(0.46, 0.43, 0.37), roughness=0.8)


def motions() -> list[Shot]:
    return [
        departure_board(),
        inn_sign(),
        three_crossings(),
        past_the_lens(),
        harbour_band(),
        bow_wave(),
        buoy_line(),
        fog_signal(),
    ]


def _in_motion(shot: Shot, motion: str, *texts: str) -> Shot:
    return patched(write_shot(shot), set_motion(shot, motion, texts))


def departure_board() -> Shot:
    """The ferry's board: three harbours fall past before the last one stands."""
    shot = changed(
        new_shot("Departure board, flip drum", "SANDRY", last=96),
        block=BlockStep(id="block", text="SANDRY", family="archivo-black", tracking=90.0),
        form=FormStep(id="form", depth=0.16, front=EdgeProfile(profile="roundover", width=0.02, height=0.02)),
        material=dressed("chalk-paint", "brushed-steel"),
        environment=EnvironmentStep(id="environment", preset="overcast", strength=0.6),
        stage=StageStep(id="stage", floor=False, wall_distance=1.1, wall_material=DARK),
        camera=CameraStep(id="camera", fit=0.78, orbit=(-10.0, 4.0), lens=50.0),
    )
    return lit(_in_motion(shot, "flip-drum", "KELLOW", "TIDEND", "GRAYSE"), "soft_front", 0.5)


def inn_sign() -> Shot:
    """An inn's sign in walnut swings from its upper edge and hangs still."""
    shot = changed(
        new_shot("The Slack Tide Inn, hinge", "THE SLACK TIDE", last=110),
        block=BlockStep(
            id="block", text="THE SLACK TIDE", family="alfa-slab-one", tracking=10.0, move=(0.0, 0.35, 0.0)
        ),
        form=FormStep(id="form", depth=0.26, front=EdgeProfile(profile="chamfer", width=0.03, height=0.03, segments=1)),
        material=dressed("worn-gilding", "walnut"),
        environment=EnvironmentStep(id="environment", preset="lantern_room", strength=0.7),
        stage=StageStep(id="stage", wall_distance=1.2, floor_material=DARK, wall_material=PALE),
        camera=CameraStep(id="camera", fit=0.88, orbit=(8.0, 3.0), lens=46.0),
    )
    return lit(_in_motion(shot, "shop-sign"), "side_pair", 0.5)


def three_crossings() -> Shot:
    """One block turns and has another name each time that it comes round."""
    shot = changed(
        new_shot("Names of the crossings, turn and swap", "SALT ROADS", last=120),
        block=BlockStep(id="block", text="SALT ROADS", family="cinzel", axes={"wght": 900}, tracking=40.0),
        form=FormStep(id="form", depth=0.34, front=EdgeProfile(profile="ogee", width=0.05, height=0.05, segments=6)),
        material=dressed("polished-gold", "hammered-bronze"),
        environment=EnvironmentStep(id="environment", preset="two_windows", strength=0.9),
        stage=StageStep(id="stage", wall_distance=3.2, floor_material=DARK, wall_material=DARK),
        camera=CameraStep(id="camera", fit=0.7, orbit=(0.0, 7.0), lens=52.0),
    )
    return lit(_in_motion(shot, "turn-and-swap", "FIRST LIGHT", "LAMP ROW"), "soft_front", 0.9)


def past_the_lens() -> Shot:
    """The bumper's letters come from behind the camera and settle."""
    shot = changed(
        new_shot("Film unit bumper, fly-through", "LOWMERE\nFILM UNIT", last=84),
        block=BlockStep(id="block", text="LOWMERE\nFILM UNIT", family="archivo-black", align="fill", leading=1.3),
        form=FormStep(id="form", depth=0.4, front=EdgeProfile(profile="roundover", width=0.035, height=0.035)),
        material=dressed("mirror-chrome", "ferry-lacquer"),
        environment=EnvironmentStep(id="environment", preset="dusk_harbour", strength=1.0),
        stage=StageStep(id="stage", wall=False, floor_material=DARK, horizon=7.0, horizon_colour=(0.0, 0.0, 0.0)),
        camera=CameraStep(id="camera", fit=0.56, orbit=(0.0, 5.0), lens=30.0),
    )
    return lit(_in_motion(shot, "fly-through"), "key_and_rim", 0.7)


def harbour_band() -> Shot:
    """The names of the harbours run around a drum in two rows."""
    shot = changed(
        new_shot("Harbour band, band", "SIX CROSSINGS", last=150),
        block=BlockStep(id="block", text="SIX CROSSINGS", family="oswald", axes={"wght": 700}, size=0.9),
        form=FormStep(id="form", depth=0.1, front=EdgeProfile(profile="chamfer", width=0.01, height=0.01, segments=1)),
        material=dressed("lamp-neon", "brushed-copper"),
        environment=EnvironmentStep(id="environment", preset="night_market", strength=0.5),
        stage=StageStep(id="stage", floor=False, wall_distance=16.0, wall_material=DARK),
        camera=CameraStep(id="camera", fit=0.95, orbit=(0.0, 9.0), lens=32.0),
    )
    return lit(_in_motion(shot, "band", "KELLOW", "TIDEND", "SANDRY"), "side_pair", 0.4)


def bow_wave() -> Shot:
    """A slab sweeps along the quay wall; what it meets rises and sinks again."""
    shot = changed(
        new_shot("The Quay Wall, zone", "THE QUAY WALL", last=84),
        block=BlockStep(id="block", text="THE QUAY WALL", family="archivo-black", tracking=15.0),
        form=FormStep(id="form", depth=0.5, front=EdgeProfile(profile="chamfer", width=0.03, height=0.03, segments=1)),
        material=dressed("granite", "concrete"),
        environment=EnvironmentStep(id="environment", preset="storm_break", strength=0.6),
        stage=StageStep(id="stage", wall_distance=1.5, floor_material=DARK, wall_material=DARK),
        camera=CameraStep(id="camera", fit=0.92, orbit=(-16.0, 9.0), lens=46.0),
    )
    return lit(_in_motion(shot, "bow-wave"), "low_sun", 0.6)


def buoy_line() -> Shot:
    """Letters pop up from the middle, larger than they are, and settle."""
    shot = changed(
        new_shot("Buoy Line, spring", "BUOY LINE", last=72),
        block=BlockStep(id="block", text="BUOY LINE", family="fredoka", axes={"wght": 700}, tracking=20.0),
        form=FormStep(
            id="form", depth=0.4, front=EdgeProfile(profile="roundover", width=0.09, height=0.09, segments=8)
        ),
        material=dressed("glossy-plastic", "white-enamel"),
        environment=EnvironmentStep(id="environment", preset="paper_tent", strength=0.6),
        stage=StageStep(id="stage", wall_distance=1.4, floor_material=PALE, wall_material=PALE),
        camera=CameraStep(id="camera", fit=0.68, orbit=(6.0, 8.0), lens=50.0),
    )
    return lit(_in_motion(shot, "buoys"), "soft_front", 0.4)


def fog_signal() -> Shot:
    """A word and its echoes: each later, farther back, and nearer to the fog."""
    shot = changed(
        new_shot("Fog signal, group with copies", "FOGHORN", last=96),
        block=BlockStep(id="block", text="FOGHORN", family="archivo-black", tracking=30.0),
        form=FormStep(id="form", depth=0.2, front=EdgeProfile(profile="chamfer", width=0.022, height=0.022)),
        material=dressed("ferry-lacquer", "ferry-lacquer"),
        environment=EnvironmentStep(id="environment", preset="morning_mist", strength=0.9),
        stage=StageStep(id="stage", shape="sweep", radius=2.5, wall_distance=7.0, haze=0.0),
        camera=CameraStep(id="camera", fit=0.76, orbit=(-16.0, 9.0), lens=50.0),
    )
    shot = lit(_in_motion(shot, "buoys"), "soft_front", 0.6)
    copies = Copies(count=6, delay=3.0, move=(0.0, 0.22, -0.75), tint=(0.12, 0.16, 0.155), share=0.3)
    place = next(k for k, step in enumerate(shot.steps) if step.kind == "material")
    group = GroupStep(id="echoes", name="Echoes", copies=copies).model_dump(mode="json")
    return patched(write_shot(shot), [{"op": "add", "path": f"/steps/{place}", "value": group}])
