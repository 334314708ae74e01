"""Takes: order, watch, stop, carry on, fetch."""

from __future__ import annotations

import re
import statistics
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from typing import IO, Annotated, Any, cast
from uuid import UUID

from fastapi import APIRouter, Depends, Path, Request, Response
from fastapi.responses import StreamingResponse

from moss_crown.core import limits
from moss_crown.farm.orders import LOCAL_PROCESSES, TakeOrders
from moss_crown.server.context import Context, context
from moss_crown.server.db import shots, takes
from moss_crown.server.errors import FileMissing
from moss_crown.server.guard import PlainRoute
from moss_crown.server.schemas import EstimateOut, FrameOut, TakeOut

router = APIRouter(prefix="/api", tags=["takes"], route_class=PlainRoute)


A_FRAME, PACE = 2.0, 700_000.0
"""Seconds that a frame takes besides its samples, and samples a second of one process where no frame tells."""
FrameIndex = Annotated[int, Path(ge=-limits.FRAMES_AWAY, le=limits.FRAMES_AWAY)]


def _out(c: Any, id: UUID) -> TakeOut:
    row = takes.load_take(c, id)
    orders, head = row.take_orders, row.head
    frames = takes.finished_frames(c, id)
    total = len(orders.frames)
    a_frame = left = give = None
    # The longest gap may be a pause (a stop, a restart): it does not count.
    gaps = sorted(takes.recent_gaps(c, id))[:-1]
    if gaps:
        a_frame = statistics.fmean(gaps)
        left = a_frame * (total - len(frames))
        give = statistics.pstdev(gaps) * max(1.0, (total - len(frames)) ** 0.5)
    return TakeOut(
        id=row.id,
        shot_id=row.shot_id,
        number=row.number,
        revision=row.revision,
        state=row.state,
        message=row.message,
        orders=orders,
        fps=head["fps"],
        pixel_shape=head.get("pixel_shape", 1.0),
        title=head["title"],
        done=len(frames),
        total=total,
        a_frame=a_frame,
        left=left,
        give=give,
        frames=[FrameOut(frame=frame, seconds=seconds) for frame, seconds in frames.items()],
        files=takes.file_sizes(c, id),
        created_at=row.created_at,
    )


@router.post("/shots/{shot}/takes", status_code=201)
def add(shot: UUID, orders: TakeOrders, here: Context = Depends(context)) -> TakeOut:
    return here.database.call(lambda c: _out(c, takes.add_take(c, shot, orders)))


@router.post("/shots/{shot}/takes/estimate")
def estimate(shot: UUID, orders: TakeOrders, here: Context = Depends(context)) -> EstimateOut:
    """How long a take would last; nothing is ordered. Raises what ordering it would."""

    def work(c: Any) -> EstimateOut:
        document = shots.load_shot(c, shot).document
        orders.check(document["first"], document["last"])
        pace = takes.pace(c, shot)
        each = A_FRAME + orders.work / len(orders.frames) / (pace or PACE)
        return EstimateOut(seconds=each * len(orders.frames) / LOCAL_PROCESSES, known=pace is not None)

    return here.database.call(work)


@router.get("/shots/{shot}/takes")
def list_takes(shot: UUID, here: Context = Depends(context)) -> list[TakeOut]:
    return here.database.call(lambda c: [_out(c, row.id) for row in takes.list_takes(c, shot)])


@router.get("/takes/{take}")
def load(take: UUID, here: Context = Depends(context)) -> TakeOut:
    return here.database.call(lambda c: _out(c, take))


@router.post("/takes/{take}/stop")
def stop(take: UUID, here: Context = Depends(context)) -> TakeOut:
    """Stop: frames in hand are let go of, what is finished stays. A take that waits for its turn stops at once."""

    def work(c: Any) -> TakeOut:
        takes.stop_take(c, take)
        return _out(c, take)

    return here.database.call(work)


@router.post("/takes/{take}/carry-on")
def carry_on(take: UUID, here: Context = Depends(context)) -> TakeOut:
    """Go on from the finished frames."""

    def work(c: Any) -> TakeOut:
        takes.set_state(c, take, "queued", among=("stopped", "failed", "stopping"))
        return _out(c, take)

    return here.database.call(work)


@router.get("/takes/{take}/frames/{frame}", response_class=Response)
def frame_picture(take: UUID, frame: FrameIndex, here: Context = Depends(context)) -> Response:
    picture = here.database.call(lambda c: takes.load_frame(c, take, frame))
    if picture is None:
        raise FileMissing(f"frame {frame}")
    return Response(picture, media_type="image/png", headers={"cache-control": "public, max-age=31536000, immutable"})


@router.get("/takes/{take}/movie", response_class=Response)
def movie(take: UUID, request: Request, here: Context = Depends(context)) -> Response:
    """The MP4, whole or by range, so that a player can seek."""
    data = here.database.call(lambda c: takes.load_file(c, take, "mp4"))
    if data is None:
        raise FileMissing("movie")
    headers = {"accept-ranges": "bytes"}
    # Digits as RFC 9110 means them, and no more than a size has: others are digits to Python too.
    part = re.fullmatch(r"bytes=([0-9]{1,18})-([0-9]{1,18})?", request.headers.get("range", ""))
    if part:
        start, end = int(part[1]), min(int(part[2] or len(data) - 1), len(data) - 1)
        if start <= end:
            headers["content-range"] = f"bytes {start}-{end}/{len(data)}"
            return Response(data[start : end + 1], 206, headers, "video/mp4")
    return Response(data, media_type="video/mp4", headers=headers)


@router.get("/takes/{take}/frames/{frame}/layers", response_class=Response)
def frame_layers(take: UUID, frame: FrameIndex, here: Context = Depends(context)) -> Response:
    """A frame with all of its layers, as OpenEXR."""
    layers = here.database.call(lambda c: takes.load_layers(c, take, frame))
    if layers is None:
        raise FileMissing(f"layers of frame {frame}")
    return Response(
        layers,
        media_type="image/x-exr",
        headers={
            "cache-control": "public, max-age=31536000, immutable",
            "content-disposition": f'attachment; filename="frame.{frame:05d}.exr"',
        },
    )


@router.get("/takes/{take}/frames.zip", response_class=StreamingResponse)
def frames_zip(take: UUID, here: Context = Depends(context)) -> StreamingResponse:
    """Every finished frame as PNG, in one zip that is written while it is read."""
    return _zipped(take, here, takes.load_frame, "png")


@router.get("/takes/{take}/layers.zip", response_class=StreamingResponse)
def layers_zip(take: UUID, here: Context = Depends(context)) -> StreamingResponse:
    """Every finished frame with all of its layers as OpenEXR, in one zip."""
    return _zipped(take, here, takes.load_layers, "exr", "-layers")


def _zipped(
    take: UUID, here: Context, load: Callable[[Any, UUID, int], bytes | None], ending: str, of: str = ""
) -> StreamingResponse:
    row = here.database.call(lambda c: takes.load_take(c, take))
    name = f"take-{row.number}{of}"

    def stream() -> Iterator[bytes]:
        out = _Sink()
        with zipfile.ZipFile(cast(IO[bytes], out), "w", zipfile.ZIP_STORED) as archive:
            for frame in row.take_orders.frames:
                data = here.database.call(partial(_loaded, load, take, frame))
                if data is None:
                    continue
                archive.writestr(f"{name}/{name}.{frame:05d}.{ending}", data)
                yield out.drained()
        yield out.drained()

    return StreamingResponse(
        stream(), media_type="application/zip", headers={"content-disposition": f'attachment; filename="{name}.zip"'}
    )


def _loaded(load: Callable[[Any, UUID, int], bytes | None], take: UUID, frame: int, c: Any) -> bytes | None:
    return load(c, take, frame)


class _Sink:
    """A file that only goes forward, for a zip that is streamed."""

    def __init__(self) -> None:
        self.place, self.held = 0, bytearray()

    def write(self, data: bytes) -> int:
        self.held += data
        self.place += len(data)
        return len(data)

    def tell(self) -> int:
        return self.place

    def flush(self) -> None:
        pass

    def drained(self) -> bytes:
        held = bytes(self.held)
        self.held.clear()
        return held
