"""From a shot to letters, poses, pictures and files."""

import io

import numpy as np
import pytest

from messages import opened
from moss_crown.core.assets import check_assets
from moss_crown.core.cache import Cache, address
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import apply_patch, read_shot, write_shot
from moss_crown.core.draft.draft import draft, packed_picture, packed_whole, see
from moss_crown.core.draft.notes import notes, ridged_letters
from moss_crown.core.draft.recipes import SolidRecipe, build_recipe, recipe_of
from moss_crown.core.errors import FamilyUnknown
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import export_model, ready, render_frame, render_picture
from moss_crown.core.stage.camera import HEIGHT_SHARE
from moss_crown.demo.shots import demo_shots


def edited(*changes, text="KESTREL TIDE"):
    return apply_patch(new_shot(text=text), [{"op": "replace", "path": p, "value": v} for p, v in changes])[0]


def test_letters_end_exactly_at_rest():
    shot = new_shot()
    structure = Evaluation(shot).structure(0)
    poses = Evaluation(shot).poses(structure, np.array([float(shot.last), Evaluation(shot).rest_frame()]))
    origins = np.array([(m.x, m.y, 0) for m in structure.letters])
    assert (poses[:, :, :3, 3] == origins).all()
    assert (poses[:, :, :3, :3] == np.eye(3)).all()


def test_a_frame_alone_has_the_bits_of_the_sequence_in_any_order():
    shot = demo_shots()[3]
    structure = Evaluation(shot).structure(0)
    frames = np.array(shot.frames, float)
    together = Evaluation(shot).poses(structure, frames)
    for k in np.random.default_rng(3).permutation(len(frames))[:25]:
        assert (Evaluation(shot).poses(structure, frames[k : k + 1])[0] == together[k]).all()


def test_eleven_letters_arrive_one_after_the_other():
    shot = new_shot()
    times = Evaluation(shot).timing(Evaluation(shot).structure(0), np.array(shot.frames, float))
    assert times.speeds.shape == (4, 73, 11)
    assert np.diff(times.starts["arrive"]) == pytest.approx(2)
    begun = [int(np.flatnonzero(times.speeds[0, :, k] > 1e-6)[0]) for k in range(11)]
    assert begun == sorted(begun)
    assert len(set(begun)) == 11
    assert (times.speeds[:, int(times.rest.max()) + 1 :] == 0).all()


def test_frames_that_share_letters_share_a_span_and_keyed_text_changes_on_its_key():
    assert len(Evaluation(new_shot()).spans(range(73))) == 1
    shot = edited(("/steps/0/text", {"keys": [{"frame": 0, "value": "SALT"}, {"frame": 30, "value": "ROADS"}]}))
    parts = Evaluation(shot).spans(list(shot.frames))
    assert [len(p[0].letters) for p in parts] == [4, 5]
    assert parts[1][1][0] == 30


def test_a_keyed_depth_gives_each_frame_its_form():
    shot = edited(("/steps/1/depth", {"keys": [{"frame": 0, "value": 0.1}, {"frame": 10, "value": 0.5}]}))
    depths = [Evaluation(shot).structure(f).blocks[0].form.depth for f in (0, 5, 10, 50)]
    assert depths[0] == pytest.approx(0.1)
    assert 0.1 < depths[1] < 0.5
    assert depths[2] == depths[3] == pytest.approx(0.5)


def test_a_step_that_is_off_does_nothing():
    shot = edited(("/steps/2/on", False))
    assert Evaluation(shot).rest_frame() == shot.first
    poses = Evaluation(shot).poses(Evaluation(shot).structure(0), np.array([0.0, 40.0]))
    assert (poses[0] == poses[1]).all()
    dark = Evaluation(edited(("/steps/4/on", False), ("/steps/5/on", False), ("/steps/6/on", False))).scene(0, 1.5)
    assert dark.lights == ()
    assert dark.grounds == ()
    assert dark.surround.strength == 0


@pytest.mark.parametrize("orbit", [[0, 4], [35, 20], [-60, -10]])
@pytest.mark.parametrize("text", ["I", "KESTREL TIDE", "SALT\nROADS\nOF\nLOWMERE"])
def test_a_fitted_camera_sees_the_whole_title_at_its_share(orbit, text):
    shot = edited(("/steps/7/orbit", orbit), ("/steps/7/shift", [0, 0]), text=text)
    aspect = 16 / 9
    camera = Evaluation(shot).camera(np.array([0.0]), aspect)
    corners = np.c_[Evaluation(shot).title_corners(shot.last), np.ones(8 * len(Evaluation(shot).structure(0).letters))]
    local = corners @ np.linalg.inv(camera.poses[0]).T
    across = local[:, 0] / -local[:, 2] / camera.half[0]
    high = local[:, 1] / -local[:, 2] / camera.half[1]
    assert (local[:, 2] < 0).all()
    assert max(np.abs(across).max() / 0.8, np.abs(high).max() / (0.8 * HEIGHT_SHARE)) == pytest.approx(1, abs=1e-6)


def test_poses_in_the_shutter_follow_the_turn_and_nothing_moves_at_rest():
    shot = new_shot()
    assert len(Evaluation(shot).shutter_frames(60)) == 1
    moving = Evaluation(shot).shutter_frames(8)
    assert len(moving) >= 3
    assert moving.mean() == pytest.approx(8)
    assert np.ptp(moving) == pytest.approx(0.5)
    assert len(Evaluation(edited(("/steps/7/shutter", 0))).shutter_frames(8)) == 1
    # A phase of 90 degrees is a quarter of a frame later; a shutter of 180 then opens at the frame.
    late = Evaluation(edited(("/steps/7/shutter_phase", 90))).shutter_frames(8)
    assert late == pytest.approx(moving + 0.25)
    assert (late[0], late[-1]) == (8.0, 8.5)


def test_known_glyphs_are_built_once():
    cache = Cache()
    shot = new_shot(text="SEES")
    block = Evaluation(shot).structure(0).blocks[0]
    solids = [solid_of(letter, block.form, cache) for letter in block.letters]
    assert solids[0] is solids[3]
    assert solids[1] is solids[2]
    assert solids[0] is not solids[1]


def test_a_cache_forgets_the_oldest_beyond_its_bytes():
    cache = Cache(budget=100)
    made = []

    def make(n):
        return cache.get(n, lambda: made.append(n) or n, lambda _: 40)

    for n in (1, 2, 1, 3, 1, 2):
        make(n)
    assert made == [1, 2, 3, 2]
    assert address(1, "a", (2.0,)) == address(1, "a", (2.0,)) != address(1, "a", (2,))


def test_notes_say_what_was_limited_lacking_or_late():
    assert notes(Evaluation(new_shot())) == []
    codes = {
        n.code: n.text for n in notes(Evaluation(edited(("/steps/1/front/height", 1.7), ("/last", 20), text="КAK")))
    }
    assert set(codes) == {"type.lacking", "form.edge_limited", "motion.rest_late"}
    assert "К" in codes["type.lacking"]
    assert "0.139" in codes["form.edge_limited"]


def test_letters_with_a_ridge_are_named():
    assert ridged_letters(new_shot(text="IO"), Cache()) == []
    thin = edited(("/steps/0/family", "eb-garamond"), ("/steps/1/front/width", 0.7), text="IO")
    assert "I" in ridged_letters(thin, Cache())


def test_an_unknown_family_names_its_field():
    shot = edited(("/steps/0/family", "no-such-family"))
    with pytest.raises(FamilyUnknown) as refused:
        check_assets(shot)
    assert refused.value.field == "/steps/0/family"


def test_a_recipe_builds_the_same_solid_anywhere():
    block = Evaluation(new_shot()).structure(0).blocks[0]
    text = recipe_of(block.letters[0], block.form)
    recipe = SolidRecipe.model_validate_json(text)
    assert recipe.form.form() == block.form
    assert build_recipe(recipe, Cache()) == build_recipe(SolidRecipe.model_validate_json(text), Cache())


def test_the_draft_holds_what_its_head_says():
    shot = demo_shots()[0]
    head, tables = opened(draft(shot))
    frames = shot.last - shot.first + 1
    letters = len(head["spans"][0]["letters"])
    assert len(tables) == frames * letters * 21 + frames * 16
    poses = tables[: frames * letters * 16].reshape(frames, letters, 4, 4)
    assert poses[-1, :, 3, :3] == pytest.approx(
        np.array([(m.x, m.y, 0) for m in Evaluation(shot).structure(0).letters]), abs=1e-6
    )
    assert len(head["keyed"]["/steps/7/fit"]) == frames
    assert len(head["lenses"]) == 1
    assert set(head["look_of"]) == {0}


def test_a_preview_has_the_picture_of_the_whole_draft():
    """Its tables are the draft's first, and it has nothing that only the sheet shows."""
    for shot in demo_shots():
        seen = see(shot)
        (head, tables), (whole, more) = opened(packed_picture(seen)), opened(packed_whole(seen))
        assert more[: len(tables)].tobytes() == tables.tobytes()
        assert {"looks", "lenses", "middle"} <= head.keys() < whole.keys()
        assert {name: whole[name] for name in head if name != "spans"} == {
            k: v for k, v in head.items() if k != "spans"
        }
        cells = sum((s["last"] - s["first"] + 1) * len(s["letters"]) for s in head["spans"])
        assert len(more) - len(tables) == 5 * cells  # speeds in four ways, contacts


@pytest.mark.parametrize("shot", demo_shots(), ids=lambda s: s.title)
def test_every_demo_shot_renders_something_lit(shot):
    picture = render_frame(Evaluation(shot), shot.last, FrameOrder(64, 36, 4))
    assert np.isfinite(picture.beauty).all()
    assert 0.02 < picture.beauty.mean() < 2


def test_outliers_of_light_by_a_second_surface_are_bounded_unless_the_shot_says_otherwise():
    """A strong lamp that polished letters show the floor: what differs is by that alone, and most of it brighter."""
    raw = write_shot(new_shot(text="TIDE"))
    for step in raw["steps"]:
        if step["kind"] == "lights":
            for light in step["lights"]:
                light |= {"stops": 6, "mirrored_stage": True}
    bounded = read_shot(raw)
    free = read_shot(raw | {"bounded": False})
    order = FrameOrder(64, 36, 16, denoise=False)
    assert ready(Evaluation(bounded), 0, order).settings.bounded
    assert not ready(Evaluation(free), 0, order).settings.bounded
    tame, wild = (render_frame(Evaluation(shot), shot.last, order).beauty for shot in (bounded, free))
    assert (wild - tame).max() > 3 * (tame - wild).max(), "sparks are gone, none has come"
    assert wild.mean() > 1.02 * tame.mean()


def test_with_alpha_only_letters_are_seen():
    shot = new_shot(text="O")
    order = FrameOrder(96, 54, 8, alpha=True)
    pixels = render_picture(Evaluation(shot), shot.last, order).pixels(alpha=True)
    assert pixels.shape == (54, 96, 4)
    assert pixels[0, 0, 3] == 0
    assert pixels[..., 3].max() == 255
    assert pixels[27, 48, 3] == 0, "through the counter of O one sees nothing"


def test_the_same_frame_twice_has_the_same_bytes():
    shot = new_shot()
    order = FrameOrder(64, 36, 2)
    first = render_picture(Evaluation(shot), 12, order).pixels()
    render_frame(Evaluation(shot), 13, order)
    again = render_picture(Evaluation(shot), 12, FrameOrder(64, 36, 2, threads=2)).pixels()
    assert (again == first).all()


def test_glb_read_back_has_the_letters_the_places_and_the_volume():
    trimesh = pytest.importorskip("trimesh")
    shot = new_shot(text="TIDE")
    cache = Cache()
    scene = trimesh.load(io.BytesIO(export_model(Evaluation(shot, cache), shot.last, "glb")), file_type="glb")
    block = Evaluation(shot).structure(0).blocks[0]
    for letter in block.letters:
        built = solid_of(letter, block.form, cache)
        parts = [n for n in scene.graph.nodes_geometry if letter.text in n]
        whole = trimesh.util.concatenate([scene.geometry[scene.graph[n][1]] for n in parts])
        whole.merge_vertices(merge_norm=True, merge_tex=True)
        assert whole.is_watertight
        assert whole.volume == pytest.approx(built.volume, rel=1e-4)
    assert scene.bounds[0][1] == pytest.approx(0, abs=0.02)
    assert scene.extents[0] == pytest.approx(np.ptp(Evaluation(shot).title_corners(shot.last)[:, 0]), rel=1e-4)


@pytest.mark.parametrize("turn", [0.0, 130.0])
def test_a_sheet_in_the_draft_is_as_bright_as_the_environment_makes_it(turn):
    from moss_crown.core.look.environment import directions, environment, shrunk, turn_matrix
    from moss_crown.core.look.material import Surface
    from moss_crown.core.look.prefilter import weights
    from moss_crown.core.render.renderer import RenderSettings, render
    from moss_crown.core.stage.camera import look_at
    from moss_crown.core.stage.scene import Camera, Scene, Sheet, Surround

    wall = Sheet(np.zeros(3), np.array([9.0, 0, 0]), np.array([0, 9.0, 0]), 0)
    white = Surface((1.0, 1.0, 1.0), 0.0, 1.0, 1.0)
    camera = Camera(look_at(np.array([0, 0, 3.0]), np.zeros(3))[None], (0.02, 0.02), (0, 0))
    scene = Scene((), (), (wall,), (white,), (), Surround(environment("dusk_harbour"), 1.0, turn), camera)
    picture = render(scene, RenderSettings(16, 16, 256, depth=1, bounded=False), None).beauty.mean((0, 1))
    light = shrunk(environment("dusk_harbour"), 4)
    facing = np.array([[0.0, 0.0, 1.0]]) @ turn_matrix(turn)
    found = weights(facing, directions(128, 64).reshape(-1, 3), 1.0) @ light.reshape(-1, 3)
    assert found[0] == pytest.approx(picture, rel=0.02)


def test_letters_are_built_finer_where_they_are_larger_in_the_frame():
    shot = new_shot(text="O")
    count = [len(Evaluation(shot).scene(shot.last, 16 / 9, height=h).solids[0].triangles) for h in (90, 720, 4096)]
    assert count[0] <= count[1] < count[2]
    assert count[2] > 1.5 * count[0]


def test_a_tube_that_has_not_begun_leaves_no_letter_and_breaks_nothing():
    tubes = [("/steps/1/tubes/on", True), ("/steps/1/tubes/first", 0.4), ("/steps/1/tubes/last", 0.4)]
    shot = edited(*tubes, text="IO")
    cache = Cache()
    assert Evaluation(shot, cache).scene(0, 1.5).letters == ()
    assert render_frame(Evaluation(shot, cache), 0, FrameOrder(32, 18, 1)).alpha.max() <= 1
    assert export_model(Evaluation(shot, cache), 0, "glb")[:4] == b"glTF"
    (letter, *_) = Evaluation(shot).structure(0).letters
    recipe = SolidRecipe.model_validate_json(recipe_of(letter, Evaluation(shot).structure(0).blocks[0].form))
    assert build_recipe(recipe, cache)[:4] == b"glTF"
    assert draft(shot)
