"""glTF, USD, OBJ and STL: accepted by their validators, and read back by others with the same volume."""

import io
import json
import subprocess
import zipfile
from pathlib import Path

import numpy as np
import pytest
import trimesh
from pxr import Usd, UsdGeom, UsdValidation

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.picture import export_model, title_model

HERE = Path(__file__).parent


@pytest.fixture(scope="module")
def shot():
    raw = write_shot(new_shot(text="TIDE & Tt"))
    raw["steps"][0] |= {"turn": [0, 25, 0], "move": [0.5, 0, -0.3], "scale": [1, 1.2, 1]}
    raw["steps"][1]["front"] |= {"profile": "step", "width": 0.03, "segments": 2}
    return read_shot(raw)


@pytest.fixture(scope="module")
def cache():
    return Cache()


@pytest.fixture(scope="module")
def volume(shot, cache):
    model = title_model(Evaluation(shot, cache), shot.last)
    return sum(model.solids[n.mesh].volume * np.linalg.det(n.pose[:3, :3]) for n in model.nodes)


def test_gltf_has_no_issues_and_three_reads_its_volume(shot, cache, volume, tmp_path):
    path = tmp_path / "title.glb"
    path.write_bytes(export_model(Evaluation(shot, cache), shot.last, "glb"))
    said = subprocess.run(["node", HERE / "read_glb.mjs", path], capture_output=True, text=True, check=True)
    found = json.loads(said.stdout)
    assert found["issues"]["numErrors"] == found["issues"]["numWarnings"] == 0, found["issues"]["messages"]
    assert found["volume"] == pytest.approx(volume, rel=1e-4)
    assert len(found["names"]) == 7
    assert found["textured"] == found["meshes"] > 0
    scene = trimesh.load(io.BytesIO(path.read_bytes()), file_type="glb")
    assert sum(g.volume for g in scene.dump()) == pytest.approx(volume, rel=1e-4)


def test_usd_passes_its_compliance_checks_and_keeps_pivots(shot, cache, volume, tmp_path):
    path = tmp_path / "title.usdc"
    path.write_bytes(export_model(Evaluation(shot, cache), shot.last, "usd"))
    stage = Usd.Stage.Open(str(path))
    validators = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
    assert len(validators) > 5
    assert [error.GetMessage() for error in UsdValidation.ValidationContext(validators).Validate(stage)] == []
    assert UsdGeom.GetStageMetersPerUnit(stage) == 1
    total = 0.0
    meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    for mesh in meshes:
        to_world = np.array(UsdGeom.Xformable(mesh).ComputeLocalToWorldTransform(0))
        points = np.array(mesh.GetPointsAttr().Get()) @ to_world[:3, :3] + to_world[3, :3]
        a, b, c = points[np.array(mesh.GetFaceVertexIndicesAttr().Get()).reshape(-1, 3)].swapaxes(0, 1)
        total += float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)
        middle = (points.min(0) + points.max(0)) / 2
        parent = UsdGeom.Xformable(mesh.GetPrim().GetParent()).ComputeLocalToWorldTransform(0)
        assert np.array(parent.ExtractTranslation()) == pytest.approx(middle, abs=0.02)
        textured = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st").Get()
        assert len(textured) == len(mesh.GetFaceVertexIndicesAttr().Get())
    assert total == pytest.approx(volume, rel=1e-4)
    assert len(meshes) == 7


def test_obj_and_stl_are_read_back_closed_with_the_same_volume(shot, cache, volume):
    with zipfile.ZipFile(io.BytesIO(export_model(Evaluation(shot, cache), shot.last, "obj"))) as archive:
        text = archive.read("title.obj").decode()
        used = {line.split()[1] for line in text.splitlines() if line.startswith("usemtl")}
        made = {
            line.split()[1] for line in archive.read("title.mtl").decode().splitlines() if line.startswith("newmtl")
        }
    assert used == made
    assert text.count("\no ") == 7
    assert text.count("\nvt ") > 100
    for kind, raw in (("obj", text.encode()), ("stl", export_model(Evaluation(shot, cache), shot.last, "stl"))):
        mesh = trimesh.load(io.BytesIO(raw), file_type=kind, force="mesh")
        mesh.merge_vertices(merge_norm=True, merge_tex=True)
        assert mesh.is_watertight, kind
        assert mesh.volume == pytest.approx(volume, rel=1e-4), kind


def test_a_mirrored_block_is_outward_in_every_format(cache):
    raw = write_shot(new_shot(text="R"))
    raw["steps"][0]["scale"] = [-1, 1, 1]
    shot = read_shot(raw)
    with zipfile.ZipFile(io.BytesIO(export_model(Evaluation(shot, cache), shot.last, "obj"))) as archive:
        obj = archive.read("title.obj")
    for kind, body in (("obj", obj), ("stl", export_model(Evaluation(shot, cache), shot.last, "stl"))):
        assert trimesh.load(io.BytesIO(body), file_type=kind, force="mesh").volume > 0


def test_the_same_title_gives_the_same_bytes(shot, cache):
    for kind in ("glb", "obj", "stl"):
        assert export_model(Evaluation(shot, cache), 3, kind) == export_model(Evaluation(shot), 3, kind)
