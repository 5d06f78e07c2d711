"""The page that says how the frames of a folder are, for a browser and without one's scripts."""

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from html import escape
from math import log2
from pathlib import Path

from saltwort.core.explain.frames import Figures
from saltwort.core.images.sequences import runs_of
from saltwort.server.watching.models import WatchedFolder
from saltwort.server.watching.series import BLOCKED, GOOD, Seen, Series, State, series_of

MOST_LISTED = 2_000
WIDTH, HEIGHT = 960, 110
DARKEST = 1e-5
CURVES: tuple[tuple[str, Callable[[Figures], float]], ...] = (
    ("Peak, in stops above 1", lambda figures: log2(max(figures.peak, DARKEST))),
    ("Mean, in stops above 1", lambda figures: log2(max(figures.mean, DARKEST))),
    ("Share that is cut off", lambda figures: figures.clipped),
)
_STYLE = (
    "body{font:15px/1.5 sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#1d1d1d}"
    "table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.25rem .6rem;border-bottom:1px solid #ccc;"
    "vertical-align:top}svg{width:100%;height:auto;background:#f4f4f2}path{fill:none;stroke:#333;stroke-width:1.5}"
    "circle{fill:#fff;stroke:#000;stroke-width:2}"
)


def expected_told(folder: WatchedFolder) -> str:
    """What the frames should be, in words."""
    if folder.expects_light:
        return "light in the working space"
    return f"{folder.view} of {folder.display}" if folder.view else "the project's view"


def as_html(folder: WatchedFolder) -> str:
    """The page, complete in itself."""
    series = series_of(folder)
    name = escape(Path(folder.place).name)
    title = f"{escape(folder.project.name)}: frames of {name}"
    frames = [frame for each in series for frame in each.frames]
    counts: Counter[State] = Counter(frame.state for frame in frames)
    said = (
        f"{len(frames):,} frames looked at: {counts[GOOD]:,} good, {len(frames) - counts[GOOD] - counts[BLOCKED]:,} to "
        f"look at, {counts[BLOCKED]:,} wrong. They should hold {escape(expected_told(folder))}."
    )
    parts = "".join(_series(each) for each in series)
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{title}</title><style>{_STYLE}</style>"
        f"<h1>{title}</h1><p>{said}</p>{parts}</html>"
    )


def _series(series: Series) -> str:
    missing = f"<p>Missing: {runs_of(series.missing)}.</p>" if series.missing else ""
    curves = "".join(_curve(label, value, series.frames) for label, value in CURVES)
    wrong = [frame for frame in series.frames if frame.state != GOOD]
    rows = "".join(_rows(wrong[:MOST_LISTED]))
    more = f"<p>And {len(wrong) - MOST_LISTED:,} more.</p>" if len(wrong) > MOST_LISTED else ""
    table = f"<table><tr><th>Frame<th>State<th>What is wrong{rows}</table>{more}" if wrong else "<p>All are good.</p>"
    return f"<h2>{escape(series.stem)}</h2>{missing}{curves}{table}"


def _rows(frames: Sequence[Seen]) -> Iterator[str]:
    for frame in frames:
        told = "<br>".join(f"{escape(note.why)} <code>{note.code}</code>" for note in frame.notes)
        yield f"<tr><td>{escape(frame.name)}<td>{frame.state}<td>{told}"


def _curve(label: str, value: Callable[[Figures], float], frames: Sequence[Seen]) -> str:
    points = [
        (frame.number, value(frame.figures), frame.state)
        for frame in frames
        if frame.number is not None and frame.figures is not None
    ]
    if len(points) < 2:
        return ""
    numbers, values = [number for number, _, _ in points], [height for _, height, _ in points]
    low, high = min(values), max(values)
    wide, tall = max(1, numbers[-1] - numbers[0]), max(1e-6, high - low)

    def place(number: int, height: float) -> tuple[float, float]:
        return (number - numbers[0]) / wide * (WIDTH - 10) + 5, HEIGHT - 8 - (height - low) / tall * (HEIGHT - 16)

    line = " ".join(
        f"{'M' if at == 0 else 'L'}{x:.1f},{y:.1f}"
        for at, (x, y) in enumerate(place(number, height) for number, height, _ in points)
    )
    marks = "".join(
        f"<circle cx={x:.1f} cy={y:.1f} r=3><title>{number}</title></circle>"
        for number, height, state in points
        if state != GOOD
        for x, y in [place(number, height)]
    )
    return (
        f"<p>{label}: {low:.3g} to {high:.3g}</p>"
        f'<svg viewBox="0 0 {WIDTH} {HEIGHT}" role=img aria-label="{label} over the frames"><path d="{line}"/>{marks}'
        "</svg>"
    )
