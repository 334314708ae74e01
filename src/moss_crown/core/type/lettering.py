"""A block step at a frame: its setting, with the style of every letter after patterns and overrides."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from difflib import SequenceMatcher
from functools import lru_cache

from moss_crown.core.document.letters import Baseline as BaselineModel
from moss_crown.core.document.letters import BlockStep, Lettering, Rule, Stretch
from moss_crown.core.document.path import DrawnPath
from moss_crown.core.document.values import Value
from moss_crown.core.type.emblem import track_of
from moss_crown.core.type.families import Axes
from moss_crown.core.type.layout import Setting, plain
from moss_crown.core.type.path import Baseline, Path, PathKind
from moss_crown.core.type.shape import Shaping, Style
from moss_crown.core.values.sampling import sample_choice, sample_one, sample_parts


def setting_at(step: BlockStep, frame: float) -> Setting:
    """How a block is set at a frame."""
    text = plain(sample_choice(step.text, frame))
    style = Style(sample_choice(step.family, frame), _axes(step.axes, frame))
    return Setting(
        text=text,
        style=style,
        size=sample_one(step.size, frame),
        tracking=sample_one(step.tracking, frame),
        leading=sample_one(step.leading, frame),
        align=sample_choice(step.align, frame),
        width=sample_one(step.width, frame),
        shaping=Shaping(step.direction, step.language, tuple(sorted(step.features.items()))),
        baseline=_baseline(step.baseline, frame),
        styles=_styles(step, text, style, frame),
    )


def _baseline(line: BaselineModel, frame: float) -> Baseline:
    kind: PathKind = sample_choice(line.kind, frame)
    baseline = Baseline(
        kind,
        sample_one(line.radius, frame),
        sample_one(line.start, frame),
        sample_choice(line.spread, frame),
        sample_choice(line.upright, frame),
    )
    if kind != "path":
        return baseline
    return replace(baseline, path=drawn_path(line, frame))


def drawn_path(drawn: DrawnPath, frame: float) -> Path:
    """A drawn path at a frame."""
    points, closed, smooth = tuple(drawn.points), drawn.closed, True
    if drawn.emblem is not None:
        emblem = sample_choice(drawn.emblem, frame)
        points, closed = track_of(emblem, round(sample_one(drawn.part, frame)), sample_one(drawn.height, frame))
        smooth = False
    return Path(
        points,
        closed,
        smooth,
        sample_choice(drawn.fit, frame),
        sample_one(drawn.at, frame),
        sample_choice(drawn.below, frame),
    )


def _axes(axes: Mapping[str, Value[float]], frame: float) -> Axes:
    return tuple(sorted((tag, sample_one(value, frame)) for tag, value in axes.items()))


def _styles(step: BlockStep, text: str, base: Style, frame: float) -> tuple[Style, ...]:
    patterns = [pattern for pattern in step.patterns if sample_choice(pattern.on, frame)]
    if not patterns and not step.overrides:
        return ()
    styles = [base] * len(text)
    for pattern in patterns:
        _apply(styles, picked(pattern, text), pattern, frame)
    for override in step.overrides:
        _apply(styles, matched(override, text), override, frame)
    return tuple(styles)


def _apply(styles: list[Style], characters: Iterable[int], lettering: Lettering, frame: float) -> None:
    family = None if lettering.family is None else sample_choice(lettering.family, frame)
    axes = dict(_axes(lettering.axes, frame))
    size, depth = sample_one(lettering.size, frame), sample_one(lettering.depth, frame)
    tracking, weight = sample_one(lettering.tracking, frame), sample_one(lettering.weight, frame)
    turn, shift = sample_one(lettering.turn, frame), sample_parts(lettering.shift, frame)
    for k in characters:
        own = styles[k]
        kept = () if family and family != own.family else own.axes
        styles[k] = replace(
            own,
            family=family or own.family,
            axes=tuple(sorted((dict(kept) | axes).items())),
            size=own.size * size,
            depth=own.depth * depth,
            tracking=own.tracking + tracking,
            weight=own.weight + weight,
            turn=own.turn + turn,
            shift=(own.shift[0] + shift[0], own.shift[1] + shift[1], own.shift[2] + shift[2]),
        )


def picked(rule: Rule, text: str) -> list[int]:
    """The characters of a text that a rule takes, in order."""
    units = _units(text, rule.unit)
    containers = _units(text, rule.within) if rule.within != "block" else [list(range(len(text)))]
    found: list[int] = []
    for container in containers:
        own = set(container)
        inside = [unit for unit in units if unit[0] in own]
        found += [k for unit in _pick(rule, inside) for k in unit]
    return sorted(found)


def _pick(rule: Rule, units: list[list[int]]) -> list[list[int]]:
    match rule.pick:
        case "first":
            return units[:1]
        case "last":
            return units[-1:]
        case "first_and_last":
            return units[:1] + units[1:][-1:]
        case _:
            return units[rule.start - 1 :: rule.every]


def _units(text: str, unit: str) -> list[list[int]]:
    """The characters of each letter, word or line; spaces belong to lines only, and a line of spaces is none."""
    found: list[list[int]] = []
    fresh = True
    for k, character in enumerate(text):
        if character == "\n" or (unit != "line" and character.isspace()):
            fresh = True
        elif unit == "letter" or fresh:
            found.append([k])
            fresh = False
        else:
            found[-1].append(k)
    return [own for own in found if any(not text[k].isspace() for k in own)]


def matched(stretch: Stretch, text: str) -> list[int]:
    """The characters of a text that a stretch of another text still means."""
    of = plain(stretch.of)
    if of == text:
        return list(range(stretch.first, min(stretch.last + 1, len(text))))
    places = _places(of, text)
    return [places[k] for k in range(stretch.first, stretch.last + 1) if k in places]


@lru_cache(maxsize=256)
def _places(of: str, text: str) -> dict[int, int]:
    """Where the characters of one text went in another: matching blocks (Ratcliff and Metzener, 1988).

    A letter alone among strangers is no match, unless it stands where it stood.
    """
    blocks = SequenceMatcher(None, of, text, autojunk=False).get_matching_blocks()
    return {a + k: b + k for a, b, size in blocks if size > 1 or a == b for k in range(size)}
