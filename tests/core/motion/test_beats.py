"""Beats and markers: where they fall, and that a change of frame rate keeps them at their seconds."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from messages import opened
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import patched, read_shot, write_shot
from moss_crown.core.document.keys import retimed
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.draft.draft import draft
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.motion.beats import beats_of


def shot_with(**parts):
    return read_shot(write_shot(new_shot(last=100)) | parts)


def test_beats_fall_evenly_and_every_fourth_begins_a_bar():
    # 120 a minute at 25 frames a second: every 12.5 frames, with one at frame 30.
    found = beats_of(shot_with(beats={"tempo": 120, "first": 30, "bar": 4}))
    assert [frame for frame, _ in found] == [5.0, 17.5, 30.0, 42.5, 55.0, 67.5, 80.0, 92.5]
    assert [frame for frame, bar in found if bar] == [30.0, 80.0]
    assert beats_of(shot_with()) == []


@given(tempo=st.floats(1, 400), first=st.floats(-1000, 1000), bar=st.integers(1, 16))
@settings(max_examples=60)
def test_all_beats_of_the_shot_are_there_and_no_other(tempo, first, bar):
    shot = shot_with(beats={"tempo": tempo, "first": first, "bar": bar})
    found = beats_of(shot)
    apart = 1500 / tempo
    for frame, strong in found:
        count = (frame - first) / apart
        assert count == pytest.approx(round(count), abs=1e-3)
        assert strong == (round(count) % bar == 0)
        assert -1e-3 <= frame <= 100 + 1e-3
    assert len(found) == pytest.approx(100 / apart, abs=1.001)


def test_a_change_of_frame_rate_keeps_their_seconds():
    shot = shot_with(beats={"tempo": 100, "first": 10}, markers=[{"frame": 20, "name": "tide"}, {"frame": 33.5}])
    patch = retimed(shot, FrameRate(numerator=50, denominator=1), "seconds")
    faster = patched(write_shot(shot), patch)
    assert [(m.frame, m.name) for m in faster.markers] == [(40, "tide"), (67, "")]
    assert faster.beats.first == 20 and faster.beats.tempo == 100
    assert [f for f, _ in beats_of(faster)][:3] == [2 * f for f, _ in beats_of(shot)][:3]
    kept = patched(write_shot(shot), retimed(shot, FrameRate(numerator=50, denominator=1), "frames"))
    assert kept.markers == shot.markers and kept.beats == shot.beats


def test_a_document_from_before_there_were_any_changes_its_frame_rate_too():
    old = {k: v for k, v in write_shot(new_shot()).items() if k not in ("beats", "markers", "pixel_shape")}
    patch = retimed(read_shot(old), FrameRate(numerator=24, denominator=1), "seconds")
    assert patched(old, patch).beats.tempo == 0


def test_the_draft_tells_the_sheet():
    head, _ = opened(draft(shot_with(beats={"tempo": 60, "first": 0, "bar": 2})))
    assert head["beats"] == [[0, True], [25, False], [50, True], [75, False], [100, True]]


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("/beats/tempo", 401),
        ("/beats/tempo", -1),
        ("/beats/bar", 0),
        ("/beats/first", float("inf")),
        ("/markers/-", {"frame": 1, "name": "x" * 41}),
        ("/markers/-", {"frame": "soon"}),
        ("/markers", [{"frame": k} for k in range(201)]),
    ],
)
def test_bounds_are_named(path, value):
    op = "add" if path.startswith("/markers") else "replace"
    with pytest.raises(DocumentInvalid) as refused:
        patched(write_shot(new_shot()), [{"op": op, "path": path, "value": value}])
    assert path.split("/")[1] in str(refused.value.facts())
