"""What it takes to talk to a cluster elsewhere safely."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from moss_crown.core.errors import TitleError


class CrewUnsafe(TitleError):
    """A cluster elsewhere without certificates: whoever reached it would run code on it."""

    code = "farm.unsafe"
    bound = "tls://HOST:PORT, with a certificate of the authority, one's own, and its key"

    def __init__(self, field: str, reason: str) -> None:
        super().__init__(field, reason)
        self.field, self.reason = field, reason

    def __str__(self) -> str:
        return f"{self.field}: {self.reason}"


@dataclass(frozen=True, slots=True)
class Credentials:
    """Files in PEM: the authority that signed whom to trust, one's own certificate, and its key."""

    authority: str = ""
    certificate: str = ""
    key: str = ""

    def check(self, address: str) -> None:
        """Raises CrewUnsafe unless a cluster at this address can be talked to safely."""
        if not address.startswith("tls://"):
            raise CrewUnsafe("dask", f"{address} is not reached by TLS: it begins with tls://")
        for name in ("authority", "certificate", "key"):
            path = getattr(self, name)
            if not path:
                raise CrewUnsafe(f"dask_{name}", "a cluster elsewhere needs it")
            if not Path(path).is_file():
                raise CrewUnsafe(f"dask_{name}", f"there is no file {path}")
