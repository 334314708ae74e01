"""OBJ with MTL (as its makers published them in 1992), in one zip: one object a letter."""

from __future__ import annotations

import io
import zipfile

import numpy as np

from moss_crown.core.formats.model import TitleModel, placed


def write_obj(model: TitleModel) -> bytes:
    """A zip of title.obj and title.mtl. Vertices in metres in the world; a normal and texture coordinates a corner."""
    lines = ["# Moss Crown", "mtllib title.mtl"]
    first_vertex = first_normal = first_place = 1
    for node in model.nodes:
        solid = model.solids[node.mesh]
        lines.append(f"o {'_'.join(node.name.split())}")
        lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in placed(solid, node.pose)]
        turned = solid.normals.reshape(-1, 3) @ np.linalg.inv(node.pose[:3, :3])
        turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-12)
        normals, index = np.unique(np.round(turned, 4), axis=0, return_inverse=True)
        lines += [f"vn {x:.4f} {y:.4f} {z:.4f}" for x, y, z in normals]
        index = index.reshape(-1, 3) + first_normal
        triangles = solid.triangles + first_vertex
        place = np.zeros((len(triangles), 3, 2)) if model.places is None else model.places[node.mesh]
        textured, at = np.unique(np.round(place.reshape(-1, 2), 5), axis=0, return_inverse=True)
        at = at.reshape(-1, 3) + first_place
        lines += [f"vt {u:.5f} {v:.5f}" for u, v in textured]
        if np.linalg.det(node.pose[:3, :3]) < 0:  # mirrored: the other way round is outward
            triangles, index, at = triangles[:, ::-1], index[:, ::-1], at[:, ::-1]
        dress = model.dresses[node.mesh]
        for part, mask in zip(dress.parts, dress.masks(solid), strict=True):
            lines.append(f"usemtl {part}_{node.mesh}")
            lines += [
                f"f {a}/{i}/{x} {b}/{j}/{y} {c}/{k}/{z}"
                for (a, b, c), (i, j, k), (x, y, z) in zip(
                    triangles[mask].tolist(), at[mask].tolist(), index[mask].tolist(), strict=True
                )
            ]
        first_vertex += len(solid.vertices)
        first_normal += len(normals)
        first_place += len(textured)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in (("title.obj", "\n".join(lines) + "\n"), ("title.mtl", _materials(model))):
            # A fixed time, so that the same title gives the same bytes.
            archive.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), text, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def _materials(model: TitleModel) -> str:
    lines = ["# Moss Crown"]
    for mesh, dress in enumerate(model.dresses):
        for part, surface in zip(dress.parts, dress.surfaces, strict=True):
            red, green, blue = surface.colour
            lines += [
                f"newmtl {part}_{mesh}",
                f"Kd {red:.5f} {green:.5f} {blue:.5f}",
                f"Pm {surface.metal:.4f}",
                f"Pr {surface.roughness:.4f}",
                f"Ni {surface.ior:.4f}",
                f"d {surface.opacity:.4f}",
                "illum 2",
            ]
    return "\n".join(lines) + "\n"
