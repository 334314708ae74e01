"""The web server: `python -m moss_crown.server PORT`."""

from __future__ import annotations

import os
import sys

from moss_crown.server.pool import Pool
from moss_crown.server.process import end_with_parent, loading
from moss_crown.server.settings import Settings


def main() -> None:
    parent = os.environ.get("MOSS_CROWN_SUPERVISOR")
    if parent:
        end_with_parent(int(parent))
    settings = Settings()
    pool = Pool(settings.job_seconds, settings.job_bytes)
    # The compute process loads while this one does. Its imports stay below: a spawned process reads this file too.
    pool.draft.begin(1)
    with loading():
        import uvicorn

        from moss_crown.server.app import configure_logs, create_app

        configure_logs()
        application = create_app(settings, pool)
    uvicorn.run(
        application,
        host=settings.host,
        port=int(sys.argv[1]) if len(sys.argv) > 1 else settings.port,
        log_level="warning",
        access_log=False,
        ws_per_message_deflate=False,  # poses hardly shrink, and it costs more than the loopback does
        timeout_graceful_shutdown=5,
    )


if __name__ == "__main__":
    main()
