"""USD: a transform a letter with its pivot, one mesh with a material subset for face and edge, preview materials."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

from moss_crown.core.formats.model import Node, TitleModel
from moss_crown.core.look.material import Surface


def write_usd(model: TitleModel) -> bytes:
    """The title as a binary crate (.usdc). Metres, Y up."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "title.usdc"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, "/title")
        stage.SetDefaultPrim(root.GetPrim())
        root.GetPrim().SetMetadata("displayName", model.title)
        for mesh, dress in enumerate(model.dresses):
            for part, surface in zip(dress.parts, dress.surfaces, strict=True):
                _material(stage, f"/title/materials/{part}_{mesh}", surface)
        for number, node in enumerate(model.nodes):
            _letter(stage, f"/title/letter_{number:03d}", node, model)
        stage.Save()
        return path.read_bytes()


def _letter(stage: Any, path: str, node: Node, model: TitleModel) -> None:
    letter = UsdGeom.Xform.Define(stage, path)
    letter.GetPrim().SetMetadata("displayName", node.name)
    pivot = np.eye(4)
    pivot[:3, 3] = node.pivot
    letter.AddTransformOp().Set(Gf.Matrix4d((node.pose @ pivot).T.tolist()))
    solid = model.solids[node.mesh]
    mesh = UsdGeom.Mesh.Define(stage, f"{path}/solid")
    mesh.AddTranslateOp().Set(Gf.Vec3d(*(-v for v in node.pivot)))
    points = solid.vertices.astype(np.float32)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(solid.triangles), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(solid.triangles.astype(np.int32).reshape(-1)))
    mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(solid.normals.reshape(-1, 3))))
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
    if model.places is not None:
        textured = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
            "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
        )
        textured.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(model.places[node.mesh].reshape(-1, 2))))
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([points.min(0), points.max(0)])))
    dress = model.dresses[node.mesh]
    UsdGeom.Subset.SetFamilyType(mesh, UsdShade.Tokens.materialBind, UsdGeom.Tokens.partition)
    for part, mask in zip(dress.parts, dress.masks(solid), strict=True):
        subset = UsdGeom.Subset.CreateGeomSubset(
            mesh,
            part,
            UsdGeom.Tokens.face,
            Vt.IntArray.FromNumpy(np.flatnonzero(mask).astype(np.int32)),
            UsdShade.Tokens.materialBind,
        )
        material = UsdShade.Material.Get(stage, f"/title/materials/{part}_{node.mesh}")
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(material)


def _material(stage: Any, path: str, surface: Surface) -> None:
    material = UsdShade.Material.Define(stage, path)
    shader = UsdShade.Shader.Define(stage, f"{path}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*surface.colour))
    shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(surface.metal)
    shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(surface.roughness)
    shader.CreateInput("ior", Sdf.ValueTypeNames.Float).Set(surface.ior)
    shader.CreateInput("opacity", Sdf.ValueTypeNames.Float).Set(surface.opacity)
    output = shader.CreateOutput("surface", Sdf.ValueTypeNames.Token)
    material.CreateSurfaceOutput().ConnectToSource(output)
