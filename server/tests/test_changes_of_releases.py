"""What changed between releases of a feed, through the API."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
FIRST = b"well|litres|remark\nA|1|dry\nB|2|\nC|3|pump\n"
SECOND = b"well|litres|remark\nC|3|pump\nB|5|leaks\nD|4|new\n"


def feed(approver: Browser, key: bool = True) -> None:
    approver("POST", "/feeds", {"name": "Wells"}, expect=201)
    number = [{"kind": "to-number", "id": "n", "columns": ["litres"]}]
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 0, "change": "x", "rules": number}, expect=200)


def arrived(approver: Browser, file: bytes, publish: bool = True) -> tuple[int, int]:
    """The delivery, and its release (0: not released)."""
    delivery = approver.upload("wells", **{f"m{len(file)}": file})["id"]
    do_work()
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    proposal = approver("GET", f"/deliveries/{delivery}/release", expect=200)
    if not publish:
        return delivery, 0
    approver("POST", f"/deliveries/{delivery}/release", {"run": proposal["run"]}, expect=201)
    do_work()
    return delivery, approver("GET", f"/deliveries/{delivery}/release")["release"]["id"]


def counts(told: Any) -> tuple[int, ...]:
    return tuple(told[kind] for kind in ("added", "gone", "changed", "same"))


def test_two_releases_and_what_would_be_released(browser: Make, db: None) -> None:
    approver = browser("app")
    feed(approver)
    first_delivery, first = arrived(approver, FIRST)
    approver("PUT", "/feeds/wells/key", {"columns": ["well"]}, expect=200)
    second_delivery, _ = arrived(approver, SECOND, publish=False)
    proposal = approver("GET", f"/deliveries/{second_delivery}/release", expect=200)
    assert (proposal["against"], proposal["against_id"]) == (1, first)
    told = approver("GET", f"/feeds/wells/changes?before={first}&delivery={second_delivery}", expect=200)
    assert counts(told) == (1, 1, 1, 1)
    assert told["columns"] == [{"name": "litres", "records": 1}, {"name": "remark", "records": 1}]
    assert told["before"] == {"name": "release 1", "delivery": first_delivery}
    approver("POST", f"/deliveries/{second_delivery}/release", {"run": proposal["run"]}, expect=201)
    do_work()
    second = approver("GET", f"/deliveries/{second_delivery}/release")["release"]["id"]
    between = f"/feeds/wells/changes?before={first}&after={second}"
    assert counts(approver("GET", between, expect=200)) == (1, 1, 1, 1)
    assert counts(approver("GET", f"/feeds/wells/changes?before={second}&after={first}", expect=200)) == (1, 1, 1, 1)
    viewer = browser("vic")
    (changed,) = viewer("GET", between.replace("changes", "changes/records"), expect=200)
    assert (changed["before"], changed["after"], changed["columns"]) == (2, 2, ["litres", "remark"])
    assert changed["values_before"] == {"well": "B", "litres": "2", "remark": None}
    assert changed["values_after"] == {"well": "B", "litres": "5", "remark": "leaks"}
    (gone,) = viewer("GET", f"{between.replace('changes', 'changes/records')}&kind=gone", expect=200)
    assert (gone["values_before"]["well"], gone["values_after"]) == ("A", None)
    none = viewer("GET", f"{between.replace('changes', 'changes/records')}&kind=changed&column=well", expect=200)
    assert none == []
    approver("POST", f"/releases/{second}/withdraw", {"justification": "x"}, expect=200)
    assert counts(approver("GET", between, expect=200)) == (1, 1, 1, 1)  # what was published stays to be compared


def test_what_cannot_be_compared_says_why(browser: Make, db: None) -> None:
    approver = browser("app")
    feed(approver)
    delivery, first = arrived(approver, FIRST)
    ask = f"/feeds/wells/changes?before={first}&delivery={delivery}"
    assert "has no key" in approver("GET", ask, expect=422)["detail"]
    approver("PUT", "/feeds/wells/key", {"columns": ["well"]}, expect=200)
    assert counts(approver("GET", ask, expect=200)) == (0, 0, 0, 3)
    assert "no release 99999" in approver("GET", "/feeds/wells/changes?before=99999&after=1", expect=404)["detail"]
    assert (
        "no delivery 99999"
        in approver("GET", f"/feeds/wells/changes?before={first}&delivery=99999", expect=404)["detail"]
    )
    approver("GET", f"/feeds/wells/changes?before={first}", expect=422)
    approver("GET", f"/feeds/wells/changes?before={first}&after={first}&delivery={delivery}", expect=422)
    other = approver.upload("wells", later=SECOND)["id"]
    do_work()
    assert (
        "has not been run"
        in approver("GET", f"/feeds/wells/changes?before={first}&delivery={other}", expect=409)["detail"]
    )


def test_withdrawing_says_before_what_readers_will_see(browser: Make, db: None) -> None:
    approver = browser("app")
    feed(approver)
    _, first = arrived(approver, FIRST)
    approver("PUT", "/feeds/wells/key", {"columns": ["well"]}, expect=200)
    told = approver("GET", f"/releases/{first}/withdrawal", expect=200)
    assert told == {"records": 3, "records_after": 0, "returning": [], "ends_view": True}
    refused = approver("POST", f"/releases/{first}/withdraw", {"justification": "x"}, expect=409)
    assert "the view released.wells would end" in refused["detail"]
    _, second = arrived(approver, SECOND)
    told = approver("GET", f"/releases/{second}/withdrawal", expect=200)
    assert told == {"records": 3, "records_after": 3, "returning": [1], "ends_view": False}
    for way, expected in (("adds", (6, 3)), ("newest", (4, 3))):
        approver("PUT", "/feeds/wells/released", {"adds_up": way}, expect=200)
        for release in (first, second):
            told = approver("GET", f"/releases/{release}/withdrawal", expect=200)
            assert (told["records"], told["records_after"], told["returning"]) == (*expected, [])
    for release in (second, first):
        approver("POST", f"/releases/{release}/withdraw", {"justification": "x", "ends_view": True}, expect=200)
    approver("GET", f"/releases/{first}/withdrawal", expect=409)
