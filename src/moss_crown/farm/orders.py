"""What a take is asked for."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from moss_crown.core import limits
from moss_crown.core.document.values import Model
from moss_crown.core.errors import TitleError
from moss_crown.core.order import FrameOrder

LOCAL_PROCESSES = 2
"""So many frames are rendered at once, unless the crew is elsewhere."""


class TakeEmpty(TitleError):
    code = "take.no_frames"

    def __init__(self, first: int, last: int) -> None:
        super().__init__(first, last)
        self.first, self.last = first, last
        self.field, self.bound = "last", f"at least {first}"

    def __str__(self) -> str:
        return f"last: a take from frame {self.first} to {self.last} has no frames"


class TakeOutside(TitleError):
    code = "take.outside_shot"

    def __init__(self, field: str, frame: int, first: int, last: int) -> None:
        super().__init__(field, frame, first, last)
        self.frame, self.first, self.last = frame, first, last
        self.field, self.bound = field, f"{first} to {last}"

    def __str__(self) -> str:
        return f"{self.field}: frame {self.frame} is outside the shot ({self.first} to {self.last})"


class TakeTooLarge(TitleError):
    """More samples of pixels in all than `limits.TAKE_SAMPLES`: days of work that nobody meant."""

    code = "take.too_large"
    field = "samples"

    def __init__(self, frames: int, width: int, height: int) -> None:
        super().__init__(frames, width, height)
        self.frames, self.width, self.height = frames, width, height
        self.bound = f"at most {limits.TAKE_SAMPLES // (frames * width * height)}"

    def __str__(self) -> str:
        return f"{self.bound} samples a pixel for {self.frames} frames of {self.width} x {self.height}"


class TakeOrders(Model):
    """A range of frames with size and quality: `samples` a pixel, or with `noise` at most so many, fewer where a part
    of the frame has less noise than that share of its light before denoising. `alpha`: letters only, straight alpha;
    then no movie is made. `layers`: each frame also as OpenEXR with all of its passes and mattes."""

    first: Annotated[int, Field(ge=-limits.FRAMES_AWAY, le=limits.FRAMES_AWAY)]
    last: Annotated[int, Field(ge=-limits.FRAMES_AWAY, le=limits.FRAMES_AWAY)]
    width: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)] = 1280
    height: Annotated[int, Field(ge=16, le=limits.SIDE_PIXELS)] = 720
    samples: Annotated[int, Field(ge=1, le=limits.SAMPLES)] = 16
    noise: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0
    motion_blur: bool = True
    alpha: bool = False
    layers: bool = False

    def check(self, first: int, last: int) -> None:
        """Raise TakeEmpty or TakeOutside when the range does not fit a shot of these frames, TakeTooLarge when the
        work is beyond the bound."""
        if self.last < self.first:
            raise TakeEmpty(self.first, self.last)
        for name, frame in (("first", self.first), ("last", self.last)):
            if not first <= frame <= last:
                raise TakeOutside(name, frame, first, last)
        if self.work > limits.TAKE_SAMPLES:
            raise TakeTooLarge(len(self.frames), self.width, self.height)

    @property
    def work(self) -> int:
        """Samples of all pixels of all frames, at most."""
        return len(self.frames) * self.width * self.height * self.samples

    @property
    def frames(self) -> range:
        return range(self.first, self.last + 1)

    def frame_order(self, pixel_shape: float, threads: int = 1) -> FrameOrder:
        return FrameOrder(
            self.width,
            self.height,
            self.samples,
            noise=self.noise,
            motion_blur=self.motion_blur,
            alpha=self.alpha,
            threads=threads,
            layers=self.layers,
            pixel_shape=pixel_shape,
        )


def working_order(frames: range, done: set[int]) -> list[int]:
    """The frames still wanted: first, middle and last come first, since that is where one looks; then in order."""
    wanted = [frame for frame in frames if frame not in done]
    early = [frames[0], frames[len(frames) // 2], frames[-1]]
    ahead = [frame for frame in dict.fromkeys(early) if frame in set(wanted)]
    return ahead + [frame for frame in wanted if frame not in set(ahead)]
