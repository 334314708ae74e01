"""./crown: start, test, render, export, bench, farm, kernels, help. (`crown` itself only makes the environment.)"""

from __future__ import annotations

import fcntl
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from moss_crown.core.errors import TitleError

if TYPE_CHECKING:
    from moss_crown.server.db.cluster import Cluster

ROOT = Path(__file__).resolve().parents[2]
HOME = Path(os.environ.get("MOSS_CROWN_HOME", ROOT / ".moss-crown"))
PEM = "file in PEM: "
app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Moss Crown: title lettering, moved letter by letter and rendered for an edit. "
    "Also: ./crown test runs every check, ./crown bench prints measured figures.",
)


@app.command()
def start(
    port: Annotated[int, typer.Option(help="port on 127.0.0.1")] = 8720,
    prepare_only: Annotated[bool, typer.Option(help="set everything up, then end")] = False,
) -> None:
    """Make and start the database, load the demo once, start the server; print its address when the page answers."""
    from moss_crown.demo.load import load_demo
    from moss_crown.server import logs
    from moss_crown.server import user as users
    from moss_crown.server.db import cluster as clusters
    from moss_crown.server.db.migrate import migrate

    with socket.socket() as probe:
        if not prepare_only and probe.connect_ex(("127.0.0.1", port)) == 0:
            typer.echo(f"moss crown: port {port} is taken; choose another with --port", err=True)
            raise typer.Exit(1)
    HOME.mkdir(parents=True, exist_ok=True)
    HOME.chmod(0o700)
    with _failing():
        cluster = clusters.ensure(HOME)
        migrate(cluster.url())
        load_demo(cluster.url())
    kernels()
    with _failing():
        runner = users.runner_for(HOME, ROOT)
    if prepare_only:
        clusters.stop(cluster)
        return
    environment = runner.environ() | {
        "MOSS_CROWN_DATABASE": cluster.url(),
        "MOSS_CROWN_SUPERVISOR": str(os.getpid()),
    }
    log = HOME / "server.log"

    def begin() -> subprocess.Popen[bytes]:
        command = [*runner.command, sys.executable, "-m", "moss_crown.server", str(port)]
        with logs.open_log(log) as said:
            return subprocess.Popen(command, cwd=ROOT, env=environment, stderr=said, start_new_session=True)

    server = begin()
    stopped = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stopped.set())
    announced = False
    try:
        while not stopped.is_set():
            if server.poll() is not None:
                typer.echo(f"moss crown: the server ended (code {server.returncode}); see {log}", err=True)
                if not announced:
                    raise typer.Exit(1)
                server = begin()
            if not announced and _answers(port):
                announced = True
                typer.echo(f"Moss Crown is ready: http://127.0.0.1:{port}/", color=True)
            logs.rotate(log)
            if not clusters.running(cluster):
                typer.echo("moss crown: the database ended and is started again", err=True)
                clusters.start(cluster)
            for _ in range(5 if announced else 1):
                if stopped.wait(0.2) or server.poll() is not None:
                    break
    finally:
        typer.echo("stopping")
        server.terminate()
        try:
            server.wait(15)
        except subprocess.TimeoutExpired:
            server.kill()
        clusters.stop(cluster)


@contextmanager
def _failing() -> Iterator[None]:
    """What set-up may fail with, said in a line."""
    from moss_crown.server.db.backup import BackupFailed
    from moss_crown.server.db.cluster import ClusterFailed
    from moss_crown.server.user import UserFailed

    try:
        yield
    except (ClusterFailed, UserFailed, BackupFailed) as failed:
        typer.echo(f"moss crown: {failed}", err=True)
        raise typer.Exit(1) from None


@app.command()
def backup(
    out: Annotated[Path, typer.Argument(help="the file to write")],
    takes: Annotated[bool, typer.Option(help="with the frames and movies of takes, which are most of it")] = True,
) -> None:
    """Write all that is kept to one file: productions, shots with their history, fonts, pictures, looks, takes."""
    from moss_crown.server.db.backup import back_up

    with _failing(), _database() as cluster:
        back_up(cluster, out, takes)
    typer.echo(f"{out}: {out.stat().st_size:,} bytes")


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    sure: Annotated[bool, typer.Option("--sure", help="do not ask")] = False,
) -> None:
    """Put a file that `backup` wrote in the place of all that is kept."""
    from moss_crown.server.db.backup import restore as take_back

    if not sure:
        typer.confirm("All that is kept now will be replaced. Go on?", abort=True)
    with _failing(), _database() as cluster:
        take_back(cluster, file)
    typer.echo("restored")


@contextmanager
def _database() -> Iterator[Cluster]:
    """The database, started for this alone when it does not run."""
    from moss_crown.server.db import cluster as clusters

    ran = clusters.is_up(HOME)
    cluster = clusters.ensure(HOME)
    try:
        yield cluster
    finally:
        if not ran:
            clusters.stop(cluster)


def _answers(port: int) -> bool:
    """Does the page itself answer, and is the server ready to work?"""
    from urllib.error import URLError
    from urllib.request import urlopen

    try:
        with (
            urlopen(f"http://127.0.0.1:{port}/", timeout=2) as page,
            urlopen(f"http://127.0.0.1:{port}/api/ready", timeout=5) as ready,
        ):
            return page.status == 200 and ready.status == 200
    except (URLError, OSError):
        return False


@app.command()
def kernels() -> None:
    """Compile what the renderer needs and is not compiled yet, or wait for whoever does so already."""
    HOME.mkdir(parents=True, exist_ok=True)
    stamp = HOME / "kernels-ready"
    newest = max(path.stat().st_mtime for path in (ROOT / "src").rglob("*.py"))
    with (HOME / "kernels.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if stamp.exists() and stamp.stat().st_mtime > newest:
            return
        typer.echo("preparing the renderer (once, half a minute) ...")
        begun = time.monotonic()
        # What looks for garbage would go through all that a compiler keeps, again and again; so would a tidy end.
        begin, end = "import gc, os; gc.disable(); from moss_crown.", "; os._exit(0)"
        paths = "core.render.ready import ready_paths; ready_paths()"
        motion = "; from moss_crown.core.motion.ready import ready_motion; ready_motion()"
        halves = (begin + paths + motion + end, begin + "server.jobs import warm_half; warm_half()" + end)
        running = [subprocess.Popen([sys.executable, "-c", half]) for half in halves]
        if any([process.wait() for process in running]):
            raise typer.Exit(1)
        stamp.touch()
        typer.echo(f"prepared in {time.monotonic() - begun:.0f} s")


def _read(path: Path):  # type: ignore[no-untyped-def]
    from moss_crown.core.assets import check_assets
    from moss_crown.core.document.door import read_shot_json

    shot = read_shot_json(path.read_bytes())
    check_assets(shot)
    return shot


def _frames(text: str, first: int, last: int) -> range:
    """ "0:48" is 0 to 48, both included; "12" is one frame; empty is all."""
    if not text:
        return range(first, last + 1)
    low, _, high = text.partition(":")
    try:
        return range(int(low), int(high or low) + 1)
    except ValueError:
        raise typer.BadParameter("frames are a number or FIRST:LAST") from None


@app.command()
def render(
    shot_file: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    out: Annotated[Path, typer.Option(help="folder for the frames and the movie")],
    frames: Annotated[str, typer.Option(help="FIRST:LAST, both included; empty for all")] = "",
    width: Annotated[int, typer.Option(min=0, help="0 takes the shot's")] = 0,
    height: Annotated[int, typer.Option(min=0, help="0 takes the shot's")] = 0,
    samples: Annotated[int, typer.Option(min=1, max=4096)] = 16,
    noise: Annotated[float, typer.Option(min=0, max=1, help="stop earlier where there is less; 0: nowhere")] = 0.0,
    alpha: Annotated[bool, typer.Option(help="letters only, with alpha; no movie")] = False,
    blur: Annotated[bool, typer.Option(help="motion blur")] = True,
    layers: Annotated[bool, typer.Option(help="beside each frame an OpenEXR file with all of its layers")] = False,
    dask: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK", help="a Dask scheduler, tls://HOST:PORT")] = "",
    authority: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_AUTHORITY", help=PEM + "the authority")] = "",
    certificate: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_CERTIFICATE", help=PEM + "one's own")] = "",
    key: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_KEY", help=PEM + "its key")] = "",
) -> None:
    """Render frames of a shot file to PNG, and to a movie. Frames that are there already are kept."""
    from moss_crown.core.document.door import write_shot
    from moss_crown.core.formats.movie import write_mp4
    from moss_crown.core.formats.png import read_png
    from moss_crown.farm.credentials import Credentials
    from moss_crown.farm.crew import Crew
    from moss_crown.farm.orders import TakeOrders, working_order

    shot = _read(shot_file)
    wanted = _frames(frames, shot.first, shot.last)
    orders = TakeOrders(
        first=wanted.start,
        last=wanted.stop - 1,
        width=width or shot.width,
        height=height or shot.height,
        samples=samples,
        noise=noise,
        alpha=alpha,
        motion_blur=blur,
        layers=layers,
    )
    orders.check(shot.first, shot.last)
    out.mkdir(parents=True, exist_ok=True)
    path = {frame: out / f"frame.{frame:05d}.png" for frame in wanted}
    waiting = working_order(wanted, {frame for frame in wanted if path[frame].exists()})
    document = write_shot(shot)
    with Crew(dask, Credentials(authority, certificate, key)) as crew:
        running = {crew.submit(document, frame, orders.frame_order(shot.pixel_shape)): frame for frame in waiting}
        while running:
            for frame, result in crew.finished(running, 1.0):
                if isinstance(result, Exception):
                    raise result
                if result.layers is not None:
                    path[frame].with_suffix(".exr").write_bytes(result.layers)
                partial = path[frame].with_suffix(".part")
                partial.write_bytes(result.picture)
                partial.replace(path[frame])
                typer.echo(f"frame {frame}: {result.seconds:.1f} s, {len(running)} left")
    if not alpha:
        movie = out / "movie.mp4"
        pictures = (read_png(path[f].read_bytes()) for f in wanted)
        movie.write_bytes(write_mp4(pictures, shot.fps.fraction, shot.pixel_shape))
        typer.echo(f"{movie}: {len(wanted)} frames")


@app.command()
def export(
    shot_file: Annotated[Path, typer.Argument(exists=True, dir_okay=False)],
    out: Annotated[Path, typer.Option("--out", help="the file to write")],
    format: Annotated[Literal["json", "glb", "usd", "obj", "stl", "exr"], typer.Option()] = "glb",
    frame: Annotated[float, typer.Option()] = 0,
    edge: Annotated[
        float | None,
        typer.Option(min=0.005, max=10, help="even triangles with edges of so many metres"),
    ] = None,
    samples: Annotated[int, typer.Option(min=1, max=4096, help="for OpenEXR")] = 16,
) -> None:
    """Write a shot as JSON (of the present version), its letters at a frame as glTF, USD, OBJ or STL, or a frame with
    all of its layers as OpenEXR."""
    import json

    from moss_crown.core.document.door import write_shot
    from moss_crown.core.evaluation.evaluation import Evaluation
    from moss_crown.core.order import FrameOrder
    from moss_crown.core.picture import export_exr, export_model

    shot = _read(shot_file)
    if format == "json":
        out.write_text(json.dumps(write_shot(shot), indent=1, ensure_ascii=False))
    elif format == "exr":
        order = FrameOrder(shot.width, shot.height, samples, threads=2, pixel_shape=shot.pixel_shape)
        out.write_bytes(export_exr(Evaluation(shot), round(frame), order))
    else:
        out.write_bytes(export_model(Evaluation(shot), frame, format, edge))
    typer.echo(f"{out}: {out.stat().st_size:,} bytes")


@app.command()
def farm(
    scheduler: Annotated[str, typer.Argument(help="tls://HOST:PORT of a Dask scheduler")],
    authority: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_AUTHORITY", help=PEM + "the authority")] = "",
    certificate: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_CERTIFICATE", help=PEM + "one's own")] = "",
    key: Annotated[str, typer.Option(envvar="MOSS_CROWN_DASK_KEY", help=PEM + "its key")] = "",
    processes: Annotated[int, typer.Option(min=1)] = 2,
) -> None:
    """Lend this machine to a Dask cluster: start workers that render frames for it. By TLS alone: whoever reached a
    worker without would run code as its user."""
    from moss_crown.farm.credentials import Credentials

    command = [
        sys.executable,
        "-m",
        "distributed.cli.dask_worker",
        scheduler,
        "--nthreads",
        "1",
        "--nworkers",
        str(processes),
        "--no-dashboard",
        "--tls-ca-file",
        authority,
        "--tls-cert",
        certificate,
        "--tls-key",
        key,
    ]
    Credentials(authority, certificate, key).check(scheduler)
    quiet = {"DASK_DISTRIBUTED__COMM__REQUIRE_ENCRYPTION": "True", "DASK_DISTRIBUTED__WORKER__HTTP__ROUTES": "[]"}
    raise typer.Exit(subprocess.run(command, check=False, env=os.environ | quiet).returncode)


@app.command("openapi")
def openapi(out: Annotated[Path, typer.Argument()]) -> None:
    """Write the API's description, from which the front end's types are generated."""
    import json

    from moss_crown.server.app import create_app

    out.write_text(json.dumps(create_app().openapi(), indent=1))


@app.command("facts")
def facts(out: Annotated[Path, typer.Argument()]) -> None:
    """Write what is true of every kind of step, and the columns of a draft's tables, for the front end."""
    import json

    from moss_crown.core.draft.facts import facts as found

    out.write_text(json.dumps(found(), indent=2) + "\n")


@app.command(hidden=True)
def deformers(out: Annotated[Path, typer.Argument()]) -> None:
    """Write what bends letters as a script, for the front end."""
    from moss_crown.core.deform.source import script

    out.write_text(script())


def main() -> None:
    try:
        app()
    except TitleError as wrong:
        facts = wrong.facts()
        typer.echo(f"moss crown: {facts['detail']}" + (f" ({facts['bound']})" if facts["bound"] else ""), err=True)
        sys.exit(2)


if __name__ == "__main__":
    main()
