"""What letters stand on: sweeps, steps, globes, cards; and the haze between."""

from dataclasses import replace

import numpy as np
import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.look import Material, Pictures, StageStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.material import Images, Surface
from moss_crown.core.render.renderer import Render, RenderSettings, render
from moss_crown.core.stage.camera import look_at
from moss_crown.core.stage.ground import steps_line, sweep_line, triangulated
from moss_crown.core.stage.scene import Camera, Globe, Haze, Scene, Sheet, Surround, Swept
from moss_crown.core.stage.staging import floor_below, grounds_at, haze_at, horizon_at, wall_behind

DARK = Surround(np.zeros((256, 512, 3), np.float32), 0.0, 0.0)


def staged(**stage: object) -> Shot:
    shot = new_shot(text="TIDE")
    own = StageStep(id="stage").model_copy(update=stage)
    return shot.model_copy(update={"steps": [own if s.kind == "stage" else s for s in shot.steps]})


def swept(line, half=2.0) -> Swept:
    return Swept(*line, half, 0)


GROUNDS = {
    "sweep": swept(sweep_line(1.25, 0.9, 10)),
    "steps": swept(steps_line(1.0, 4, 0.25, 0.4, 10)),
    "globe": Globe(np.array([0.0, -2.0, 0.5]), 2.0, 0),
    "sheet": Sheet(np.zeros(3), np.array([2.0, 0, 0]), np.array([0, 0, -3.0]), 0),
}


@pytest.mark.parametrize("name", GROUNDS)
def test_triangles_face_the_way_of_their_normals(name):
    mesh = triangulated(GROUNDS[name])
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    facing = np.cross(b - a, c - a)
    length = np.linalg.norm(facing, axis=1)
    assert length.min() > 1e-9
    assert ((facing / length[:, None])[:, None] * mesh.normals).sum(-1).min() > 0.95
    assert np.linalg.norm(mesh.normals, axis=-1) == pytest.approx(np.ones(mesh.normals.shape[:2]))


def test_a_sweep_bends_as_a_quarter_of_a_circle():
    line, normals = sweep_line(1.5, 0.8, 10)
    curve = line[1:-1]
    centre = np.array([0.8, -1.5 + 0.8])
    assert np.linalg.norm(curve - centre, axis=1) == pytest.approx(0.8)
    assert curve[0] == pytest.approx((0.0, -0.7)) and curve[-1] == pytest.approx((0.8, -1.5))
    assert normals[1, 0] == pytest.approx((1, 0)) and normals[-2, 1] == pytest.approx((0, 1))
    # Smooth where floor, curve and wall join.
    assert normals[:-1, 1] == pytest.approx(normals[1:, 0], abs=1e-12)


def test_steps_rise_and_run_as_asked():
    line, _ = steps_line(1.0, 3, 0.25, 0.4, 10)
    assert line[1::2] == pytest.approx(np.array([(0, -1), (0.25, -1.4), (0.5, -1.8), (0.75, -20.0)]))
    assert np.unique(np.round(np.diff(line, axis=0)[:, 0], 9)).tolist() == [0.0, 0.25]


def test_a_globe_is_a_ball_and_touches_the_floor_in_the_middle():
    globe = grounds_at(staged(shape="globe", radius=3.0), 0, [])[0]
    mesh = triangulated(globe)
    assert np.linalg.norm(mesh.vertices - globe.centre, axis=1) == pytest.approx(3.0)
    assert mesh.vertices[:, 1].max() == pytest.approx(0.0)
    edges = np.sort(mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), 1)
    used = edges[(mesh.vertices[edges[:, 0]] != mesh.vertices[edges[:, 1]]).any(1)]
    places = np.unique(np.round(mesh.vertices, 9), axis=0, return_inverse=True)[1].ravel()
    _, count = np.unique(np.sort(places[used], 1), axis=0, return_counts=True)
    assert (count == 2).all()  # closed


@pytest.mark.parametrize(
    ("stage", "names", "wall", "floor"),
    [
        ({}, ["floor", "wall"], -1.25, 0.0),
        ({"wall": False}, ["floor"], -1e4, 0.0),
        ({"shape": "sweep"}, ["sweep"], -1.25, 0.0),
        ({"shape": "steps", "wall_distance": 2.0}, ["steps"], -2.0, 0.0),
        ({"shape": "globe"}, ["globe"], -1e4, -np.inf),
        ({"shape": "card", "floor": False}, ["card"], -1.25, -np.inf),
        ({"shape": "card"}, ["floor", "card"], -1.25, 0.0),
        ({"on": False}, [], -1e4, -np.inf),
    ],
)
def test_what_a_stage_is_made_of(stage, names, wall, floor):
    shot = staged(**stage)
    surfaces: list[Surface] = []
    grounds = grounds_at(shot, 0, surfaces)
    assert [g.name for g in grounds] == names
    assert [g.surface for g in grounds] == list(range(len(surfaces)))
    assert (wall_behind(shot, 0), floor_below(shot, 0)) == (wall, floor)


def test_a_picture_fills_a_card_once():
    size = {"shape": "card", "card_width": 6.0, "card_height": 3.0}
    [*_, card] = grounds_at(staged(**size), 0, [])
    assert (card.u[0], card.v[1], card.centre[1]) == (3.0, 1.5, 1.5)
    id = "picture-" + "a" * 32
    pictured = Material(pictures=Pictures(colour=id, width=0.4, turn=30.0))
    grounds_at(staged(**size, wall_material=pictured), 0, surfaces := [])
    assert surfaces[-1].images == Images(colour=id, width=6.0, tiling="once", shift=(0.0, 1.5, 0.0))


def test_haze_takes_half_at_its_distance():
    haze = haze_at(staged(haze=7.0, haze_colour=(0.1, 0.2, 0.3)), 0)
    assert np.exp(-((haze.density * 7.0) ** 2)) == pytest.approx(0.5)
    assert haze.colour == (0.1, 0.2, 0.3)
    assert haze_at(staged(), 0) is None


@pytest.mark.parametrize("distance", [2.0, 5.0, 9.0])
def test_hazed_light_is_a_mean_of_surface_and_haze(distance):
    """A glowing sheet across the view, seen from several distances, against the closed form."""
    sheet = Sheet(np.zeros(3), np.array([9.0, 0, 0]), np.array([0, 9.0, 0]), 0)
    glowing = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(0.8, 0.4, 0.2))
    camera = Camera(look_at(np.array([0.0, 0.0, distance]), np.zeros(3))[None], (0.3, 0.3), (0.0, 0.0))
    haze = Haze(float(np.sqrt(np.log(2)) / 5.0), (0.1, 0.2, 0.3))
    scene = Scene((), (), (sheet,), (glowing,), (), DARK, camera, (), haze)
    seen = render(scene, RenderSettings(16, 16, 16), None).beauty
    left = 0.5 ** ((distance / 5.0) ** 2)
    assert seen.mean((0, 1)) == pytest.approx(
        left * np.array(glowing.glow) + (1 - left) * np.array(haze.colour), rel=2e-3
    )
    # By depth, not by distance from the eye: even over the picture.
    assert np.ptp(seen, (0, 1)).max() < 2e-3


def test_a_floor_without_a_wall_goes_on_behind():
    ends = [
        min((f.centre - f.v)[2], (f.centre + f.v)[2])
        for f in (grounds_at(staged(wall=w), 0, [])[0] for w in (True, False))
    ]
    assert ends == [-1.25, -60.0]


@pytest.mark.parametrize("haze", [None, Haze(0.1, (0.6, 0.5, 0.4))])
def test_grounds_go_over_into_the_horizon_around_the_middle(haze):
    """A glowing floor seen from far above, pixel by pixel against the closed form; haze lies over both."""
    floor = Sheet(np.zeros(3), np.array([50.0, 0, 0]), np.array([0, 0, -50.0]), 0)
    glowing = Surface((0.0, 0.0, 0.0), 0.0, 1.0, 1.0, glow=(0.8, 0.4, 0.2))
    high, half = 10.0, 0.6
    camera = Camera(look_at(np.array([0.0, high, 1e-5]), np.zeros(3))[None], (half, half), (0.0, 0.0))
    horizon = Haze(float(np.sqrt(np.log(2)) / 3.0), (0.1, 0.2, 0.3))
    scene = Scene((), (), (floor,), (glowing,), (), DARK, camera, (), haze, horizon)
    with Render(scene, RenderSettings(24, 24, 64, passes=True)) as picture:
        picture.add(64)
        seen, found = picture.passes().beauty, picture.layers()
    at = (np.arange(24) + 0.5) / 24 * 2 - 1
    away = np.hypot(*np.meshgrid(at, at)) * half * high
    left = 0.5 ** ((away / 3.0) ** 2)[..., None]
    expected = left * np.array(glowing.glow) + (1 - left) * np.array(horizon.colour)
    if haze:
        clear = np.exp(-((haze.density * high) ** 2))
        expected = clear * expected + (1 - clear) * np.array(haze.colour)
    assert seen == pytest.approx(expected, abs=6e-3)
    lights = sum(p for name, p in found.pictures.items() if name.startswith("light_"))
    assert lights == pytest.approx(seen, abs=1e-4)


def test_letters_do_not_go_over_into_the_horizon():
    """With a horizon that begins at once floor and wall are it, and letters have the same bits as without."""
    near, far = (Evaluation(staged(horizon=h, horizon_colour=(0.9, 0.1, 0.2))).scene(60, 16 / 9) for h in (0.0, 0.02))
    assert near.horizon is None
    assert far.horizon == horizon_at(staged(horizon=0.02, horizon_colour=(0.9, 0.1, 0.2)), 0)
    bare = replace(near, grounds=(), lights=())
    clear, red = (render(s, RenderSettings(96, 54, 8, bounded=False), None).beauty for s in (near, far))
    alpha = render(bare, RenderSettings(96, 54, 8, open_back=True), None).alpha[..., 0]
    assert (alpha == 1).sum() > 100
    assert (red[alpha == 1] == clear[alpha == 1]).all()
    grounds = red[(alpha == 0) & (red != clear).any(-1)]
    assert len(grounds) > 1000
    assert grounds / grounds.max(-1, keepdims=True) == pytest.approx(
        np.broadcast_to([1, 1 / 9, 2 / 9], grounds.shape), abs=0.02
    )


def test_the_lights_of_a_hazy_scene_still_add_up():
    shot = staged(haze=6.0)
    scene = Evaluation(shot).scene(60, 16 / 9, motion=True)
    with Render(scene, RenderSettings(64, 36, 4, passes=True)) as picture:
        picture.add(4)
        beauty, found = picture.passes().beauty, picture.layers()
    lights = sum(p for name, p in found.pictures.items() if name.startswith("light_"))
    assert lights == pytest.approx(beauty, abs=1e-4)


def test_a_clear_scene_renders_the_same_without_haze():
    scene = Evaluation(staged()).scene(60, 16 / 9)
    far = replace(scene, haze=Haze(1e-9, (1.0, 1.0, 1.0)))
    one, other = (render(s, RenderSettings(48, 27, 2), None).beauty for s in (scene, far))
    assert one == pytest.approx(other, abs=1e-6)
