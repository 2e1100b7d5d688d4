"""Whether a delivery lacks a source that usually comes, and whether it came before."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from pravin_core.monitoring.novelties import (
    LACKING,
    LEAST_KNOWN,
    REPEATED,
    SHOWN,
    Novelty,
    Remembered,
    Text,
    identity,
    is_usual,
)

LOOKED_AT = 12  # deliveries: what came long ago is not waited for
MOSTLY = 0.8  # of these deliveries brought so many


def incomplete(deliveries: Sequence[Remembered], expected: Mapping[str, Sequence[int]]) -> Iterator[Novelty]:
    """A delivery of fewer sources than usual: how many are lacking of each pattern of names. Sources under new names are no lack."""
    now = deliveries[-1].memory.sources
    id_ = identity(LACKING, "")
    known = [(each.number, each.memory.sources) for each in deliveries[:-1]]
    starts = [place for place, (number, _) in enumerate(known) if number in expected.get(id_, ())]
    past = [sources for _, sources in known[starts[-1] if starts else 0 :] if sources is not None][-LOOKED_AT:]
    if now is None or not past or (len(past) < LEAST_KNOWN and not starts):
        return
    came, usual = sum(now.values()), _mostly([sum(sources.values()) for sources in past])
    if came >= usual:
        return
    names = sorted({name for sources in past for name in sources})
    at_least = {name: _mostly([sources.get(name, 0) for sources in past]) for name in names}
    lacking = [
        Text(text=f"{name} ({now.get(name, 0)} of {many})", share=None)
        for name, many in at_least.items()
        if now.get(name, 0) < many
    ]
    yield Novelty(
        id=id_,
        kind="incomplete",
        column="",
        measure=LACKING,
        weight="high",
        says=f"{came:,} source{'s' * (came != 1)}, usually {usual:,}",
        texts=tuple(lacking[:SHOWN]),
        past=len(past),
        distance=(usual - came) / usual,
    )


def _mostly(counts: Sequence[int]) -> int:
    """What at least four of five are not below."""
    return sorted(counts)[int((1 - MOSTLY) * (len(counts) - 1) + 1e-9)]


def repeated(deliveries: Sequence[Remembered], expected: Mapping[str, Sequence[int]]) -> Iterator[Novelty]:
    """Files that came before, byte for byte: all of a delivery, or some of several. Usual where it happens every now and then."""
    before: dict[str, int] = {}  # the newest delivery that had a file
    all_again, some_again = [], []
    for each in deliveries[:-1]:
        if each.memory.files is not None:
            known = sum(sha in before for sha in each.memory.files)
            all_again.append(0 < known == len(each.memory.files))
            some_again.append(known > 0)
            before.update(dict.fromkeys(each.memory.files, each.number))
    files = deliveries[-1].memory.files or {}
    again = sorted((before[sha], name) for sha, name in files.items() if sha in before)
    if not again:
        return
    is_whole = len(again) == len(files)
    id_ = identity(REPEATED, "all" if is_whole else "some")
    history = all_again if is_whole else some_again
    numbers = sorted({number for number, _ in again})
    whose = f"delivery {numbers[0]:,}" if len(numbers) == 1 else f"{len(numbers):,} earlier deliveries"
    subject = "all files are" if len(files) > 1 else "the file is"
    if not is_whole:
        subject = f"{len(again):,} of {len(files):,} files {'is' if len(again) == 1 else 'are'}"
    yield Novelty(
        id=id_,
        kind="delivered before",
        column="",
        measure=REPEATED,
        weight="low" if id_ in expected or is_usual(history) else "high" if is_whole else "middle",
        says=f"{subject} byte for byte as in {whose}",
        texts=tuple(Text(text=f"{name} (delivery {number:,})", share=None) for number, name in again[:SHOWN]),
        past=len(history),
        distance=len(again) / len(files),
    )
