"""The same title by our renderer and by mitsuba: do the pictures agree, and how long does each take to the same error?

mitsuba is no dependency: `pip install mitsuba` into the environment first. With Debian's libllvm19 its compiled variant
is measured; DRJIT_LIBLLVM_PATH names the library where it is not found. Both renderers get the same triangles, normals,
lamps, environment and camera, and materials that both can express: rough metal on letters, a diffuse floor and wall.

Whether they agree is seen from long pictures of both. How noisy a picture is, in display values, is seen from pictures
of other seeds: half of what two of them differ by, squared, has that for its mean, and no reference's own noise counts.
Mitsuba's are taken with a box for its pixel filter then. Ours draws its samples from the filter, so that the noise of
neighbours stays independent, which a denoiser needs; a filter that shares samples among neighbours makes each pixel
less noisy and the picture no better.
"""

from __future__ import annotations

import importlib.util
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, uniform_filter

from bench.report import say
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.shot import Shot
from moss_crown.core.evaluate import scene_at
from moss_crown.core.look.material import Surface
from moss_crown.core.render.display import to_display
from moss_crown.core.render.renderer import Render, RenderSettings
from moss_crown.core.stage.scene import RectangleLight, Scene, Sheet

WIDTH, HEIGHT, SAMPLES = 640, 360, 16
MORE, RUNS = 64, 3
LONG, PARTS = 16, 24
"""A reference is the mean of so many pictures of so many samples."""
Picture = NDArray[np.float32]
METAL = Surface((0.90, 0.66, 0.30), 1.0, 0.3, 1.5)
EDGE = Surface((0.62, 0.30, 0.11), 1.0, 0.22, 1.5)


def title_scene(close: bool) -> Scene:
    """LOWMERE TIDE at rest, lit as a new shot is; `close`: letters cover a third of the picture."""
    document = new_shot("peer", "LOWMERE TIDE").model_dump()
    for step in document["steps"]:
        if step["kind"] == "camera":
            step |= {"shift": (0.0, 0.0), "fit": 1.0 if close else 0.8, "orbit": (-8.0, 5.0)}
        if step["kind"] == "block" and close:
            step |= {"text": "LOW\nMERE", "align": "fill", "leading": 1.25}
    scene = scene_at(Shot.model_validate(document), 72, WIDTH / HEIGHT, Cache(), blur=False)
    matte = [
        replace(surface, metal=0.0, roughness=1.0, ior=1.0, colour=(0.2, 0.24, 0.22)) for surface in scene.surfaces
    ]
    surfaces = (METAL, EDGE, *matte[2:])
    return replace(scene, surfaces=surfaces, camera=replace(scene.camera, grade=np.eye(3)))


def ours(scene: Scene, samples: int, seed: int = 1) -> tuple[Picture, float]:
    settings = RenderSettings(WIDTH, HEIGHT, samples, threads=2, clamp=0.0, depth=4, seed=seed)
    with Render(scene, settings) as picture:
        begun = time.perf_counter()
        picture.add(samples)
        return picture.passes().beauty, time.perf_counter() - begun


def for_mitsuba(mi: Any, scene: Scene, box: bool = False) -> Any:
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
                "width": WIDTH,
                "height": HEIGHT,
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


def noise(pictures: list[Picture], mask: NDArray[np.bool_]) -> float:
    """The standard deviation of a picture, from some that are independent."""
    shown = [to_display(np.maximum(p, 0)) for p in pictures]
    pairs = pairwise(shown)
    return float(np.sqrt(np.mean([((one - other)[mask] ** 2).mean() / 2 for one, other in pairs])))


def compared(name: str, scene: Scene, mi: Any) -> None:
    peer = for_mitsuba(mi, scene)
    ours(scene, 1)
    theirs(mi, peer, 1)
    settings = RenderSettings(WIDTH, HEIGHT, 16, threads=2, open_back=True)
    with Render(scene, settings) as picture:
        picture.add(16)
        letters = picture.passes().alpha[..., 0] > 0.99
    own_long, _ = ours(scene, LONG * PARTS)
    their_long = np.mean([theirs(mi, peer, LONG, seed + 1)[0] for seed in range(PARTS)], axis=0)
    # Its lamps are seen from behind, as black places; ours are not seen at all.
    whole = ~binary_dilation(their_long.max(-1) < 1e-4, iterations=2)
    letters &= whole
    difference = np.abs(_smooth(own_long) - _smooth(their_long))
    for part, mask in (("whole frame", whole), ("letters", letters)):
        say(
            f"{name}, {part}: brightness against mitsuba",
            f"{100 * (own_long[mask].mean() / their_long[mask].mean() - 1):+.2f} %, "
            f"difference {100 * difference[mask].mean() / their_long[mask].mean():.2f} % of the mean",
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
            a, b = (noise([p for p, _ in found], mask) for found in (runs, other))
            # Noise falls with the root of time.
            faster = (yours * b * b) / (mine * a * a)
            wanted = f"{aim if samples == SAMPLES else '1.0'} times"
            say(f"  {part}: noise {a:.4f} against {b:.4f}", f"{faster:.2f} times faster to the same noise", wanted)


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
