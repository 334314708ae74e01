"""From a shot to finished pixels and files: what a take, a poster, a proof and the command line share."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from moss_crown.core import limits
from moss_crown.core.deform.chain import at_rest as is_at_rest
from moss_crown.core.deform.density import with_edges
from moss_crown.core.deform.rows import ROW
from moss_crown.core.errors import DocumentInvalid
from moss_crown.core.evaluation.bending import as_bent, swollen_at
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.evaluation.setting import Structure, form_of_letter
from moss_crown.core.evaluation.solids import as_many, pieces_of, solid_of
from moss_crown.core.finish.finish import Picture, Treatment, finish, reach_of
from moss_crown.core.finish.window import Window, window_of
from moss_crown.core.form.developed import texture_places
from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.outline import area, letter_outline
from moss_crown.core.formats.glb import write_glb
from moss_crown.core.formats.model import Node, TitleModel
from moss_crown.core.formats.obj import write_obj
from moss_crown.core.formats.png import write_png
from moss_crown.core.formats.stl import write_stl
from moss_crown.core.look.dress import Dress
from moss_crown.core.look.dressing import dressed
from moss_crown.core.order import FrameOrder, ModelFormat, Region
from moss_crown.core.render.denoise import Quality
from moss_crown.core.render.layers import Layers
from moss_crown.core.render.renderer import Between, Passes, Render, RenderSettings, denoised, go_on, render
from moss_crown.core.render.scopes import culprits
from moss_crown.core.stage.backdrop import Backdrop, seen_in
from moss_crown.core.stage.scene import Camera, Scene
from moss_crown.core.type.shape import faces


@dataclass(frozen=True, slots=True)
class Ready:
    """A frame as it is ordered, ready to be rendered: its scene, how it is sampled, and how its picture is made."""

    scene: Scene
    settings: RenderSettings
    treatments: tuple[Treatment, ...]
    window: Window

    def picture(self, passes: Passes) -> Picture:
        """The picture that its passes make, of however many samples."""
        return finish(passes, self.treatments, self.settings.frame, self.window)

    def smaller(self, times: int) -> Ready:
        """The same scene with so many times fewer pixels a side, for a first look."""
        width, height = (max(1, side // times) for side in (self.window.width, self.window.height))
        region = Window(self.window.width, self.window.height, self.window.wanted).shares
        window = _window(width, height, region, self.treatments)
        across, down = window.size
        return replace(self, settings=replace(self.settings, width=across, height=down), window=window)


def _window(width: int, height: int, region: Region | None, treatments: Sequence[Treatment]) -> Window:
    return replace(window_of(width, height, region), margin=reach_of(treatments, height))


def ready(of: Evaluation, frame: int, order: FrameOrder, motion: bool = False) -> Ready:
    """What it takes to render a frame as it is ordered: of a region, the camera sees that alone, with a margin where
    treatments look beyond it. `motion`: whether where things were and will be is asked for."""
    aspect = order.width * order.pixel_shape / order.height
    treatments = of.treatments(frame)
    window = _window(order.width, order.height, order.region, treatments)
    scene = of.scene(frame, aspect, order.motion_blur, order.height, motion)
    if order.region is not None:
        surround = scene.surround
        if isinstance(surround.behind, Backdrop):
            surround = replace(surround, behind=seen_in(surround.behind, window.shares))
        scene = replace(scene, camera=cropped(scene.camera, window.shares), surround=surround)
    width, height = window.size
    settings = RenderSettings(
        width,
        height,
        order.samples,
        order.noise,
        of.shot.seed,
        frame,
        bounded=of.shot.bounded,
        open_back=order.alpha,
        threads=order.threads,
    )
    return Ready(scene, settings, treatments, window)


def cropped(camera: Camera, region: Region) -> Camera:
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
    return _rendered(ready(of, frame, order), order, between)


def _rendered(frame: Ready, order: FrameOrder, between: Between) -> Passes:
    quality: Quality | None = "high" if order.denoise else None
    return render(frame.scene, frame.settings, quality, between)


def render_picture(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> Picture:
    """A frame as it is seen. The same frame has the same bits alone or in sequence, on any number of threads."""
    own = ready(of, frame, order)
    return own.picture(_rendered(own, order, between))


def render_layers(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> tuple[Picture, Layers]:
    """A frame as it is seen, with the bits of `render_picture`; and all of its layers, which no treatment changes."""
    own = ready(of, frame, order, motion=True)
    with Render(own.scene, replace(own.settings, passes=True), between=between) as render:
        render.finish()
        passes = render.passes()
        found = render.layers().cut(own.window.own)
    return own.picture(denoised(passes, "high") if order.denoise else passes), found


def render_files(of: Evaluation, frame: int, order: FrameOrder, between: Between = go_on) -> tuple[bytes, bytes | None]:
    """A frame as PNG, and with `layers` as OpenEXR too. `between` is called between parts of it, and may raise."""
    if not order.layers:
        return _png(render_picture(of, frame, order, between), order), None
    shown, layers = render_layers(of, frame, order, between)
    return _png(shown, order), _exr(shown, layers, order)


def _png(shown: Picture, order: FrameOrder) -> bytes:
    return write_png(shown.pixels(order.alpha), pixel_shape=order.pixel_shape)


def export_exr(of: Evaluation, frame: int, order: FrameOrder) -> bytes:
    """All layers of a frame as one OpenEXR file, the finished picture as R, G, B, A."""
    return _exr(*render_layers(of, frame, order), order)


def _exr(shown: Picture, layers: Layers, order: FrameOrder) -> bytes:
    from moss_crown.core.formats.exr import write_exr  # loads a large library, which only this needs

    return write_exr(layers, shown.light, order.pixel_shape)


HOT_WIDTH, HOT_SAMPLES = 192, 16


def hot_lights(of: Evaluation, frame: int, threads: int = 1) -> list[tuple[str, float]]:
    """What is behind the white of a frame, by a small picture of it: see `culprits`."""
    height = max(16, round(HOT_WIDTH / of.shot.aspect))
    shown, found = render_layers(of, frame, FrameOrder(HOT_WIDTH, height, HOT_SAMPLES, threads=threads))
    lights = {
        name.removeprefix("light_"): picture for name, picture in found.pictures.items() if name.startswith("light_")
    }
    return culprits(shown.shown(), lights)


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
    triangles, cuts, count = 0, iter(structure.cuts), 0
    swollen = swollen_at(of, structure, np.array([float(frame)])) if of.swells else {}
    for block, moved in zip(structure.blocks, of.moved(structure, np.array([float(frame)])), strict=True):
        wears = dressed(shot, block.step, block.setting, frame, moved.wear)
        hidden = moved.wear.hidden()[0]
        for number, (letter, dress) in enumerate(zip(block.letters, wears, strict=True)):
            solid = at_rest = solid_of(letter, block.form, of.cache, edge)
            rows = np.zeros((0, ROW)) if moved.bends is None else moved.bends[0, number]
            ways, cut = None, next(cuts)
            if cut is not None and moved.apart is not None and not moved.apart.whole[0, number]:
                ways = moved.apart.ways[0, moved.apart.pieces.of == number]
                solid = pieces_of(letter, block.form, cut, of.cache).solid
                solid = solid if edge is None else with_edges(solid, edge, most)
            full = swollen.get(count)
            count += 1
            if ways is not None or full or not is_at_rest(rows):
                solid, at_rest = as_bent(solid, rows, block.setting.size, ways, full)
            triangles = as_many(triangles + len(solid.triangles))
            if not len(solid.triangles) or hidden[number]:
                continue
            key = (id(solid), dress)
            if key not in place:
                place[key] = len(solids)
                solids.append(solid)
                dresses.append(dress)
                if textured:
                    places.append(texture_places(at_rest, form_of_letter(letter, block.form)))
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
