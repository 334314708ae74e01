"""The live channel of a shot: previews of unsaved edits, proofs, and word of edits made in other windows."""

from __future__ import annotations

import asyncio
import json
from collections import deque
from collections.abc import Callable, Coroutine
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Any
from uuid import UUID, uuid4

import structlog
from pydantic import ValidationError
from starlette.websockets import WebSocket, WebSocketDisconnect

from moss_crown.core.document.door import Patch, first_error
from moss_crown.core.document.plain import check_plain
from moss_crown.core.draft.message import framed
from moss_crown.core.errors import DocumentInvalid, TitleError
from moss_crown.core.order import FrameOrder
from moss_crown.server.db.pool import Database
from moss_crown.server.db.proofs import keep_proof
from moss_crown.server.db.shots import load_shot
from moss_crown.server.errors import ComputeFailed
from moss_crown.server.named import jobs
from moss_crown.server.pool import Pool
from moss_crown.server.schemas import ProofOrder

log = structlog.get_logger()
PROOF_STEPS = (1, 4, 16, 64, 256, 1024)
"""Samples after which a proof is shown. Each showing is denoised, which costs as much as two or three samples."""


WINDOWS = 64
"""Windows that may have one shot open."""
QUEUED, QUEUED_BYTES = 200, 64 * 1024**2
SEND_SECONDS = 10.0
"""A window that takes none of what it is sent for so long, or lets so much queue up, is let go of. Its page comes back
by itself when it goes on, and asks for all that it shows anew."""


class Outbox:
    """What goes to a window: sent beside everything else, in order. Nobody waits for a window that does not read."""

    def __init__(self, socket: WebSocket) -> None:
        self._socket = socket
        self._waiting: deque[str | bytes] = deque()
        self._bytes = 0
        self._more = asyncio.Event()
        self.slow = False

    def put(self, message: str | bytes) -> None:
        """Queue a message; once there is too much of it the window counts as slow."""
        self._bytes += len(message)
        self._waiting.append(message)
        self.slow = self.slow or len(self._waiting) > QUEUED or self._bytes > QUEUED_BYTES
        self._more.set()

    async def send(self) -> None:
        """Send until the window is gone or slow."""
        while not self.slow:
            await self._more.wait()
            self._more.clear()
            while self._waiting and not self.slow:
                message = self._waiting[0]
                try:
                    text = isinstance(message, str)
                    sending = self._socket.send_text(message) if text else self._socket.send_bytes(message)  # type: ignore[arg-type]
                    await asyncio.wait_for(sending, SEND_SECONDS)
                except TimeoutError:
                    self.slow = True
                    break
                except (RuntimeError, WebSocketDisconnect, OSError):
                    return
                self._bytes -= len(self._waiting.popleft())
        log.info("slow window let go", waiting=len(self._waiting))


@dataclass
class Listeners:
    """Who has a shot open, and which of them wait for a preview."""

    _windows: dict[UUID, set[Channel]] = field(default_factory=dict)
    _waiting: dict[UUID, set[Channel]] = field(default_factory=dict)
    _shown: dict[UUID, asyncio.Event] = field(default_factory=dict)

    def open_shots(self) -> list[UUID]:
        return list(self._windows)

    def has_room(self, shot: UUID) -> bool:
        return len(self._windows.get(shot, ())) < WINDOWS

    def opened(self, channel: Channel) -> None:
        self._windows.setdefault(channel.shot, set()).add(channel)

    def closed(self, channel: Channel) -> None:
        windows = self._windows.get(channel.shot, set())
        windows.discard(channel)
        if not windows:
            self._windows.pop(channel.shot, None)

    def waits(self, channel: Channel, waiting: bool) -> None:
        """A window waits for a preview of its shot, or does not any more."""
        windows = self._waiting.setdefault(channel.shot, set())
        shown = self._shown.setdefault(channel.shot, asyncio.Event())
        if waiting:
            windows.add(channel)
            shown.clear()
        else:
            windows.discard(channel)
            if not windows:
                shown.set()
                del self._waiting[channel.shot], self._shown[channel.shot]

    async def previews(self, shot: UUID, most: float) -> None:
        """Wait until the previews under way are answered, but not longer than so many seconds."""
        if shown := self._shown.get(shot):
            with suppress(TimeoutError):
                await asyncio.wait_for(shown.wait(), most)

    def tell(self, shot: UUID, message: dict[str, Any]) -> None:
        """Send every window on a shot a message; nothing waits for it."""
        for channel in self._windows.get(shot, ()):
            channel.say(message)


@dataclass(frozen=True)
class _Asked:
    """A preview, and what of the shot it is a preview of."""

    seq: Any
    document: dict[str, Any]
    revision: int
    patch: Patch
    has: list[str]


MOST_HAD = 2_000
"""Chunks that a window may say it has."""


class Channel:
    """One window on one shot. Of several previews that wait only the newest is computed; a new proof ends the old."""

    def __init__(
        self, socket: WebSocket, shot: UUID, listeners: Listeners, pool: Pool, database: Database, threads: int
    ) -> None:
        self.shot = shot
        self._socket, self._listeners, self._pool, self._database = socket, listeners, pool, database
        self._threads = threads
        self._outbox = Outbox(socket)
        self._preview: dict[str, Any] | None = None
        self._pictured: _Asked | None = None
        self._rest: Any = None
        self._base: tuple[dict[str, Any], int] | None = None  # what previews are of, and its revision
        self._wake = asyncio.Event()
        self._proof: asyncio.Task[None] | None = None

    async def run(self) -> None:
        """Hear the window until it is gone, or too slow."""
        self._listeners.opened(self)
        tasks = {asyncio.create_task(work) for work in (self._hear(), self._previews(), self._outbox.send())}
        try:
            await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
        finally:
            self._listeners.closed(self)
            for task in tasks:
                task.cancel()
            for end in await asyncio.gather(*tasks, return_exceptions=True):
                if isinstance(end, Exception):
                    log.error("window ended", shot=str(self.shot), exc_info=end)
            self._listeners.waits(self, False)
            self._end_proof()
            with suppress(RuntimeError, TimeoutError, OSError):
                await asyncio.wait_for(self._socket.close(1013), 1)

    async def _hear(self) -> None:
        with suppress(WebSocketDisconnect, RuntimeError):
            while True:
                message = _read(await self._socket.receive_text())
                match message.get("type"):
                    case "preview":
                        self._preview = message
                        self._listeners.waits(self, True)
                        self._wake.set()
                    case "rest":
                        self._rest = message.get("seq")
                        self._wake.set()
                    case "proof":
                        self._end_proof()
                        self._proof = asyncio.create_task(self._asked_for(self._prove(message), message.get("seq")))
                    case "stop_proof":
                        self._end_proof()
                    case _:
                        wrong = DocumentInvalid("type", "preview, rest, proof or stop_proof", "no such message")
                        self._refuse(None, wrong)

    def _end_proof(self) -> None:
        if self._proof:
            self._proof.cancel()
            self._proof = None

    async def _document(self) -> tuple[dict[str, Any], int]:
        row = await self._database.run(lambda c: load_shot(c, self.shot))
        return row.document, row.revision

    async def _previews(self) -> None:
        """Answer the newest preview with its picture. When the window has drawn that, it asks for the rest, which only
        the sheet shows: worked out at once, it would take the processor from the drawing."""
        while True:
            await self._wake.wait()
            self._wake.clear()
            if self._rest is not None and self._pictured and self._rest == self._pictured.seq:
                await self._asked_for(self._answer(self._pictured, "whole", jobs.preview_whole), self._pictured.seq)
            self._rest = None
            if (message := self._preview) is None:
                continue
            self._preview = None
            await self._asked_for(self._picture(message), message.get("seq"))
            if self._preview is None:
                self._listeners.waits(self, False)

    async def _picture(self, message: dict[str, Any]) -> None:
        patch = message.get("patch")
        if not isinstance(patch, list):
            raise DocumentInvalid("patch", "a list of operations", "a preview needs a patch")
        if self._base is None or message.get("revision") != self._base[1]:
            self._base = await self._document()
        has = message.get("has", [])
        if not isinstance(has, list) or len(has) > MOST_HAD or not all(isinstance(one, str) for one in has):
            raise DocumentInvalid("has", f"a list of at most {MOST_HAD} addresses", "a preview says what is there")
        self._pictured = _Asked(message.get("seq"), *self._base, patch, has)
        await self._answer(self._pictured, "picture", jobs.preview_picture)

    async def _answer(self, asked: _Asked, part: str, job: Callable[[dict[str, Any], Patch, list[str]], bytes]) -> None:
        body = await self._pool.draft.of(self.shot).run(job, asked.document, asked.patch, asked.has)
        self._send({"type": "preview", "part": part, "seq": asked.seq, "revision": asked.revision}, body)

    async def _asked_for(self, work: Coroutine[Any, Any, None], seq: Any) -> None:
        """Do what a window asked for. Whatever goes wrong, that question alone is refused, and the window goes on."""
        try:
            await work
        except TitleError as wrong:
            self._refuse(seq, wrong)
        except Exception as failed:
            log.error("question of a window failed", shot=str(self.shot), exc_info=failed)
            self._refuse(seq, ComputeFailed("it could not be worked out just now; try again"))

    def _refuse(self, seq: Any, wrong: TitleError) -> None:
        self.say({"type": "refused", "seq": seq, **wrong.facts()})

    async def _prove(self, message: dict[str, Any]) -> None:
        seq = message.get("seq")
        document, revision = await self._document()
        try:
            asked = ProofOrder.model_validate(message)
        except ValidationError as invalid:
            raise first_error(invalid, message) from None
        order = FrameOrder(
            asked.width,
            asked.height,
            asked.samples,
            noise=asked.noise,
            motion_blur=asked.motion_blur,
            threads=self._threads,
            region=asked.region,
            pixel_shape=float(document.get("pixel_shape", 1.0)),
        )
        frame = asked.frame
        key = uuid4().hex
        lane = self._pool.proof.of(self)
        head = {"type": "proof", "seq": seq, "revision": revision, "frame": frame, "region": asked.region}
        head |= {"of": order.samples, "noise": order.noise, "finished": False}
        body = await lane.run(jobs.proof_sketch, document, frame, order)
        self._send({**head, "samples": 0, "format": "image/jpeg"}, body)
        for upto in [*(n for n in PROOF_STEPS if n < order.samples), order.samples]:
            shown = await lane.run(jobs.proof_add, key, document, frame, order, upto)
            head |= {"samples": shown.samples, "finished": shown.exposure is not None}
            form = "image/png" if head["finished"] else "image/jpeg"
            self._send({**head, "format": form, "scopes": shown.scopes}, shown.picture)
            if shown.exposure is None:
                continue
            self._send({**head, "type": "exposure", "format": form, "bands": shown.bands}, shown.exposure)
            if asked.region is None:
                keep = partial(
                    keep_proof,
                    shot=self.shot,
                    revision=revision,
                    frame=frame,
                    samples=shown.samples,
                    picture=shown.picture,
                )
                await self._database.run(keep)
                self.say({"type": "proof_kept", "seq": seq})
            break

    def _send(self, head: dict[str, Any], body: bytes) -> None:
        self._outbox.put(framed(json.dumps(head).encode(), body))

    def say(self, message: dict[str, Any]) -> None:
        self._outbox.put(json.dumps(message))


def _read(text: str) -> dict[str, Any]:
    """A message of a window; one that is none, or holds what cannot be kept, is of no type that is known."""
    try:
        message = json.loads(text)
        check_plain(message)
    except (ValueError, RecursionError, DocumentInvalid):
        return {}
    return message if isinstance(message, dict) else {}
