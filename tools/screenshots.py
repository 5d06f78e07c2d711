"""Pictures of each main view of the demo project, for the docs. Needs Saltwort running.

.venv/bin/python -m tools.screenshots [--url http://127.0.0.1:8000] [--to docs/screenshots] [VIEW …]
"""

import argparse
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image
from playwright.sync_api import FilePayload, Page, sync_playwright

from tests.browser.chromium import LAUNCH

SIZE = {"width": 1280, "height": 800}


def _probe(page: Page) -> None:
    picture = page.get_by_role("figure", name="Pane 1").locator("canvas, img").first
    picture.wait_for()
    box = picture.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.595, box["y"] + box["height"] * 0.455)
    page.get_by_role("table", name="Probe").wait_for()


def _texture(page: Page) -> None:
    page.get_by_role("row").filter(has_text="enamel_basecolor").dblclick()
    page.get_by_role("heading", level=1).wait_for()
    page.wait_for_load_state("networkidle")
    picture = page.get_by_role("region", name="Picture").get_by_role("figure").locator("img").first
    picture.click(position={"x": 60, "y": 70})
    page.get_by_role("table", name="Probe").wait_for()


def _mistake(page: Page) -> None:
    page.get_by_role("combobox", name="Wrong on purpose").click()
    page.get_by_role("option", name="Texture read as data").click()
    page.get_by_role("img", name="Wrong: Texture read as data").wait_for(timeout=60_000)
    page.get_by_role("table", name="Same colour?").wait_for(timeout=60_000)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(2000)


def _design(page: Page) -> None:
    page.get_by_role("radiogroup", name="How panes stand").get_by_text("Design", exact=True).click()
    page.get_by_role("combobox", name="Start from").or_(page.get_by_role("textbox", name="Start from")).first.click()
    page.get_by_role("option", name="AgX: Slate noon").click()
    page.get_by_role("table", name="Hue shifts").wait_for(timeout=60_000)
    page.get_by_role("region", name="Checks of the design").wait_for()


def _pick(page: Page, label: str, option: str) -> None:
    field = page.get_by_role("combobox", name=label, exact=True)
    field.or_(page.get_by_role("textbox", name=label, exact=True)).first.click()
    page.get_by_role("option", name=option).first.click()


def _sequence(page: Page) -> None:
    _pick(page, "Render", "lamp_flicker.####.exr")
    _pick(page, "Frames", "all")
    page.get_by_role("button", name="New output").click()
    page.get_by_text("could not be made").wait_for(timeout=60_000)
    page.get_by_role("status").filter(has_text="22 of 22 loaded").wait_for(timeout=60_000)
    page.locator(".mantine-Notification-closeButton").first.click()


def _hdr(page: Page) -> None:
    _pick(page, "Display", "Rec.2100-PQ")
    page.get_by_role("table", name="Light of the picture").wait_for(timeout=60_000)
    page.get_by_alt_text("Bands of brightness").wait_for(timeout=60_000)
    page.locator(".mantine-Notification-closeButton").first.click()


def _test_card(page: Page) -> None:
    page.get_by_role("region", name="Chain").get_by_role("button", name="Grading suite failed").click()
    _tab("Test card")(page)
    page.get_by_text("Otherwise than agreed").wait_for()
    page.wait_for_load_state("networkidle")


def _simulation(page: Page) -> None:
    _tab("Simulation")(page)
    _pick(page, "What is set wrong in the renderer", "The view written into the file")
    page.get_by_text("hands it on wrong").wait_for()
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(2000)


def _explain(page: Page) -> None:
    """The quay as its project shows it, with a gamma besides."""
    page.get_by_role("region", name="Chain").get_by_role("button", name="Compositor proved").click()
    _tab("Explain")(page)
    base = page.url.partition("/p/")[0]
    renders = page.request.get(f"{base}/api/v1/projects/lantern-quay/renders").json()
    quay = next(render["id"] for render in renders if render["name"] == "lantern_quay_dusk.exr")
    seen = page.request.get(f"{base}/api/v1/projects/lantern-quay/renders/{quay}/picture?size=960").body()
    codes = np.asarray(Image.open(BytesIO(seen)).convert("RGB"), np.float32) / 255
    washed = BytesIO()
    Image.fromarray((codes ** (1 / 2.2) * 255 + 0.5).astype(np.uint8)).save(washed, "PNG")
    file = FilePayload(name="came_back_pale.png", mimeType="image/png", buffer=washed.getvalue())
    page.locator('input[type="file"][accept*=".avif"]').set_input_files(file)
    page.get_by_text("Looking at it").wait_for()
    page.get_by_text("Looking at it").wait_for(state="hidden", timeout=90_000)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(1500)


def _night(page: Page) -> None:
    _tab("Night watch")(page)
    page.get_by_role("button", name="1012").click()
    page.get_by_alt_text("quay_night.1012.exr").wait_for()


def _migrate(page: Page) -> None:
    page.get_by_role("button", name="Preview").click()
    page.get_by_role("heading", name="Preview, nothing is written").wait_for(timeout=60_000)
    page.get_by_alt_text("The materials, difference").wait_for()
    page.reload(wait_until="networkidle")  # without what was told of the job
    page.get_by_alt_text("The materials, difference").wait_for()


def _tab(name: str) -> Callable[[Page], None]:
    return lambda page: page.get_by_role("radiogroup").get_by_text(name, exact=True).click()


VIEWS: dict[str, tuple[str, Callable[[Page], None] | None]] = {
    "projects": ("/?all", None),
    "config": ("config", None),
    "textures": ("textures", None),
    "texture": ("textures", _texture),
    "scene": ("scene", None),
    "rig": ("scene?part=rig", _mistake),
    "next": ("", None),
    "start": ("/new", None),
    "compare": ("compare", _probe),
    "design": ("compare", _design),
    "handoffs": ("handoffs", None),
    "test-card": ("handoffs", _test_card),
    "simulation": ("handoffs", _simulation),
    "explain": ("handoffs", _explain),
    "night-watch": ("handoffs", _night),
    "migrate": ("scene?part=migrate", _migrate),
    "outputs": ("outputs", _sequence),
    "hdr": ("outputs", _hdr),
    "findings": ("textures", lambda page: page.keyboard.press("f")),
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("views", nargs="*", default=list(VIEWS))
    parser.add_argument("--url", default="http://127.0.0.1:8000")
    parser.add_argument("--to", type=Path, default=Path("docs/screenshots"))
    asked = parser.parse_args()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**LAUNCH)
        for view in asked.views:
            page = browser.new_page(viewport=SIZE)  # which remembers nothing of the view before
            step, act = VIEWS[view]
            place = step if step.startswith("/") else f"/p/lantern-quay/{step}"
            page.goto(f"{asked.url}{place}", wait_until="networkidle")
            if act:
                act(page)
            page.wait_for_timeout(700)
            page.wait_for_load_state("networkidle")
            page.screenshot(path=asked.to / f"{view}.png")
            page.close()
        browser.close()


if __name__ == "__main__":
    main()
