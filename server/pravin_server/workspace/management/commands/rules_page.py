"""Write docs/rules.md from the rule kinds."""

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from pravin_core.formulas import standard
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.formulas.windows import OVER_FUNCTIONS
from pravin_core.intake.formats.registry import READERS
from pravin_core.records.filters import FILTERS
from pravin_core.rules.registry import KINDS

FILE = Path(settings.ROOT) / "docs" / "rules.md"


def page() -> str:
    """The page: each kind with what it does, its fields and an example."""
    lines = ["# The kinds of rules", "", "Made from the kinds themselves by `server/manage.py rules_page`."]
    for name, kind in KINDS.items():
        example = kind.examples[0]
        sentence = "".join(p.text for p in kind.model_validate({"kind": name, "id": "x", **example.rule}).sentence())
        sort = "check" if kind.is_check else "correction"
        lines += ["", f"## {kind.title} (`{name}`)", "", f"A {sort}. {kind.about} {_said(kind.__doc__)}", ""]
        for field, schema in kind.model_json_schema()["properties"].items():
            if field in ("kind", "id", "enabled", "note"):
                continue
            choices = f": {', '.join(f'`{json.dumps(c)}`' for c in schema['enum'])}" if "enum" in schema else ""
            default = f", by default `{json.dumps(schema['default'])}`" if "default" in schema else ""
            lines.append(f"- `{field}`: {schema.get('title', field)}{choices}{default}")
        lines += [
            "",
            f"*{sentence}*",
            "",
            f"    {json.dumps({'kind': name, 'id': 'x', **example.rule}, ensure_ascii=False)}",
        ]
    return "\n".join([*lines, *_functions(), *_formats(), *_filters()]) + "\n"


def _formats() -> list[str]:
    """The formats of files that are read."""
    lines = ["", "# The files that are read", "", "In the order in which a file is tried.", ""]
    lines += ["| format | | import settings |", "| --- | --- | --- |"]
    for reader in READERS:
        settings = ", ".join(f"`{name}`" for name in (*reader.first, *reader.more))
        lines.append(f"| {reader.label} (`{reader.format}`) | {reader.about()} | {settings} |")
    return lines


def _filters() -> list[str]:
    """The filters of records."""
    lines = ["", "# The filters of records", "", "| filter | |", "| --- | --- |"]
    return [*lines, *(f"| `{tag}` | {_said(kind.__doc__)} |" for tag, kind in FILTERS.items())]


def _functions() -> list[str]:
    """The functions of formulas, by group."""
    lines = [
        "",
        "# The functions of formulas",
        "",
        "A formula is an SQL expression over the columns of one record: names of columns (in double quotes where they hold",
        "spaces), texts in single quotes, numbers, `date '2024-03-17'`, `timestamp '2024-03-17 09:40:00'`, `true`, `false`,",
        "`null`; `+ - * / %` of numbers, `||` of texts, `= <> < <= > >=`, `between`, `in (…)`, `like`, `is null`, `and`, `or`,",
        "`not`, `case when … then … else … end`; and these functions. Nothing else may stand in it.",
        "",
        "## As SQL writes it",
        "",
        "| written | | ",
        "| --- | --- |",
        *(
            f"| `{form.written}` | {form.about} `{form.example}` is `{_shown(form.result)}` |"
            for form in standard.FORMS
        ),
        "",
        "Functions by their other names: "
        + ", ".join(f"`{name}` is `{meant}`" for name, meant in standard.other_names().items())
        + ".",
    ]
    group = ""
    for function in FUNCTIONS.values():
        if function.group != group:
            group = function.group
            lines += ["", f"## {group}", "", "| function | takes and gives | |", "| --- | --- | --- |"]
        example = f"`{function.example}` is `{_shown(function.result)}`".replace("|", "\\|")
        lines.append(f"| `{function.name}` | {function.signature} | {function.about} {example} |")
    lines += [
        "", "## Over a group of records", "",
        "In “Compute by a formula” only. `partition by` names the group, `order by` the order in it, and `rows between 2 preceding and "
        "current row` (of sums, means and the like) how many records are looked at. Without `order by`, records stand in the order of "
        "the table. Missing values come last and form a group of their own; removed records belong to none.",
        "", "| function | takes and gives | |", "| --- | --- | --- |",
        *(f"| `{f.name}` | {f.signature} | {f.about} `{f.example}` |" for f in OVER_FUNCTIONS.values()),
    ]  # fmt: skip
    return lines


def _shown(result: object) -> str:
    return json.dumps(result, ensure_ascii=False)


def _said(text: str | None) -> str:
    return " ".join((text or "").split())


class Command(BaseCommand):
    help = "Write docs/rules.md (--check only compares)."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--check", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        if not options["check"]:
            FILE.write_text(page())
        elif not FILE.exists() or FILE.read_text() != page():
            raise CommandError("docs/rules.md is out of date. Run: server/manage.py rules_page")
