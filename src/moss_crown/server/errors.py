"""Errors of the server, in the tree of the core's."""

from __future__ import annotations

from uuid import UUID

from moss_crown.core.errors import TitleError


class Missing(TitleError):
    """Something that is not, or no longer, there."""

    what = "thing"

    def __init__(self, id: UUID | str) -> None:
        super().__init__(id)
        self.id = id

    def __str__(self) -> str:
        return f"there is no {self.what} {self.id}"


class ShotMissing(Missing):
    code, what = "shot.missing", "shot"


class ProductionMissing(Missing):
    code, what = "production.missing", "production"


class TakeMissing(Missing):
    code, what = "take.missing", "take"


class AssetMissing(Missing):
    code, what = "asset.missing", "font or emblem"


class FileMissing(Missing):
    code, what = "file.missing", "file"


class RevisionStale(TitleError):
    code = "shot.revision_stale"
    field = "revision"

    def __init__(self, given: int, current: int) -> None:
        super().__init__(given, current)
        self.given, self.current = given, current
        self.bound = f"{current}"

    def __str__(self) -> str:
        return f"the edit was made against revision {self.given}, the shot is at {self.current}"


class NothingTo(TitleError):
    code = "shot.nothing_to"

    def __init__(self, what: str) -> None:
        super().__init__(what)
        self.what = what

    def __str__(self) -> str:
        return f"there is nothing to {self.what}"


class TakeStateWrong(TitleError):
    code = "take.state"
    field = "state"

    def __init__(self, state: str, wanted: str) -> None:
        super().__init__(state, wanted)
        self.state, self.wanted = state, wanted

    def __str__(self) -> str:
        return f"the take is {self.state}: it cannot become {self.wanted}"


class TakeHopeless(TitleError):
    code = "take.hopeless"

    def __init__(self, tries: int) -> None:
        super().__init__(tries)
        self.tries = tries

    def __str__(self) -> str:
        return f"it was begun {self.tries} times without a further frame: what rendered it ended each time"


class ComputeFailed(TitleError):
    code = "compute.failed"

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return f"the computation failed: {self.reason}"


class ComputeTooLong(TitleError):
    code = "compute.too_long"

    def __init__(self, seconds: float) -> None:
        super().__init__(seconds)
        self.seconds = seconds
        self.bound = f"at most {seconds:g} seconds of processor time"

    def __str__(self) -> str:
        return f"the computation took more than {self.seconds:g} seconds and was ended"


class ComputeBusy(TitleError):
    """So many wait before a lane that one more would wait for too long."""

    code = "compute.busy"

    def __init__(self, lane: str, waiting: int) -> None:
        super().__init__(lane, waiting)
        self.lane, self.waiting = lane, waiting

    def __str__(self) -> str:
        return f"{self.waiting} others wait for this already; try again in a moment"


class StorageFull(TitleError):
    code = "storage.full"

    def __str__(self) -> str:
        return "the disk is full: nothing was changed; make room, then try again"
