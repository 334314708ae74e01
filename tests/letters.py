"""Short ways to a setting and a form, shared by the tests."""

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.form.profile import Edge
from moss_crown.core.form.solid import Form
from moss_crown.core.type.layout import Setting
from moss_crown.core.type.shape import Style


def setting(text, family="archivo-black", axes=(), **more):
    return Setting(text, Style(family, axes), **({"leading": 1.5} | more))


def alike(depth, kind="square", size=0.0, segments=1, **more):
    """A form whose front and rear edges are alike, as wide as high."""
    edge = Edge(kind, size, size, segments)
    return Form(depth, edge, edge, **more)


def still_shot(*steps, text="KESTREL TIDE", block=None, **head):
    """A new title whose letters these steps alone move or bend; `block` are values of its block."""
    raw = write_shot(new_shot(text=text, **head))
    kept = [s for s in raw["steps"] if s["kind"] != "drive"]
    kept[0] |= block or {}
    return read_shot(raw | {"steps": [*kept[:2], *steps, *kept[2:]]})
