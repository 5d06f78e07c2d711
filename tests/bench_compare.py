"""The Compare step's part of `make bench`: scopes, live pictures in a browser, and what they take."""

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median
from urllib.parse import urlencode

import numpy as np
from playwright.sync_api import Page, ViewportSize, sync_playwright

from saltwort.core.images import write_image
from saltwort.core.views.scopes import KINDS, on_stops, scope
from tests.api.test_serve import free_port
from tests.bench_shared import Row, seconds, started, stop
from tests.browser.chromium import LAUNCH
from tests.samples import light

ROUNDS = 5
STEPS = 12
PANES = 4
UNTONED = {"display": "sRGB - Display", "view": "Un-tone-mapped", "look": ""}

DRAWN = "[aria-label='Pane 1'] canvas[data-drawn]"
# From the key to the frame after the one that the picture was drawn in. A read of one pixel waits for the drawing.
EXPOSED = """async () => {
    const canvas = document.querySelector("[aria-label='Pane 1'] canvas");
    const before = canvas.dataset.drawn;
    const start = performance.now();
    const key = { key: ']', code: 'BracketRight', bubbles: true };
    document.documentElement.dispatchEvent(new KeyboardEvent('keydown', key));
    while (canvas.dataset.drawn === before && performance.now() - start < 5000)
        await new Promise((next) => setTimeout(next, 0));
    const read = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true });
    read.drawImage(canvas, 0, 0, 1, 1);
    read.getImageData(0, 0, 1, 1);
    return performance.now() - start;
}"""
VIEWPORT: ViewportSize = {"width": 1280, "height": 800}
SERVED = """async (address) => {
    const start = performance.now();
    const image = new Image();
    image.src = address;
    await image.decode();
    return performance.now() - start;
}"""


def scopes_of_1080p() -> Row:
    """The slowest scope of a whole picture of 1080p, of light, with its place on stops."""
    pixels = light(1080, 1920, peak=12.0)
    taken = max(min(seconds(lambda k=kind: scope(k, on_stops(pixels))) for _ in range(ROUNDS)) for kind in KINDS)
    return Row("the slowest scope of 1920 × 1080", f"{taken * 1000:.0f} ms", "under 100 ms", taken < 0.1)


def live_pictures() -> Iterator[Row]:
    port = free_port()
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        process = started(folder, port)
        address = f"http://127.0.0.1:{port}"
        browser = playwright.chromium.launch(**LAUNCH)
        page = browser.new_page(viewport=VIEWPORT)
        try:
            _wait_for_jobs(page, address)
            renders = {name: _brought(page, address, folder, name, size) for name, size in SIZES.items()}
            yield _first_picture(page, address, renders["hd.exr"])
            yield _exposed(page, address, renders["hd.exr"])
            yield _farthest(page, address)
            browser.close()
            browser = playwright.chromium.launch(**LAUNCH)  # what the pages before hold is not measured with it
            yield _memory(browser.new_page(viewport=VIEWPORT), address, renders["uhd.exr"])
        finally:
            browser.close()
            stop(process)


def _wait_for_jobs(page: Page, address: str) -> None:
    """Until the jobs that the demo project begins with are done: they take the processors that are measured here."""
    while any(
        job["state"] in ("queued", "running")
        for job in page.request.get(f"{address}/api/v1/projects/lantern-quay/jobs").json()
    ):
        time.sleep(0.5)


SIZES = {"hd.exr": (1080, 1920), "uhd.exr": (2160, 3840)}


def _brought(page: Page, address: str, folder: str, name: str, size: tuple[int, int]) -> int:
    file = Path(folder) / name
    pixels = np.tile(light(size[0] // 4, size[1] // 4, peak=12.0), (4, 4, 1))
    write_image(file, pixels, "half", {})
    answer = page.request.post(
        f"{address}/api/v1/projects/lantern-quay/renders",
        multipart={"file": {"name": name, "mimeType": "image/x-exr", "buffer": file.read_bytes()}},
    )
    found: int = answer.json()["id"]
    return found


def _open(page: Page, address: str, render: int) -> None:
    page.goto(f"{address}/p/lantern-quay/compare?render={render}")
    page.locator(DRAWN).wait_for()


def _first_picture(page: Page, address: str, render: int) -> Row:
    """From choosing a render that nobody has looked at to its picture, and the same with the page to be loaded before
    it."""
    _show(page, address, [UNTONED])
    page.goto(f"{address}/p/lantern-quay/compare", wait_until="networkidle")
    page.get_by_role("combobox", name="Render").or_(page.get_by_role("textbox", name="Render")).first.click()

    def chosen() -> None:
        page.get_by_role("option", name="hd.exr", exact=True).click()
        page.locator("[aria-label='Pane 1'] canvas[aria-label^='hd.exr'][data-pixels='1920 × 1080']").wait_for()

    taken = seconds(chosen)
    page.goto(f"{address}/p/lantern-quay/outputs", wait_until="networkidle")
    loaded = seconds(lambda: _open(page, address, render))
    measured = f"{taken:.2f} s, {loaded:.2f} s with the page loaded first"
    return Row("first picture of an EXR of 1920 × 1080", measured, "under 1.5 s", taken < 1.5)


def _exposed(page: Page, address: str, render: int) -> Row:
    _show(page, address, [UNTONED])
    _open(page, address, render)
    page.wait_for_load_state("networkidle")
    live = median(page.evaluate(EXPOSED) for _ in range(STEPS))
    shown = page.locator("[aria-label='Pane 1'] canvas").evaluate("canvas => canvas.width")
    query = f"{urlencode(UNTONED)}&size={shown}"
    picture = f"{address}/api/v1/projects/lantern-quay/renders/{render}/picture?{query}"
    served = median(page.evaluate(SERVED, f"{picture}&exposure={step / 10}") for step in range(STEPS))
    ratio = served / live
    measured = f"{live:.0f} ms drawn by the processor, {ratio:.1f} times as fast as the server's {served:.0f} ms"
    goal = "half as fast as the server at least, with no graphics card"
    return Row("exposure moved to the drawn frame", measured, goal, ratio >= 0.5)


def _farthest(page: Page, address: str) -> Row:
    """The largest difference of the browser's program to the engine, on the proof colours, over all views."""
    config = page.request.get(f"{address}/api/v1/projects/lantern-quay/config").json()
    worst = {"SDR": (0.0, "no view"), "HDR": (0.0, "no view")}
    for display in config["displays"]:
        for view in display["views"]:
            pane = {"display": display["name"], "view": view, "look": ""}
            _show(page, address, [pane])
            page.goto(f"{address}/p/lantern-quay/compare")
            said = page.get_by_role("status").filter(has_text="largest difference").locator(".mono")
            found = (float(said.inner_text()), f"{view} on {display['name']}")
            light = page.request.get(f"{address}/api/v1/projects/lantern-quay/program?{urlencode(pane)}").json()[
                "light"
            ]
            sort = "HDR" if light == "hdr" else "SDR"
            worst[sort] = max(worst[sort], found)
    measured = "; ".join(f"{sort} {difference:.3f} of 255, {where}" for sort, (difference, where) in worst.items())
    return Row("live pictures to the engine, all views", measured, "under 1 of 255 in SDR", worst["SDR"][0] < 1)


def _show(page: Page, address: str, panes: list[dict[str, str]]) -> None:
    path = f"{address}/api/v1/projects/lantern-quay/comparison"
    comparison = page.request.get(path).json()
    page.request.put(path, data={**comparison, "panes": panes, "exposure": 0.0, "based_on": comparison["version"]})


def _memory(page: Page, address: str, render: int) -> Row:
    """What all processes of the browser take more with a picture of 4k in four panes than with the step alone."""
    _show(page, address, [UNTONED] * PANES)
    page.goto(f"{address}/p/lantern-quay/outputs", wait_until="networkidle")
    before = _browser_memory()
    _open(page, address, render)
    page.wait_for_load_state("networkidle")
    for _ in range(STEPS):
        page.evaluate(EXPOSED)
    taken = _browser_memory() - before
    return Row("browser's memory for 3840 × 2160 in four panes", f"{taken:.0f} MB", "under 700 MB", taken < 700)


def _browser_memory() -> float:
    """MB that the browser's processes hold, what they share counted once (proportional set size, Linux)."""
    total = 0
    for process in Path("/proc").iterdir():
        try:
            if b"chromium" in (process / "cmdline").read_bytes():
                rollup = (process / "smaps_rollup").read_text()
                total += int(rollup.partition("Pss:")[2].split()[0])
        except OSError:
            continue  # no process, or one that has ended
    return total / 1024


def rows() -> Iterator[Row]:
    yield scopes_of_1080p()
    yield from live_pictures()


if __name__ == "__main__":
    for row in rows():
        print(f"{'met ' if row.met else 'MISS'}  {row.what}: {row.measured}  (goal: {row.goal})", flush=True)
