"""Zones that every point of a letter feels by itself."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from letters import still_shot
from moss_crown.core.deform.chain import bent
from moss_crown.core.deform.rows import AMOUNT, FELT, KIND, ZONE
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.bending import kinds_of, swept
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.form.solid import closed
from moss_crown.core.motion.felt import LEAST_RUN

LIFT = {"id": "lift", "kind": "wave", "crests": "endless", "height": 0.4, "width": 100.0, "speed": 0.0}
"""All but even: everything goes up."""
SLAB = {"kind": "zone", "shape": "slab", "place": [0.0, 0.0, 0.0], "size": [0.3, 1.0, 1.0], "run": 0.5}
POINTS = np.random.default_rng(4).uniform([-0.5, 0, -0.2], [0.5, 1, 0.2], (60, 3))


def felt(*steps, frame=0.0, points=POINTS, **shot):
    """(l, n, 3) twice: where places of each letter are in the world at rest, and bent; and the rows of the letters."""
    of = Evaluation(still_shot(*steps, **shot))
    structure = of.structure(frame)
    (moved,) = of.moved(structure, np.array([frame]))
    poses = moved.poses[0]
    world = lambda own, pose: own @ pose[:3, :3].T + pose[:3, 3]  # noqa: E731
    flat = np.array([world(points, pose) for pose in poses])
    lifted = np.array([world(bent(rows, points), pose) for rows, pose in zip(moved.bends[0], poses, strict=True)])
    return flat, lifted, moved.bends[0]


def strength(lifted, flat):
    """(l, n): of all that they would be lifted, by the height of a crest about the left end of the block."""
    away = flat[..., 0] - LEFT
    return (lifted - flat)[..., 1] / (0.4 * (0.5 + 0.5 * np.cos(2 * np.pi * away / 100)))


LEFT = Evaluation(still_shot()).title_corners(0)[:, 0].min()


def test_only_what_a_slab_has_reached_is_bent():
    flat, lifted, rows = felt(LIFT | {"scope": "point", "reaches": [SLAB]})
    away = np.abs(flat[..., 0]) - 0.3
    by = strength(lifted, flat)
    assert by[away < 0] == pytest.approx(1, abs=1e-4) and len(by[away < 0])
    assert (lifted[away > 0.5] == flat[away > 0.5]).all() and len(by[away > 0.5])  # to the bit
    between = (away > 0.05) & (away < 0.45)
    assert ((by[between] > 0) & (by[between] < 1)).all() and len(by[between])
    order = np.argsort(away[between])
    assert (np.diff(by[between][order]) < 1e-9).all()  # less and less, the farther off
    assert FELT in kinds_of(rows)


def test_a_letter_as_a_whole_feels_less_than_its_points():
    """Half of a letter that a zone's border cuts is moved by all of it, half not at all."""
    flat, lifted, _ = felt(LIFT | {"reaches": [SLAB]})
    assert np.ptp(strength(lifted, flat), 1).max() < 1e-4
    flat, lifted, _ = felt(LIFT | {"scope": "point", "reaches": [SLAB]})
    assert np.ptp(strength(lifted, flat), 1).max() > 0.9


@pytest.mark.parametrize("shape", ["slab", "ball", "box", "ring"])
@given(place=st.tuples(*[st.floats(-2, 2)] * 3), turn=st.tuples(*[st.floats(-180, 180)] * 3), run=st.floats(0.2, 3))
def test_points_feel_what_letters_would_in_their_place(shape, place, turn, run):
    """A letter whose middle is where a point is feels a zone as that point does."""
    zone = SLAB | {"shape": shape, "place": place, "turn": turn, "size": [0.6, 0.25, 0.4], "run": run}
    straight = {"ease": {"leave": [0.0, 0.0], "arrive": [1.0, 1.0]}}
    of = Evaluation(still_shot(LIFT | {"scope": "letter", "reaches": [zone | straight]}))
    structure = of.structure(0)
    (whole,) = of.moved(structure, np.zeros(1))
    middles = np.array([(*letter.centre, 0.0) for letter in structure.letters])
    by_letter = whole.bends[0, :, -1, AMOUNT] / 0.4
    of = Evaluation(still_shot(LIFT | {"scope": "point", "reaches": [zone | straight]}))
    (moved,) = of.moved(structure, np.zeros(1))
    there = np.array([bent(moved.bends[0, k], middles[k : k + 1])[0] for k in range(len(middles))])
    whole_way = np.array([bent(whole.bends[0, k], middles[k : k + 1])[0] for k in range(len(middles))])
    assert there - middles == pytest.approx(whole_way - middles, abs=1e-4)
    assert by_letter.max() <= 1


@pytest.mark.parametrize("mix, expected", [("maximum", 1.0), ("add", 1.5), ("multiply", 0.5), ("cut", 0.5)])
def test_zones_join_as_reaches_do(mix, expected):
    everywhere = SLAB | {"size": [100.0, 1.0, 1.0]}
    two = [everywhere, everywhere | {"inside": 0.5, "mix": mix}]
    flat, lifted, _ = felt(LIFT | {"scope": "point", "reaches": two})
    assert strength(lifted, flat) == pytest.approx(expected, abs=1e-4)
    flat, lifted, _ = felt(LIFT | {"scope": "point", "reaches": two, "beyond": False})
    assert strength(lifted, flat) == pytest.approx(min(expected, 1.0), abs=1e-4)


def test_a_response_shapes_what_zones_say_and_other_reaches_act_on_the_whole_letter():
    everywhere = SLAB | {"size": [100.0, 1.0, 1.0], "inside": 0.5}
    bump = {"response": [[0, 0], [0.5, 0.8], [1, 0]]}
    flat, lifted, _ = felt(LIFT | bump | {"scope": "point", "reaches": [everywhere]})
    assert strength(lifted, flat) == pytest.approx(0.8, abs=1e-3)
    level = {"kind": "everywhere", "level": 0.25}
    flat, lifted, _ = felt(LIFT | bump | {"scope": "point", "reaches": [level, everywhere]})
    assert strength(lifted, flat) == pytest.approx(0.2, abs=1e-3)


def test_a_zone_that_measures_moved_letters_sees_points_as_they_have_been_bent():
    up = {"id": "up", "kind": "drive", "offset": {"move": [0.0, 5.0, 0.0]}, "reaches": [{"kind": "everywhere"}]}
    high = SLAB | {"shape": "box", "place": [0.0, 5.5, 0.0], "size": [100.0, 1.4, 100.0], "run": 0.2}
    for measures, moved in (("rest", 0.0), ("moved", 1.0)):
        flat, lifted, _ = felt(up, LIFT | {"scope": "point", "reaches": [high | {"measures": measures}]})
        assert strength(lifted, flat) == pytest.approx(moved, abs=1e-4)
    raised = LIFT | {"id": "first", "height": 5.0}
    for measures, moved in (("rest", 0.0), ("moved", 1.0)):
        zone = high | {"measures": measures}
        flat, lifted, _ = felt(raised, LIFT | {"id": "second", "scope": "point", "reaches": [zone]})
        assert 0.4 * strength(lifted, flat) == pytest.approx(5 + 0.4 * moved, abs=1e-3)


def test_a_scope_that_is_keyed_changes_from_letters_to_points():
    keys = [{"frame": 0, "value": "letter"}, {"frame": 10, "value": "point"}]
    step = LIFT | {"scope": {"keys": keys}, "reaches": [SLAB]}
    _, _, early = felt(step, frame=3.0)
    _, _, late = felt(step, frame=12.0)
    assert (early[:, :-1] == 0).all() and (late[:, 0, KIND] == ZONE).all()
    assert np.ptp(early[:, -1, AMOUNT]) > 0.3 and np.ptp(late[:, -1, AMOUNT]) == 0


def test_frames_have_the_same_rows_alone_and_in_sequence():
    sweep = SLAB | {"place": {"keys": [{"frame": 0, "value": [-6, 0, 0]}, {"frame": 40, "value": [6, 0, 0]}]}}
    step = LIFT | {"scope": "point", "reaches": [{"kind": "cadence"}, sweep]}
    follow = {"id": "f", "kind": "follow"}
    of = Evaluation(still_shot(step, follow))
    structure = of.structure(0)
    (all_at_once,) = of.moved(structure, np.arange(40.0))
    for frame in (0, 17, 33):
        (alone,) = Evaluation(still_shot(step, follow)).moved(structure, np.array([float(frame)]))
        assert np.array_equal(alone.bends[0], all_at_once.bends[frame])


def test_a_mesh_is_fine_where_a_border_passes_and_stays_closed():
    sweep = SLAB | {"place": {"keys": [{"frame": 0, "value": [-6, 0, 0]}, {"frame": 40, "value": [6, 0, 0]}]}}
    shot = still_shot(LIFT | {"scope": "point", "reaches": [sweep]})
    swept_over = Evaluation(shot).scene(20, 16 / 9)
    still = Evaluation(still_shot(LIFT)).scene(20, 16 / 9)
    fine, coarse = (
        sum(len(scene.solids[letter.solid].triangles) for letter in scene.letters) for scene in (swept_over, still)
    )
    assert all(closed(solid.triangles) for solid in swept_over.solids)
    assert fine > 2 * coarse


def test_a_border_that_stays_asks_for_no_more_than_where_it_lies():
    _, _, rows = felt(LIFT | {"scope": "point", "reaches": [SLAB]})
    assert swept(POINTS, np.stack([rows[0], rows[0]]), 0.002) == np.inf
    other = rows[0].copy()
    other[0, 3] += 0.2
    assert LEAST_RUN / 5 < swept(POINTS, np.stack([rows[0], other]), 0.002) < 0.5


def test_a_zone_without_a_run_does_not_tear_letters():
    x = np.linspace(-1, 1, 2001)
    flat, lifted, _ = felt(
        LIFT | {"scope": "point", "reaches": [SLAB | {"run": 0.0}]}, points=np.stack([x, 0 * x, 0 * x], 1)
    )
    assert np.abs(np.diff(strength(lifted, flat), axis=1)).max() < 0.05


def test_more_zones_than_points_may_feel_are_refused():
    with pytest.raises(DocumentInvalid, match="at most 6 zones that points feel"):
        still_shot(LIFT | {"scope": "point", "reaches": [SLAB] * 7})


def test_a_drive_moves_letters_as_a_whole():
    with pytest.raises(DocumentInvalid, match="scope"):
        still_shot({"id": "d", "kind": "drive", "scope": "point"})
