"""The rulebook of the demo's field samples."""

from typing import Any

from demo.sites import REGIONS

RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": [], "collapse": True},
    {"kind": "missing-tokens", "id": "tokens", "columns": [], "tokens": ["n/a", "-", "-999"]},
    {
        "kind": "translate",
        "id": "bands",
        "columns": ["depth_band"],
        "codes": [
            {"code": "05-Oct", "meaning": "5-10"},
            {"code": "02-Jan", "meaning": "1-2"},
            {"code": "10-Dec", "meaning": "10-12"},
            {"code": "02-May", "meaning": "2-5"},
        ],
        "note": "Upper Merrow keeps its book in a spreadsheet",
    },
    {
        "kind": "to-date",
        "id": "dates",
        "columns": ["sampled_on"],
        "formats": ["%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y"],
    },
    {"kind": "to-number", "id": "numbers", "columns": ["water_temp_c", "ph", "turbidity_ntu"]},
    {"kind": "to-number", "id": "counts", "columns": ["conductivity", "bottles"], "whole": True},
    {"kind": "remove-duplicates", "id": "repeats", "columns": ["sample_id"]},
    {"kind": "required", "id": "filled", "columns": ["sample_id", "site_code", "sampled_on"]},
    {"kind": "in-range", "id": "ph", "columns": ["ph"], "low": "0", "high": "14"},
    {"kind": "in-range", "id": "window", "columns": ["sampled_on"], "low": "2024-01-01", "high": "2024-12-31"},
    {"kind": "matches-pattern", "id": "code", "columns": ["site_code"], "pattern": "[0-9]{4}"},
    {
        "kind": "allowed-values",
        "id": "team",
        "columns": ["team"],
        "values": list(REGIONS),
        "consequence": "note",
    },
    {"kind": "unique", "id": "once", "columns": ["sample_id"]},
]
