"""./crown bench [letters] [poses] [frame] [running]"""

from __future__ import annotations

import sys

from bench import frame, letters, poses, running

ALL = {"letters": letters.main, "poses": poses.main, "frame": frame.main, "running": running.main}


def main() -> None:
    wanted = sys.argv[1:] or list(ALL)
    for name in wanted:
        if name not in ALL:
            sys.exit(f"no bench {name!r}; there are {', '.join(ALL)}")
        print(f"== {name}")
        ALL[name]()


if __name__ == "__main__":
    main()
