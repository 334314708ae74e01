"""What the application's help says of a kind of step and of what it is made of: the documentation of its models."""

from __future__ import annotations

import inspect

from moss_crown.core.document.kinds import StepBase
from moss_crown.core.document.values import Ease, Formula, Key, Keyed, Link

PARTS_OF_ALL = {model.__name__ for model in (Ease, Formula, Key, Keyed, Link)}
"""Models that any value may hold: a page of the help is about them."""


def words_of(step: type[StepBase]) -> list[list[str]]:
    """The paragraphs about a kind of step, each with the name of the model that it is about: "" for the step itself."""
    schema = step.model_json_schema()
    found = [["", _plain(step.__doc__)]] if step.__doc__ else []
    for name, model in schema.get("$defs", {}).items():
        said = _plain(model.get("description"))
        if said and name.split("_")[0] not in PARTS_OF_ALL:
            found.append([name, said])
    return found


def _plain(text: str | None) -> str:
    """Documentation without the line breaks inside its paragraphs."""
    paragraphs = inspect.cleandoc(text or "").split("\n\n")
    return "\n\n".join(" ".join(paragraph.split()) for paragraph in paragraphs)
