"""Tubes: as long and as thick as they must be, at corners too; open and closed, several at once."""

import numpy as np
import pytest

from letters import setting
from moss_crown.core.form.mesh import REAR
from moss_crown.core.form.outline import letter_outline
from moss_crown.core.form.profile import Edge
from moss_crown.core.form.section import section, stem_width
from moss_crown.core.form.solid import Form, closed, solid
from moss_crown.core.form.tube import Tube, bands, middle_lines
from moss_crown.core.type.layout import set_block
from moss_crown.core.type.shape import faces


def ring(count=256, radius=300.0):
    angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return np.stack([radius * np.cos(angle), radius * np.sin(angle)], 1)


def square(side=600.0):
    return np.array([[0, 0], [side, 0], [side, side], [0, side]], float)


def test_a_round_tube_around_a_circle_is_a_torus():
    built = solid([ring()], Form(1.0, tube=Tube(width=60.0, height=60.0, segments=24)), 1.0)
    assert closed(built.triangles)
    assert built.volume == pytest.approx(2 * np.pi**2 * 300 * 30**2, rel=0.03)
    away = np.hypot(np.hypot(*built.vertices[:, :2].T) - 300, built.vertices[:, 2])
    assert away == pytest.approx(30, abs=1.0)


def test_a_square_tube_around_a_square_is_even_at_its_corners():
    outline = bands(middle_lines([square()], [], Tube("square", 40.0), 1.0, "mitre")[0], Tube("square", 40.0), 1.0)
    outer, inner = sorted(outline, key=lambda r: -np.ptp(r[:, 0]))
    assert np.ptp(outer, axis=0) == pytest.approx([640, 640])
    assert np.ptp(inner, axis=0) == pytest.approx([560, 560])
    built = solid([square()], Form(1.0, tube=Tube("square", 40.0)), 1.0)
    # The band has round outer corners: a quarter of a square of 20 less a quarter disc each.
    band = 640**2 - 4 * 20**2 * (1 - np.pi / 4) - 560**2
    assert built.volume == pytest.approx(band * 40 / 0.996, rel=2e-3)


def part(start=0.0, first=0.0, last=1.0, rings=(), strokes=(), **more):
    tube = Tube(width=30.0, height=30.0, start=start, first=first, last=last, segments=12, **more)
    built = solid(list(rings) or [ring()], Form(1.0, tube=tube), 1.0, strokes)
    assert closed(built.triangles)
    return built


def turned(built):
    """By how many degrees about the middle, from the top on, vertices lie."""
    return (np.degrees(np.arctan2(built.vertices[:, 1], built.vertices[:, 0])) - 90) % 360


@pytest.mark.parametrize("start", [0.0, 0.3, -0.25, 7.6])
@pytest.mark.parametrize("first, last", [(0.1, 0.6), (0.0, 0.02), (0.0, 0.95), (0.4, 1.0)])
def test_an_open_tube_has_its_share_of_the_length_from_its_start(start, first, last):
    built = part(start, first, last)
    ends = 4 / 3 * np.pi * 15**3  # two halves of a ball
    whole = part().volume
    assert built.volume == pytest.approx((last - first) * whole + ends, abs=0.004 * whole)
    reach = np.degrees(15 / 300)
    along = (turned(built) - 360 * start - 360 * first + reach + 0.5) % 360 - 0.5
    assert [along.min(), along.max()] == pytest.approx([0, 360 * (last - first) + 2 * reach], abs=1.5)


@pytest.mark.parametrize("long", [0.1, 0.5, 0.9])
def test_a_tube_spreads_to_both_sides_of_its_start(long):
    """Of a circle about its start, of an open line about its middle."""
    along = (turned(part(0.25, last=long, spread=True)) - 90 + 180) % 360 - 180
    assert [along.min(), along.max()] == pytest.approx([-180 * long, 180 * long], abs=4.0)
    line = (False, np.array([[0.0, 0], [1000, 0]]))
    x = part(last=long, spread=True, strokes=[line]).vertices[:, 0]
    assert [x.min(), x.max()] == pytest.approx([500 - 500 * long - 15, 500 + 500 * long + 15], abs=3.0)


def test_ends_of_round_tubes_are_half_balls_and_others_flat():
    line = (False, np.array([[0.0, 0], [1000, 0]]))
    built = part(first=0.3, last=0.6, strokes=[line])
    end = built.vertices[:, 0] > 600 + 1e-9
    assert np.linalg.norm(built.vertices[end] - [600, 0, 0], axis=1) == pytest.approx(15, abs=0.6)
    tip = built.normals[built.vertices[built.triangles][..., 0] > 614.9]
    assert tip[:, 0] == pytest.approx(1, abs=1e-3)
    flat = part(first=0.3, last=0.6, strokes=[line], section="square")
    assert [flat.vertices[:, 0].min(), flat.vertices[:, 0].max()] == pytest.approx([300, 600], abs=1e-6)
    assert flat.volume == pytest.approx(300 * 30 * 30 / 0.996, rel=1e-3)


@pytest.mark.parametrize("text, last", [("TIDE", 0.5), ("AgS8&", 0.37), ("OWL", 0.999)])
def test_a_part_has_no_two_corners_in_one_place(text, last):
    """A file of triangles alone knows corners by their places: it has to be closed by those too."""
    for letter in set_block(setting(text, "archivo-black")):
        form = Form(0.2, tube=Tube(last=last))
        built = solid(letter_outline(letter.glyphs, faces("archivo-black")), form, letter.unit)
        _, same = np.unique(np.float32(built.vertices), axis=0, return_inverse=True)
        triangles = same.reshape(-1)[built.triangles]
        assert closed(triangles) and len(built.triangles)
        assert (triangles != np.roll(triangles, 1, 1)).all()


def test_what_is_there_is_the_same_however_far_a_tube_has_grown():
    early, late = part(last=0.5), part(last=0.8)
    here = {tuple(p) for p in early.vertices[(turned(early) > 20) & (turned(early) < 150)]}
    assert len(here) > 100 and here <= {tuple(p) for p in late.vertices}


def test_tubes_beside_the_first_are_told_apart():
    built = solid([ring()], Form(1.0, tube=Tube(width=40.0, height=40.0, rows=3, gap=80.0)), 1.0)
    assert closed(built.triangles)
    away = np.hypot(*built.vertices[built.triangles].mean(1)[:, :2].T)
    assert (built.facet[away > 330] == REAR).all() and (built.facet[away < 330] != REAR).all()
    assert (away > 330).mean() == pytest.approx(2 / 3, abs=0.05)


def test_lengths_along_a_tube_rise_from_0_to_1():
    built = solid([ring()], Form(1.0, tube=Tube(width=40.0, height=40.0, start=0.25)), 1.0)
    assert built.along.min() == pytest.approx(0, abs=0.01)
    assert built.along.max() == pytest.approx(1, abs=0.01)
    turn = (np.degrees(np.arctan2(built.vertices[:, 1], built.vertices[:, 0])) / 360 - 0.5) % 1
    off = np.abs(built.along - turn)
    assert np.minimum(off, 1 - off).max() < 0.01


@pytest.mark.parametrize("family", ["league-spartan", "pacifico", "eb-garamond", "monoton"])
@pytest.mark.parametrize(
    "tube",
    [
        Tube(),
        Tube("flat", 0.08, 0.01, offset=0.03),
        Tube("round", 0.04, 0.06, rows=3, gap=0.07),
        Tube("square", 0.05, offset=-0.04),
        Tube(first=0.2, last=0.75, start=0.4),
    ],
)
def test_tubes_of_letters_are_closed(family, tube):
    for letter in set_block(setting("AgS8&", family)):
        built = solid(letter_outline(letter.glyphs, faces(family)), Form(0.2, tube=tube), letter.unit)
        assert not len(built.triangles) or closed(built.triangles)
        assert built.volume >= 0


def test_a_tube_of_no_length_or_inside_a_stem_too_thin_leaves_nothing():
    for tube in (Tube(first=0.5, last=0.5), Tube(offset=-9.0)):
        assert len(solid([ring()], Form(1.0, tube=tube), 0.001).triangles) == 0


def test_strokes_of_a_drawing_are_followed_instead_of_outlines():
    line = (False, np.array([[0.0, 0.0], [400.0, 0.0], [400.0, 300.0]]))
    built = solid([square()], Form(1.0, tube=Tube("square", 20.0)), 1.0, [line])
    assert np.ptp(built.vertices[:, :2], axis=0) == pytest.approx([410, 310], abs=0.5)
    assert built.volume == pytest.approx(700 * 20 * 20, rel=0.02)


def test_the_section_of_a_stem_is_what_the_solid_has():
    assert stem_width([np.array([[0, 0], [2000, 0], [2000, 50], [0, 50]], float)]) == pytest.approx(50, rel=0.03)
    form = Form(0.3, Edge("chamfer", 0.03, 0.05), Edge("step", 0.02, 0.04, 2), grow="forward")
    cut = section(form, 0.2)
    assert cut.min(0) == pytest.approx([0, 0])
    assert cut.max(0) == pytest.approx([0.2, 0.3])
    x, z = cut.T
    outline = abs(np.sum(x * np.roll(z, -1) - np.roll(x, -1) * z)) / 2
    assert outline == pytest.approx(0.2 * 0.3 - 2 * (0.03 * 0.05 / 2) - 2 * (0.01 * 0.04 + 0.01 * 0.02))
    ridge = section(Form(0.3, Edge("chamfer", 0.3, 0.1), Edge()), 0.2)
    assert ridge[:, 1].max() == pytest.approx(0.15 - 0.1 + 0.1 / 3)
