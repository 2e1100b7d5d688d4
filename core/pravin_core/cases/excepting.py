"""Exceptions that hold for a key: records of a later delivery that are wrong in no other way than what was accepted before."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from sqlglot import exp

from pravin_core.cases.chosen import is_chosen, know_chosen
from pravin_core.cases.matching import keyed
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.records.pages import Stage
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables import names
from pravin_core.tables.record_sets import NOTHING, Numbers


def also_excepted(
    earlier: Stage, accepted: Numbers, later: Stage, key: Sequence[str], scratch: Path, limits: Limits = Limits()
) -> Numbers:
    """The quarantined records of a later result (rising) whose key is that of an accepted record of an earlier one, and all of
    whose reasons that record has too: the same column, said in the same words, whatever the value.

    Nothing is excepted where a column of the key is missing in one of the tables, or a part of a key has no value.
    """
    if not key or not len(accepted) or any(name not in stage.types for stage in (earlier, later) for name in key):
        return NOTHING
    what = template(
        "list_distinct(list_transform(:r, lambda __item: concat(__item.name, chr(0), __item.phrase)))",
        r=column(names.REASONS),
    )
    known = keyed(earlier, key, ["ready", "corrected", "quarantined"]).select(what.copy().as_("reasons"))
    waiting = keyed(later, key, ["quarantined"]).select(what.copy().as_("reasons"))
    query = template(
        "SELECT DISTINCT w.record FROM :waiting AS w JOIN :known AS k"
        " ON w.key = k.key AND list_has_all(k.reasons, w.reasons) ORDER BY 1",
        waiting=exp.paren(waiting), known=exp.paren(known.where(is_chosen())),
    )  # fmt: skip
    with connect([*earlier.folders, *later.folders], scratch, limits) as con:
        know_operations(con)
        know_chosen(con, accepted)
        records = con.sql(sql(query)).to_arrow_reader().read_all().column("record")
    return np.asarray(records.to_numpy(), dtype=np.int64)
