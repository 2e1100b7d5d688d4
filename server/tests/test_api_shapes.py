"""The shapes of the API: each has a name of its own, or one would silently stand for the other in what clients are made from."""

from __future__ import annotations

import ast
from collections import Counter
from pathlib import Path

SERVER = Path(__file__).resolve().parents[1] / "pravin_server"


def shapes() -> list[str]:
    """The names of all classes of the server that are made of Schema or BaseModel."""
    names = []
    for path in SERVER.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            bases = (
                {base.id for base in node.bases if isinstance(base, ast.Name)}
                if isinstance(node, ast.ClassDef)
                else set()
            )
            if isinstance(node, ast.ClassDef) and bases & {"Schema", "BaseModel"}:
                names.append(node.name)
    return names


def test_every_shape_has_a_name_of_its_own() -> None:
    names = shapes()
    assert len(names) > 100
    assert [name for name, count in Counter(names).items() if count > 1] == []
