"""From a shot to finished pixels and files: what a take, a poster, a proof and the command line share."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.document.shot import Shot
from moss_crown.core.errors import DocumentInvalid, TooMany
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import Structure, form_of_letter
from moss_crown.core.evaluation.solids import solid_of
from moss_crown.core.form.developed import texture_places
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.outline import area, letter_outline
from moss_crown.core.formats.glb import write_glb
from moss_crown.core.formats.model import Node, TitleModel
from moss_crown.core.formats.obj import write_obj
from moss_crown.core.formats.png import write_png
from moss_crown.core.formats.stl import write_stl
from moss_crown.core.look.dress import Dress
from moss_crown.core.look.dressing import worn_by
from moss_crown.core.render.denoise import Quality
from moss_crown.core.render.display import to_bytes, to_display
from moss_crown.core.render.layers import Layers
from moss_crown.core.render.renderer import Between, Passes, Render, RenderSettings, denoised, go_on, render
from moss_crown.core.render.scopes import culprits
from moss_crown.core.stage.backdrop import Backdrop, seen_in
from moss_crown.core.stage.scene import Camera, Scene
from moss_crown.core.type.shape import faces


@dataclass(frozen=True, slots=True)
class FrameOrder:
    """How a frame is wanted: with so many samples a pixel, or at most so many where a bound on noise is given. With
    `alpha` the camera sees letters only and the pixels are RGBA, straight."""

    width: int
    height: int
    samples: int = 16
    noise: float = 0.0
    motion_blur: bool = True
    alpha: bool = False
    denoise: bool = True
    threads: int = 1
    layers: bool = False
    region: tuple[float, float, float, float] | None = None
    """Left, top, right, bottom of a part of the frame, in shares of it; None for all."""
    pixel_shape: float = 1.0
    """The width of a pixel by its height."""

    @property
    def pixels(self) -> tuple[int, int]:
        """Width and height of what is rendered."""
        if self.region is None:
            return self.width, self.height
        left, top, right, bottom = self.region
        return max(1, round((right - left) * self.width)), max(1, round((bottom - top) * self.height))


def scene_of(of: Evaluation, frame: int, order: FrameOrder, motion: bool = False) -> Scene:
    """The scene of a frame as it is ordered: of a region, the camera sees that alone."""
    aspect = order.width * order.pixel_shape / order.height
    scene = of.scene(frame, aspect, order.motion_blur, order.height, motion)
    if order.region is None:
        return scene
    surround = scene.surround
    if isinstance(surround.behind, Backdrop):
        surround = replace(surround, behind=seen_in(surround.behind, order.region))
    return replace(scene, camera=cropped(scene.camera, order.region), surround=surround)


def cropped(camera: Camera, region: tuple[float, float, float, float]) -> Camera:
    """A camera that sees a part of the frame, given by left, top, right and bottom in shares of it."""
    left, top, right, bottom = region
    across, down = right - left, bottom - top
    middle_x, middle_y = left + right - 1, 1 - top - bottom
    return replace(
        camera,
        half=(camera.half[0] * across, camera.half[1] * down),
        shift=((camera.shift[0] - middle_x) / across, (camera.shift[1] - middle_y) / down),
    )


def render_frame(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> Passes:
    """All passes of a frame. The same frame has the same bits alone or in sequence, on any number of threads."""
    scene = scene_of(of, frame, order)
    quality: Quality | None = "high" if order.denoise else None
    return render(scene, render_settings(of.shot, frame, order), quality, between)


def render_layers(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> tuple[Passes, Layers]:
    """A frame as it is shown, and all of its layers; the first has the bits of `render_frame`."""
    scene = scene_of(of, frame, order, motion=True)
    with Render(scene, replace(render_settings(of.shot, frame, order), passes=True), between=between) as picture:
        picture.finish()
        passes = picture.passes()
        return denoised(passes, "high") if order.denoise else passes, picture.layers()


def render_files(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> tuple[bytes, bytes | None]:
    """A frame as PNG, and with `layers` as OpenEXR too. `between` is called between parts of it, and may raise."""
    if not order.layers:
        return _png(render_frame(of, frame, order, between), frame, order), None
    shown, layers = render_layers(of, frame, order, between)
    return _png(shown, frame, order), _exr(shown, layers, order)


def _png(shown: Passes, frame: int, order: FrameOrder) -> bytes:
    return write_png(frame_pixels(shown, frame, order.alpha), pixel_shape=order.pixel_shape)


def export_exr(of: Evaluation, frame: int, order: FrameOrder) -> bytes:
    """All layers of a frame as one OpenEXR file, the denoised picture as R, G, B, A."""
    return _exr(*render_layers(of, frame, order), order)


def _exr(shown: Passes, layers: Layers, order: FrameOrder) -> bytes:
    from moss_crown.core.formats.exr import write_exr  # loads a large library, which only this needs

    return write_exr(layers, shown.beauty, order.pixel_shape)


def render_settings(shot: Shot, frame: int, order: FrameOrder) -> RenderSettings:
    """A frame's order in the words of the renderer."""
    width, height = order.pixels
    return RenderSettings(
        width,
        height,
        order.samples,
        order.noise,
        shot.seed,
        frame,
        bounded=shot.bounded,
        open_back=order.alpha,
        threads=order.threads,
    )


HOT_WIDTH, HOT_SAMPLES = 192, 16


def hot_lights(of: Evaluation, frame: int, threads: int = 1) -> list[tuple[str, float]]:
    """What is behind the white of a frame, by a small picture of it: see `culprits`."""
    height = max(16, round(HOT_WIDTH / of.shot.aspect))
    shown, found = render_layers(of, frame, FrameOrder(HOT_WIDTH, height, HOT_SAMPLES, threads=threads))
    lights = {
        name.removeprefix("light_"): picture for name, picture in found.pictures.items() if name.startswith("light_")
    }
    return culprits(to_display(shown.beauty), lights)


def frame_pixels(passes: Passes, frame: int, alpha: bool) -> NDArray[np.uint8]:
    """(h, w, 3) sRGB, or (h, w, 4) with straight alpha."""
    if not alpha:
        return to_bytes(to_display(passes.beauty), frame)
    # Colour is shown before alpha is taken out, so that edges over black look like the picture without alpha.
    cover = np.maximum(passes.alpha, np.float32(1e-4))
    straight = to_bytes(to_display(np.asarray(passes.beauty / cover, np.float32)), frame)
    return np.concatenate([straight, np.round(passes.alpha * 255).astype(np.uint8)], -1)


def title_model(
    of: Evaluation,
    frame: float,
    edge: float | None = None,
    textured: bool = True,
    most: int = limits.TRIANGLES,
) -> TitleModel:
    """The title as it stands at a frame: a node a letter, with pose, pivot, materials and, where they are wanted,
    texture coordinates."""
    shot, structure = of.shot, of.structure(frame)
    if edge is not None:
        _check_edge(structure, edge, most)
    solids: list[Solid] = []
    places: list[NDArray[np.float32]] = []
    dresses: list[Dress] = []
    place: dict[tuple[int, Dress], int] = {}
    nodes: list[Node] = []
    triangles = 0
    for block, moved in zip(structure.blocks, of.moved(structure, np.array([float(frame)])), strict=True):
        wears = worn_by(shot, block.step, block.setting, frame, moved.wear)
        hidden = moved.wear.hidden()[0]
        for number, (letter, dress) in enumerate(zip(block.letters, wears, strict=True)):
            solid = solid_of(letter, block.form, of.cache, edge)
            triangles += len(solid.triangles)
            if triangles > limits.TRIANGLES:
                raise TooMany("/steps", "triangles", triangles, limits.TRIANGLES)
            if not len(solid.triangles) or hidden[number]:
                continue
            key = (id(solid), dress)
            if key not in place:
                place[key] = len(solids)
                solids.append(solid)
                dresses.append(dress)
                if textured:
                    places.append(texture_places(solid, form_of_letter(letter, block.form)))
            pivot = (*letter.centre, 0.0)
            nodes.append(Node(f"{len(nodes):03d} {letter.text}", place[key], moved.poses[0, number], pivot))
    return TitleModel(shot.title, solids, dresses, nodes, places if textured else None)


def _check_edge(structure: Structure, edge: float, most: int) -> None:
    """Refuse edges so short that the letters would have too many triangles, before any is made.

    By the area of faces, and of returns and bevels around the outline: an equilateral triangle takes sqrt(3)/4 of its
    edge's square. Raises DocumentInvalid.
    """
    whole = 0.0
    for block in structure.blocks:
        for letter in block.letters:
            form = form_of_letter(letter, block.form)
            rings = [ring * letter.unit for ring in letter_outline(letter.glyphs, faces(letter.family, letter.axes))]
            around = sum(float(np.hypot(*(ring - np.roll(ring, 1, 0)).T).sum()) for ring in rings)
            depth = form.tube.depth if form.tube else form.depth
            whole += 2 * abs(sum(area(ring) for ring in rings)) + around * depth
    count = whole / (math.sqrt(3) / 4 * edge**2)
    if count > most:
        least = math.ceil(1e4 * edge * math.sqrt(count / most)) / 1e4
        some = f"some {count / 1e6:.1f} million triangles"
        raise DocumentInvalid("edge", f"at least {least:g}", f"edges of {edge:g} m make {some}, at most {most / 1e6:g}")


ModelFormat: TypeAlias = Literal["glb", "usd", "obj", "stl"]
ENDINGS: dict[ModelFormat, str] = {"glb": "glb", "usd": "usdc", "obj": "obj.zip", "stl": "stl"}


def export_model(
    of: Evaluation,
    frame: float,
    kind: ModelFormat,
    edge: float | None = None,
    most: int = limits.TRIANGLES,
) -> bytes:
    """The letters of a frame as a file for another program; with an `edge` in metres as triangles of even density, of
    which there may be so many. Raises DocumentInvalid, TooMany."""
    model = title_model(of, frame, edge, kind != "stl", most)
    match kind:
        case "glb":
            return write_glb(model)
        case "usd":
            from moss_crown.core.formats.usd import write_usd  # loads a large library, which only this needs

            return write_usd(model)
        case "obj":
            return write_obj(model)
        case "stl":
            return write_stl(model)
