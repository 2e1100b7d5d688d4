"""What screens show of deliveries."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import asdict
from typing import Any

from pravin_core.errors import PravinError
from pravin_core.intake.preview import preview
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_core.profiling.model import Profile
from pravin_server.common.errors import NotFound
from pravin_server.deliveries import snapshots
from pravin_server.deliveries.models import Delivery, Source


def profile(delivery: Delivery, hidden: Collection[str] = ()) -> dict[str, Any]:
    """The profile without findings, and of hidden columns without all that is made of values; while the delivery is read it may have
    no columns yet. Raises NotFound when there will be none.
    """
    stored = getattr(delivery, "profile", None)
    if stored is not None:
        columns = [_covered(column) if column["name"] in hidden else column for column in stored.content["columns"]]
        return {**stored.content, "columns": columns, "findings": []}
    if delivery.state != Delivery.State.READING:
        raise NotFound("The delivery is not profiled.")
    awaited = max(1, len(delivery.columns))
    nothing = Profile(
        records=delivery.records, rejected=delivery.rejected, missing_cells=0, records_with_missing=0, empty_records=0,
        duplicate_records=0, columns=(), awaited=awaited,
    )  # fmt: skip
    return nothing.model_dump(mode="json")


def _covered(column: dict[str, Any]) -> dict[str, Any]:
    """What may be told of a column whose values are hidden: its type, and how many values there are, are missing and differ."""
    nothing: dict[str, Any] = {
        "values": [],
        "shapes": [],
        "misfit_examples": [],
        "meant": [],
        "text": None,
        "numbers": None,
        "dates": None,
    }
    return {**column, **nothing, "distribution": {"of": "", "bins": []}, "by_size": None}


def preview_of(source: Source, request: SettingsRequest) -> dict[str, Any]:
    """The beginning of a source under some settings; what stands in the way as `error`."""
    empty: dict[str, Any] = {
        "settings": None, "evidence": {}, "notes": [], "rivals": {}, "doubts": [], "view": "text", "unit": "line",
        "lines": [], "records": [], "whole": True, "error": "",
    }  # fmt: skip
    try:
        place = snapshots.place_of(source)
        detected = settle(place.path, source.name, request, _known(source), place)
        shown = preview(place, detected.settings)
    except PravinError as error:
        return {**empty, "error": str(error)}
    return {
        **empty, "settings": detected.settings, "evidence": detected.evidence, "notes": list(detected.notes),
        "rivals": detected.rivals, "view": shown.view, "unit": shown.unit, "whole": shown.whole,
        "doubts": [{"line": doubt.line, "about": doubt.about, "readings": dict(doubt.readings)} for doubt in detected.doubts],
        "lines": [asdict(line) for line in shown.lines],
        "records": [{"line": line, "cells": cells} for line, cells in shown.records],
    }  # fmt: skip


def _known(source: Source) -> list[str]:
    """The names that a source without header takes, and by which a header is recognised."""
    feed = source.delivery.feed
    if feed.layouts:
        return list(feed.layouts[0]["names"])
    if feed.columns:
        return feed.columns
    for other in source.delivery.sources.exclude(pk=source.pk):
        if other.settings and other.settings["header_rows"]:
            return list(other.settings["names"])
    return []


def design(delivery: Delivery, hidden: Collection[str] = ()) -> dict[str, Any]:
    """How the sources become one table: which delivered column fills which, and what is to be settled; without values of hidden columns."""
    changes = [
        {
            "id": change.pk, "source": change.source_id, "source_name": change.source.name if change.source else "",
            "kind": change.kind, "name": change.name, "column": change.column, "evidence": "" if {change.name, change.column} & {*hidden} else change.evidence,
            "choices": change.choices, "choice": change.choice, "target": change.target,
        }
        for change in delivery.changes.select_related("source")
    ]  # fmt: skip
    return {
        "agreed": delivery.feed.columns,
        "columns": delivery.columns,
        "sources": [_source_columns(source, hidden) for source in delivery.sources.all() if source.settings],
        "changes": changes,
        "open": sum(not change["choice"] for change in changes),
    }


def _source_columns(source: Source, hidden: Collection[str]) -> dict[str, Any]:
    settings = source.settings
    covered = [name in hidden for name in settings["columns"]]
    sketches = zip(source.sketch, [*covered, *[False] * len(source.sketch)], strict=False)
    examples = ["" if is_covered else ", ".join(sketch["examples"]) for sketch, is_covered in sketches]
    return {
        "id": source.pk, "name": source.name, "records": (source.counts or {}).get("records", 0),
        "left_out": source.left_out, "names": settings["names"], "columns": settings["columns"],
        "facts": settings.get("facts", {}), "source_column": settings.get("source_column", ""),
        "examples": [examples[at] if at < len(examples) else "" for at in range(len(settings["names"]))],
    }  # fmt: skip
