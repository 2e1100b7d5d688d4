"""The engine's own way from CSV to Parquet, all columns as text, nothing checked: python -m bench.engine_csv FILE OUT."""

from __future__ import annotations

import sys

import duckdb


def main() -> None:
    with duckdb.connect(config={"threads": "2"}) as con:
        rows = con.read_csv(sys.argv[1], all_varchar=True)
        rows.write_parquet(sys.argv[2])


if __name__ == "__main__":
    main()
