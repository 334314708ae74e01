"""A Dask cluster by its address renders the same bits as this process, and is talked to by TLS alone. Nobody else gets
into the local one."""

import os
import sys
from pathlib import Path

import numpy as np
import psutil
import pytest
from distributed import Client, LocalCluster, Security

sys.path.insert(0, str(Path(__file__).parent))

from certificates import issued

from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import write_shot
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.formats.png import read_png
from moss_crown.core.order import FrameOrder
from moss_crown.core.picture import render_picture
from moss_crown.farm.credentials import Credentials, CrewUnsafe
from moss_crown.farm.crew import Crew, Rendered, _security


@pytest.fixture(scope="module")
def ours(tmp_path_factory):
    return issued(tmp_path_factory.mktemp("pem"), "ours")


@pytest.fixture(scope="module")
def cluster(ours):
    security = _security(ours)
    quiet = {"dashboard": False, "dashboard_address": "127.0.0.1:0"}
    with LocalCluster(
        n_workers=1, threads_per_worker=1, host="127.0.0.1", security=security, scheduler_kwargs=quiet
    ) as made:
        yield made


def test_frames_from_a_cluster_are_those_of_this_process(cluster, ours):
    shot, order = new_shot(text="TIDE"), FrameOrder(64, 36, 2)
    with Crew(cluster.scheduler_address, ours) as crew:
        assert crew.width == 1
        running = {crew.submit(write_shot(shot), frame, order): frame for frame in (3, 40)}
        found = {}
        while running:
            for frame, result in crew.finished(running, 60):
                assert isinstance(result, Rendered), result
                found[frame] = read_png(result.picture)
    for frame in (3, 40):
        assert np.array_equal(found[frame], render_picture(Evaluation(shot), frame, order).pixels())


def test_a_cluster_elsewhere_is_not_talked_to_without_certificates(cluster, ours, tmp_path):
    with pytest.raises(CrewUnsafe) as refused:
        Crew("tcp://127.0.0.1:8786", ours)
    assert refused.value.field == "dask"
    with pytest.raises(CrewUnsafe) as refused:
        Crew(cluster.scheduler_address, Credentials(ours.authority, ours.certificate, ""))
    assert refused.value.field == "dask_key"
    with pytest.raises(CrewUnsafe) as refused:
        Crew(cluster.scheduler_address, Credentials(ours.authority, str(tmp_path / "nothing.pem"), ours.key))
    assert refused.value.field == "dask_certificate"


def test_a_certificate_of_another_authority_opens_nothing(cluster, tmp_path):
    with pytest.raises((OSError, TimeoutError)):
        Client(cluster.scheduler_address, security=_security(issued(tmp_path, "theirs")), timeout=3)


def test_nobody_else_gets_into_the_local_crew(tmp_path):
    """Every port that the crew listens at refuses who has no certificate or another one, and none answers HTTP."""
    others = _listening()
    with Crew() as crew:
        address = crew._client.scheduler_info()["address"]
        assert address.startswith("tls://127.0.0.1:")
        for stranger in (None, Security.temporary(), _security(issued(tmp_path, "theirs"))):
            with pytest.raises((OSError, TimeoutError)):
                plain = address if stranger else address.replace("tls://", "tcp://")
                Client(plain, security=stranger, timeout=2).submit(os.getuid).result(5)
        own = _listening() - others
        assert own
        for ip, port in own:
            assert ip == "127.0.0.1"
            assert not _answers_http(port)
        assert crew.width == 2, "and it works on"


def _listening():
    processes = [psutil.Process(), *psutil.Process().children(recursive=True)]
    found = [c for p in processes for c in p.net_connections("tcp") if c.status == psutil.CONN_LISTEN]
    return {(c.laddr.ip, c.laddr.port) for c in found}


def _answers_http(port):
    import httpx

    try:
        return httpx.get(f"http://127.0.0.1:{port}/info/main/workers.html", timeout=3).status_code == 200
    except httpx.HTTPError:
        return False
