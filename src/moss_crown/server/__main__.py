"""The web server: `python -m moss_crown.server PORT`."""

from __future__ import annotations

import os
import sys

import uvicorn

from moss_crown.server.app import configure_logs, create_app
from moss_crown.server.process import end_with_parent
from moss_crown.server.settings import Settings

if __name__ == "__main__":
    parent = os.environ.get("MOSS_CROWN_SUPERVISOR")
    if parent:
        end_with_parent(int(parent))
    configure_logs()
    settings = Settings()
    uvicorn.run(
        create_app(settings),
        host=settings.host,
        port=int(sys.argv[1]) if len(sys.argv) > 1 else settings.port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=5,
    )
