"""Change the library, and say what of it a feed's rulebook runs with."""

from __future__ import annotations

import csv
import io
import re
import uuid
from collections.abc import Sequence
from datetime import date
from typing import Any, cast

from django.core.files import File
from django.db import transaction

from pravin_core.errors import PravinError
from pravin_core.rules.resolving import LibrarySnapshot, SharedRules
from pravin_core.rules.resolving import Parameter as ParameterValue
from pravin_core.rules.rulebook import as_rulebook
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.common.locks import lock_rows
from pravin_server.feeds.models import Feed
from pravin_server.library.models import (
    CodeList,
    CodeListVersion,
    Parameter,
    ReferenceTable,
    ReferenceVersion,
    SharedGroup,
)
from pravin_server.library.tables import read_table
from pravin_server.storage.models import StoredFile

MOST_CODES = 20_000


def snapshot_of_library(feed: Feed) -> LibrarySnapshot:
    """Code lists as they are now, and parameters with the values of a feed."""
    newest: dict[str, Sequence[tuple[str, str]]] = {}
    for version in CodeListVersion.objects.select_related("list").order_by("list_id", "-number").distinct("list_id"):
        newest[version.list.name] = [(code, meaning) for code, meaning in version.codes]
    values = {
        parameter.name: ParameterValue(
            str(parameter.values.get(feed.slug, parameter.default)), cast(Any, parameter.type)
        )
        for parameter in Parameter.objects.all()
    }
    return LibrarySnapshot(newest, values)


def shared_for(feed: Feed) -> list[SharedRules]:
    """The groups of shared rules that apply to a feed and are not switched off for it."""
    groups = [group for group in SharedGroup.objects.all() if feed.slug not in group.off]
    shared = [SharedRules(group.name, group.feeds, tuple(group.rules), group.place) for group in groups]
    return [group for group in shared if group.meant_for(feed.slug)]


@transaction.atomic
def keep_code_list(
    user: Any, name: str, codes: Sequence[tuple[str, str]], about: str, change: str, based_on: int
) -> CodeList:
    """Keep a new version of a code list. Raises Conflict when somebody changed it since, Invalid when a code is there twice."""
    person = may_work(user, "change a code list")
    if len(codes) > MOST_CODES:
        raise Invalid(f"A code list holds at most {MOST_CODES:,} codes.")
    seen: dict[str, str] = {}
    for code, meaning in codes:
        if seen.setdefault(code, meaning) != meaning:
            raise Invalid(f"The code “{code}” has two meanings: “{seen[code]}” and “{meaning}”.")
    code_list, _ = lock_rows(CodeList).get_or_create(name=name.strip())
    last = code_list.versions.first()
    if (last.number if last else 0) != based_on:
        raise Conflict(f"The code list was changed since you opened it (version {last.number if last else 0}).")
    code_list.about = about
    code_list.save(update_fields=["about"])
    CodeListVersion.objects.create(
        list=code_list,
        number=based_on + 1,
        codes=[[code, meaning] for code, meaning in seen.items()],
        change=change[:400],
        author=person,
    )
    note(person, f"code list {code_list.name}: version {based_on + 1}, {len(seen):,} codes")
    return code_list


def codes_from_csv(text: str) -> list[tuple[str, str]]:
    """Codes and meanings from delimited text of two columns, with or without a header "code, meaning"."""
    try:
        dialect: Any = csv.Sniffer().sniff(text[:4096], ",;\t|")
    except csv.Error:
        dialect = "excel"
    rows = [row for row in csv.reader(io.StringIO(text), dialect) if row]
    if rows and [cell.strip().lower() for cell in rows[0][:2]] == ["code", "meaning"]:
        rows = rows[1:]
    if wrong := next((at for at, row in enumerate(rows, start=1) if len(row) < 2), None):
        raise Invalid(f"Line {wrong} has one column; a code list needs a code and a meaning.")
    return [(row[0], row[1]) for row in rows]


def codes_as_csv(codes: Sequence[Sequence[str]]) -> str:
    """A code list as delimited text with a header."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["code", "meaning"])
    writer.writerows(codes)
    return out.getvalue()


@transaction.atomic
def keep_parameter(user: Any, name: str, type_: str, default: str, values: dict[str, str], about: str) -> Parameter:
    """Keep a parameter. Raises Invalid when a value does not fit its type."""
    person = may_work(user, "change a parameter")
    if not re.fullmatch(r"[a-z][a-z0-9_]{0,59}", name):
        raise Invalid(
            "The name of a parameter begins with a lower-case letter and has only lower-case letters, digits and underscores."
        )
    for value in (default, *values.values()):
        if not _fits(value, type_):
            raise Invalid(f"“{value}” is not a {type_}.")
    parameter, _ = Parameter.objects.update_or_create(
        name=name, defaults={"type": type_, "default": default, "values": values, "about": about}
    )
    note(person, f"parameter {name} is {default}")
    return parameter


def _fits(value: str, type_: str) -> bool:
    try:
        if type_ == Parameter.Type.NUMBER:
            return re.fullmatch(r"-?(\d+(\.\d+)?|\.\d+)", value) is not None
        elif type_ == Parameter.Type.DATE:
            date.fromisoformat(value)
    except ValueError:
        return False
    return True


@transaction.atomic
def keep_shared(
    user: Any, name: str, feeds: str, place: str, rules: list[dict[str, Any]], off: list[str], about: str
) -> SharedGroup:
    """Keep a group of shared rules."""
    person = may_work(user, "change shared rules")
    numbered = [{**rule, "id": f"shared-{at}"} for at, rule in enumerate(rules, start=1)]
    checked = as_rulebook({"rules": numbered}).model_dump(mode="json")["rules"]
    shared_group, _ = SharedGroup.objects.update_or_create(
        name=name.strip(), defaults={"feeds": feeds, "place": place, "rules": checked, "off": off, "about": about}
    )
    note(person, f"shared rules {shared_group.name}: {len(checked)} rules for {feeds}")
    return shared_group


@transaction.atomic
def switch_shared(user: Any, group: SharedGroup, feed: Feed, on: bool) -> SharedGroup:
    """Switch a group of shared rules on or off for a feed."""
    person = may_work(user, "switch shared rules")
    group.off = sorted({*group.off, feed.slug} - ({feed.slug} if on else set()))
    group.save(update_fields=["off"])
    note(person, f"shared rules {group.name}: {'on' if on else 'off'} for {feed.name}", feed.slug)
    return group


@transaction.atomic
def keep_reference(user: Any, name: str, upload: File | None, feed: Feed | None, about: str) -> ReferenceTable:
    """Keep a reference table: a new version from an uploaded file, or the latest release of a feed."""
    person = may_work(user, "change a reference table")
    reference, is_new = ReferenceTable.objects.get_or_create(name=name.strip(), defaults={"about": about, "feed": feed})
    if not is_new:
        reference.about, reference.feed = about, feed
        reference.save()
    if upload is not None:
        _new_version(person, reference, upload)
    note(person, f"reference table {reference.name}")
    return reference


def _new_version(person: Any, table: ReferenceTable, upload: File) -> ReferenceVersion:
    last = table.versions.first()
    version = ReferenceVersion(
        table=table,
        number=(last.number if last else 0) + 1,
        file_name=str(upload.name or "table")[:255],
        columns=[],
        records=0,
        author=person,
    )
    version.bytes.save(f"reference/{uuid.uuid4().hex}", upload, save=False)
    version.sha256 = StoredFile.objects.values_list("sha256", flat=True).get(name=version.bytes.name)
    with cache.scratch() as work:
        path = work / "table"
        with path.open("wb") as out, version.bytes.open("rb") as stored:
            for piece in stored.chunks(2**20):
                out.write(piece)
        try:
            snapshot = read_table(path, version.file_name, work / "read")
        except PravinError as error:
            raise Invalid(f"The table cannot be read: {error}") from error
    version.columns, version.records = list(snapshot.columns), snapshot.records
    version.save()
    return version
