"""glTF 2.0 binary (Khronos, 2021): solids as indexed meshes with one primitive a facet group, a node a letter."""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.solid import FACE, REAR, Solid
from moss_crown.core.look.material import Surface

FLOAT, UNSIGNED_INT = 5126, 5125
ARRAY, ELEMENT_ARRAY = 34962, 34963
MAGIC, JSON_CHUNK, BINARY_CHUNK = 0x46546C67, 0x4E4F534A, 0x004E4942


@dataclass(frozen=True)
class Node:
    """A letter: its name, mesh, pose (4, 4) and the two materials of its face and edge."""

    name: str
    mesh: int
    pose: NDArray[np.float64]


@dataclass
class _Buffer:
    data: bytearray = field(default_factory=bytearray)
    views: list[dict[str, Any]] = field(default_factory=list)
    accessors: list[dict[str, Any]] = field(default_factory=list)

    def add(self, rows: NDArray[Any], kind: str, component: int, target: int, bounds: bool = False) -> int:
        raw = np.ascontiguousarray(rows).tobytes()
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": len(raw), "target": target})
        self.data += raw + b"\0" * (-len(raw) % 4)
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1,
            "componentType": component,
            "count": len(rows),
            "type": kind,
        }
        if bounds:
            accessor |= {"min": rows.min(0).tolist(), "max": rows.max(0).tolist()}
        self.accessors.append(accessor)
        return len(self.accessors) - 1


def write_glb(
    solids: list[Solid], nodes: list[Node], surfaces: list[tuple[Surface, Surface]], title: str = "title"
) -> bytes:
    """Solids and the letters that use them. surfaces: for each solid its face and edge material.

    Corners that agree in place and normal become one vertex. Metres, Y up, as glTF has it too.
    """
    buffer = _Buffer()
    materials: list[dict[str, Any]] = []
    meshes = []
    for index, solid in enumerate(solids):
        first = len(materials)
        materials += [_material(name, s) for name, s in zip(("face", "edge"), surfaces[index], strict=True)]
        places, normals, groups = weld(solid)
        position = buffer.add(places, "VEC3", FLOAT, ARRAY, bounds=True)
        normal = buffer.add(normals, "VEC3", FLOAT, ARRAY)
        meshes.append(
            {
                "primitives": [
                    {
                        "attributes": {"POSITION": position, "NORMAL": normal},
                        "material": first + group,
                        "indices": buffer.add(indices.reshape(-1), "SCALAR", UNSIGNED_INT, ELEMENT_ARRAY),
                    }
                    for group, indices in enumerate(groups)
                    if len(indices)
                ]
            }
        )
    document: dict[str, Any] = {
        "asset": {"version": "2.0", "generator": "Moss Crown"},
        "scene": 0,
        "scenes": [{"name": title, "nodes": list(range(len(nodes)))}],
        "nodes": [{"name": n.name, "mesh": n.mesh, "matrix": n.pose.T.reshape(-1).tolist()} for n in nodes],
        "meshes": meshes,
        "materials": materials,
        "buffers": [{"byteLength": len(buffer.data)}],
        "bufferViews": buffer.views,
        "accessors": buffer.accessors,
    }
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    size = 12 + 8 + len(text) + 8 + len(buffer.data)
    return b"".join(
        [
            struct.pack("<III", MAGIC, 2, size),
            struct.pack("<II", len(text), JSON_CHUNK),
            text,
            struct.pack("<II", len(buffer.data), BINARY_CHUNK),
            bytes(buffer.data),
        ]
    )


def weld(solid: Solid) -> tuple[NDArray[np.float32], NDArray[np.float32], tuple[NDArray[np.uint32], ...]]:
    """Vertices (n, 3), normals (n, 3) and triangles by group (face and rear; bevels and return)."""
    corner_vertex = solid.triangles.reshape(-1)
    corner_normal = solid.normals.reshape(-1, 3)
    key = np.column_stack([corner_vertex, np.round(corner_normal * 8192).astype(np.int64)])
    # Pack to one integer: 14 bits a component of the normal, the rest for the vertex.
    packed = (key[:, 0] << 45) + ((key[:, 1] + 8192) << 30) + ((key[:, 2] + 8192) << 15) + (key[:, 3] + 8192)
    _, first, inverse = np.unique(packed, return_index=True, return_inverse=True)
    places = solid.vertices[corner_vertex[first]].astype(np.float32)
    normals = corner_normal[first]
    normals = (normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)).astype(np.float32)
    triangles = inverse.reshape(-1, 3).astype(np.uint32)
    on_face = (solid.facet == FACE) | (solid.facet == REAR)
    return places, normals, (triangles[on_face], triangles[~on_face])


def _material(name: str, surface: Surface) -> dict[str, Any]:
    return {
        "name": name,
        "pbrMetallicRoughness": {
            "baseColorFactor": [*surface.colour, 1.0],
            "metallicFactor": surface.metal,
            "roughnessFactor": surface.roughness,
        },
    }
