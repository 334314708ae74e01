"""The same title by our renderer and by mitsuba: do the pictures agree, and how long does each take to the same error?

mitsuba is no dependency: `pip install mitsuba` into the environment first. With Debian's libllvm19 its compiled variant
is measured; DRJIT_LIBLLVM_PATH names the library where it is not found. Both renderers get the same triangles, normals,
lamps, environment and camera, and materials that both can express: rough metal on letters, a diffuse floor and wall.

Whether they agree is seen from long pictures of both, ours without any bound. The error of a picture is taken in
display values. Ours, as the product renders it, with its bounds on outliers, whose bias counts: the mean of
(x - a)(x - b), with a long picture a of ours without bounds and b of mitsuba's, so that no reference's own noise
counts. Mitsuba's has no bias: half of what two of its pictures of other seeds differ by, squared, has its error for a
mean. They are taken with a box for its pixel filter. Ours draws its samples from the filter, so that the noise of
neighbours stays independent, which a denoiser needs; a filter that shares samples among neighbours makes each pixel
less noisy and the picture no better.

The limit that rays set is what the same rays take alone: a few tiles are rendered step by step, the rays of each step
of each sample are kept, and sent again with nothing shaded: one by one through Embree's interface, and in the packets
in which we send them. Each is sent once: those of one sample, sent again and again, would find the tree in the cache.

What a denoiser makes of a picture is told of both renderers in one run: ours gets its own guides, theirs the same ones,
for nothing.
"""

from __future__ import annotations

import ctypes
import importlib.util
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any
from unittest.mock import patch

import numba
import numpy as np
from llvmlite import binding
from numba import types
from numba.core.dispatcher import Dispatcher
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, uniform_filter

from bench.report import say, timed
from moss_crown.core.compiling import called
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.form import FormStep
from moss_crown.core.document.look import EnvironmentStep, Light, LightsStep, StageStep
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.look.material import Surface
from moss_crown.core.render import embree, kernel, rays
from moss_crown.core.render import lanes as ln
from moss_crown.core.render.denoise import Quality
from moss_crown.core.render.display import to_display
from moss_crown.core.render.lamps import FAR_AWAY
from moss_crown.core.render.lanes import LANES
from moss_crown.core.render.rays import CASTS_SHADOW, ray_buffer, shadows, trace
from moss_crown.core.render.renderer import Render, RenderSettings, denoised, render
from moss_crown.core.render.views import Packed, view
from moss_crown.core.stage.scene import RectangleLight, Scene, Sheet
from moss_crown.demo.shots import changed

SIZE = (640, 360)
FINAL = (1280, 720)
SAMPLES, MORE, RUNS = 16, 64, 3
LONG, PARTS = 16, 24
"""A reference is the mean of so many pictures of so many samples."""
PARTS_OF_FINAL = 6
OF_TITLE = 0.0504
"""The share of the title's frame that letters cover."""
Picture = NDArray[np.float32]
METAL = Surface((0.90, 0.66, 0.30), 1.0, 0.3, 1.5)
EDGE = Surface((0.62, 0.30, 0.11), 1.0, 0.22, 1.5)


LAMPS = [
    Light(
        name="key",
        place=(-5.0, 3.5, 4.4),
        aim=(0.0, 0.5, 0.0),
        width=1.1,
        height=1.1,
        colour=(1.0, 0.90, 0.78),
        power=1900.0,
    ),
    Light(
        name="fill",
        place=(7.0, 3.0, 5.5),
        aim=(0.0, 0.5, 0.0),
        width=3.0,
        height=3.0,
        colour=(0.70, 0.85, 1.0),
        power=170.0,
    ),
]


def title_scene(close: bool) -> Scene:
    """LOWMERE TIDE at rest, lit by two rectangles; `close`: letters cover a third of the picture.

    Stage, form and lamps are this scene's own: its figures compare with earlier ones whatever a new shot looks like.
    """
    document = changed(
        new_shot("peer", "LOWMERE TIDE"),
        form=FormStep(id="form"),
        environment=EnvironmentStep(id="environment"),
        lights=LightsStep(id="lights", lights=LAMPS),
        stage=StageStep(id="stage"),
    ).model_dump()
    for step in document["steps"]:
        if step["kind"] == "camera":
            step |= {"shift": (0.0, 0.0), "fit": 1.0 if close else 0.8, "orbit": (-8.0, 5.0)}
        if step["kind"] == "block" and close:
            step |= {"text": "LOW\nMERE", "align": "fill", "leading": 1.25}
    scene = Evaluation(Shot.model_validate(document)).scene(72, SIZE[0] / SIZE[1], blur=False)
    matte = [
        replace(surface, metal=0.0, roughness=1.0, ior=1.0, colour=(0.2, 0.24, 0.22)) for surface in scene.surfaces
    ]
    surfaces = (METAL, EDGE, *matte[2:])
    return replace(scene, surfaces=surfaces, camera=replace(scene.camera, grade=np.eye(3)))


def ours(scene: Scene, samples: int, seed: int = 1, bounded: bool = True) -> tuple[Picture, float]:
    with Render(scene, settings_of(SIZE, samples, seed, bounded)) as picture:
        begun = time.perf_counter()
        picture.add(samples)
        return picture.passes().beauty, time.perf_counter() - begun


def settings_of(size: tuple[int, int], samples: int, seed: int, bounded: bool = True) -> RenderSettings:
    return RenderSettings(*size, samples, threads=2, bounded=bounded, depth=4, seed=seed)


def for_mitsuba(mi: Any, scene: Scene, size: tuple[int, int] = SIZE, box: bool = False) -> Any:
    """The scene in mitsuba's terms, with our pixel filter or a `box`. Its cameras look along +Z, maps begin at -Z."""
    flip = np.diag([-1.0, 1.0, -1.0, 1.0])
    sky = np.roll(np.asarray(scene.surround.picture, np.float32), -scene.surround.picture.shape[1] // 2, 1)
    turn = mi.ScalarTransform4f().rotate([0, 1, 0], -scene.surround.turn)
    parts: dict[str, Any] = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": 5, "rr_depth": 100},
        "sensor": {
            "type": "perspective",
            "fov_axis": "x",
            "fov": float(2 * np.degrees(np.arctan(scene.camera.half[0]))),
            "to_world": mi.ScalarTransform4f((scene.camera.poses[0] @ flip).tolist()),
            "near_clip": 0.05,
            "film": {
                "type": "hdrfilm",
                "width": size[0],
                "height": size[1],
                "pixel_format": "rgb",
                "component_format": "float32",
                "rfilter": {"type": "box"} if box else {"type": "gaussian", "stddev": 0.42},
            },
            "sampler": {"type": "multijitter" if "llvm" in mi.variant() else "independent"},
        },
        "sky": {
            "type": "envmap",
            "bitmap": mi.Bitmap(np.ascontiguousarray(sky)),
            "scale": float(scene.surround.strength),
            "to_world": turn,
        },
    }
    for k, lamp in enumerate(scene.lights):
        assert isinstance(lamp, RectangleLight)
        matrix = np.eye(4)
        matrix[:3, 0], matrix[:3, 1], matrix[:3, 2], matrix[:3, 3] = lamp.u, lamp.v, lamp.normal, lamp.centre
        parts[f"lamp{k}"] = {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f(matrix.tolist()),
            "emitter": {"type": "area", "radiance": {"type": "rgb", "value": lamp.radiance.tolist()}},
        }
    for k, surface in enumerate(scene.surfaces):
        parts[f"material{k}"] = _material(surface, k)
    meshes = {}
    for k, letter in enumerate(scene.letters):
        solid, pose = scene.solids[letter.solid], letter.poses[0]
        turned = np.linalg.inv(pose[:3, :3]).T
        group = np.array(letter.surfaces)[solid.facet]
        for surface in np.unique(group):
            own = group == surface
            corners = solid.vertices[solid.triangles[own]].reshape(-1, 3) @ pose[:3, :3].T + pose[:3, 3]
            normals = solid.normals[own].reshape(-1, 3) @ turned.T
            meshes[f"letter{k}_{surface}"] = (corners, normals, int(surface))
    for k, sheet in enumerate(scene.grounds):
        assert isinstance(sheet, Sheet)
        matrix = np.eye(4)
        normal = np.cross(sheet.u, sheet.v)
        matrix[:3, 0], matrix[:3, 1], matrix[:3, 3] = sheet.u, sheet.v, sheet.centre
        matrix[:3, 2] = normal / np.linalg.norm(normal)
        parts[f"sheet{k}"] = {
            "type": "rectangle",
            "to_world": mi.ScalarTransform4f(matrix.tolist()),
            "bsdf": {"type": "ref", "id": f"material{sheet.surface}"},
        }
    for name, (corners, normals, surface) in meshes.items():
        properties = mi.Properties()
        properties["bsdf"] = mi.load_dict(_material(scene.surfaces[surface], surface))
        mesh = mi.Mesh(name, len(corners), len(corners) // 3, properties, has_vertex_normals=True)
        values = mi.traverse(mesh)
        values["vertex_positions"] = corners.astype(np.float32).ravel()
        values["vertex_normals"] = normals.astype(np.float32).ravel()
        values["faces"] = np.arange(len(corners), dtype=np.uint32)
        values.update()
        parts[name] = mesh
    return mi.load_dict(parts)


def _material(surface: Surface, k: int) -> dict[str, Any]:
    colour = {"type": "rgb", "value": list(surface.colour)}
    if surface.metal == 0:
        return {"type": "twosided", "id": f"material{k}", "nested": {"type": "diffuse", "reflectance": colour}}
    principled = {
        "type": "principled",
        "base_color": colour,
        "metallic": 1.0,
        "roughness": surface.roughness,
        "specular": 0.5,
    }
    return {"type": "twosided", "id": f"material{k}", "nested": principled}


def theirs(mi: Any, scene: Any, samples: int, seed: int = 0) -> tuple[Picture, float]:
    begun = time.perf_counter()
    image = np.array(mi.render(scene, spp=samples, seed=seed))[..., :3]
    return image.astype(np.float32), time.perf_counter() - begun


def _smooth(picture: Picture) -> Picture:
    """Without what noise is left from pixel to pixel."""
    return np.asarray(uniform_filter(np.minimum(picture, 20.0), (5, 5, 1)), np.float32)


def shown(picture: Picture) -> NDArray[np.floating]:
    return to_display(np.maximum(picture, 0))


def noise(pictures: list[Picture], mask: NDArray[np.bool_]) -> float:
    """The standard deviation of a picture, from some that are independent."""
    pairs = pairwise(shown(p) for p in pictures)
    return float(np.sqrt(np.mean([((one - other)[mask] ** 2).mean() / 2 for one, other in pairs])))


def error(pictures: list[Picture], own: Picture, other: Picture, mask: NDArray[np.bool_]) -> float:
    """The root mean square error of pictures, by two references of different renderers."""
    a, b = shown(own)[mask], shown(other)[mask]
    found = [((x - a) * (x - b)).mean() for x in (shown(p)[mask] for p in pictures)]
    return float(np.sqrt(max(np.mean(found), 0.0)))


def letters_of(scene: Scene, size: tuple[int, int]) -> NDArray[np.bool_]:
    with Render(scene, RenderSettings(*size, 16, threads=2, open_back=True)) as picture:
        picture.add(16)
        return picture.passes().alpha[..., 0] > 0.99


def whole_of(their_long: Picture) -> NDArray[np.bool_]:
    """Its lamps are seen from behind, as black places; ours are not seen at all."""
    return ~binary_dilation(their_long.max(-1) < 1e-4, iterations=2)


def compared(name: str, scene: Scene, mi: Any) -> None:
    peer = for_mitsuba(mi, scene)
    ours(scene, 1)
    theirs(mi, peer, 1)
    letters = letters_of(scene, SIZE)
    own_long, _ = ours(scene, LONG * PARTS, 99, bounded=False)
    their_long = np.mean([theirs(mi, peer, LONG, seed + 1)[0] for seed in range(PARTS)], axis=0)
    whole = whole_of(their_long)
    letters &= whole
    own_smooth, their_smooth = _smooth(own_long), _smooth(their_long)
    for part, mask in (("whole frame", whole), ("letters", letters)):
        brighter = own_long[mask].mean() / their_long[mask].mean()
        differences = [np.abs(own_smooth / by - their_smooth)[mask].mean() for by in (1.0, brighter)]
        as_it_is, matched = (100 * d / their_long[mask].mean() for d in differences)
        say(
            f"{name}, {part}: brightness against mitsuba",
            f"{100 * (brighter - 1):+.2f} %, difference {as_it_is:.2f} %, once that is matched {matched:.2f} %",
            "under 2 %",
        )
    boxed = for_mitsuba(mi, scene, box=True)
    theirs(mi, boxed, 1)
    for samples in (SAMPLES, MORE):
        runs: list[tuple[Picture, float]] = []
        other: list[tuple[Picture, float]] = []
        for seed in range(1, RUNS + 1):
            runs.append(ours(scene, samples, seed))
            other.append(theirs(mi, boxed, samples, seed))
        mine, yours = (sorted(t for _, t in found)[RUNS // 2] for found in (runs, other))
        say(f"  {samples} samples", f"{mine:.2f} s against {yours:.2f} s of {mi.variant()}", "-")
        for part, mask, aim in (("whole frame", whole, "1.5"), ("letters", letters, "1.2")):
            a = error([p for p, _ in runs], own_long, their_long, mask)
            b = noise([p for p, _ in other], mask)
            # Noise falls with the root of time.
            faster = (yours * b * b) / (mine * a * a)
            wanted = f"{aim if samples == SAMPLES else '1.0'} times"
            say(f"  {part}: error {a:.4f} against {b:.4f}", f"{faster:.2f} times faster to the same error", wanted)


def carried_over(frame: float, letters: float, share: float) -> float:
    """The error of a frame that both aims for the title allow where letters cover another share of it: theirs on the
    letters, and beside them what the title has left there."""
    beside = (frame**2 - OF_TITLE * letters**2) / (1 - OF_TITLE)
    return float(np.sqrt(share * letters**2 + (1 - share) * beside))


def cleaned(name: str, scene: Scene, mi: Any) -> None:
    """A whole frame, denoised: how far from the truth, and after how long."""
    peer = for_mitsuba(mi, scene, FINAL)
    with Render(scene, settings_of(FINAL, LONG * PARTS_OF_FINAL, 99, bounded=False)) as picture:
        picture.add(LONG * PARTS_OF_FINAL)
        own_long = picture.passes().beauty
    their_long = np.mean([theirs(mi, peer, LONG, seed + 1)[0] for seed in range(PARTS_OF_FINAL)], axis=0)
    whole = whole_of(their_long)
    letters = letters_of(scene, FINAL) & whole
    guides = render(scene, settings_of(FINAL, SAMPLES, 1), None)
    # Light that polished letters throw on the stage comes as sparks, which display values cut off, also those of the
    # long pictures: where there is much of it only what is denoised tells how bright it is.
    clean = [denoised(replace(guides, beauty=picture), "high").beauty for picture in (own_long, their_long)]

    share = float(letters.sum() / whole.sum())

    def tell(what: str, found: list[Picture], seconds: list[float], aims: tuple[float, float, int] | None) -> None:
        at = [error(found, own_long, their_long, mask) for mask in (whole, letters)]
        aim = "{:.4f} and {:.4f} in {} s".format(*aims) if aims else "-"
        say(f"{name}{what}", f"error {at[0]:.4f}, letters {at[1]:.4f} in {sorted(seconds)[RUNS // 2]:.1f} s", aim)
        if aims:
            carried = carried_over(aims[0], aims[1], share)
            say(
                "  the title's two aims, with as many letters as here", f"{100 * share:.0f} % letters", f"{carried:.4f}"
            )
        at = [error(found, *clean, mask) for mask in (whole, letters)]
        say("  against the long pictures denoised", f"error {at[0]:.4f}, letters {at[1]:.4f}", "-")

    kinds: list[tuple[str, int, Quality, tuple[float, float, int]]] = [
        ("final", 8, "high", (0.0052, 0.0200, 9)),
        ("draft proof", 4, "fast", (0.0080, 0.0300, 4)),
    ]
    for kind, samples, quality, aims in kinds:
        found, seconds = [], []
        for seed in range(1, RUNS + 1):
            begun = time.perf_counter()
            found.append(render(scene, settings_of(FINAL, samples, seed), quality).beauty)
            seconds.append(time.perf_counter() - begun)
        tell(f", {kind}: {samples} samples, {FINAL[0]}x{FINAL[1]}, denoised", found, seconds, aims)
    found, seconds = [], []
    for seed in range(100, 100 + RUNS):
        picture, second = theirs(mi, peer, SAMPLES, seed)
        begun = time.perf_counter()
        found.append(denoised(replace(guides, beauty=picture), "high").beauty)
        seconds.append(second + time.perf_counter() - begun)
    tell(f": {mi.variant()} with {SAMPLES} samples, denoised with our guides", found, seconds, None)


TILE = 64
TOLD = (4, np.float32(0), np.float32(0), np.float32(0.02), False, False)
ALL_SAMPLES = (*SIZE, 1, 0, 0, SAMPLES, 4)
THERE = 8
"""Of a ray's numbers, after origin, direction, time and end, the one that tells whether it is sent."""


CALLED = {name: called(k) for name, k in vars(kernel).items() if isinstance(k, Dispatcher) and name != "trace_rows"}
"""What the outer loop calls, for the interpreter in its place."""


class Steps:
    """What the steps of a tile sent: rays (9, LANES) of each, and how many, whether for light, their mask, coherent."""

    def __init__(self) -> None:
        self.rays: list[NDArray[np.float32]] = []
        self.how: list[tuple[int, bool, int, bool]] = []

    def keep(self, asked: tuple[Any, ...], shadow: bool) -> None:
        w = asked[1]
        way = (ln.LX, ln.LY, ln.LZ) if shadow else (ln.DX, ln.DY, ln.DZ)
        rows = (ln.OX, ln.OY, ln.OZ, *way, ln.TIME, ln.REACH, ln.SHARE if shadow else ln.ALIVE)
        self.rays.append(np.array([w[row : row + LANES] for row in rows]))
        self.how.append((int(asked[4]), shadow, 0 if shadow else int(asked[5]), bool(asked[-1])))


def limit(name: str, scene: Scene) -> None:
    """How much of the time of some tiles their rays take alone, on one thread."""
    with Render(scene, settings_of(SIZE, 16, 1)) as picture:
        film, room = (picture._film, picture._mattes, picture._counts), (*ln.workspace(), ray_buffer())
        high = LANES // TILE
        whole = alone = single = 0.0
        for top in range(0, SIZE[1] - high, 5 * high):
            for left in range(TILE, SIZE[0] - TILE, 3 * TILE):
                tile = (top, top + high, left, left + TILE)

                def rendered(tile: tuple[int, ...] = tile) -> None:
                    kernel.trace_rows(picture._world, *room, *film, *tile, *ALL_SAMPLES, *TOLD)

                whole += timed(rendered, RUNS)[0]
                steps = _rays_of(picture._world, film, tile)
                kept, how = np.array(steps.rays), np.array(steps.how)
                alone += timed(lambda kept=kept, how=how: _in_packets(picture._world, *room, kept, how), RUNS)[0]
                single += timed(lambda kept=kept, how=how: _one_by_one(picture._world, room[2], kept, how), RUNS)[0]
    say(
        f"{name}: share of the ray limit, one thread",
        f"{100 * single / whole:.0f} % ({single:.2f} of {whole:.2f} s)",
        "45 %",
    )
    say("  with the rays in packets", f"{100 * alone / whole:.0f} % ({alone:.2f} s)", "-")


def _rays_of(world: Packed, film: tuple[Any, ...], tile: tuple[int, ...]) -> Steps:
    """Render a tile with the interpreter in the place of the outer loop, and keep what is sent."""
    steps = Steps()

    sent, lit = CALLED["trace"], CALLED["shadows"]

    def traced(*asked: Any) -> None:
        steps.keep(asked, False)
        sent(*asked)

    def shadowed(*asked: Any) -> int:
        steps.keep(asked, True)
        return int(lit(*asked))

    others = {"trace": traced, "shadows": shadowed, "view": lambda what: what}
    with np.errstate(over="ignore"), patch.multiple(kernel, **{**CALLED, **others}):
        kernel.trace_rows.py_func(world, *ln.workspace(), ray_buffer(), *film, *tile, *ALL_SAMPLES, *TOLD)
    return steps


@numba.njit(nogil=True)
def _in_packets(world, w, q, ray, kept, how):  # type: ignore[no-untyped-def]
    lanes = (view(w), view(q), view(ray))
    for k in range(len(how)):
        count, shadow, coherent = how[k, 0], how[k, 1] > 0, how[k, 3] > 0
        x, there = (ln.LX, ln.SHARE) if shadow else (ln.DX, ln.ALIVE)
        for row in range(3):
            w[ln.OX + row * ln.PITCH : ln.OX + row * ln.PITCH + LANES] = kept[k, row]
            w[x + row * ln.PITCH : x + row * ln.PITCH + LANES] = kept[k, 3 + row]
        w[ln.TIME : ln.TIME + LANES], w[ln.REACH : ln.REACH + LANES] = kept[k, 6], kept[k, 7]
        w[there : there + LANES] = kept[k, THERE]
        if shadow:
            shadows(world, *lanes, count, coherent)
        else:
            trace(world, *lanes, count, np.uint32(how[k, 2]), np.uint32(0), coherent)


_ADDRESS = ctypes.cast(embree._library().rtcOccluded1, ctypes.c_void_p).value
binding.add_symbol("rtcOccluded1", _ADDRESS)
_occluded1 = types.ExternalFunction("rtcOccluded1", types.void(types.intp, types.intp, types.intp))


@numba.njit(nogil=True)
def _one_by_one(world, ray, kept, how):  # type: ignore[no-untyped-def]
    words = ray.view(np.uint32)
    address = ray.ctypes.data
    for k in range(len(how)):
        r, shadow = kept[k], how[k, 1] > 0
        mask = CASTS_SHADOW if shadow else np.uint32(how[k, 2])
        for i in range(how[k, 0]):
            if not r[THERE, i] > 0:
                continue
            far = r[7, i] if shadow else FAR_AWAY
            rays.aim(ray, words, r[0, i], r[1, i], r[2, i], r[3, i], r[4, i], r[5, i], r[6, i], far, mask)
            if shadow:
                _occluded1(world.scene, address, 0)
            else:
                embree.intersect1(world.scene, address, 0)


def main() -> None:
    if importlib.util.find_spec("mitsuba") is None:
        sys.exit("mitsuba is not installed: pip install mitsuba")
    import mitsuba as mi

    scenes: dict[str, Callable[[], Scene]] = {
        "title": lambda: title_scene(False),
        "close": lambda: title_scene(True),
    }
    variants = ["scalar_rgb"]
    try:
        mi.set_variant("llvm_ad_rgb")
        mi.load_dict({"type": "sphere"})
        variants = ["llvm_ad_rgb"]
    except Exception as missing:
        print(f"(the compiled variant is not there: {str(missing).splitlines()[0]})")
    for variant in variants:
        mi.set_variant(variant)
        for name, scene in scenes.items():
            compared(name, scene(), mi)
            cleaned(name, scene(), mi)
            limit(name, scene())
