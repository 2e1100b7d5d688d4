"""The derived feeds of the demo: the compliance table for reporting and the training table of the bloom model."""

from typing import Any

from demo.catchment import CONSTANT, DIFFERENT, LEAKS, REPEATS, SPARSE

# the laboratories drop the letters and the day of a sample's number: WQ-240117-0123 is their 24010123
COMPLIANCE: list[dict[str, Any]] = [
    {"kind": "drop-columns", "id": "people", "columns": ["sampler", "lead_mail", "note", "weather", "bottles"],
     "note": "nobody's name goes to reporting"},
    {"kind": "compute", "id": "number", "columns": ["lab_no"], "formula": "substr(sample_id, 4, 4) || right(sample_id, 4)"},
    {"kind": "look-up", "id": "results", "reference": "lab-results", "keys": [{"code": "lab_no", "meaning": "sample_no"}],
     "take": ["analyte", "result", "unit", "laboratory"], "several": "each", "unmatched": "remove"},
    {"kind": "look-up", "id": "sites", "reference": "sites", "keys": [{"code": "site_code", "meaning": "site_code"}],
     "take": ["site_name", "region"]},
]  # fmt: skip
COMPLIANCE_RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": ["region"]},
    {"kind": "to-number", "id": "numbers", "columns": ["result"], "decimal": ","},
    {"kind": "required", "id": "filled", "columns": ["result", "site_name"]},
]
TRAINING: list[dict[str, Any]] = [
    {"kind": "drop-columns", "id": "later", "columns": list(LEAKS), "note": "known only after the bloom"},
    {"kind": "drop-columns", "id": "useless", "columns": [*CONSTANT, *DIFFERENT, *SPARSE, *REPEATS]},
]
