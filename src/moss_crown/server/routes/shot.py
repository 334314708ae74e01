"""One shot: its document, edits, undo, draft, exports, and the live channel."""

from __future__ import annotations

from typing import Any, Literal
from urllib.parse import urlsplit
from uuid import UUID

from fastapi import APIRouter, Depends, Query, Response, WebSocket

from moss_crown.core.document.formula import FUNCTIONS, NAMES
from moss_crown.core.document.kinds import PictureId
from moss_crown.core.document.look import EnvironmentSource
from moss_crown.core.draft.room import Room
from moss_crown.core.order import ENDINGS
from moss_crown.server import editing, edits
from moss_crown.server.context import Context, context
from moss_crown.server.db import looks, shots
from moss_crown.server.db import proofs as kept
from moss_crown.server.guard import PlainRoute
from moss_crown.server.live import Channel
from moss_crown.server.named import jobs
from moss_crown.server.schemas import (
    Arrangement,
    Dressing,
    Edit,
    FormulaTrial,
    FormulaWords,
    HotOut,
    KeyMove,
    KeyPaste,
    Lighting,
    MendingOut,
    MendOrder,
    ProofOut,
    ReadingOut,
    Retiming,
    RidgesOut,
    ShotOut,
    TrialOut,
    Wearing,
)

router = APIRouter(prefix="/api", tags=["shot"], route_class=PlainRoute)
JSON = "application/json"
MODEL_TYPES = {
    "glb": "model/gltf-binary",
    "usd": "application/octet-stream",
    "obj": "application/zip",
    "stl": "model/stl",
}
PREVIEW_FIRST = 0.15
"""So many seconds an edit waits at most for previews."""
FOREVER = {"cache-control": "public, max-age=31536000, immutable"}


ARRANGED = {"clear_rest": "lift clear", "clear_motion": "lift clear", "keep_apart": "keep letters apart"}
SHOT: dict[str, Any] = {"response_model": ShotOut}
"""Of routes that answer with a shot, which `edits` has written as JSON already."""


def shown(shot: bytes) -> Response:
    return Response(shot, media_type=JSON)


@router.get("/shots/{shot}", **SHOT)
async def load(shot: UUID, here: Context = Depends(context)) -> Response:
    return shown(await edits.told(here, await here.database.run(lambda c: shots.load_shot(c, shot))))


@router.post("/shots/{shot}/edits", **SHOT)
async def edit(shot: UUID, change: Edit, here: Context = Depends(context)) -> Response:
    """Apply a JSON Patch made against `revision`. When this answers, the edit is in the database.

    A preview of it that is under way comes first: it is what its maker is waiting to see.
    """
    await here.listeners.previews(shot, PREVIEW_FIRST)
    return shown(await edits.edit(here, shot, change.revision, change.patch, change.label))


async def _worked_out(here: Context, shot: UUID, work: Any, order: Any, label: str) -> Response:
    """An edit that the core works out from an order made against a revision."""
    row = await edits.current(here, shot, order.revision)
    patch = await here.pool.draft.of(shot).run(work, row.document, order.model_dump(mode="json"))
    return shown(await edits.edit(here, shot, order.revision, patch, label))


@router.post("/shots/{shot}/arrange", **SHOT)
async def arrange(shot: UUID, order: Arrangement, here: Context = Depends(context)) -> Response:
    """Align, space or fit blocks: the core works out where they go, and that is one edit, to be undone like any."""
    label = ARRANGED.get(order.what, "arrange")
    return await _worked_out(here, shot, jobs.arrangement_of, order, label)


@router.post("/shots/{shot}/keys/move", **SHOT)
async def move_keys(shot: UUID, order: KeyMove, here: Context = Depends(context)) -> Response:
    """Move, scale, reverse or copy keys, of any number of values at once. One edit, undone like any."""
    return await _worked_out(here, shot, jobs.keys_moved, order, "copy keys" if order.copied else "move keys")


@router.post("/shots/{shot}/keys/paste", **SHOT)
async def paste_keys(shot: UUID, order: KeyPaste, here: Context = Depends(context)) -> Response:
    return await _worked_out(here, shot, jobs.keys_pasted, order, "paste keys")


@router.post("/shots/{shot}/retime", **SHOT)
async def retime(shot: UUID, order: Retiming, here: Context = Depends(context)) -> Response:
    """Another frame rate, that keeps the frames or the seconds."""
    return await _worked_out(here, shot, jobs.retiming_of, order, "frame rate")


@router.post("/shots/{shot}/formula")
async def try_formula(shot: UUID, trial: FormulaTrial, here: Context = Depends(context)) -> TrialOut:
    """Try a formula in the place of a value; nothing is changed."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    found = await here.pool.draft.of(shot).run(jobs.formula_tried, row.document, trial.path, trial.formula)
    return TrialOut(**found)


@router.get("/shots/{shot}/formula")
async def formula_words(shot: UUID, here: Context = Depends(context)) -> FormulaWords:
    """What a formula of this shot may name."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    about = {name: text for name, (_, _, text) in FUNCTIONS.items()}
    values = await here.pool.edit.of(shot).run(editing.named_values, row.document)
    return FormulaWords(names=NAMES, functions=about, values=values)


@router.post("/shots/{shot}/light", **SHOT)
async def light(shot: UUID, order: Lighting, here: Context = Depends(context)) -> Response:
    """Place lights: a kit around the title, or one light where its effect was pointed at. One edit, undone like any."""
    label = "kit of lights" if order.kit else f"light: {order.effect} here"
    return await _worked_out(here, shot, jobs.lighting_of, order, label)


@router.post("/shots/{shot}/wear", **SHOT)
async def wear(shot: UUID, order: Wearing, here: Context = Depends(context)) -> Response:
    """Put on a look, whole or in part. One edit, undone like any."""
    row = await edits.current(here, shot, order.revision)
    look = await here.database.run(lambda c: looks.find_look(c, order.look))
    patch = await here.pool.draft.of(shot).run(
        jobs.wearing_of, row.document, look.model_dump(mode="json"), order.frame, order.parts
    )
    return shown(await edits.edit(here, shot, order.revision, patch, f"look: {look.name}"))


@router.post("/shots/{shot}/dress", **SHOT)
async def dress(shot: UUID, order: Dressing, here: Context = Depends(context)) -> Response:
    """Give letters a material of their own. One edit, undone like any."""
    return await _worked_out(here, shot, jobs.own_material, order, "own material")


@router.post("/shots/{shot}/undo", **SHOT)
async def undo(shot: UUID, here: Context = Depends(context)) -> Response:
    return shown(await edits.step(here, shot, forward=False))


@router.post("/shots/{shot}/redo", **SHOT)
async def redo(shot: UUID, here: Context = Depends(context)) -> Response:
    return shown(await edits.step(here, shot, forward=True))


@router.get("/shots/{shot}/draft", response_class=Response)
async def draft(shot: UUID, here: Context = Depends(context)) -> Response:
    """The draft: see `core.draft.pack`. The head's revision says what it shows."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    body = await here.pool.draft.of(shot).run(jobs.draft_of, row.document)
    return Response(body, media_type="application/octet-stream", headers={"x-revision": str(row.revision)})


@router.get("/shots/{shot}/ridges")
async def ridges(shot: UUID, here: Context = Depends(context)) -> RidgesOut:
    """Letters whose bevel is wider than a stem and meets in a ridge there."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    return RidgesOut(letters=await here.pool.draft.of(shot).run(jobs.ridges_of, row.document))


@router.get("/shots/{shot}/proofs")
def proofs(shot: UUID, here: Context = Depends(context)) -> list[ProofOut]:
    """The finished proofs that are kept, the newest first."""
    rows = here.database.call(lambda c: kept.list_proofs(c, shot))
    return [ProofOut(id=r.id, revision=r.revision, frame=r.frame, samples=r.samples, made_at=r.made_at) for r in rows]


@router.get("/proofs/{id}", response_class=Response)
def proof(id: UUID, here: Context = Depends(context)) -> Response:
    return Response(here.database.call(lambda c: kept.load_picture(c, id)), media_type="image/png", headers=FOREVER)


@router.get("/shots/{shot}/hot")
async def hot(
    shot: UUID,
    frame: int = Query(ge=-1_000_000, le=1_000_000),
    here: Context = Depends(context),
) -> list[HotOut]:
    """Which lights are behind what is white in a frame."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    found = await here.pool.proof.run(jobs.hot_of, row.document, frame, here.settings.proof_threads)
    return [HotOut(light=name, share=share) for name, share in found]


@router.get("/shots/{shot}/meter")
async def meter(
    shot: UUID,
    frame: int = Query(ge=-1_000_000, le=1_000_000),
    here: Context = Depends(context),
) -> list[ReadingOut]:
    """How light each letter of a frame is, and how it stands apart from what is behind it."""
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    found = await here.pool.proof.of(shot).run(jobs.meter_of, row.document, frame, here.settings.proof_threads)
    return [ReadingOut(**one) for one in found]


@router.post("/shots/{shot}/mend")
async def mend(shot: UUID, order: MendOrder, here: Context = Depends(context)) -> MendingOut:
    """Work out which change of light mends a frame. Nothing is changed: the patch is answered."""
    row = await edits.current(here, shot, order.revision)
    threads = here.settings.proof_threads
    found = await here.pool.proof.of(shot).run(jobs.mending_of, row.document, order.frame, order.what, threads)
    return MendingOut(revision=row.revision, **found)


@router.get("/solids", response_class=Response)
async def solid(recipe: str = Query(max_length=4000), here: Context = Depends(context)) -> Response:
    """A letter's solid as glTF binary, by its recipe. The same recipe always gives the same bytes."""
    body = await here.pool.draft.of("solids").run(jobs.solid_of, recipe)
    return Response(body, media_type="model/gltf-binary", headers=FOREVER)


@router.get("/environments/{preset}", response_class=Response)
async def environment(preset: EnvironmentSource, here: Context = Depends(context)) -> Response:
    """The environment's light for the draft."""
    body = await here.pool.works.run(jobs.environment_of, preset)
    return Response(body, media_type="application/octet-stream", headers=FOREVER)


@router.post("/rooms", response_class=Response)
async def room(room: Room, here: Context = Depends(context)) -> Response:
    """What of the stage stands around the title, for the draft: see `jobs.room_of`."""
    return Response(await here.pool.works.run(jobs.room_of, room), media_type="application/octet-stream")


@router.get("/pictures/{picture}", response_class=Response)
async def picture(picture: PictureId, here: Context = Depends(context)) -> Response:
    """A picture that was brought in, for the draft's materials."""
    return Response(await here.pool.works.run(jobs.picture_of, picture), media_type="image/png", headers=FOREVER)


@router.get("/display-table", response_class=Response)
async def display_table(here: Context = Depends(context)) -> Response:
    body = await here.pool.works.run(jobs.display_table)
    return Response(body, media_type="application/octet-stream", headers=FOREVER)


@router.get("/shots/{shot}/export", response_class=Response)
async def export(
    shot: UUID,
    format: Literal["json", "glb", "usd", "obj", "stl"] = "json",
    frame: float = Query(default=0, ge=-1e6, le=1e6, allow_inf_nan=False),
    edge: float | None = Query(default=None, ge=0.005, le=10, allow_inf_nan=False),
    here: Context = Depends(context),
) -> Response:
    row = await here.database.run(lambda c: shots.load_shot(c, shot))
    name = "".join(c if c.isalnum() else "-" for c in row.document["title"]).strip("-") or "shot"
    if format == "json":
        body, kind, ending = await here.pool.edit.of(shot).run(editing.as_file, row.document), JSON, "json"
    else:
        body = await here.pool.works.run(jobs.model_of, row.document, frame, format, edge)
        kind, ending = MODEL_TYPES[format], ENDINGS[format]
    ascii_name = name.encode("ascii", "replace").decode().replace("?", "-")
    return Response(
        body, media_type=kind, headers={"content-disposition": f'attachment; filename="{ascii_name}.{ending}"'}
    )


@router.websocket("/shots/{shot}/live")
async def live(socket: WebSocket, shot: UUID) -> None:
    here: Context = socket.app.state.context
    origin = socket.headers.get("origin")
    if origin and urlsplit(origin).netloc != socket.headers.get("host"):
        await socket.close(1008)  # another site's page
        return
    if not here.listeners.has_room(shot):
        await socket.close(1013)
        return
    await socket.accept()
    await Channel(socket, shot, here.listeners, here.pool, here.database, here.settings.proof_threads).run()
