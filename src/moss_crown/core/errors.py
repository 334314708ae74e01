"""One tree of errors. Each carries facts and a stable code that clients match, never the text."""

from __future__ import annotations

from typing import Any


class TitleError(Exception):
    """Something a user can mend. `field` names the value, `bound` what it must satisfy.

    Subclasses pass every fact to `super().__init__`, so that an error survives pickling
    on its way out of a compute process.
    """

    code = "title.error"
    field: str | None = None
    bound: str | None = None

    def facts(self) -> dict[str, Any]:
        """The error as plain data, for problem+json and for the command line."""
        return {"code": self.code, "field": self.field, "bound": self.bound, "detail": str(self)}


class DocumentInvalid(TitleError):
    """A document, or an edit of one, that breaks a rule of the model."""

    code = "document.invalid"

    def __init__(self, field: str, bound: str, reason: str) -> None:
        super().__init__(field, bound, reason)
        self.field, self.bound, self.reason = field, bound, reason

    def __str__(self) -> str:
        return f"{self.field or 'the document'}: {self.reason}"


class DocumentTooNew(TitleError):
    code = "document.too_new"
    field = "version"

    def __init__(self, version: int, known: int) -> None:
        super().__init__(version, known)
        self.version, self.known = version, known
        self.bound = f"at most {known}"

    def __str__(self) -> str:
        return (
            f"the shot was saved by a newer Moss Crown (document version {self.version}, this one reads {self.known})"
        )


class NotAShot(TitleError):
    code = "document.not_a_shot"

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return f"this is not a Moss Crown shot: {self.reason}"


class LinkInvalid(TitleError):
    """A link, or a formula's `value`, that leads to nothing or to another kind of value."""

    code = "link.invalid"
    bound = "the path of a value of the shot"

    def __init__(self, field: str, path: str, reason: str) -> None:
        super().__init__(field, path, reason)
        self.field, self.path, self.reason = field, path, reason

    def __str__(self) -> str:
        return f"{self.field}: cannot follow {self.path!r}: {self.reason}"


class LinkLoop(TitleError):
    """Values that follow each other in a circle."""

    code = "link.loop"
    bound = "links without a circle"

    def __init__(self, loop: list[str]) -> None:
        super().__init__(loop)
        self.loop = loop
        self.field = loop[0]

    def __str__(self) -> str:
        return "these values follow each other in a circle: " + " -> ".join(self.loop)


class LinkTooLong(TitleError):
    """Values that ask for each other over more steps than `limits.CHAIN`."""

    code = "link.too_long"

    def __init__(self, field: str, chain: list[str], most: int) -> None:
        super().__init__(field, chain, most)
        self.field, self.chain, self.most = field, chain, most
        self.bound = f"at most {most} values in a row"

    def __str__(self) -> str:
        return f"{self.field}: too many values ask for each other in a row: " + " -> ".join(self.chain)


class TooMany(TitleError):
    """More of something than the limits allow."""

    code = "limit.too_many"

    def __init__(self, field: str, what: str, count: int, most: int) -> None:
        super().__init__(field, what, count, most)
        self.field, self.what, self.count, self.most = field, what, count, most
        self.bound = f"at most {most}"

    def __str__(self) -> str:
        return f"{self.field}: {self.count} {self.what}, at most {self.most}"


class FamilyUnknown(TitleError):
    code = "type.family_unknown"

    def __init__(self, field: str, family: str) -> None:
        super().__init__(field, family)
        self.field, self.family = field, family
        self.bound = "a bundled family, or a font of the production"

    def __str__(self) -> str:
        return f"{self.field}: there is no family {self.family!r}"


class PictureUnknown(TitleError):
    code = "look.picture_unknown"
    bound = "a picture of the production"

    def __init__(self, field: str, picture: str) -> None:
        super().__init__(field, picture)
        self.field, self.picture = field, picture

    def __str__(self) -> str:
        return f"{self.field}: there is no picture {self.picture!r}"


class RayEngineError(TitleError):
    code = "render.ray_engine"

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason

    def __str__(self) -> str:
        return f"the ray engine failed: {self.reason}"


class FileRefused(TitleError):
    """A file from outside that is not what it claims, is broken, or goes beyond a bound."""

    code = "file.refused"

    def __init__(self, field: str, bound: str, reason: str) -> None:
        super().__init__(field, bound, reason)
        self.field, self.bound, self.reason = field, bound, reason

    def __str__(self) -> str:
        return self.reason
