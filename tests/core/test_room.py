"""What stands around in the draft: held against closed forms, and against the renderer."""

import json

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, write_shot
from moss_crown.core.document.look import StageStep
from moss_crown.core.draft.looks import look_at_frame
from moss_crown.core.draft.room import Ground, Lamp, Room
from moss_crown.core.draft.schema import LOOK
from moss_crown.core.draft.surroundings import HEIGHT, ROUGHNESS, WIDTH, seen_around
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.environment import directions, environment
from moss_crown.core.look.prefilter import weights
from moss_crown.core.proposals.lighting import light_with
from moss_crown.core.render.renderer import RenderSettings, render
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.scene import Camera, Scene

SKY = directions(WIDTH, HEIGHT)
DARK = {"preset": "overcast", "strength": 0.0, "turn": 0.0, "tilt": (0.0, 0.0)}
FLOOR = Ground(colour=(0.5, 0.4, 0.3), centre=(0, 0, 0), u=(1e5, 0, 0), v=(0, 0, -1e5))
SUN = Lamp(kind="sun", centre=(0, 50, 0), normal=(0, -1, 0), radiance=(3.0, 3.0, 3.0), area=0)


def around(**members):
    return seen_around(
        Room.model_validate({"place": (0.25, 0.75, 0.25), "grounds": (), "lamps": (), **DARK, **members})
    )


def room_of(shot, place=(0.25, 0.75, 0.25)):
    """A room as the page asks for it."""
    look = json.loads(LOOK.dump_json(look_at_frame(shot, shot.last)))
    own = lambda model, members: {k: v for k, v in members.items() if k in model.model_fields}  # noqa: E731
    colours = lambda g: own(Ground, g["surface"])  # noqa: E731
    grounds = [own(Ground, g) | colours(g) for g in look["grounds"] if not g["catches"]]
    lamps = [own(Lamp, lamp) for lamp in look["lights"]]
    whole = {"place": place, "grounds": grounds, "lamps": lamps, **own(Room, look["environment"])}
    return Room.model_validate_json(json.dumps(whole))


def staged(**members):
    shot = new_shot(text="TIDE")
    shot = patched(write_shot(shot), light_with(shot, shot.last, "key_and_fill"))
    plain = StageStep(id="stage").model_dump(mode="json")
    stage = next(k for k, step in enumerate(shot.steps) if step.kind == "stage")
    patch = [{"op": "replace", "path": f"/steps/{stage}", "value": plain}]
    patch += [{"op": "replace", "path": f"/steps/{stage}/{k}", "value": v} for k, v in members.items()]
    return patched(write_shot(shot), patch)


def test_where_nothing_stands_all_is_left_to_the_environment():
    (view,) = around()
    assert view.shape == (len(ROUGHNESS), HEIGHT, WIDTH, 4)
    assert not view.any()


def test_an_endless_floor_takes_the_lower_half_and_sends_the_suns_light_back():
    view, at_floor = around(grounds=(FLOOR,), lamps=(SUN,))
    below = SKY[..., 1] < 0
    assert (view[0, ..., 3] == below).all()
    assert view[0][below][:, :3] == pytest.approx(np.broadcast_to([c * 3 / np.pi for c in FLOOR.colour], (1024, 3)))
    assert not view[0][~below].any()
    # Seen along the horizon the roughest have half of it around them, and the cosine's mean of half a sphere: 1/2.
    level = np.abs(SKY[..., 1]) < 0.05
    half = np.array(FLOOR.colour) * 3 / np.pi / 2
    assert view[-1][level] == pytest.approx(np.broadcast_to([*half, 0], (level.sum(), 4)), rel=0.12)
    up = np.argmax(SKY[0, :, 1])
    assert at_floor[-1, 0, up] == pytest.approx(0, abs=1e-3)


@pytest.mark.parametrize("preset", ["long_softbox", "low_sun", "two_windows"])
def test_a_dark_floor_takes_off_what_it_hides_and_no_more(preset):
    """What is left to rough surfaces, beside a sum over the sky above the floor alone: most light comes from there."""
    black = FLOOR.model_copy(update={"colour": (0.0, 0.0, 0.0), "ior": 1.0})
    view, _ = around(grounds=(black,), preset=preset, strength=1.0)
    picture = np.asarray(environment(preset), float)
    sky = directions(picture.shape[1], picture.shape[0]).reshape(-1, 3)
    light = picture.reshape(-1, 3)
    for level, roughness in list(enumerate(ROUGHNESS))[2:]:
        for way in ([0.0, 0.05, 1.0], [0.9, 0.1, 0.3], [0.0, 0.6, 0.8]):
            k = np.unravel_index(np.argmax(SKY @ way), SKY.shape[:2])
            share = weights(SKY[k][None], sky, roughness**2)[0]
            wanted = (share[:, None] * light * (sky[:, 1:2] > 0)).sum(0)
            near = view[level][k]
            left = share @ light * (1 - near[3]) + near[:3]
            assert left == pytest.approx(wanted, rel=0.03, abs=0.01 * light.mean())


def test_a_globe_takes_the_share_of_the_sky_that_its_size_tells():
    view, _ = around(grounds=(Ground(colour=(0.5, 0.5, 0.5), centre=(0.25, 0.75, -3.75), radius=2.0),))
    size = np.sqrt(1 - SKY[..., 1] ** 2)
    share = (view[0, ..., 3] * size).sum() / size.sum()
    assert share == pytest.approx((1 - np.sqrt(1 - 0.25)) / 2, rel=0.03)


@pytest.mark.parametrize("kind", ["flat", "around"])
def test_a_lamp_lights_a_floor_by_distance_and_slant(kind):
    """What is seen straight below, of a lamp straight above, sent back by a matt floor."""
    lamp = Lamp(kind=kind, centre=(0.25, 4.0, 0.25), normal=(0, -1, 0), radiance=(8.0, 4.0, 2.0), area=0.5)
    view, _ = around(grounds=(FLOOR,), lamps=(lamp,))
    arriving = np.array(lamp.radiance) * 0.5 / 16 * (1 if kind == "flat" else 0.25)
    assert view[0, -1].mean(0)[:3] == pytest.approx(np.array(FLOOR.colour) / np.pi * arriving, rel=0.01)


@pytest.mark.parametrize(("middle", "share"), [(0.0, 1.0), (2000.0, 0.5), (4000.0, 0.0)])
@pytest.mark.parametrize("roughness", [0.05, 0.4])
def test_a_gloss_mirrors_a_lamp_as_far_as_it_fills_the_lobe(middle, share, roughness):
    """A lamp without end, one that ends just where the mirrored way meets it, and one beside: seen from above."""
    lamp = Lamp(
        kind="flat",
        centre=(0.25 + middle, 50.0, 0.25),
        normal=(0, -1, 0),
        radiance=(2.0, 1.0, 0.5),
        area=0,
        u=(2000.0, 0, 0),
        v=(0, 0, 2000.0),
    )
    mirror = FLOOR.model_copy(update={"colour": (0.0, 0.0, 0.0), "ior": 1.5, "roughness": roughness})
    view, _ = around(grounds=(mirror,), lamps=(lamp,))
    # Of what is rough some microfacets lean so far that they mirror what is below the horizon.
    leaning = 1 / (1 + roughness**4)
    lit = 0.04 * share * leaning * np.array(lamp.radiance)
    assert view[0, -1, :, :3].mean(0) == pytest.approx(lit, rel=0.025, abs=3e-4)


def test_a_metal_mirrors_the_environment_in_its_colour_and_sends_nothing_back():
    metal = FLOOR.model_copy(update={"metal": 1.0, "roughness": 0.05})
    bright = around(grounds=(metal,), strength=2.0, preset="overcast")[0]
    up = environment("overcast")[:8].mean((0, 1)) * 2.0
    assert bright[0, -1, :, :3].mean(0) == pytest.approx(np.array(FLOOR.colour) * up, rel=0.02)


@pytest.mark.parametrize("roughness", [0.2, 0.3, 0.5])
def test_a_rough_gloss_seen_at_a_slant_mirrors_what_stands_above_its_mirror_way(roughness):
    """Thin tubes high up are in the tail of the lobe: against the sum over the whole sky, from 6 to 24 degrees."""
    floor = Ground(colour=(0, 0, 0), roughness=roughness, ior=1.5, centre=(0, 0, 0), u=(1e5, 0, 0), v=(0, 0, -1e5))
    view, _ = around(grounds=(floor,), preset="cold_tube", strength=1.0)
    picture = np.asarray(environment("cold_tube"), float)
    high, wide = picture.shape[:2]
    sky = directions(wide, high).reshape(-1, 3)
    part = 2 * np.pi * np.pi / len(sky) * np.sqrt(1 - sky[:, 1] ** 2)
    light = picture.reshape(-1, 3).mean(1) * part * (sky[:, 1] > 0)
    alpha = roughness**2
    rows = np.flatnonzero((SKY[:, 0, 1] < np.sin(np.radians(-6))) & (SKY[:, 0, 1] > np.sin(np.radians(-24))))
    ahead = np.flatnonzero(SKY[HEIGHT // 2, :, 2] > 0.8)
    seen, told = [], []
    for row in rows:
        for column in ahead[::3]:
            way = SKY[row, column]
            half = sky - way
            half /= np.linalg.norm(half, axis=1, keepdims=True)
            into, out = np.maximum(sky[:, 1], 1e-9), -way[1]
            d = alpha**2 / (np.pi * ((alpha**2 - 1) * half[:, 1] ** 2 + 1) ** 2)
            roots = [np.sqrt(alpha**2 + (1 - alpha**2) * c * c) for c in (into, out)]
            fresnel = 0.04 + 0.96 * (1 - np.clip(half @ -way, 0, 1)) ** 5
            told.append((fresnel * d / 2 / (out * roots[0] + into * roots[1]) * into * light).sum())
            seen.append(view[0, row, column, :3].mean())
    assert np.mean(seen) == pytest.approx(np.mean(told), rel=0.12)


def test_what_a_gloss_mirrors_does_not_reach_the_base_below_it():
    glossy = FLOOR.model_copy(update={"ior": 1.5, "roughness": 0.5})
    view, _ = around(grounds=(glossy,), lamps=(SUN,))  # in a dark sky, whose sun is no shape to be mirrored
    below = SKY[..., 1] < -0.15
    share = 0.04 + (0.5 - 0.04) * (1 + SKY[..., 1][below]) ** 5
    sent = np.array(FLOOR.colour) * 3 / np.pi * (1 - share[:, None])
    assert view[0][below][:, :3] == pytest.approx(sent, rel=0.01)


def test_spots_and_limits_end_the_light():
    lamp = {"kind": "flat", "centre": (0.25, 4.0, 0.25), "normal": (0, -1, 0), "radiance": (8, 8, 8), "area": 0.5}
    whole, _ = around(grounds=(FLOOR,), lamps=(lamp,))
    spot, _ = around(grounds=(FLOOR,), lamps=(lamp | {"spot": 0.3, "soft": 0.2},))
    near, _ = around(grounds=(FLOOR,), lamps=(lamp | {"limit": 3.9},))
    assert spot[0, -1] == pytest.approx(whole[0, -1])
    assert whole[0, 20, :, 0].min() > 0
    assert not spot[0, 20, :, :3].any()
    assert not near[..., :3].any()


def test_light_goes_back_and_forth_between_grounds_and_none_is_lost():
    """Within six white sheets around a glowing room light grows without end; of sheets of albedo a, glowing e, every
    direction holds e / (1 - a): here after four rounds, from the fifth power of a on, less."""
    a, e = 0.3, 0.7
    sides = [
        Ground(
            colour=(a, a, a),
            glow=(e, e, e),
            centre=tuple(2.0 * sign * np.eye(3)[axis]),
            u=tuple(2.0 * np.eye(3)[(axis + 1) % 3]),
            v=tuple(2.0 * sign * -np.eye(3)[(axis + 2) % 3]),
        )
        for axis in range(3)
        for sign in (-1, 1)
    ]
    for view in around(place=(0, 0, 0), grounds=sides):
        assert view[:2, ..., 3] == pytest.approx(1)
        assert (view[2:, ..., 3] == 0).all()
        assert view[..., :3] == pytest.approx(e / (1 - a), rel=0.01)


def test_levels_hold_as_much_light_as_they_get():
    """Each texel of a level is a mean: what is the same everywhere stays the same, and nothing leaves its bounds."""
    view, _ = around(grounds=(FLOOR,), lamps=(SUN,))
    for level in view:
        assert level.min() >= 0
        assert level[..., 3].max() <= 1 + 1e-5
        assert level[..., 0].max() <= view[0, ..., 0].max() * (1 + 1e-5)


@pytest.mark.parametrize("shape", ["corner", "sweep", "steps", "globe", "card"])
def test_every_shape_of_stage_is_there(shape):
    room = room_of(staged(shape=shape))
    found = seen_around(room)
    assert found.shape == (1 + len(room.grounds), len(ROUGHNESS), HEIGHT, WIDTH, 4)
    assert np.isfinite(found).all()
    assert found[0, 0, ..., 3].max() == 1


@pytest.mark.parametrize("count", [1, 40])
def test_a_floor_in_pieces_sends_what_a_whole_one_does(count):
    """A sweep's floor is a line that is drawn out, in as many pieces as its bend needs."""
    made = {"colour": (0.5, 0.4, 0.3), "roughness": 0.4, "ior": 1.5}
    lit = {"lamps": (SUN,), "preset": "long_softbox", "strength": 1.0}
    wall = Ground(colour=(0.3, 0.3, 0.4), roughness=0.4, centre=(0, 4, -4), u=(6, 0, 0), v=(0, 4, 0))
    whole = Ground(**made, centre=(0, 0, 0), u=(6, 0, 0), v=(0, 0, -4))
    line = tuple((0.0, float(depth)) for depth in np.linspace(4, -4, count + 1))
    drawn_out = Ground(**made, line=line, half=6)
    seen, found = (around(grounds=(floor, wall), **lit) for floor in (whole, drawn_out))
    if count == 1:
        assert found == pytest.approx(seen, abs=1e-5)
    else:
        # What the wall sends it, and what it sends the wall, is now known for every piece instead of one.
        assert found[0, 0].mean((0, 1)) == pytest.approx(seen[0, 0].mean((0, 1)), rel=0.01)
        assert (found[0, 0, ..., 3] == seen[0, 0, ..., 3]).mean() > 0.999


@pytest.mark.parametrize("shape", ["corner", "sweep", "card"])
@pytest.mark.parametrize("made", [{"roughness": 1.0, "ior": 1.0}, {}], ids=["matt", "glossy"])
def test_grounds_are_as_bright_as_the_renderer_sees_them_without_a_title(shape, made):
    shot = staged(shape=shape, **{f"{part}_material/{k}": v for part in ("wall", "floor") for k, v in made.items()})
    whole = Evaluation(shot).scene(shot.last, 1.0)
    place = np.array([0.25, 0.75, 0.25])
    (view, *_) = seen_around(room_of(shot))
    for way in ([0.0, -0.1, -1.0], [0.3, -1.0, -0.2], [0.4, 0.1, -1.0], [0.0, -0.8, 1.0]):
        to = np.array(way) / np.linalg.norm(way)
        k = np.unravel_index(np.argmax(SKY @ to), SKY.shape[:2])
        if view[0][k][3] < 1:
            continue
        camera = Camera(look_at(place, place + SKY[k])[None], (0.03, 0.03), (0.0, 0.0))
        alone = Scene((), (), whole.grounds, whole.surfaces, whole.lights, whole.surround, camera)
        seen = render(alone, RenderSettings(8, 8, 256, depth=5, bounded=False), None).beauty.mean((0, 1))
        # The renderer's lamps are no points.
        assert view[0][k][:3] == pytest.approx(seen, rel=0.08 if made else 0.2)
