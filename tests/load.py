"""`make load`: the show of 100,000 textures, and how long everything takes with it. SALTWORT_LOAD sets another number.

Files are small and made up, in a folder of their own that is deleted at the end. The figures are seconds on this
machine, alone; those that are ratios are held by `make bench`.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from PIL import Image

from saltwort.core.images.intake import take_in
from tests.api.test_serve import free_port

FILES = int(os.environ.get("SALTWORT_LOAD", "100000"))
KINDS = ("basecolor", "roughness", "normal", "metalness", "height", "ao", "emission", "spec")
ASSETS = ("lamp", "quay", "rope", "wall", "boat")
SIDE = 64
CLIENTS = 50
ASKED_EACH = 12
WRITE_EACH = 50


def main() -> None:
    with loaded(FILES) as (server, show, _):
        measure(server, show)


@contextmanager
def loaded(files: int) -> Iterator[tuple["Server", Path, float]]:
    """A server with the show in a project, the folder of the show, and how many times as long as decoding its files
    taking them in took."""
    with tempfile.TemporaryDirectory() as folder:
        show, var = Path(folder) / "show", Path(folder) / "var"
        _timed("make the files", lambda: make_show(show, files))
        decoding = _timed("decode and measure them, nothing else", lambda: decode(show, Path(folder) / "store"))
        server = Server(var, Path(folder))
        try:

            def intake() -> None:
                server.of("/texture-folders", place=str(show))
                server.idle()

            ratio = _timed("intake, from beginning to end", intake) / decoding
            print(f"  {ratio:.2f} × decoding (goal 1.3)")
            yield server, show, ratio
        finally:
            server.stop()


def make_show(folder: Path, files: int) -> None:
    """Texture sets of eight maps in four tiles, each file with pixels of its own."""
    chance = np.random.default_rng(13)
    grain = chance.integers(0, 255, (1024, 1024, 3), np.uint8)
    for number in range(files):
        asset, (kind, tile) = number // 32, divmod(number % 32, 4)
        name = f"{ASSETS[asset % 5]}_{asset // 5:04}"
        place = folder / name / f"{name}_{KINDS[kind]}.{1001 + tile}.png"
        place.parent.mkdir(parents=True, exist_ok=True)
        x, y = chance.integers(0, 1024 - SIDE, 2)
        pixels = grain[y : y + SIDE, x : x + SIDE].copy()
        pixels[0, 0] = number % 256, number // 256 % 256, number // 65536
        Image.fromarray(pixels).save(place, compress_level=1)


def decode(show: Path, store: Path) -> None:
    def one(file: Path) -> None:
        take_in(file, file.name, store, copy=False)

    with ThreadPoolExecutor(2 * (os.cpu_count() or 1)) as pool:
        list(pool.map(one, show.rglob("*.png")))


class Server:
    """Saltwort as its user starts it, with a project for the show."""

    def __init__(self, var: Path, readable: Path) -> None:
        self.port = free_port()
        self.environment = {**os.environ, "SALTWORT_VAR": str(var), "SALTWORT_FOLDERS": str(readable)}
        self.process = subprocess.Popen(
            [sys.executable, "manage.py", "serve", "--port", str(self.port)],
            cwd=settings.BASE_DIR,
            env=self.environment,
            stdout=subprocess.DEVNULL,
        )
        for _ in range(600):
            try:
                self.ask("/api/v1/projects")
                break
            except OSError:
                time.sleep(0.2)
        self.idle("lantern-quay")  # what the demo has under way
        self.ask("/api/v1/projects", name="Load")

    def ask(self, path: str, method: str = "", **data: Any) -> Any:
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}",
            json.dumps(data).encode() if data or method else None,
            {"Content-Type": "application/json"},
            method=method or ("POST" if data else "GET"),
        )
        with urllib.request.urlopen(request, timeout=900) as answer:
            self.size = 0
            content = answer.read()
            self.size = len(content)
            is_json = answer.headers["Content-Type"] == "application/json" and content
            return json.loads(content) if is_json else content

    def of(self, path: str, method: str = "", **data: Any) -> Any:
        return self.ask(f"/api/v1/projects/load{path}", method, **data)

    def turn(self, back: str) -> None:
        """Undo or redo what stands next."""
        self.of(f"/{back}", "POST", based_on=self.of("")[back]["id"])

    def idle(self, project: str = "load") -> None:
        """Wait until no job of a project is left."""
        while any(job["state"] in ("queued", "running") for job in self.ask(f"/api/v1/projects/{project}/jobs")):
            time.sleep(0.5)

    def memory(self) -> float:
        status = Path(f"/proc/{self.process.pid}/status").read_text(encoding="utf-8")
        return int(status.split("VmHWM:")[1].split()[0]) / 1e3

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(30)


def measure(server: Server, show: Path) -> None:
    def checked() -> None:
        while server.of("/textures?limit=1")["unchecked"]:
            server.idle()

    _timed("checks that were left", checked)
    for back in ("undo", "redo"):
        _timed(f"{back} of the whole import", lambda back=back: server.turn(back))
    _timed("checks after that", checked)
    _timed("first page of the list (goal 0.5 s, 200 kB)", lambda: server.of("/textures?limit=100"))
    print(f"  {server.size / 1e3:.0f} kB")
    _timed("the last page", lambda: server.of(f"/textures?limit=100&offset={FILES - 100}"))
    for asked in ("kind=normal", "sought=lamp", "finding=any", "reason=default", "set=lamp_0001/lamp_0001"):
        _timed(f"narrowed by {asked} (goal 0.3 s)", lambda asked=asked: server.of(f"/textures?limit=100&{asked}"))
    _timed("what it can be narrowed to", lambda: server.of("/textures/choices"))
    _timed("findings, first page", lambda: server.of("/findings"))
    _timed("findings, counted", lambda: server.of("/findings?limit=1"))
    one = server.of("/textures?limit=1")["textures"][0]

    def pin() -> None:
        server.of(f"/textures/{one['id']}/pin", "PUT", based_on=one["version"], space="ACEScg")
        server.of("/findings?limit=1")

    _timed("a pin, and the findings then (goal 1 s)", pin)
    project = server.of("")
    words = [*project["setup"]["kind_words"], {"word": "patina", "kind": "mask"}]
    rules = [
        {"name": "patina", "kind": "glob", "space": "Raw", "pattern": "*lamp_0001*", "extension": "png"},
        *project["setup"]["rules"],
    ]
    _timed("preview of a rule (goal 3 s)", lambda: server.of("/setup-preview", rules=rules))

    def change(revision: int, **parts: Any) -> None:
        server.of("/setup", based_on=revision, message="load", **parts)
        server.of("/findings?limit=1")

    _timed("a rule is added, and the findings then (goal 1 s)", lambda: change(1, rules=rules))
    _timed("a map word is added, and the findings then (goal 1 s)", lambda: change(2, kind_words=words))
    _timed("manifest", lambda: server.of("/textures/manifest.csv"))
    paths = "\n".join(str(file.relative_to(show)) for file in show.rglob("*.png"))
    command = [sys.executable, "manage.py", "assign", "--project", "load", "-"]
    _timed(
        "assign all paths from the command line (goal 3 s)",
        lambda: subprocess.run(
            command, cwd=settings.BASE_DIR, env=server.environment, input=paths, text=True, stdout=subprocess.DEVNULL
        ),
    )
    crowd(server)
    print(f"most memory of the web process: {server.memory():.0f} MB")


def crowd(server: Server) -> None:
    """Many clients at once: first all read what does not change, then one request in WRITE_EACH is a pin."""
    paths = ("", "/textures?limit=100", "/textures/choices", "/findings?limit=1", "/own-findings", "/config", "/jobs")
    for path in paths:
        server.of(path)
    turns = range(CLIENTS * ASKED_EACH)

    def read(turn: int) -> None:
        server.of(paths[(turn // ASKED_EACH + turn) % len(paths)])

    print(f"{CLIENTS} clients who read: {_quantiles(_crowd(turns, read))} (goal 0.5 s)", flush=True)

    rows = server.of(f"/textures?limit={CLIENTS * ASKED_EACH // WRITE_EACH}")["textures"]

    def write(turn: int) -> None:
        row = rows[turn // WRITE_EACH]
        server.of(f"/textures/{row['id']}/pin", "PUT", based_on=row["version"], space="ACEScg")

    seconds = _crowd(turns, lambda turn: read(turn) if turn % WRITE_EACH else write(turn))
    print(
        f"{CLIENTS} clients of whom some write: the writes {_quantiles(seconds[::WRITE_EACH])} (goal 1 s)", flush=True
    )


def _crowd(turns: Sequence[int], each: Callable[[int], None]) -> list[float]:
    def timed(turn: int) -> float:
        begun = time.monotonic()
        each(turn)
        return time.monotonic() - begun

    with ThreadPoolExecutor(CLIENTS) as pool:
        return list(pool.map(timed, turns))


def _quantiles(seconds: list[float]) -> str:
    p50, p95 = (sorted(seconds)[int(len(seconds) * share)] for share in (0.5, 0.95))
    return f"p50 {p50:.2f} s, p95 {p95:.2f} s"


def _timed(what: str, work: Callable[[], object]) -> float:
    begun = time.monotonic()
    work()
    seconds = time.monotonic() - begun
    print(f"{seconds:8.2f} s  {what}", flush=True)
    return seconds


if __name__ == "__main__":
    main()
