"""The jobs and readers by their names, as the web server asks for them.

What they compute with takes seconds to load, and only the compute processes need it: a server that was killed is back
the sooner. Types are those of the jobs themselves.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any


@dataclass(frozen=True)
class Named:
    """A function of a module, found where it is called: in the process that it is sent to."""

    module: str
    name: str

    def __call__(self, *args: Any, **kwargs: Any) -> Any:
        return getattr(import_module(self.module), self.name)(*args, **kwargs)


class _Module:
    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Named:
        return Named(self._name, name)


if TYPE_CHECKING:
    from moss_crown.server import jobs, reading
else:
    jobs, reading = _Module("moss_crown.server.jobs"), _Module("moss_crown.server.reading")

__all__ = ["jobs", "reading"]
