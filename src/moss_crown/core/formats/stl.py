"""Binary STL (StereoLithography Interface Specification, 1989): every letter in one file. Metres."""

from __future__ import annotations

import struct

import numpy as np

from moss_crown.core.formats.model import TitleModel, placed

_RECORD = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])


def write_stl(model: TitleModel) -> bytes:
    """All letters in the world, z up as machines expect it: our y becomes z."""
    parts = []
    for node in model.nodes:
        solid = model.solids[node.mesh]
        corners = placed(solid, node.pose)[solid.triangles]
        if np.linalg.det(node.pose[:3, :3]) < 0:
            corners = corners[:, ::-1]
        corners = np.stack([corners[..., 0], -corners[..., 2], corners[..., 1]], -1)
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        records = np.zeros(len(corners), _RECORD)
        records["corners"] = corners
        records["normal"] = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
        parts.append(records)
    every = np.concatenate(parts) if parts else np.zeros(0, _RECORD)
    return b"Moss Crown".ljust(80, b" ") + struct.pack("<I", len(every)) + every.tobytes()
