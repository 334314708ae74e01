"""Named motions of letters that break, fly apart, come whole, fall and collide."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from moss_crown.core.document.bodies import BodiesStep
from moss_crown.core.document.motion import Everywhere, Passage, Pivot
from moss_crown.core.document.pieces import PiecesStep
from moss_crown.core.document.values import Ease, Key, Keyed
from moss_crown.core.proposals.motion_page import EVEN, Entry, Made, Where, entry, one

STEADY = Ease(leave=(0.3, 0.0), arrive=(0.7, 1.0))


def passage(w: Where, times: Sequence[tuple[float, float]], **more: Any) -> Passage:
    """Values at seconds, or with seconds below 0 so long before the end."""
    keys: list[Key[float]] = [
        Key(frame=w.at(second) if second >= 0 else round(w.last + second * w.fps, 1), value=value, ease=STEADY)
        for second, value in times
    ]
    return Passage(passed=Keyed(keys=keys), **more)


def _pieces(id: str, name: str, reach: Passage | Everywhere, **more: Any) -> PiecesStep:
    return PiecesStep(id=id, name=name, reaches=[reach], **more)


def _whole(id: str, name: str, number: int = 16) -> PiecesStep:
    """Pieces that only bodies move."""
    return _pieces(id, name, Everywhere(level=0.0), number=number)


def _shutters(w: Where) -> Made:
    return one(
        _pieces(
            "shutters",
            "Shutters",
            passage(w, [(0.1, 1.0), (1.7, 0.0)], each=0.5, rough=0.0, along=(1.0, 0.0, 0.0), ease=EVEN),
            cut="strips",
            by="size",
            size=0.28,
            angle=0.0,
            through=True,
            outward=0.0,
            move=(0.0, 0.0, 0.0),
            turn=(0.0, 90.0, 0.0),
            spread=0.0,
            spin=0.0,
            scale=0.02,
        )
    )


def _shattered(w: Where) -> Made:
    return one(
        _whole("shards", "Shards"),
        BodiesStep(
            id="shatter",
            name="Shattered",
            of="piece",
            start=round(w.last - 1.6 * w.fps, 1),
            blow=3.2,
            blow_place=_before(w),
            blow_reach=round(4 * w.size, 2),
        ),
    )


def _mended(w: Where) -> Made:
    return one(
        _whole("shards", "Shards"),
        BodiesStep(
            id="mend",
            name="Mended",
            of="piece",
            start=w.at(1.7),
            backward=True,
            blow=6.0,
            blow_place=_before(w),
            blow_reach=round(4 * w.size, 2),
            gravity=(0.0, -2.5, 0.0),
        ),
    )


def _before(w: Where) -> tuple[float, float, float]:
    """A place behind the middle of the block."""
    x, y, z = w.place or (0.0, 0.0, 0.0)
    return (round(x, 3), round(y + 0.4 * w.size, 3), round(z - 0.8 * w.size, 3))


def broken() -> list[Entry]:
    """The entries."""
    return [
        entry(
            "wrack",
            "Wrack",
            "arrive",
            "pieces drift in from the side and settle into letters",
            lambda w: one(
                _pieces(
                    "wrack",
                    "Wrack",
                    passage(w, [(0.1, 1.0), (2.0, 0.0)], along=(-1.0, 0.2, 0.0), each=0.45),
                    outward=0.0,
                    move=(round(-1.6 * w.size, 3), round(0.5 * w.size, 3), round(0.8 * w.size, 3)),
                    bow=(0.0, round(0.5 * w.size, 3), 0.0),
                    scale=0.02,
                )
            ),
        ),
        entry("shutters", "Shutters", "arrive", "strips through the whole line turn and close", _shutters),
        entry(
            "tiles",
            "Tiles",
            "arrive",
            "bricks turn over, from the middle of the line outward",
            lambda w: one(
                _pieces(
                    "tiles",
                    "Tiles",
                    passage(w, [(0.1, 1.0), (1.8, 0.0)], order="far", each=0.35, rough=0.1, ease=EVEN),
                    cut="bricks",
                    by="size",
                    size=0.17,
                    through=True,
                    outward=0.0,
                    move=(0.0, 0.0, round(0.5 * w.size, 3)),
                    turn=(180.0, 0.0, 0.0),
                    spread=0.0,
                    spin=0.0,
                    scale=0.02,
                )
            ),
        ),
        entry("mended", "Mended", "arrive", "shards fly up from the floor and are whole at a frame", _mended),
        entry(
            "rallied",
            "Rallied",
            "arrive",
            "letters tumble in and come to stand together",
            lambda w: one(
                BodiesStep(
                    id="rally",
                    name="Rallied",
                    start=w.at(1.6),
                    backward=True,
                    blow=5.0,
                    blow_place=_before(w),
                    blow_reach=round(5 * w.size, 2),
                    gravity=(0.0, -3.0, 0.0),
                    chance=0.5,
                )
            ),
        ),
        entry(
            "spray",
            "Spray",
            "leave",
            "letters burst in patches and drift off",
            lambda w: one(
                _pieces(
                    "spray",
                    "Spray",
                    passage(w, [(-1.7, 0.0), (-0.1, 1.0)], order="noise", grain=round(0.6 * w.size, 2), each=0.5),
                    number=32,
                    outward=round(0.8 * w.size, 3),
                    move=(0.0, round(0.6 * w.size, 3), round(0.7 * w.size, 3)),
                    scale=0.25,
                    sizes=0.5,
                    drift=(0.1, 0.12, 0.0),
                )
            ),
        ),
        entry(
            "chaff",
            "Chaff",
            "leave",
            "a shell of the surface peels off with the wind",
            lambda w: one(
                _pieces(
                    "chaff",
                    "Chaff",
                    passage(w, [(-2.0, 0.0), (-0.1, 1.0)], along=(1.0, 0.3, 0.0), each=0.35, rough=0.25),
                    cut="shell",
                    number=60,
                    outward=round(0.5 * w.size, 3),
                    centre=Pivot(place="centre"),
                    move=(round(1.6 * w.size, 3), round(0.7 * w.size, 3), round(0.5 * w.size, 3)),
                    turn=(240.0, 200.0, 120.0),
                    scale=0.3,
                )
            ),
        ),
        entry(
            "split",
            "Split",
            "leave",
            "each letter opens by rays from its middle",
            lambda w: one(
                _pieces(
                    "split",
                    "Split",
                    passage(w, [(-1.4, 0.0), (-0.1, 1.0)], order="reading", each=0.5, rough=0.0),
                    cut="rays",
                    number=9,
                    outward=round(0.9 * w.size, 3),
                    centre=Pivot(place="centre"),
                    move=(0.0, 0.0, round(0.6 * w.size, 3)),
                    turn=(0.0, 0.0, 120.0),
                    spread=0.1,
                    scale=0.05,
                )
            ),
        ),
        entry("shattered", "Shattered", "leave", "letters burst, and their shards rest on the floor", _shattered),
        entry(
            "let-go",
            "Let go",
            "leave",
            "letters are knocked over one after the other and fall",
            lambda w: one(
                BodiesStep(
                    id="let-go",
                    name="Let go",
                    start=round(w.last - 2.2 * w.fps, 1),
                    delay=w.delay(0.08),
                    thrown=(0.0, 0.8, 0.9),
                    spun=(70.0, 40.0, 50.0),
                    chance=0.8,
                )
            ),
        ),
        entry(
            "there-and-back",
            "There and back",
            "stay",
            "letters come apart a little and close again, by one value",
            lambda w: one(
                _pieces(
                    "there",
                    "There and back",
                    passage(w, [(0.3, 0.0), (1.2, 1.0), (1.6, 1.0), (2.5, 0.0)], each=0.6, rough=0.3),
                    outward=round(0.28 * w.size, 3),
                    centre=Pivot(place="centre"),
                    move=(0.0, 0.0, round(0.15 * w.size, 3)),
                    turn=(40.0, 40.0, 20.0),
                )
            ),
        ),
    ]
