"""One 1280x720 frame at 16 samples with denoising, on two threads, against the rays alone in the same run."""

from __future__ import annotations

import statistics
import time
from concurrent.futures import ThreadPoolExecutor

import numba
import numpy as np

from bench.report import pace, say
from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.render.arithmetic import f32
from moss_crown.core.render.embree import intersect1
from moss_crown.core.render.rays import aim, ray_buffer
from moss_crown.core.render.renderer import Render, RenderSettings, denoised
from moss_crown.core.render.views import Packed

WIDTH, HEIGHT, SAMPLES = 1280, 720, 16


@numba.njit(nogil=True)
def primary(scene, ray, camera, lens, first, last, count):  # type: ignore[no-untyped-def]
    """Camera rays with a full hit, and nothing else."""
    words = ray.view(np.uint32)
    address = ray.ctypes.data
    hits = 0
    ox, oy, oz = camera[0, 0, 3], camera[0, 0, 7], camera[0, 0, 11]
    for y in range(first, last):
        for x in range(WIDTH):
            cx = (f32(x) / f32(WIDTH) * f32(2) - f32(1)) * lens[0]
            cy = (f32(1) - f32(y) / f32(HEIGHT) * f32(2)) * lens[1]
            dx = camera[0, 0, 0] * cx + camera[0, 0, 1] * cy - camera[0, 0, 2]
            dy = camera[0, 0, 4] * cx + camera[0, 0, 5] * cy - camera[0, 0, 6]
            dz = camera[0, 0, 8] * cx + camera[0, 0, 9] * cy - camera[0, 0, 10]
            for _ in range(count):
                aim(ray, words, ox, oy, oz, dx, dy, dz, f32(0), f32(1e30), np.uint32(5))
                intersect1(scene, address, 0)
                hits += words[18] != np.uint32(0xFFFFFFFF)
    return hits


def camera_rays(world: Packed) -> float:
    """Seconds that the camera rays of SAMPLES samples take on two threads, when nothing is shaded."""
    primary(world.scene, ray_buffer(), world.camera, world.lens, 0, 1, 1)
    begun = time.perf_counter()
    with ThreadPoolExecutor(2) as pool:
        list(
            pool.map(
                lambda y: primary(world.scene, ray_buffer(), world.camera, world.lens, y, y + 8, 4), range(0, HEIGHT, 8)
            )
        )
    return (time.perf_counter() - begun) * SAMPLES / 4


def main() -> None:
    shot = new_shot()
    cache = Cache()
    scene = Evaluation(shot, cache).scene(60, WIDTH / HEIGHT)
    settings = RenderSettings(WIDTH, HEIGHT, SAMPLES, threads=2)
    whole, trace, noise, rays, paces = [], [], [], [], []
    for turn in range(6):
        before = pace()
        begun = time.perf_counter()
        with Render(scene, settings) as picture:
            picture.add(SAMPLES)
            traced = time.perf_counter()
            denoised(picture.passes(), "high")
            ended = time.perf_counter()
            world = picture._world
            rays_only = camera_rays(world)
            if turn:  # the first loads kernels and weights
                rays.append(rays_only)
                whole.append(ended - begun)
                paces.append(before)
                trace.append(traced - begun)
                noise.append(ended - traced)
    median = statistics.median
    say(
        "one frame, 1280x720, 16 samples, denoised",
        f"{median(whole):.1f} s ({min(whole):.1f} to {max(whole):.1f})",
        "9 s",
    )
    each = ", ".join(f"{a:.1f} s at {b:.0f} ms" for a, b in zip(whole, paces, strict=True))
    say("  each, and the fixed loop before it", each, "-")
    say("  of it tracing", f"{median(trace):.1f} s", "-")
    say("  of it denoising", f"{median(noise):.1f} s", "-")
    say(
        "  its camera rays alone, same run",
        f"{median(rays):.2f} s, {100 * median(rays) / median(trace):.0f} % of tracing",
        "-",
    )
    moving = Render(Evaluation(shot, cache).scene(14, WIDTH / HEIGHT), settings)
    still = Render(Evaluation(shot, cache).scene(14, WIDTH / HEIGHT, blur=False), settings)
    ratios = []
    for _ in range(3):
        times = []
        for picture in (moving, still):
            begun = time.perf_counter()
            picture.add(2)
            times.append(time.perf_counter() - begun)
        ratios.append(times[0] / times[1])
    moving.close()
    still.close()
    say("  a frame with motion blur against one without", f"{median(ratios):.2f} times", "1.3 times")
