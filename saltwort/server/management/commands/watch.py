"""`watch FOLDER`: look at each frame that lands, and stop a farm at the first that is wrong."""

import json
import signal
import sys
import time
from argparse import ArgumentParser
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event
from typing import Any

from django.conf import settings
from django.core.management.base import CommandParser

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.sequences import FrameRange
from saltwort.server.commands import HeadlessCommand
from saltwort.server.handoffs.explaining import Wanted, render_named
from saltwort.server.handoffs.operations import station_named
from saltwort.server.projects.operations import project_named
from saltwort.server.watching.models import WatchedFolder, WatchedFrame
from saltwort.server.watching.operations import watched_for
from saltwort.server.watching.series import BLOCKED, Seen, jumping_in, seen, series_of
from saltwort.server.watching.summary import as_html
from saltwort.server.watching.watch import Watch

AROUND = 30
"""Frames on either side that are told anew when one lands: their brightness is judged beside it."""
WRONG = 1


class Command(HeadlessCommand):
    help = "Look at each frame that lands in a folder, a JSON line for each, and end with 1 at the first that is wrong."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("folder", type=Path, metavar="FOLDER")
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument(
            "--expect", default="light", metavar="light|DISPLAY/VIEW", help="what the frames hold; light unless said"
        )
        parser.add_argument(
            "--application", "--station", dest="station", metavar="NAME", help="the application that writes them"
        )
        parser.add_argument("--render", metavar="NAME", help="a render of the project that they should show")
        parser.add_argument("--stop-file", type=Path, metavar="PATH", help="written at the first wrong frame")
        parser.add_argument("--every", type=float, default=5.0, metavar="SECONDS", help="between two looks (5)")
        parser.add_argument("--frames", default="", metavar="RANGE", help="end once all of these are in: 1-240")
        parser.add_argument("--once", action="store_true", help="look at what is there, and end")
        parser.add_argument("--keep-going", action="store_true", help="go on after a wrong frame, and end with 1 later")
        parser.add_argument("--summary", type=Path, metavar="FILE", help="where the page goes that sums it up")

    def handle(self, *args: Any, folder: Path, project: str, **options: Any) -> None:
        found = project_named(project)
        stop_file: Path | None = options["stop_file"]
        if stop_file and stop_file.exists():
            raise BadInput(f"{stop_file} is there: repair what it tells, remove it, and start again.")
        if not 0 < options["every"] <= 3600:
            raise BadInput("Look every so many seconds, more than 0 and up to 3600.")
        watched = watched_for(
            found,
            folder,
            Wanted.of(found, options["expect"]),
            station_named(found, options["station"]) if options["station"] else None,
            render_named(found, options["render"]) if options["render"] else None,
        )
        summary = options["summary"] or settings.VAR_DIR / "watch" / f"{found.slug}-{watched.pk}.html"
        try:
            is_wrong = self._watch(watched, FrameRange.read(options["frames"]), options)
        finally:
            summary.parent.mkdir(parents=True, exist_ok=True)
            with replacing(summary) as temporary:
                temporary.write_text(as_html(watched), encoding="utf-8")
            self.say(f"Summary: {summary}")
        if is_wrong:
            sys.exit(WRONG)

    def _watch(self, watched: WatchedFolder, frames: FrameRange, options: dict[str, Any]) -> bool:
        """Whether a frame was wrong."""
        with _told_to_end() as ended:
            return self._look_until(ended, watched, frames, options)

    def _look_until(self, ended: Event, watched: WatchedFolder, frames: FrameRange, options: dict[str, Any]) -> bool:
        watch = Watch(watched, quiet=options["every"])
        told = {frame.name: frame for series in series_of(watched) for frame in series.frames}
        is_wrong = False
        while not ended.is_set():
            started = time.monotonic()
            for row in watch.look():
                for frame in _changed_by(row, told):
                    self._tell(frame, row)
                    if frame.state == BLOCKED:
                        is_wrong = True
                        if not options["keep_going"]:
                            _write_stop_file(options["stop_file"], frame)
                            return True
                if ended.is_set():
                    break
            if (options["once"] and not watch.is_waiting) or _all_in(watched, frames):
                break
            ended.wait(max(0.0, options["every"] - (time.monotonic() - started)))
        return is_wrong

    def _tell(self, frame: Seen, row: WatchedFrame) -> None:
        figures = vars(frame.figures) if frame.figures else {}
        self.stdout.write(
            json.dumps(
                {
                    "frame": frame.number,
                    "file": frame.name,
                    "state": frame.state,
                    "notes": [vars(note) for note in frame.notes],
                    **{name: round(value, 5) for name, value in figures.items()},
                    "revision": row.revision,
                },
                ensure_ascii=False,
            )
        )
        self.stdout.flush()


@contextmanager
def _told_to_end() -> Iterator[Event]:
    """Set once somebody asks it to end: by Ctrl-C, or politely. The frame in hand is told first."""
    ended = Event()
    before = {number: signal.signal(number, lambda *_: ended.set()) for number in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield ended
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _changed_by(row: WatchedFrame, told: dict[str, Seen]) -> list[Seen]:
    """The frame that has landed, and those around it of which something else is to be told now."""
    around = [row]
    if row.number is not None:
        near = row.folder.frames.filter(stem=row.stem, number__range=(max(0, row.number - AROUND), row.number + AROUND))
        around = list(near)
    jumping = jumping_in(around)
    changed = []
    for each in around:
        frame = seen(each, jumping.get(each.pk))
        is_near = abs((each.number or 0) - (row.number or 0)) <= AROUND // 2  # those at the ends lack neighbours here
        if each.pk == row.pk or (is_near and told.get(frame.name) != frame):
            told[frame.name] = frame
            changed.append(frame)
    return changed


def _write_stop_file(path: Path | None, frame: Seen) -> None:
    if path is None:
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    with replacing(path) as temporary:
        temporary.write_text(f"{frame.name}: {' '.join(note.why for note in frame.notes)}\n", encoding="utf-8")


def _all_in(watched: WatchedFolder, frames: FrameRange) -> bool:
    if not frames.parts:
        return False
    there = set(watched.frames.exclude(number=None).values_list("number", flat=True))
    return all(number in there for first, last, step in frames.parts for number in range(first, last + 1, step))
