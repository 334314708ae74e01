"""What compute processes do: plain data in, plain data out. Each process keeps one cache and at most one proof."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import structlog
from numpy.typing import NDArray
from pydantic import ValidationError

from moss_crown.core import limits
from moss_crown.core.cache import Cache, Patience
from moss_crown.core.deform.source import vertex_source
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import Patch, first_error, patched
from moss_crown.core.document.keys import move_keys, paste_keys, retimed
from moss_crown.core.document.kinds import FrameRate
from moss_crown.core.document.look import EnvironmentSource
from moss_crown.core.draft.draft import Seen, draft, packed_picture, packed_whole, see
from moss_crown.core.draft.notes import ridged_letters
from moss_crown.core.draft.recipes import SolidRecipe, build_recipe
from moss_crown.core.draft.room import Room
from moss_crown.core.draft.surroundings import places_of, seen_around
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.newest import Newest
from moss_crown.core.formats.png import write_jpeg, write_png
from moss_crown.core.look.dressing import material_for
from moss_crown.core.look.exposure import linear_to_srgb
from moss_crown.core.look.glsl import texture_source
from moss_crown.core.look.pictures import at_most, is_picture, texture
from moss_crown.core.look.prefilter import prefiltered
from moss_crown.core.metering import METER, Metered, metered
from moss_crown.core.motion.ready import ready_motion
from moss_crown.core.order import FrameOrder, ModelFormat
from moss_crown.core.picture import Ready, export_model, hot_lights, ready, render_frame, render_picture, title_model
from moss_crown.core.proposals.arranging import align, fit_width, hang, inside_ring, lean, space_evenly, stand
from moss_crown.core.proposals.clearing import keep_apart, lift_clear
from moss_crown.core.proposals.kits import Mending
from moss_crown.core.proposals.lighting import light_with, point_light
from moss_crown.core.proposals.look_book import PARTS, Look, Part
from moss_crown.core.proposals.looks import look_of, wear
from moss_crown.core.proposals.mending import mend
from moss_crown.core.proposals.motion_book import MotionSet
from moss_crown.core.proposals.motion_page import Made
from moss_crown.core.proposals.motions import motion_of, moved_by, set_motion
from moss_crown.core.proposals.thumbnails import tried_on
from moss_crown.core.render.display import draft_table
from moss_crown.core.render.ready import ready_others
from moss_crown.core.render.renderer import Render, denoised, render
from moss_crown.core.render.scopes import BANDS, exposure_map, scopes
from moss_crown.core.type.emblem import find as emblem
from moss_crown.core.type.emblem import is_emblem
from moss_crown.core.type.families import FAMILIES, find
from moss_crown.core.type.features import features_of
from moss_crown.core.type.fonts import axes_of
from moss_crown.core.type.layout import Setting, set_block
from moss_crown.core.type.sample import sample
from moss_crown.core.type.shape import Style, faces
from moss_crown.core.values.tied import tried
from moss_crown.server import kit

log = structlog.get_logger()
POSTER_WIDTH, POSTER_SAMPLES = 480, 16
DRAFT_PICTURE = 1024
LOOK_SAMPLES = 8
STRIP_BINS = 48


@lru_cache(maxsize=1)
def _cache() -> Cache:
    return Cache(256 * 1024 * 1024)


@lru_cache(maxsize=1)
def _newest() -> Newest:
    return Newest(_cache())


def _asked(document: dict[str, Any]) -> Evaluation:
    """A document's evaluation, with what it needs brought in."""
    of = _newest().of(document)
    kit.ready(of.shot)
    return of


def _warm_plain() -> None:
    shot = new_shot(text="O")
    draft(shot)
    ridged_letters(shot, _cache())


def warm_draft() -> bool:
    """Load what edits need: the first one must not wait for it."""
    _warm_plain()
    ready_motion()
    return True


def warm_half() -> None:
    """Load or compile the kernels that `ready_paths` and `ready_motion` do not, about half of all."""
    ready_others()
    _warm_plain()
    title_model(Evaluation(new_shot(text="O"), _cache()), 10)


def warm() -> bool:
    """Load all that a proof needs: every kernel, or compile those that are not there, and the denoiser."""
    warm_half()
    ready_motion()
    render_frame(Evaluation(new_shot(text="O"), _cache()), 10, FrameOrder(32, 32, 1))
    return True


def draft_of(document: dict[str, Any]) -> bytes:
    return draft(kit.shot_of(document), _cache(), Patience(DRAFT_SECONDS))


DRAFT_SECONDS, PREVIEW_SECONDS = 1.5, 0.25
"""So long what is solved frame by frame is waited for; whoever asks again gets more of it."""


@dataclass
class _Preview:
    of: tuple[dict[str, Any], Patch]
    seen: Seen


_preview: list[_Preview] = []
"""The newest preview: none or one."""


def _previewed(document: dict[str, Any], patch: Patch, has: list[str], seconds: float) -> Seen:
    if not _preview or _preview[0].of != (document, patch) or _preview[0].seen.head.solved is not None:
        seen = see(kit.ready(patched(document, patch)), _cache(), has, Patience(seconds))
        _preview[:] = [_Preview((document, patch), seen)]
    return _preview[0].seen


def preview_picture(document: dict[str, Any], patch: Patch, has: list[str]) -> bytes:
    """What the picture needs of the draft of what a patch would make of a document, and is not there already."""
    return packed_picture(_previewed(document, patch, has, PREVIEW_SECONDS))


def preview_whole(document: dict[str, Any], patch: Patch, has: list[str]) -> bytes:
    """All of that draft. What its picture needed is not worked out again."""
    return packed_whole(_previewed(document, patch, has, DRAFT_SECONDS))


def solid_of(recipe: str) -> bytes:
    try:
        asked = SolidRecipe.model_validate_json(recipe)
    except ValidationError as invalid:
        raise first_error(invalid, {}) from None
    kit.need([asked.family])
    if any(font >= len(faces(asked.family, tuple(asked.axes))) for font, *_ in asked.glyphs):
        raise DocumentInvalid("/glyphs", "a face of the family", "the family has fewer faces")
    if is_emblem(asked.family) and any(index >= len(emblem(asked.family).names) for _, index, *_ in asked.glyphs):
        raise DocumentInvalid("/glyphs", "a part of the emblem", "the emblem has fewer parts")
    return build_recipe(asked, _cache())


def pattern_source(pattern: str) -> str:
    return texture_source(pattern)


def deformer_source(kinds: tuple[str, ...], most: int) -> str:
    return vertex_source(kinds, most)


def families(own: list[str]) -> list[dict[str, Any]]:
    """What the chooser and the desk need to know of every family, a production's own first. One that can not answer is
    left out, and does not keep the others from it."""
    found = []
    for id in (*own, *FAMILIES):
        with _alone(id):
            kit.need([id])
            family = find(id)
            at = dict(family.at)
            axes = [
                {"tag": a.tag, "name": a.name, "least": a.least, "most": a.most, "at": at.get(a.tag, a.usual)}
                for a in axes_of(family.sources[0])
            ]
            found.append(
                {
                    "id": family.id,
                    "name": family.name,
                    "character": family.character,
                    "scripts": list(family.scripts),
                    "axes": axes,
                    "features": [asdict(feature) for feature in features_of(family.id)],
                }
            )
    return found


@contextmanager
def _alone(id: str) -> Iterator[None]:
    """Whatever goes wrong with a family concerns that family only."""
    try:
        yield
    except MemoryError:
        raise
    except Exception as broken:
        log.error("family left out", family=id, error=repr(broken))


SAMPLE_WEIGHTS = (100, 200, 300, 400, 500, 600, 700, 800, 900)


def samples(text: str, family: str | None, own: list[str]) -> list[dict[str, Any]]:
    """A line of text in every family, or in every weight of one. Raises FamilyUnknown."""
    wanted: list[tuple[str, float | None]] = [(id, None) for id in (*own, *FAMILIES)]
    if family is not None:
        kit.need([family])
        weight = next((a for a in axes_of(find(family).sources[0]) if a.tag == "wght"), None)
        steps = [w for w in SAMPLE_WEIGHTS if weight and weight.least <= w <= weight.most]
        wanted = [(family, float(w)) for w in steps] or [(family, None)]
    found = []
    for id, weight_at in wanted:
        with _alone(id):
            kit.need([id])
            axes = () if weight_at is None else (("wght", weight_at),)
            set_in = sample(set_block(Setting(text, Style(id, axes))))
            found.append({"family": id, "weight": weight_at, **asdict(set_in)})
    return found


def arrangement_of(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that arranges blocks as ordered."""
    shot = kit.shot_of(document)
    frame = float(order["frame"])
    blocks = [step.id for step in shot.steps if step.kind in ("block", "emblem")]
    if order["step"] not in blocks and order["what"] not in ALL_BLOCKS:
        raise DocumentInvalid("step", ", ".join(blocks), f"there is no block {order['step']}")
    match order["what"]:
        case "align":
            return align(shot, frame, order["step"], order["side"], order["to"])
        case "space_evenly":
            return space_evenly(shot, frame)
        case "clear_rest" | "clear_motion":
            return lift_clear(shot, motion=order["what"] == "clear_motion")
        case "keep_apart":
            return keep_apart(shot)
        case "stand":
            return stand(shot, frame, order["step"])
        case "hang":
            return hang(shot, frame, order["step"])
        case "inside_ring":
            return inside_ring(shot, frame, order["step"])
        case "lean":
            return lean(shot, frame, order["step"], order["angle"])
        case _:
            return fit_width(shot, frame, order["step"], order["share"])


ALL_BLOCKS = ("space_evenly", "clear_rest", "clear_motion", "keep_apart")


def keys_moved(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that moves keys as ordered."""
    chosen, by, scale, about = order["chosen"], order["by"], order["scale"], order["about"]
    return move_keys(kit.shot_of(document), chosen, by, scale, about, order["reverse"], order["copied"])


def keys_pasted(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that pastes keys as ordered."""
    keys, paths, frame = order["keys"], order["paths"], order["frame"]
    return paste_keys(kit.shot_of(document), keys, paths, frame, order["reverse"], order["delay"])


def retiming_of(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch for another frame rate."""
    return retimed(kit.shot_of(document), FrameRate.model_validate(order["fps"]), order["keep"])


def motions_on(document: dict[str, Any], kept: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """Every motion of the book and those that are kept, on a shot's own title."""
    own = {id: MotionSet.model_validate(motion) for id, motion in kept.items()}
    return {id: asdict(found) for id, found in tried_on(kit.shot_of(document), own).items()}


def motion_set(document: dict[str, Any], order: dict[str, Any], kept: dict[str, Any] | None) -> list[dict[str, Any]]:
    """The patch that gives a shot a motion."""
    shot = kit.shot_of(document)
    if kept is not None:
        return moved_by(shot, Made(tuple(MotionSet.model_validate(kept).steps)), order["keep"])
    return set_motion(shot, order["motion"], order["texts"], order["keep"])


def motion_of_shot(document: dict[str, Any], name: str) -> dict[str, Any]:
    """The motion steps of a shot under a name."""
    return motion_of(kit.shot_of(document), name).model_dump(mode="json")


def formula_tried(document: dict[str, Any], path: str, formula: str) -> dict[str, Any]:
    """How a formula would run as the value at a pointer."""
    return asdict(tried(kit.shot_of(document), path, formula))


def lighting_of(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that places lights as ordered."""
    shot = kit.shot_of(document)
    frame = float(order["frame"])
    if order["kit"]:
        return light_with(shot, frame, order["kit"])
    effect, x, y = order["effect"], order["x"], order["y"]
    return point_light(shot, frame, order["step"], order["light"], effect, x, y, _cache(), order["letters"])


def look_of_shot(document: dict[str, Any], frame: float, name: str) -> dict[str, Any]:
    """The look of a shot, to be kept."""
    return look_of(kit.shot_of(document), frame, name).model_dump(mode="json")


def wearing_of(
    document: dict[str, Any], look: dict[str, Any], frame: float, parts: Sequence[Part] = PARTS
) -> list[dict[str, Any]]:
    """The patch that puts parts of a look on."""
    return wear(kit.shot_of(document), frame, Look.model_validate(look), tuple(parts))


def own_material(document: dict[str, Any], order: dict[str, Any]) -> list[dict[str, Any]]:
    """The patch that gives letters a material of their own. Raises DocumentInvalid where there are none of them."""
    shot = kit.shot_of(document)
    frame = float(order["frame"])
    blocks = [(block.step, block.setting) for block in Evaluation(shot, _cache()).structure(frame).blocks]
    patch = material_for(shot, blocks, order["letters"], frame)
    if not patch:
        raise DocumentInvalid("/letters", "letters of the shot", "the shot has none of these letters")
    return patch


def picture_in_look(document: dict[str, Any], look: dict[str, Any], frame: float, width: int) -> bytes:
    """A small picture of a shot in a look."""
    dressed = patched(document, wearing_of(document, look, frame))
    height = min(max(16, round(width / dressed.aspect)), 1024)
    order = FrameOrder(width, height, LOOK_SAMPLES, motion_blur=False, denoise=False, threads=2)
    own = ready(Evaluation(dressed, _cache()), round(frame), order)
    return write_jpeg(own.picture(render(own.scene, own.settings, "fast")).pixels(), 88)


def ridges_of(document: dict[str, Any]) -> list[str]:
    return ridged_letters(kit.shot_of(document), _cache())


def model_of(document: dict[str, Any], frame: float, kind: ModelFormat, edge: float | None) -> bytes:
    return export_model(_asked(document), frame, kind, edge, limits.EXPORT_TRIANGLES)


def environment_of(preset: EnvironmentSource) -> bytes:
    """The environment as surfaces mirror it, from a mirror to the roughest: (6, size, size, 4) float16 for each size of
    a cube. Left and right are exchanged, since cubes that come as data are looked up as if seen from outside."""
    kit.need([preset] if is_picture(preset) else [])
    return b"".join(_seen_from_outside(level).tobytes() for level in prefiltered(preset))


def _seen_from_outside(level: NDArray[np.float32]) -> NDArray[np.float16]:
    opaque = np.concatenate([level, np.ones((*level.shape[:3], 1), np.float32)], -1)
    return np.asarray(_bounded(opaque)[[1, 0, 2, 3, 4, 5], :, ::-1], "<f2")


def picture_of(id: str) -> bytes:
    """A picture that was brought in, as the draft lays it on surfaces: a PNG of at most DRAFT_PICTURE pixels a side."""
    kit.need([id])
    small = at_most(texture(id), DRAFT_PICTURE)
    encoded = np.concatenate([linear_to_srgb(small[..., :3]), small[..., 3:]], -1)
    return write_png(np.round(encoded * 255).astype(np.uint8))


def room_of(room: Room) -> bytes:
    """What stands around the title and around each ground, as rough surfaces mirror it: (1 + grounds, 5, 32, 64, 4)
    float16, laid out as `seen_around` has it, and the places it is seen from, as float32."""
    kit.need([room.preset] if is_picture(room.preset) else [])
    return np.asarray(_bounded(seen_around(room)), "<f2").tobytes() + np.asarray(places_of(room), "<f4").tobytes()


def _bounded(light: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.minimum(light, np.float32(np.finfo(np.float16).max))


def display_table() -> bytes:
    """The display transform as the draft's (48, 48, 48, 4) table of bytes."""
    table = np.round(draft_table() * 255).astype(np.uint8)
    return np.concatenate([table, np.full((*table.shape[:3], 1), 255, np.uint8)], -1).tobytes()


def poster_of(document: dict[str, Any], threads: int) -> tuple[bytes, list[float], int]:
    """A poster: the first frame at rest; how much moves, in STRIP_BINS shares of the shot, 0..1; and the letters."""
    of = _asked(document)
    shot = of.shot
    frame = int(min(max(math.ceil(of.rest_frame()), shot.first), shot.last))
    width = POSTER_WIDTH
    height = min(max(16, round(width / shot.aspect)), 1024)
    order = FrameOrder(width, height, POSTER_SAMPLES, threads=threads)
    picture = write_png(render_picture(of, frame, order).pixels())
    speeds, letters = [], 0
    for structure, frames in of.spans(list(shot.frames)):
        speeds.append(of.timing(structure, np.array(frames, float)).speeds[0].mean(1))
        letters = max(letters, len(structure.letters))
    moving = np.concatenate(speeds)
    bins = np.array([part.mean() if len(part) else 0.0 for part in np.array_split(moving, STRIP_BINS)])
    strip = bins / bins.max() if bins.max() > 0 else bins
    return picture, [round(float(s), 3) for s in strip], letters


@dataclass
class _Proof:
    key: str
    frame: Ready
    render: Render


_proof: list[_Proof] = []
"""The proof this process is working on: none or one. A new one replaces it."""


def proof_sketch(document: dict[str, Any], frame: int, order: FrameOrder) -> bytes:
    """A first look: half the size, one sample."""
    whole = ready(_asked(document), frame, order)
    half = whole.smaller(2)
    own = half if min(half.window.size) >= 16 else whole
    with Render(own.scene, own.settings) as render:
        render.add(1)
        passes = denoised(render.passes(), "fast")
    return write_jpeg(own.picture(passes).pixels(), 85)


BAND_COLOURS = tuple((name, "#{:02x}{:02x}{:02x}".format(*colour)) for name, _, colour in BANDS)


@dataclass
class Shown:
    """A proof's picture with so many samples at most; its scopes; and once it is finished its exposure in colours, with
    the name of each."""

    picture: bytes
    samples: int
    scopes: dict[str, Any]
    exposure: bytes | None = None
    bands: tuple[tuple[str, str], ...] = ()


def proof_add(key: str, document: dict[str, Any], frame: int, order: FrameOrder, upto: int) -> Shown:
    """Bring the proof `key` to `upto` samples and show it. A process that does not know it begins afresh."""
    if not _proof or _proof[0].key != key:
        proof_drop()
        own = ready(_asked(document), frame, order)
        _proof.append(_Proof(key, own, Render(own.scene, own.settings)))
    own, render = _proof[0].frame, _proof[0].render
    final = render.reach(upto)
    # The last picture is denoised as a take is: what was seen is what will be delivered.
    picture = own.picture(denoised(render.passes(), "high" if final else "fast"))
    measured = scopes(picture.shown())
    found = {
        "histogram": np.round(measured.histogram, 5).tolist(),
        "waveform": np.round(measured.waveform, 3).tolist(),
        "white": measured.white,
        "black": measured.black,
    }
    pixels = picture.pixels()
    if not final:
        return Shown(write_jpeg(pixels, 88), render.done, found)
    proof_drop()
    return Shown(write_png(pixels, 1), render.done, found, write_png(exposure_map(picture.light), 1), BAND_COLOURS)


def hot_of(document: dict[str, Any], frame: int, threads: int) -> list[tuple[str, float]]:
    """What is behind the white of a frame."""
    return hot_lights(_asked(document), frame, threads)


def meter_of(document: dict[str, Any], frame: int, threads: int) -> list[dict[str, Any]]:
    """How the letters of a frame stand in it: see `Reading`."""
    return _read_off(metered(_asked(document), frame, *METER, threads))


def _read_off(found: Metered) -> list[dict[str, Any]]:
    return [
        asdict(one) | {"letter": letter, "text": text, "lit_by": light}
        for one, (letter, text, light) in zip(found.readings, found.letters, strict=True)
    ]


def mending_of(document: dict[str, Any], frame: int, what: Mending, threads: int) -> dict[str, Any]:
    """The patch that mends the light of a frame, and how its letters stand before and after."""
    found = mend(kit.shot_of(document), frame, what, threads)
    return {
        "patch": found.patch,
        "about": found.about,
        "before": _read_off(found.before),
        "after": _read_off(found.after),
    }


def proof_drop() -> None:
    while _proof:
        _proof.pop().render.close()
