"""The control totals that came with the delivery agree with what was loaded."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """The control totals that came with the delivery agree with what was loaded."""
    totals = case.delivery.compared
    if not totals:
        return True, "none came with the delivery"
    wrong = [total for total in totals if not total["agrees"]]
    text = "; ".join(
        f"{total['what']}: {total['stated']} stated, {total['loaded'] or 'nothing'} loaded" for total in wrong
    )
    return not wrong, text or f"{len(totals)} of {len(totals)} agree"


GATE = Gate("Control totals agree", 20, finds)
