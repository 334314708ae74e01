"""A Dask cluster by its address renders the same bits as this process."""

import numpy as np
from distributed import LocalCluster

from moss_crown.core.cache import Cache
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import write_shot
from moss_crown.core.formats.png import read_png
from moss_crown.core.picture import FrameOrder, frame_pixels, render_frame
from moss_crown.farm.crew import Crew, Rendered


def test_frames_from_a_cluster_are_those_of_this_process():
    shot, order = new_shot(text="TIDE"), FrameOrder(64, 36, 2)
    with (
        LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address="127.0.0.1:0", host="127.0.0.1") as cluster,
        Crew(cluster.scheduler_address) as crew,
    ):
        assert crew.width == 1
        running = {crew.submit(write_shot(shot), frame, order): frame for frame in (3, 40)}
        found = {}
        while running:
            for frame, result in crew.finished(running, 60):
                assert isinstance(result, Rendered), result
                found[frame] = read_png(result.picture)
    for frame in (3, 40):
        assert np.array_equal(found[frame], frame_pixels(render_frame(shot, frame, order, Cache()), frame, False))
