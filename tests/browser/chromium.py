"""How Debian's Chromium is started without a screen, and what a page does in it that no user sees."""

import os
import shutil
from functools import cache
from typing import Any

from playwright.sync_api import Browser, sync_playwright

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")  # Playwright runs a loop in the thread of the tests

LAUNCH: dict[str, Any] = {
    "executable_path": shutil.which("chromium-headless-shell"),
    "args": [
        "--no-sandbox",
        "--disable-gpu",
        "--font-render-hinting=none",  # letters stand as they do in a window
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ],
}
COUNT_FETCHES = """
    const fetched = window.fetch;
    window.underWay = 0;
    window.fetch = (...asked) => {
        window.underWay += 1;
        return fetched(...asked).finally(() => (window.underWay -= 1));
    };
"""
STILL = """() => document.getAnimations().every(
    ({ playState, effect }) => playState !== 'running' || effect.getTiming().iterations === Infinity
)"""
"""True when nothing moves but what moves for ever: half seen, a dialog has too little contrast."""
QUIET = """() => {
    const loads = [...document.images].some((image) => image.loading !== 'lazy' && !image.complete);
    if (window.underWay || loads || window.busyAt === undefined) window.busyAt = performance.now();
    return performance.now() - window.busyAt > 100;
}"""
"""True when nothing was fetched for a tenth of a second: what an answer calls for is asked for sooner."""


@cache
def browser(*arguments: str) -> Browser:
    """The browser of this process with these arguments, started once; it ends with the process."""
    return _playwright().chromium.launch(**{**LAUNCH, "args": [*LAUNCH["args"], *arguments]})


@cache
def _playwright() -> Any:
    return sync_playwright().start()
