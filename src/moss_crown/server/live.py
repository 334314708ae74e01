"""The live channel of a shot: previews of unsaved edits, proofs, and word of edits made in other windows."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from functools import partial
from typing import Any
from uuid import UUID, uuid4

import structlog
from pydantic import ValidationError
from starlette.websockets import WebSocket, WebSocketDisconnect

from moss_crown.core.document.door import Patch, first_error
from moss_crown.core.draft import framed
from moss_crown.core.errors import DocumentInvalid, TitleError
from moss_crown.core.picture import FrameOrder
from moss_crown.core.render.scopes import BANDS
from moss_crown.server import jobs
from moss_crown.server.db.pool import Database
from moss_crown.server.db.proofs import keep_proof
from moss_crown.server.db.shots import load_shot
from moss_crown.server.pool import Pool
from moss_crown.server.schemas import ProofOrder

BAND_COLOURS = [[name, "#{:02x}{:02x}{:02x}".format(*colour)] for name, _, colour in BANDS]
log = structlog.get_logger()
PROOF_STEPS = (1, 4, 16, 64, 256, 1024)
"""Samples after which a proof is shown. Each showing is denoised, which costs as much as two or three samples."""


@dataclass
class Listeners:
    """Who has a shot open, and which of them wait for a preview."""

    sockets: dict[UUID, set[WebSocket]] = field(default_factory=dict)
    _waiting: dict[UUID, set[Channel]] = field(default_factory=dict)
    _shown: dict[UUID, asyncio.Event] = field(default_factory=dict)

    def open_shots(self) -> list[UUID]:
        return [shot for shot, sockets in self.sockets.items() if sockets]

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

    async def tell(self, shot: UUID, message: dict[str, Any]) -> None:
        for socket in list(self.sockets.get(shot, ())):
            try:
                await socket.send_text(json.dumps(message))
            except (RuntimeError, WebSocketDisconnect):
                self.sockets[shot].discard(socket)


@dataclass(frozen=True)
class _Asked:
    """A preview, and what of the shot it is a preview of."""

    seq: Any
    document: dict[str, Any]
    revision: int
    patch: Patch


class Channel:
    """One window on one shot. Of several previews that wait only the newest is computed; a new proof ends the old."""

    def __init__(
        self, socket: WebSocket, shot: UUID, listeners: Listeners, pool: Pool, database: Database, threads: int
    ) -> None:
        self.shot = shot
        self._socket, self._listeners, self._pool, self._database = socket, listeners, pool, database
        self._threads = threads
        self._preview: dict[str, Any] | None = None
        self._pictured: _Asked | None = None
        self._rest: Any = None
        self._base: tuple[dict[str, Any], int] | None = None  # what previews are of, and its revision
        self._wake = asyncio.Event()
        self._proof: asyncio.Task[None] | None = None

    async def run(self) -> None:
        worker = asyncio.create_task(self._previews())
        try:
            while True:
                message = json.loads(await self._socket.receive_text())
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
                        self._proof = asyncio.create_task(self._prove(message))
                    case "stop_proof":
                        self._end_proof()
        except (WebSocketDisconnect, ValueError):
            pass
        finally:
            worker.cancel()
            self._listeners.waits(self, False)
            self._end_proof()

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
                await self._answer(self._pictured, "whole", jobs.preview_whole)
            self._rest = None
            if (message := self._preview) is None:
                continue
            self._preview = None
            try:
                if self._base is None or message.get("revision") != self._base[1]:
                    self._base = await self._document()
                patch = message.get("patch")
                if not isinstance(patch, list):
                    raise DocumentInvalid("patch", "a list of operations", "a preview needs a patch")
                self._pictured = _Asked(message.get("seq"), *self._base, patch)
                await self._answer(self._pictured, "picture", jobs.preview_picture)
            except TitleError as wrong:
                await self._refuse(message.get("seq"), wrong)
            if self._preview is None:
                self._listeners.waits(self, False)

    async def _answer(self, asked: _Asked, part: str, job: Callable[[dict[str, Any], Patch], bytes]) -> None:
        try:
            body = await self._pool.draft.run(job, asked.document, asked.patch)
        except TitleError as wrong:
            await self._refuse(asked.seq, wrong)
        else:
            await self._send({"type": "preview", "part": part, "seq": asked.seq, "revision": asked.revision}, body)

    async def _refuse(self, seq: Any, wrong: TitleError) -> None:
        await self._say({"type": "refused", "seq": seq, **wrong.facts()})

    async def _prove(self, message: dict[str, Any]) -> None:
        seq = message.get("seq")
        try:
            document, revision = await self._document()
            asked = ProofOrder.model_validate(message)
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
            head = {"type": "proof", "seq": seq, "revision": revision, "frame": frame, "region": asked.region}
            head |= {"of": order.samples, "noise": order.noise, "finished": False}
            body = await self._pool.proof.run(jobs.proof_sketch, document, frame, order)
            await self._send({**head, "samples": 0, "format": "image/jpeg"}, body)
            for upto in [*(n for n in PROOF_STEPS if n < order.samples), order.samples]:
                shown = await self._pool.proof.run(jobs.proof_add, key, document, frame, order, upto)
                head |= {"samples": shown.samples, "finished": shown.exposure is not None}
                form = "image/png" if head["finished"] else "image/jpeg"
                await self._send({**head, "format": form, "scopes": shown.scopes}, shown.picture)
                if shown.exposure is None:
                    continue
                await self._send({**head, "type": "exposure", "format": form, "bands": BAND_COLOURS}, shown.exposure)
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
                    await self._say({"type": "proof_kept", "seq": seq})
                break
        except TitleError as wrong:
            await self._refuse(seq, wrong)
        except ValidationError as invalid:
            await self._refuse(seq, first_error(invalid, message))

    async def _send(self, head: dict[str, Any], body: bytes) -> None:
        await self._socket.send_bytes(framed(head, body))

    async def _say(self, message: dict[str, Any]) -> None:
        await self._socket.send_text(json.dumps(message))
