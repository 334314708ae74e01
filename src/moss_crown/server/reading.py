"""What the reader process does: take files from outside apart. It loads little, since it has little room."""

from __future__ import annotations

from moss_crown.core.formats.font_file import FontFile, read_font
from moss_crown.core.formats.picture_file import PictureFile, read_picture
from moss_crown.core.formats.svg_file import EmblemFile, read_svg


def font(raw: bytes) -> tuple[FontFile, ...]:
    return read_font(raw)


def emblem(raw: bytes) -> EmblemFile:
    return read_svg(raw)


def picture(raw: bytes) -> PictureFile:
    return read_picture(raw)
