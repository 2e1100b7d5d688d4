"""The control totals that came with the delivery agree with what was loaded."""

from __future__ import annotations

from pravin_server.releases.gates.base import Case, Gate


def finds(case: Case) -> tuple[bool, str]:
    """The control totals that came with the delivery agree with what was loaded."""
    found = case.delivery.compared
    if not found:
        return True, "none came with the delivery"
    wrong = [one for one in found if not one["agrees"]]
    text = "; ".join(f"{one['what']}: {one['stated']} stated, {one['loaded'] or 'nothing'} loaded" for one in wrong)
    return not wrong, text or f"{len(found)} of {len(found)} agree"


GATE = Gate("Control totals agree", 20, finds)
