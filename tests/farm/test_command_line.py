"""The same without a browser: render and export from a shot file."""

import json
import subprocess
import sys

import pytest

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot_json, write_shot
from moss_crown.core.formats.movie import read_facts
from moss_crown.core.formats.png import read_png


def crown(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "moss_crown.cli", *map(str, arguments)], capture_output=True, text=True, check=False
    )


@pytest.fixture
def shot_file(tmp_path):
    path = tmp_path / "shot.json"
    path.write_text(json.dumps(write_shot(new_shot(text="TIDE"))))
    return path


def test_render_writes_frames_and_a_movie_and_keeps_what_is_there(shot_file, tmp_path):
    out = tmp_path / "frames"
    size = ["--width", 64, "--height", 36, "--samples", 2]
    done = crown("render", shot_file, "--frames", "0:3", "--out", out, *size)
    assert done.returncode == 0, done.stderr
    assert sorted(p.name for p in out.glob("*.png")) == [f"frame.{k:05d}.png" for k in range(4)]
    facts = read_facts((out / "movie.mp4").read_bytes())
    assert (facts.width, facts.height, facts.frames, facts.rate) == (64, 36, 4, 25)
    kept = {p: p.stat().st_mtime_ns for p in out.glob("*.png")}
    assert crown("render", shot_file, "--frames", "0:4", "--out", out, *size).returncode == 0
    assert all(p.stat().st_mtime_ns == t for p, t in kept.items())


def test_render_with_alpha(shot_file, tmp_path):
    out = tmp_path / "alpha"
    done = crown(
        "render", shot_file, "--frames", "60", "--out", out, "--width", 64, "--height", 36, "--samples", 2, "--alpha"
    )
    assert done.returncode == 0, done.stderr
    assert read_png((out / "frame.00060.png").read_bytes()).shape == (36, 64, 4)
    assert not (out / "movie.mp4").exists()


def test_export_json_and_glb(shot_file, tmp_path):
    assert crown("export", shot_file, "--format", "json", "--out", tmp_path / "a.json").returncode == 0
    assert read_shot_json((tmp_path / "a.json").read_text()) == read_shot_json(shot_file.read_text())
    assert crown("export", shot_file, "--format", "glb", "--frame", 0, "--out", tmp_path / "a.glb").returncode == 0
    assert (tmp_path / "a.glb").read_bytes()[:4] == b"glTF"


@pytest.mark.parametrize(
    ("change", "said"),
    [({"version": 9}, "newer Moss Crown"), ({"last": -1}, "must not lie before"), ({"steps": 3}, "steps")],
)
def test_bad_files_say_what_is_wrong(shot_file, tmp_path, change, said):
    shot_file.write_text(json.dumps(json.loads(shot_file.read_text()) | change))
    done = crown("export", shot_file, "--out", tmp_path / "x.glb")
    assert done.returncode == 2
    assert said in done.stderr
    assert "Traceback" not in done.stderr
    assert not (tmp_path / "x.glb").exists()


def test_frames_outside_the_shot(shot_file, tmp_path):
    done = crown("render", shot_file, "--frames", "70:80", "--out", tmp_path / "o")
    assert done.returncode == 2
    assert "outside the shot" in done.stderr
