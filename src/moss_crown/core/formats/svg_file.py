"""Emblems from SVG (SVG 2): paths, shapes, groups, transforms, use, both fill rules, strokes, colours.

Runs in a process with limits: nothing here trusts its input. What could run or fetch anything is refused; what only
cannot be drawn here (text, gradients, filters) is left out, and said.
"""

from __future__ import annotations

import hashlib
import json
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import manifold3d
import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from numpy.typing import NDArray
from PIL import ImageColor
from shapely.geometry import LineString, Polygon

from moss_crown.core import limits
from moss_crown.core.errors import FileRefused
from moss_crown.core.form.outline import Flattener, Ring, area
from moss_crown.core.type.drawing import HEIGHT, Part, box_of, path_of

TOLERANCE = 0.1
_DRAWN = ("path", "rect", "circle", "ellipse", "line", "polyline", "polygon")
_GROUPS = ("svg", "g", "a", "symbol", "use")
_SILENT = ("title", "desc", "metadata", "defs", "style", "namedview", "clipPath")
_RUNS = ("script", "foreignObject", "iframe", "handler", "set", "animate", "animateTransform", "animateMotion", "image")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_JOINS = {"miter": "mitre", "round": "round", "bevel": "bevel"}
_CAPS = {"butt": "flat", "round": "round", "square": "square"}
Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class EmblemFile:
    """A checked emblem: an id made from its content, its parts in drawing order, and remarks on what was left out."""

    id: str
    parts: list[Part]
    remarks: tuple[str, ...]

    def facts(self) -> dict[str, Any]:
        """As plain data, to be kept; `core.type.emblem.read` takes it back."""
        return {
            "parts": [_part_facts(part) for part in self.parts],
            "path": path_of(self.parts),
            "box": box_of(self.parts),
        }


@dataclass(frozen=True)
class _Style:
    fill: str = "black"
    stroke: str = "none"
    width: float = 1.0
    even_odd: bool = False
    cap: str = "butt"
    join: str = "miter"
    mitre: float = 4.0
    colour: str = "black"
    shown: bool = True


def read_svg(raw: bytes) -> EmblemFile:
    """The emblem of an SVG file. Raises FileRefused with the reason."""
    if len(raw) > limits.SVG_BYTES:
        raise FileRefused("file", f"at most {limits.SVG_BYTES} bytes", f"the drawing has {len(raw)} bytes")
    try:
        root = _tree(raw)
        # Curves are flattened by the drawing's size, which is known only when it has been walked once.
        rough = list(_Reader(root, math.inf).parts())
        reader = _Reader(root, TOLERANCE * _size(rough) / HEIGHT)
        parts = list(reader.parts())
    except (FileRefused, MemoryError):
        raise
    except DefusedXmlException as hostile:
        raise FileRefused("file", "no entities", f"the drawing declares entities: {type(hostile).__name__}") from None
    except (ParseError, UnicodeError) as broken:
        raise FileRefused("file", "well-formed XML", f"this is not readable as SVG: {str(broken)[:200]}") from None
    except (ValueError, TypeError, IndexError, KeyError, OverflowError, ZeroDivisionError) as broken:
        raise FileRefused("file", "a sound SVG", f"the drawing is broken: {str(broken)[:200]}") from None
    except Exception as broken:  # and whatever else the libraries that read it may raise
        raise FileRefused("file", "a sound SVG", f"the drawing is broken: {type(broken).__name__}") from None
    parts = _normalised(parts)
    if not parts:
        raise FileRefused("file", "something filled or stroked", "the drawing shows nothing")
    content = json.dumps([_part_facts(part) for part in parts], sort_keys=True)
    id = f"emblem-{hashlib.sha256(content.encode()).hexdigest()[:20]}"
    return EmblemFile(id, parts, tuple(sorted(reader.remarks)))


def _part_facts(part: Part) -> dict[str, Any]:
    return {
        "name": part.name,
        "colour": [round(c, 4) for c in part.colour],
        "rings": [np.round(ring, 3).tolist() for ring in part.rings],
        "lines": [[closed, np.round(line, 3).tolist()] for closed, line in part.lines],
    }


def _tree(raw: bytes) -> Element:
    import io

    depth = count = 0
    root: Element | None = None
    for event, element in iterparse(io.BytesIO(raw), events=("start", "end"), forbid_dtd=False):
        if event == "end":
            depth -= 1
            continue
        depth, count = depth + 1, count + 1
        if root is None:
            root = element
            if _tag(element) != "svg":
                raise FileRefused("file", "svg", f"the file's first element is {_tag(element)[:40]}")
        if depth > limits.SVG_DEPTH:
            raise FileRefused("file", f"at most {limits.SVG_DEPTH} levels", "the drawing is nested too deep")
        if count > limits.SVG_ELEMENTS:
            raise FileRefused("file", f"at most {limits.SVG_ELEMENTS} elements", "the drawing has too many elements")
        _refuse_running(element)
    if root is None:
        raise FileRefused("file", "svg", "the file is empty")
    return root


def _refuse_running(element: Element) -> None:
    tag = _tag(element)
    if tag in _RUNS:
        raise FileRefused("file", "a drawing of shapes", f"the drawing holds an element that is not accepted: {tag}")
    for name, value in element.attrib.items():
        local = name.rsplit("}", 1)[-1].lower()
        if local.startswith("on"):
            raise FileRefused("file", "a drawing of shapes", f"the drawing holds a script: {local}")
        if local in ("href", "src") and not value.strip().startswith("#"):
            raise FileRefused("file", "no references outside", f"the drawing refers to something outside: {value[:60]}")
        if "url(" in value and re.search(r"url\(\s*['\"]?(?!#)", value):
            raise FileRefused("file", "no references outside", "the drawing refers to something outside")


def _tag(element: Element) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


class _Reader:
    def __init__(self, root: Element, tolerance: float) -> None:
        self.root = root
        self._tolerance = max(tolerance, 1e-9)
        self.remarks: set[str] = set()
        self._by_id = {e.get("id"): e for e in root.iter() if e.get("id")}
        self._rules = _style_rules(root)
        self._points = self._used = 0

    def parts(self) -> Iterator[Part]:
        yield from self._walk(self.root, np.diag([1.0, -1.0, 1.0]), _Style(), ())

    def _walk(self, element: Element, matrix: Matrix, style: _Style, through: tuple[int, ...]) -> Iterator[Part]:
        tag = _tag(element)
        if tag not in _DRAWN and tag not in _GROUPS:
            if tag not in _SILENT:
                self.remarks.add(f"left out: {tag}")
            return
        style = self._styled(element, style)
        matrix = matrix @ _transform(element.get("transform", ""))
        if tag == "use":
            self._used += 1
            if self._used > limits.SVG_ELEMENTS:
                raise FileRefused("file", f"at most {limits.SVG_ELEMENTS} uses", "the drawing uses too much again")
            target = self._by_id.get(_href(element)[1:])
            if target is None or id(target) in through or len(through) > limits.SVG_DEPTH:
                if target is not None:
                    raise FileRefused("file", "no circles of use", "the drawing uses itself")
                return
            shift = np.array([[1, 0, _length(element, "x")], [0, 1, _length(element, "y")], [0, 0, 1.0]])
            yield from self._walk(target, matrix @ shift, style, (*through, id(target)))
        elif tag in _GROUPS:
            if tag == "symbol" and not through:
                return
            for child in element:
                yield from self._walk(child, matrix, style, through)
        elif style.shown:
            part = self._part(element, tag, matrix, style)
            if part:
                yield part

    def _styled(self, element: Element, style: _Style) -> _Style:
        given: dict[str, str] = {}
        for selector, declarations in self._rules:
            if _selects(selector, element):
                given |= declarations
        own = {name: value for name, value in element.attrib.items() if "}" not in name}
        given = {**own, **given, **_declarations(own.get("style", ""))}
        changes: dict[str, Any] = {}
        for name, member in (
            ("fill", "fill"),
            ("stroke", "stroke"),
            ("stroke-linecap", "cap"),
            ("stroke-linejoin", "join"),
            ("color", "colour"),
        ):
            if name in given and given[name].strip() != "inherit":
                changes[member] = given[name].strip()
        if "stroke-width" in given:
            changes["width"] = max(0.0, _first_number(given["stroke-width"], 1.0))
        if "stroke-miterlimit" in given:
            changes["mitre"] = max(1.0, _first_number(given["stroke-miterlimit"], 4.0))
        if "fill-rule" in given:
            changes["even_odd"] = given["fill-rule"].strip() == "evenodd"
        if given.get("display", "").strip() == "none" or given.get("visibility", "").strip() in ("hidden", "collapse"):
            changes["shown"] = False
        for name in ("filter", "mask", "clip-path", "stroke-dasharray"):
            if given.get(name, "none").strip() != "none":
                self.remarks.add(f"left out: {name}")
        return replace(style, **changes)

    def _part(self, element: Element, tag: str, matrix: Matrix, style: _Style) -> Part | None:
        recorded = _outline(element, tag)
        scale = math.sqrt(abs(float(np.linalg.det(matrix[:2, :2])))) or 1.0
        contours = self._contours(recorded, matrix)
        fill, stroke = self._paint(style.fill, style), self._paint(style.stroke, style)
        rings: list[Ring] = []
        if fill and tag != "line":
            rule = manifold3d.FillRule.EvenOdd if style.even_odd else manifold3d.FillRule.NonZero
            closed = [ring for _, ring in contours if len(ring) > 2]
            if closed:
                rings += [np.asarray(r) for r in manifold3d.CrossSection(closed, rule).to_polygons()]
        lines = contours if stroke and style.width > 0 else []
        for is_closed, line in lines:
            rings += _stroked(line, is_closed, style, scale)
        rings = [ring for ring in rings if len(ring) > 2 and abs(area(ring)) > 0]
        if not rings:
            return None
        name = (element.get("id") or tag)[:40]
        return Part("".join(c for c in name if c.isprintable()), fill or stroke or (0.0, 0.0, 0.0), rings, lines)

    def _contours(self, pen: RecordingPen, matrix: Matrix) -> list[tuple[bool, Ring]]:
        """Flattened contours in the drawing's own units, with y up; each closed or open."""
        found: list[tuple[bool, Ring]] = []
        flat = _OpenFlattener(self._tolerance)
        for command, points in pen.value:
            at = [_moved(matrix, x, y) for x, y in points]
            self._points += len(at)
            if self._points > limits.SVG_POINTS:
                raise FileRefused("file", f"at most {limits.SVG_POINTS} points", "the drawing has too many points")
            if not all(math.isfinite(v) and abs(v) < 1e7 for p in at for v in p):
                raise FileRefused("file", "coordinates below 10,000,000", "the drawing reaches too far")
            match command:
                case "moveTo":
                    found += flat.taken(False)
                    flat.move(at[0])
                case "lineTo":
                    flat.line(at[0])
                case "qCurveTo":
                    flat.quadratic(at[0], at[1])
                case "curveTo":
                    flat.cubic(at[0], at[1], at[2])
                case "closePath":
                    found += flat.taken(True)
                case _:
                    found += flat.taken(False)
        return found + flat.taken(False)

    def _paint(self, value: str, style: _Style) -> tuple[float, float, float] | None:
        value = value.strip()
        if value in ("none", "transparent", ""):
            return None
        if value == "currentColor":
            value = style.colour
        if value.startswith("url("):
            self.remarks.add("left out: gradients and patterns, drawn in grey")
            return (0.5, 0.5, 0.5)
        try:
            red, green, blue = ImageColor.getrgb(value)[:3]
        except ValueError:
            return (0.0, 0.0, 0.0)
        return red / 255, green / 255, blue / 255


def _moved(matrix: Matrix, x: float, y: float) -> tuple[float, float]:
    moved = matrix @ (x, y, 1.0)
    return float(moved[0]), float(moved[1])


class _OpenFlattener(Flattener):
    """A flattener that keeps open contours too."""

    def taken(self, closed: bool) -> list[tuple[bool, Ring]]:
        points, self._points = self._points, []
        if closed and len(points) > 1 and points[0] == points[-1]:
            points = points[:-1]
        return [(closed, np.array(points))] if len(points) > 1 else []

    def line(self, to: tuple[float, float]) -> None:
        if not self._points:
            self._points = [to]
        super().line(to)


def _stroked(line: Ring, closed: bool, style: _Style, scale: float) -> list[Ring]:
    """The outline of a stroke as rings."""
    points = np.vstack([line, line[:1]]) if closed else line
    keep = np.concatenate([[True], np.hypot(*np.diff(points, axis=0).T) > 1e-9])
    if keep.sum() < 2:
        return []
    shape = LineString(points[keep]).buffer(
        style.width * scale / 2,
        quad_segs=16,
        cap_style=_CAPS.get(style.cap, "flat"),
        join_style=_JOINS.get(style.join, "mitre"),
        mitre_limit=style.mitre,
    )
    polygons = [shape] if isinstance(shape, Polygon) else list(shape.geoms)
    found = []
    for polygon in polygons:
        if polygon.is_empty:
            continue
        rings = [np.array(polygon.exterior.coords)[:-1], *(np.array(i.coords)[:-1] for i in polygon.interiors)]
        for k, ring in enumerate(rings):
            found.append(ring if (area(ring) > 0) == (k == 0) else ring[::-1])
    return found


def _outline(element: Element, tag: str) -> RecordingPen:
    pen = RecordingPen()

    def n(name: str) -> float:
        return _length(element, name)

    match tag:
        case "path":
            data = element.get("d", "")
            if len(data) > limits.SVG_BYTES:
                raise FileRefused("file", f"at most {limits.SVG_BYTES} characters", "a path is too long")
            parse_path(data, pen)
        case "rect":
            _rectangle(pen, n("x"), n("y"), n("width"), n("height"), element)
        case "circle":
            _ellipse(pen, n("cx"), n("cy"), n("r"), n("r"))
        case "ellipse":
            _ellipse(pen, n("cx"), n("cy"), n("rx"), n("ry"))
        case "line":
            pen.moveTo((n("x1"), n("y1")))
            pen.lineTo((n("x2"), n("y2")))
            pen.endPath()
        case _:
            numbers = [float(v) for v in _NUMBER.findall(element.get("points", ""))]
            points = list(zip(numbers[::2], numbers[1::2], strict=False))
            if points:
                pen.moveTo(points[0])
                for point in points[1:]:
                    pen.lineTo(point)
                pen.closePath() if tag == "polygon" else pen.endPath()
    return pen


_ARC = 4 / 3 * (math.sqrt(2) - 1)


def _ellipse(pen: RecordingPen, x: float, y: float, rx: float, ry: float) -> None:
    if rx <= 0 or ry <= 0:
        return
    kx, ky = rx * _ARC, ry * _ARC
    pen.moveTo((x + rx, y))
    pen.curveTo((x + rx, y + ky), (x + kx, y + ry), (x, y + ry))
    pen.curveTo((x - kx, y + ry), (x - rx, y + ky), (x - rx, y))
    pen.curveTo((x - rx, y - ky), (x - kx, y - ry), (x, y - ry))
    pen.curveTo((x + kx, y - ry), (x + rx, y - ky), (x + rx, y))
    pen.closePath()


def _rectangle(pen: RecordingPen, x: float, y: float, w: float, h: float, element: Element) -> None:
    if w <= 0 or h <= 0:
        return
    rx, ry = _length(element, "rx", -1.0), _length(element, "ry", -1.0)
    rx, ry = (ry if rx < 0 else rx), (rx if ry < 0 else ry)
    rx, ry = min(max(rx, 0.0), w / 2), min(max(ry, 0.0), h / 2)
    kx, ky = rx * (1 - _ARC), ry * (1 - _ARC)
    pen.moveTo((x + rx, y))
    pen.lineTo((x + w - rx, y))
    pen.curveTo((x + w - kx, y), (x + w, y + ky), (x + w, y + ry))
    pen.lineTo((x + w, y + h - ry))
    pen.curveTo((x + w, y + h - ky), (x + w - kx, y + h), (x + w - rx, y + h))
    pen.lineTo((x + rx, y + h))
    pen.curveTo((x + kx, y + h), (x, y + h - ky), (x, y + h - ry))
    pen.lineTo((x, y + ry))
    pen.curveTo((x, y + ky), (x + kx, y), (x + rx, y))
    pen.closePath()


def _size(parts: list[Part]) -> float:
    """What becomes HEIGHT: the height of all parts together, or a little of their width where that is far greater."""
    if not parts:
        return 0.0
    every = np.vstack([ring for part in parts for ring in part.rings])
    across, high = np.ptp(every, axis=0)
    return float(max(high, 0.02 * across))


def _normalised(parts: list[Part]) -> list[Part]:
    """All parts together HEIGHT high, standing on 0, their middle at 0; wide ones are not made narrower."""
    if not parts:
        return []
    size = _size(parts)
    if size <= 0 or not math.isfinite(size):
        return []
    every = np.vstack([ring for part in parts for ring in part.rings])
    low, high = every.min(0), every.max(0)
    scale = HEIGHT / size
    shift = np.array([(low[0] + high[0]) / 2, low[1]])

    def place(points: Ring) -> Ring:
        placed: Ring = (points - shift) * scale
        return placed

    return [
        Part(p.name, p.colour, [place(r) for r in p.rings], [(closed, place(line)) for closed, line in p.lines])
        for p in parts
    ]


def _href(element: Element) -> str:
    return next((v.strip() for k, v in element.attrib.items() if k.rsplit("}", 1)[-1] == "href"), "#")


def _length(element: Element, name: str, otherwise: float = 0.0) -> float:
    return _first_number(element.get(name, ""), otherwise)


def _first_number(text: str, otherwise: float) -> float:
    found = _NUMBER.search(text)
    return float(found.group()) if found else otherwise


def _declarations(text: str) -> dict[str, str]:
    pairs = (item.split(":", 1) for item in text.split(";") if ":" in item)
    return {name.strip(): value.strip() for name, value in pairs}


def _style_rules(root: Element) -> list[tuple[str, dict[str, str]]]:
    """Rules of style sheets with one plain selector each: a class, an id or an element's name."""
    rules = []
    for element in root.iter():
        if _tag(element) != "style":
            continue
        text = _without_comments("".join(element.itertext()))
        if "@import" in text or re.search(r"url\(\s*['\"]?(?!#)", text):
            raise FileRefused("file", "no references outside", "a style sheet refers to something outside")
        # By splitting: an expression that looks for both braces goes through a text without them again and again.
        for block in text.split("}")[:-1]:
            before, brace, body = block.rpartition("{")
            selectors = before.rpartition("{")[2] if brace else ""
            rules += [(selector.strip(), _declarations(body)) for selector in selectors.split(",")]
    return rules[: limits.SVG_ELEMENTS]


def _without_comments(text: str) -> str:
    parts = text.split("/*")
    return parts[0] + "".join(part.partition("*/")[2] for part in parts[1:])


def _selects(selector: str, element: Element) -> bool:
    if selector.startswith("."):
        return selector[1:] in element.get("class", "").split()
    if selector.startswith("#"):
        return selector[1:] == element.get("id")
    return selector in ("*", _tag(element))


def _transform(text: str) -> Matrix:
    """The matrix of a transform attribute (SVG 2, chapter 8)."""
    matrix = np.eye(3)
    for call in text.split(")")[:-1]:
        name, _, arguments = call.partition("(")
        name = name.replace(",", " ").strip()
        v = [float(n) for n in _NUMBER.findall(arguments)]
        one = np.eye(3)
        match name:
            case "matrix":
                one[:2] = np.array(v[:6]).reshape(3, 2).T
            case "translate":
                one[:2, 2] = v[0], v[1] if len(v) > 1 else 0.0
            case "scale":
                one[0, 0], one[1, 1] = v[0], v[1] if len(v) > 1 else v[0]
            case "rotate":
                a = math.radians(v[0])
                one[:2, :2] = [[math.cos(a), -math.sin(a)], [math.sin(a), math.cos(a)]]
                if len(v) > 2:
                    centre = np.array(v[1:3])
                    one[:2, 2] = centre - one[:2, :2] @ centre
            case "skewX":
                one[0, 1] = math.tan(math.radians(v[0]))
            case "skewY":
                one[1, 0] = math.tan(math.radians(v[0]))
        matrix = matrix @ one
    return matrix
