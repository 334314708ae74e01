"""The one door to Embree: its C API as it comes in the embreex wheel, for building from ctypes and for tracing from
compiled numba kernels, one ray at a time or PACKET rays.

Where a processor has no vectors of that width Embree takes the rays of a packet one by one. The functions that trace
are registered as symbols, not as addresses, so that numba can keep compiled kernels on disk.
"""

from __future__ import annotations

import ctypes
import importlib.util
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from llvmlite import binding
from numba import types
from numpy.typing import NDArray

from moss_crown.core.errors import RayEngineError

_POINTER, _INT, _UINT, _SIZE = ctypes.c_void_p, ctypes.c_int, ctypes.c_uint, ctypes.c_size_t
_TRIANGLE, _INSTANCE = 0, 121
_INDEX, _VERTEX = 0, 1
_UINT3, _FLOAT3, _FLOAT4X4_COLUMN_MAJOR = 0x5003, 0x9003, 0x9244
_ROBUST = 4
_FAR, _TRIANGLE_HIT, _INSTANCE_HIT, _NONE = 8, 17, 19, 0xFFFFFFFF
PACKET = 16
COHERENT = 1 << 16
"""RTC_RAY_QUERY_FLAG_COHERENT"""

DEVICE = b"threads=1,set_affinity=0"
"""One thread: a build by several could order its tree differently from one time to the next."""
SOLID_MASK, LIGHT_MASK, STAGE_MASK = 1, 2, 4

_SIGNATURES = {
    "rtcNewDevice": (_POINTER, ctypes.c_char_p),
    "rtcReleaseDevice": (None, _POINTER),
    "rtcGetDeviceError": (_INT, _POINTER),
    "rtcNewScene": (_POINTER, _POINTER),
    "rtcReleaseScene": (None, _POINTER),
    "rtcSetSceneFlags": (None, _POINTER, _INT),
    "rtcCommitScene": (None, _POINTER),
    "rtcNewGeometry": (_POINTER, _POINTER, _INT),
    "rtcReleaseGeometry": (None, _POINTER),
    "rtcSetNewGeometryBuffer": (_POINTER, _POINTER, _INT, _UINT, _INT, _SIZE, _SIZE),
    "rtcSetGeometryTimeStepCount": (None, _POINTER, _UINT),
    "rtcSetGeometryTransform": (None, _POINTER, _UINT, _INT, _POINTER),
    "rtcSetGeometryInstancedScene": (None, _POINTER, _POINTER),
    "rtcSetGeometryMask": (None, _POINTER, _UINT),
    "rtcCommitGeometry": (None, _POINTER),
    "rtcAttachGeometryByID": (None, _POINTER, _POINTER, _UINT),
    "rtcIntersect1": (None, _POINTER, _POINTER, _POINTER),
    f"rtcIntersect{PACKET}": (None, _POINTER, _POINTER, _POINTER, _POINTER),
    f"rtcOccluded{PACKET}": (None, _POINTER, _POINTER, _POINTER, _POINTER),
}


@lru_cache(maxsize=1)
def _library() -> ctypes.CDLL:
    spec = importlib.util.find_spec("embreex")
    if spec is None or spec.origin is None:
        raise RayEngineError("the embreex package is not installed")
    found = sorted((Path(spec.origin).parent.parent / "embreex.libs").glob("libembree4*"))
    if not found:
        raise RayEngineError("embreex carries no Embree library")
    importlib.import_module("embreex")  # loads the TBB that the library needs
    library = ctypes.CDLL(str(found[0]))
    for name, (result, *arguments) in _SIGNATURES.items():
        function = getattr(library, name)
        function.restype, function.argtypes = result, arguments
    return library


def _register() -> None:
    library = _library()
    for name in ("rtcIntersect1", f"rtcIntersect{PACKET}", f"rtcOccluded{PACKET}"):
        address = ctypes.cast(getattr(library, name), ctypes.c_void_p).value
        binding.add_symbol(name, address)


_register()
intersect1 = types.ExternalFunction("rtcIntersect1", types.void(types.intp, types.intp, types.intp))
"""intersect1(scene, ray, 0) from numba: fills an RTCRayHit at the address `ray`."""
_PACKET = types.void(types.intp, types.intp, types.intp, types.intp)
intersect16 = types.ExternalFunction(f"rtcIntersect{PACKET}", _PACKET)
"""intersect16(there, scene, rays, told) from numba: fills an RTCRayHit16 at the address `rays`; there: the address of
an int32 for each ray, -1 where there is one; told: that of RTCIntersectArguments, or 0."""
occluded16 = types.ExternalFunction(f"rtcOccluded{PACKET}", _PACKET)
"""The same for shadows: sets tfar of the rays to minus infinity where something is in the way."""


class Hit(NamedTuple):
    """Where a ray met something: after so many metres, and which triangle of which instance."""

    distance: float
    instance: int
    triangle: int


class RayScene:
    """Instances of triangle meshes, each with poses at even times over the shutter. Close it when done.

    Every instance is attached under its own index, which a hit answers as `instID`.
    """

    def __init__(self) -> None:
        self._library = _library()
        self._device = self._library.rtcNewDevice(DEVICE)
        self._scenes: list[int] = []
        self._stage = self._new_scene()
        self._instances = 0

    @property
    def handle(self) -> int:
        """The address of the committed scene, for the kernels."""
        return self._stage

    def _new_scene(self) -> int:
        scene: int = self._library.rtcNewScene(self._device)
        self._library.rtcSetSceneFlags(scene, _ROBUST)
        self._scenes.append(scene)
        return scene

    def add_mesh(self, vertices: NDArray[np.floating], triangles: NDArray[np.integer]) -> int:
        """(n, 3) vertices, or (t, n, 3) at even times over the shutter, (m, 3) triangles -> a mesh to instance."""
        library = self._library
        scene = self._new_scene()
        geometry = library.rtcNewGeometry(self._device, _TRIANGLE)
        times = vertices if vertices.ndim == 3 else vertices[None]
        library.rtcSetGeometryTimeStepCount(geometry, len(times))
        for step, rows in enumerate(times):
            self._fill(geometry, _VERTEX, _FLOAT3, ctypes.c_float, np.float32, rows, step)
        self._fill(geometry, _INDEX, _UINT3, ctypes.c_uint, np.uint32, triangles)
        library.rtcCommitGeometry(geometry)
        library.rtcAttachGeometryByID(scene, geometry, 0)
        library.rtcReleaseGeometry(geometry)
        library.rtcCommitScene(scene)
        return scene

    def _fill(
        self,
        geometry: int,
        slot: int,
        layout: int,
        kind: type,
        dtype: type,
        rows: NDArray[np.generic],
        step: int = 0,
    ) -> None:
        address = self._library.rtcSetNewGeometryBuffer(geometry, slot, step, layout, 12, len(rows))
        if not address:
            raise RayEngineError("no memory for a mesh")
        np.ctypeslib.as_array(ctypes.cast(address, ctypes.POINTER(kind)), (len(rows), 3))[:] = rows.astype(dtype)

    def add_instance(self, mesh: int, poses: NDArray[np.float64], mask: int) -> int:
        """Place a mesh; poses (t, 4, 4). Answers the index of the instance."""
        library = self._library
        geometry = library.rtcNewGeometry(self._device, _INSTANCE)
        library.rtcSetGeometryInstancedScene(geometry, mesh)
        library.rtcSetGeometryTimeStepCount(geometry, len(poses))
        for step, pose in enumerate(poses):
            columns = np.ascontiguousarray(pose.T, np.float32)
            library.rtcSetGeometryTransform(geometry, step, _FLOAT4X4_COLUMN_MAJOR, columns.ctypes.data)
        library.rtcSetGeometryMask(geometry, mask)
        library.rtcCommitGeometry(geometry)
        index = self._instances
        library.rtcAttachGeometryByID(self._stage, geometry, index)
        library.rtcReleaseGeometry(geometry)
        self._instances += 1
        return index

    def commit(self) -> None:
        """Build the trees; nothing can be added afterwards."""
        self._library.rtcCommitScene(self._stage)
        error = self._library.rtcGetDeviceError(self._device)
        if error:
            raise RayEngineError(f"device error {error}")

    def cast(self, start: NDArray[np.float64], along: NDArray[np.float64]) -> Hit | None:
        """The first hit of a ray from a place (3,) along a unit vector (3,), once all is committed."""
        words = np.zeros(32, np.float32)  # an RTCRayHit, on an address that 16 divides
        words = words[-words.ctypes.data % 16 // 4 :][:24]
        names = words.view(np.uint32)
        words[0:3], words[4:7], words[_FAR] = start, along, np.inf
        names[[9, _TRIANGLE_HIT, 18, _INSTANCE_HIT, 20]] = _NONE
        self._library.rtcIntersect1(self._stage, words.ctypes.data, 0)
        if names[_INSTANCE_HIT] == _NONE:
            return None
        return Hit(float(words[_FAR]), int(names[_INSTANCE_HIT]), int(names[_TRIANGLE_HIT]))

    def close(self) -> None:
        """Give everything back. Safe to call twice."""
        for scene in self._scenes:
            self._library.rtcReleaseScene(scene)
        self._scenes = []
        if self._device:
            self._library.rtcReleaseDevice(self._device)
            self._device = None

    def __enter__(self) -> RayScene:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()
