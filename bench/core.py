"""The command line as it is installed: python -m bench.core ARGUMENTS.

The application does not need pandas, which is here for the comparison only; where Arrow and the engine find it, they
load it.
"""

from __future__ import annotations

import sys
from importlib.abc import MetaPathFinder
from typing import Any

from pravin_core.cli import main


class NotInstalled(MetaPathFinder):
    """Finds no pandas."""

    def find_spec(self, fullname: str, *_: Any) -> None:
        """Raise for pandas what is raised for what is not installed."""
        if fullname.partition(".")[0] == "pandas":
            raise ModuleNotFoundError(f"No module named {fullname!r}", name=fullname)


if __name__ == "__main__":
    sys.meta_path.insert(0, NotInstalled())
    sys.exit(main(sys.argv[1:]))
