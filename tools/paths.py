"""Where things are."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("PRAVIN_VAR", ROOT / "var")).resolve()
INSTALLED = ROOT / "var"  # packages and builds, shared by the application and its tests
VENV = INSTALLED / "venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
CHROMIUM = Path("/usr/bin/chromium")


def environment(**more: str) -> dict[str, str]:
    """The environment of our own processes."""
    own = {
        "PYTHONPATH": os.pathsep.join([str(ROOT / "core"), str(ROOT / "client"), str(ROOT / "server"), str(ROOT)]),
        "DJANGO_SETTINGS_MODULE": "pravin_server.config.settings",
        "PRAVIN_VAR": str(VAR),
        "PYTHONUNBUFFERED": "1",
    }
    return {**os.environ, **own, **more}
