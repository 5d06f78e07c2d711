"""How Debian's Chromium is started without a screen."""

import shutil
from typing import Any

LAUNCH: dict[str, Any] = {
    "executable_path": shutil.which("chromium") or shutil.which("chromium-browser"),
    "args": [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
    ],
}
