"""Groups: exact pivots, what moves as one, groups of groups, and copies that come later and farther."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from messages import opened
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, read_shot, write_shot
from moss_crown.core.draft.draft import draft
from moss_crown.core.errors import DocumentInvalid, TooMany
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.poses import turn_matrix
from moss_crown.core.proposals.arranging import align

FRAMES = np.arange(0.0, 60.0)


def shot_with(*groups, text="TIDE", more=()):
    """The default title, whose letters arrive one by one, in groups."""
    document = write_shot(new_shot(text=text))
    blocks = [*more, *document["steps"]]
    return read_shot(document | {"steps": [*blocks, *({"kind": "group"} | g for g in groups)]})


def second_block():
    (block,) = [s for s in write_shot(new_shot(text="SALT"))["steps"] if s["kind"] == "block"]
    return block | {"id": "second", "move": [0.0, 2.0, -0.5]}


def poses(shot, frames=FRAMES):
    return Evaluation(shot).poses(Evaluation(shot).structure(frames[0]), frames)


def box_middle(shot):
    corners = Evaluation(shot).title_corners(shot.last)
    return (corners.min(0) + corners.max(0)) / 2


def test_a_group_that_does_nothing_changes_no_bit():
    assert (poses(shot_with({"id": "g"})) == poses(shot_with())).all()


@pytest.mark.parametrize("turn", [(0.0, 0.0, 90.0), (30.0, -50.0, 10.0)])
def test_a_group_turns_about_the_exact_centre_of_its_letters(turn):
    plain, turned = shot_with(), shot_with({"id": "g", "turn": turn})
    middle, about = box_middle(plain), turn_matrix(np.array(turn))
    before, after = poses(plain), poses(turned)
    assert after[..., :3, 3] == pytest.approx((before[..., :3, 3] - middle) @ about.T + middle, abs=1e-9)
    assert after[..., :3, :3] == pytest.approx(about @ before[..., :3, :3], abs=1e-9)


def test_its_foot_stays_where_it_is_when_it_grows():
    plain, grown = shot_with(), shot_with({"id": "g", "pivot": "foot", "scale": [2.0, 2.0, 2.0]})
    small, large = (Evaluation(s).title_corners(s.last) for s in (plain, grown))
    assert large[:, 1].min() == pytest.approx(small[:, 1].min(), abs=1e-9)
    assert np.ptp(large, axis=0) == pytest.approx(2 * np.ptp(small, axis=0), abs=1e-9)
    own = shot_with({"id": "g", "pivot": "own", "own": [1.0, 2.0, 3.0], "scale": [2.0, 2.0, 2.0]})
    assert poses(own)[..., :3, 3] == pytest.approx(2 * poses(plain)[..., :3, 3] - [1, 2, 3], abs=1e-9)


def test_only_members_are_led_and_those_of_groups_in_groups_too():
    alone = shot_with({"id": "g", "members": ["second"], "move": [0, 0, 5.0]}, more=[second_block()])
    by = poses(alone) - poses(shot_with(more=[second_block()]))
    assert by[:, :4, 2, 3] == pytest.approx(5.0)
    assert (by[:, 4:] == 0).all()
    inner = {"id": "inner", "members": ["second"], "turn": [0, 40.0, 0]}
    outer = {"id": "outer", "members": ["inner"], "turn": [0, -40.0, 0], "move": [1.0, 0, 0]}
    both = poses(shot_with(inner, outer, more=[second_block()]))
    # Both pivots are the middle of the same letters, turned or not: the turns take each other back.
    assert both[:, :4, :3, 3] - poses(shot_with(more=[second_block()]))[:, :4, :3, 3] == pytest.approx(
        np.broadcast_to([1.0, 0, 0], (60, 4, 3)), abs=1e-6
    )


def test_a_copy_does_what_the_group_did_a_delay_before():
    copies = {"count": 2, "delay": 7, "move": [0, 0, 0]}
    keys = {"keys": [{"frame": 5, "value": [0, 0, 0]}, {"frame": 25, "value": [3, 1, 0]}]}
    shot = shot_with({"id": "g", "move": keys, "copies": copies})
    found = poses(shot)
    assert found.shape[1] == 12
    for copy in (1, 2):
        late = 7 * copy
        assert (found[late:, 4 * copy : 4 * copy + 4] == found[: 60 - late, :4]).all()
    assert (found[:, :4] == poses(shot_with({"id": "g", "move": keys}))).all()


SPRING = {"kind": "follow", "id": "spring", "tempo": 1.5, "damping": 0.3}


def test_a_follow_through_below_a_group_follows_it_as_it_follows_a_blocks_own_place():
    keys = {"keys": [{"frame": 5, "value": [0, 0, 0]}, {"frame": 12, "value": [3, 1, 0]}]}
    own = write_shot(shot_with())
    own["steps"] = [s | {"move": keys} if s["kind"] == "block" else s for s in own["steps"]]
    own = read_shot(own | {"steps": [*own["steps"], SPRING]})
    led = shot_with({"id": "g", "move": keys}, SPRING)
    assert poses(led)[..., :3, 3] == pytest.approx(poses(own)[..., :3, 3], abs=1e-9)
    # It goes past, and comes to rest where the group ends.
    late = np.array([400.0])
    plain = shot_with({"id": "g", "move": keys})
    assert (poses(led) - poses(plain))[..., 0, 3].max() > 0.5
    assert poses(led, late) == pytest.approx(poses(plain, late), abs=1e-6)
    # Alone at a frame, the same bits as among others.
    assert all((poses(led, FRAMES[k : k + 1])[0] == poses(led)[k]).all() for k in (3, 17, 41))


def test_a_follow_through_above_a_group_leaves_it_alone():
    keys = {"keys": [{"frame": 5, "value": [0, 0, 0]}, {"frame": 12, "value": [0, 0, 4]}]}
    document = write_shot(shot_with({"id": "g", "move": keys}))
    above = read_shot(document | {"steps": [*document["steps"][:-1], SPRING, document["steps"][-1]]})
    without = read_shot(document | {"steps": [*document["steps"][:-1], SPRING]})
    by = poses(above)[..., 2, 3] - poses(without)[..., 2, 3]
    assert by == pytest.approx(np.broadcast_to(by[:, :1], by.shape), abs=1e-9)
    assert by.max() == pytest.approx(4.0) and by[FRAMES >= 12] == pytest.approx(4.0)


def test_copies_follow_through_a_delay_later_and_their_step_and_radius_are_followed_too():
    keys = {"keys": [{"frame": 5, "value": [0, 0, 0]}, {"frame": 12, "value": [3, 1, 0]}]}
    delayed = shot_with({"id": "g", "move": keys, "copies": {"count": 1, "delay": 7, "move": [0, 0, 0]}}, SPRING)
    found = poses(delayed)
    assert found[7:, 4:] == pytest.approx(found[:-7, :4], abs=1e-9)
    grows = {"keys": [{"frame": 5, "value": 0}, {"frame": 12, "value": 2}]}
    copies = {"count": 1, "delay": 0, "move": [0, 0, 0], "radius": grows}
    spread, followed = (poses(shot_with({"id": "g", "copies": copies}, *more)) for more in ((), (SPRING,)))
    outer = np.abs(spread[-1, 4, :2, 3] - spread[0, 4, :2, 3]).argmax()
    end = spread[-1, 4, outer, 3]
    assert np.abs(followed[:, 4, outer, 3] - end).max() >= np.abs(spread[:, 4, outer, 3] - end).max()
    assert (np.sign(end - spread[0, 4, outer, 3]) * (followed[:, 4, outer, 3] - end)).max() > 0.3


def test_a_copy_is_a_step_farther_about_the_pivot():
    copies = {"count": 3, "delay": 0, "move": [0, 0.5, 0], "turn": [0, 30.0, 0], "scale": 0.5}
    plain, shot = shot_with(), shot_with({"id": "g", "copies": copies})
    middle, at = box_middle(plain), poses(plain)[:, :, :3, 3]
    found = poses(shot)[:, :, :3, 3].reshape(60, 4, 4, 3)
    for copy in range(4):
        about = turn_matrix(np.array([0, 30.0 * copy, 0])) * 0.5**copy
        assert found[:, copy] == pytest.approx((at - middle) @ about.T + middle + [0, 0.5 * copy, 0], abs=1e-9)


def test_copies_spread_outward_in_the_plane_of_the_type():
    plain = shot_with()
    structure = Evaluation(plain).structure(plain.last)
    rest = poses(plain, np.array([70.0]))[0]
    centres = np.array([p[:3, :3] @ (*m.centre, 0) + p[:3, 3] for p, m in zip(rest, structure.letters, strict=True)])
    shot = shot_with({"id": "g", "copies": {"count": 2, "delay": 0, "move": [0, 0, 0], "radius": 0.4}})
    found = poses(shot, np.array([70.0]))[0].reshape(3, 4, 4, 4)
    away = (centres - box_middle(plain)) * [1, 1, 0]
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    for copy in (1, 2):
        assert found[copy, :, :3, 3] - found[0, :, :3, 3] == pytest.approx(0.4 * copy * away, abs=1e-6)


def test_each_copy_goes_a_share_of_the_way_to_the_tint():
    shot = shot_with({"id": "g", "copies": {"count": 2, "tint": [0.1, 0.2, 0.3], "share": 0.4}})
    first, second, third = Evaluation(shot).moved(Evaluation(shot).structure(0), FRAMES)
    assert first.wear.tint is None
    for block, share in ((second, 0.4), (third, 0.64)):
        assert block.wear.tint[..., 3] == pytest.approx(share)
        assert block.wear.tint[..., :3] == pytest.approx(np.broadcast_to([0.1, 0.2, 0.3], (60, 4, 3)))


def test_rest_and_starts_are_told_by_the_clock_of_the_shot():
    plain, shot = shot_with(), shot_with({"id": "g", "copies": {"count": 1, "delay": 9}})
    before = Evaluation(plain).timing(Evaluation(plain).structure(0), FRAMES)
    after = Evaluation(shot).timing(Evaluation(shot).structure(0), FRAMES)
    assert after.rest == pytest.approx([*before.rest, *(before.rest + 9)])
    ((drive, starts),) = before.starts.items()
    assert after.starts[drive] == pytest.approx([*starts, *(starts + 9)])
    assert Evaluation(shot).rest_frame() == pytest.approx(Evaluation(plain).rest_frame() + 9)
    keys = {"keys": [{"frame": 0, "value": [0, 0, 0]}, {"frame": 65, "value": [3, 1, 0]}]}
    assert Evaluation(shot_with({"id": "g", "move": keys, "copies": {"count": 1, "delay": 4}})).rest_frame() == 69


def test_a_text_that_changes_changes_later_in_a_copy():
    document = write_shot(shot_with({"id": "g", "copies": {"count": 1, "delay": 10}}))
    block = next(k for k, s in enumerate(document["steps"]) if s["kind"] == "block")
    text = {"keys": [{"frame": 0, "value": "EBB"}, {"frame": 20, "value": "FLOOD"}]}
    shot = patched(document, [{"op": "replace", "path": f"/steps/{block}/text", "value": text}])
    words = {f: "".join(m.text for m in Evaluation(shot).structure(f).letters) for f in (0, 19, 20, 29, 30)}
    assert words == {0: "EBBEBB", 19: "EBBEBB", 20: "FLOODEBB", 29: "FLOODEBB", 30: "FLOODFLOOD"}
    assert [own[0] for _, own in Evaluation(shot).spans(list(range(40)))] == [0, 20, 30]
    assert len(draft(shot)) > 1000


def test_a_group_that_comes_and_goes_takes_its_copies_along():
    on = {"keys": [{"frame": 0, "value": False}, {"frame": 10, "value": True}]}
    shot = shot_with({"id": "g", "on": on, "copies": {"count": 1}})
    assert [(own[0], len(s.letters)) for s, own in Evaluation(shot).spans(list(range(20)))] == [(0, 4), (10, 8)]


@settings(max_examples=10)
@given(st.permutations(range(40)), st.integers(1, 3), st.floats(0, 12))
def test_frames_in_any_order_have_the_same_bits(order, count, delay):
    turn = {"keys": [{"frame": 0, "value": [0, 0, 0]}, {"frame": 30, "value": [0, 90, 0]}]}
    shot = shot_with(
        {"id": "g", "turn": turn, "copies": {"count": count, "delay": delay, "turn": [0, 0, 15]}}, text="O"
    )
    whole = poses(shot, np.arange(40.0))
    for frame in order[:8]:
        assert (poses(shot, np.array([float(frame)]))[0] == whole[frame]).all()


def test_the_camera_fits_copies_and_blocks_are_aligned_by_themselves():
    shot = shot_with({"id": "g", "copies": {"count": 2, "move": [0, 3.0, 0], "delay": 0}})
    assert np.ptp(Evaluation(shot).title_corners(72)[:, 1]) == pytest.approx(
        np.ptp(Evaluation(shot_with()).title_corners(72)[:, 1]) + 6
    )
    (block,) = Evaluation(shot).block_corners(72).values()
    assert len(block) == 4 * 8
    assert align(shot, 72, next(s.id for s in shot.steps if s.kind == "block"), "left", "frame")


def test_letters_of_copies_have_names_of_their_own():
    names = [placed.name for placed in Evaluation(shot_with({"id": "g", "copies": {"count": 2}})).scene(60, 2).letters]
    assert len(names) == len(set(names)) == 12


def test_too_many_copies_are_refused_before_they_are_made():
    with pytest.raises(DocumentInvalid) as refused:
        shot_with({"id": "g", "copies": {"count": 41}})
    assert refused.value.field == "/steps/8/copies/count"
    many = [{"id": f"g{k}", "copies": {"count": 40}} for k in range(3)]
    with pytest.raises(TooMany):
        shot_with(*many)
    keyed = {"keys": [{"frame": 0, "value": 0}, {"frame": 9, "value": 40}]}
    with pytest.raises(TooMany):
        shot_with({"id": "a", "copies": {"count": keyed}}, {"id": "b", "copies": {"count": 40}}, text="LOWMERE TIDE")
    # A group holds what it names: two that share nothing do not multiply.
    named = [{"id": id, "members": [id2], "copies": {"count": 40}} for id, id2 in (("a", "second"), ("b", "third"))]
    assert shot_with(*named, more=[second_block(), second_block() | {"id": "third"}])


def test_the_draft_tells_the_pivots():
    shot = shot_with({"id": "g", "pivot": "foot", "copies": {"count": 1}})
    head, _ = opened(draft(shot))
    corners = Evaluation(shot_with()).title_corners(shot.last)
    middle = (corners.min(0) + corners.max(0)) / 2
    assert head["centres"]["g"] == pytest.approx([middle[0], corners[:, 1].min(), middle[2]], abs=1e-4)
    (span,) = head["spans"]
    (own,) = span["pivots"].values()
    assert len(own) == 8
    for pivot, letter in zip(own, span["letters"], strict=True):
        left, bottom, right, top = letter["box"]
        assert pivot == pytest.approx([(left + right) / 2, (bottom + top) / 2, 0], abs=1e-4)
