"""glTF 2.0 binary (Khronos, 2021): solids as indexed meshes with one primitive a facet group, a node a letter."""

from __future__ import annotations

import json
import struct
from dataclasses import dataclass, field
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.form.mesh import Solid
from moss_crown.core.form.ordering import ordered
from moss_crown.core.formats.model import TitleModel
from moss_crown.core.look.material import Surface

F32: TypeAlias = NDArray[np.float32]
FLOAT, UNSIGNED_INT = 5126, 5125
ARRAY, ELEMENT_ARRAY = 34962, 34963
MAGIC, JSON_CHUNK, BINARY_CHUNK = 0x46546C67, 0x4E4F534A, 0x004E4942


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


def write_glb(model: TitleModel) -> bytes:
    """A node a letter, at its pivot, with a child that holds the mesh.

    Corners that agree in place and normal become one vertex. Metres, Y up, as glTF has it too. Which piece a vertex of
    a letter in pieces is of is an attribute of its own, `_PIECE`; and `_VERTEX` which of its solid it is, where that is
    wanted.
    """
    buffer = _Buffer()
    materials: list[dict[str, Any]] = []
    meshes = []
    for index, solid in enumerate(model.solids):
        first = len(materials)
        dress = model.dresses[index]
        materials += [_material(name, s) for name, s in zip(dress.parts, dress.surfaces, strict=True)]
        places, normals, textured, triangles = weld(solid, model.places[index] if model.places else None)
        groups = [ordered(triangles[mask]).astype(triangles.dtype) for mask in dress.masks(solid)]
        attributes = {
            "POSITION": buffer.add(places, "VEC3", FLOAT, ARRAY, bounds=True),
            "NORMAL": buffer.add(normals, "VEC3", FLOAT, ARRAY),
        }
        if solid.piece is not None:
            of = np.empty((len(places), 1), np.float32)
            of[triangles.ravel(), 0] = solid.piece[solid.triangles.ravel()]
            attributes["_PIECE"] = buffer.add(of, "SCALAR", FLOAT, ARRAY)
        if model.numbered:
            number = np.empty((len(places), 1), np.float32)
            number[triangles.ravel(), 0] = solid.triangles.ravel()
            attributes["_VERTEX"] = buffer.add(number, "SCALAR", FLOAT, ARRAY)
        if textured is not None:
            attributes["TEXCOORD_0"] = buffer.add(textured * np.array([1, -1], np.float32), "VEC2", FLOAT, ARRAY)
        meshes.append(
            {
                "primitives": [
                    {
                        "attributes": attributes,
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
        "scenes": [{"name": model.title, "nodes": list(range(len(model.nodes)))}],
        "nodes": [*_letters(model), *_bodies(model)],
        "meshes": meshes,
        "materials": materials,
        "buffers": [{"byteLength": len(buffer.data)}] if buffer.data else [],
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


def _letters(model: TitleModel) -> list[dict[str, Any]]:
    count = len(model.nodes)
    found = []
    for number, node in enumerate(model.nodes):
        pivot = np.eye(4)
        pivot[:3, 3] = node.pivot
        found.append(
            {
                "name": node.name,
                "matrix": (node.pose @ pivot).T.reshape(-1).tolist(),
                "children": [count + number],
            }
        )
    return found


def _bodies(model: TitleModel) -> list[dict[str, Any]]:
    return [
        {"name": f"{node.name} solid", "mesh": node.mesh, "translation": [-v for v in node.pivot]}
        for node in model.nodes
    ]


Welded: TypeAlias = tuple[F32, F32, F32 | None, NDArray[np.uint32]]


def weld(solid: Solid, textured: F32 | None = None) -> Welded:
    """Vertices (n, 3), normals (n, 3), texture coordinates (n, 2) where there are any, and triangles."""
    corner_vertex = solid.triangles.reshape(-1)
    corner_normal = solid.normals.reshape(-1, 3)
    key = np.column_stack([corner_vertex, np.round(corner_normal * 8192).astype(np.int64)])
    # Pack to one integer: 14 bits a component of the normal, the rest for the vertex.
    packed = (key[:, 0] << 45) + ((key[:, 1] + 8192) << 30) + ((key[:, 2] + 8192) << 15) + (key[:, 3] + 8192)
    if textured is None:
        _, first, inverse = np.unique(packed, return_index=True, return_inverse=True)
    else:
        apart = np.column_stack([packed, np.round(textured.reshape(-1, 2) * 1e5).astype(np.int64)])
        _, first, inverse = np.unique(apart, axis=0, return_index=True, return_inverse=True)
    places = solid.vertices[corner_vertex[first]].astype(np.float32)
    normals = corner_normal[first]
    normals = (normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)).astype(np.float32)
    triangles = inverse.reshape(-1, 3).astype(np.uint32)
    at = None if textured is None else textured.reshape(-1, 2)[first]
    return places, normals, at, triangles


def _material(name: str, surface: Surface) -> dict[str, Any]:
    found = {
        "name": name,
        "pbrMetallicRoughness": {
            "baseColorFactor": [*surface.colour, surface.opacity],
            "metallicFactor": surface.metal,
            "roughnessFactor": surface.roughness,
        },
    }
    return found if surface.opacity == 1 else found | {"alphaMode": "BLEND"}
