"""The control totals that came with the delivery agree with what was loaded."""

from __future__ import annotations

from pravin_server.releases.gates.base import Case, Gate


def finds(case: Case) -> tuple[bool, str]:
    """The control totals that came with the delivery agree with what was loaded."""
    result = case.delivery.compared
    if not result:
        return True, "none came with the delivery"
    wrong = [item for item in result if not item["agrees"]]
    text = "; ".join(f"{item['what']}: {item['stated']} stated, {item['loaded'] or 'nothing'} loaded" for item in wrong)
    return not wrong, text or f"{len(result)} of {len(result)} agree"


GATE = Gate("Control totals agree", 20, finds)
