"""Short ways to a setting and a form, shared by the tests."""

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
