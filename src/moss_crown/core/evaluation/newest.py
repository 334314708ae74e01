"""The evaluation of the document that was asked for last."""

from __future__ import annotations

from moss_crown.core.cache import Cache
from moss_crown.core.document.door import read_shot
from moss_crown.core.evaluation.evaluation import Evaluation


class Newest:
    """For a process that is asked for one frame of a document after the other: the document is read once, and what its
    frames share is remembered. `cache` outlives documents."""

    def __init__(self, cache: Cache) -> None:
        self.cache = cache
        self._held: tuple[dict[str, object], Evaluation] | None = None

    def of(self, document: dict[str, object]) -> Evaluation:
        """Raises what `read_shot` does. The document must not be changed afterwards."""
        if self._held is None or self._held[0] != document:
            self._held = document, Evaluation(read_shot(document), self.cache)
        return self._held[1]
