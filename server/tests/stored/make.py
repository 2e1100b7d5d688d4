"""Make a database with a little of everything, to be opened by later versions: run it in the tree of the version whose
data is to be kept (see README.md beside it).

    PRAVIN_VAR=/tmp/stored var/venv/bin/python .../make.py out.sql.gz
"""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

sys.path[:0] = ["core", "server", "."]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "pravin_server.config.settings")
MONTHS = [
    b"id|site|ph|sampled|amount|note\n"
    + b"".join(
        b"%d|%s|%s|%s|%d.25| note %d\n"
        % (
            number, (b"A", b"B", b"n/a", b"C ")[number % 4], (b"7.4", b"74", b"6,9", b"x")[number % 4 if number % 7 else 3],
            b"%02d.03.2024" % (number % 28 + 1), number, number % 5,
        )
        for number in range(first, first + 60)
    )
    + b"broken line\n"
    for first in (1, 40)
]  # fmt: skip
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": []},
    {"kind": "missing-tokens", "id": "tokens", "columns": [], "tokens": ["n/a"], "note": "as agreed"},
    {"kind": "to-number", "id": "number", "columns": ["ph"], "unconverted": "quarantine"},
    {"kind": "to-number", "id": "money", "columns": ["amount"], "exact": True},
    {"kind": "to-date", "id": "date", "columns": ["sampled"], "formats": ["%d.%m.%Y"]},
    {"kind": "compute", "id": "double", "columns": ["twice"], "formula": "round(amount * 2, 1)"},
    {"kind": "remove-duplicates", "id": "repeats", "columns": ["id"]},
    {"kind": "translate", "id": "names", "columns": ["site"], "code_list": "sites"},
    {"kind": "required", "id": "site", "columns": ["site"]},
    {"kind": "in-range", "id": "range", "columns": ["ph"], "low": "0", "high": "14", "when": "id <> '7'"},
    {"kind": "record-count", "id": "count", "least": 1},
]


def main(out: Path) -> None:
    from tools import postgres
    from tools.commands import _secret

    postgres.start()
    _secret()
    import django

    django.setup()
    from django.conf import settings
    from django.core.files.uploadedfile import SimpleUploadedFile
    from django.core.management import call_command
    from django.test import Client

    from pravin_server.accounts.services import make_user
    from pravin_server.common.jobs import perform
    from pravin_server.common.models import Job

    settings.ALLOWED_HOSTS = ["testserver"]
    call_command("migrate", verbosity=0)
    client = Client()
    client.force_login(make_user("app", "secret-pass", "A. Prover", ["analyst", "approver"]))

    def ask(method: str, path: str, body: Any = None) -> Any:
        data = "" if body is None else json.dumps(body)
        answer = client.generic(method, f"/api{path}", data, content_type="application/json")
        assert answer.status_code < 300, (path, answer.content[:500])
        return answer.json() if answer.content else None

    def work() -> None:
        while job := Job.objects.filter(state="waiting").order_by("id").first():
            perform(job_id=job.pk)
            assert Job.objects.get(pk=job.pk).state == "done", Job.objects.get(pk=job.pk).error

    ask("PUT", "/library/code-lists", {"name": "sites", "codes": [["A", "Upper"], ["B", "Lower"], ["C", "Harbour"]]})
    ask("PUT", "/library/parameters", {"name": "highest", "type": "number", "default": "14"})
    shared = {
        "name": "everywhere",
        "feeds": "*",
        "rules": [{"kind": "decode", "id": "d", "columns": ["note"], "what": "composed"}],
    }
    ask("PUT", "/library/shared", shared)
    ask("POST", "/feeds", {"name": "Samples", "supplier": "Field team"})
    ask("PUT", "/feeds/samples/rulebook", {"based_on": 0, "change": "first", "rules": RULES})
    for at, lines in enumerate(MONTHS, start=1):
        sent = client.post("/api/feeds/samples/deliveries", {"files": [SimpleUploadedFile(f"month-{at}.txt", lines)]})
        assert sent.status_code == 201, sent.content
        delivery = sent.json()["id"]
        work()
        ask("POST", f"/deliveries/{delivery}/trials")
        ask("POST", f"/deliveries/{delivery}/runs")
        work()
        kept = ask("GET", f"/deliveries/{delivery}/quarantine/records")["rows"]
        first, second = kept[0]["record"], kept[1]["record"]
        ask(
            "POST",
            f"/deliveries/{delivery}/decisions",
            {"records": [first], "kind": "accept", "justification": "measured twice"},
        )
        work()
        ask(
            "POST",
            f"/deliveries/{delivery}/decisions",
            {"records": [second], "kind": "amend", "values": {"ph": "7.1", "site": "Upper"}},
        )
        work()
        if at == 1:
            run = ask("GET", f"/deliveries/{delivery}")["run"]["id"]
            ask("POST", f"/deliveries/{delivery}/release", {"run": run})
            ask("POST", f"/deliveries/{delivery}/relations", {})
            work()
    finding = ask("GET", f"/deliveries/{delivery}/findings")[0]["finding"]["id"]
    ask("POST", f"/deliveries/{delivery}/findings/dismiss", {"ids": [finding], "reason": "known"})
    expected = [{"on": "column", "name": "ph", "test": "above", "value": "7"}, {"on": "state", "value": "quarantined"}]
    ask("PUT", "/feeds/samples/filters", {"name": "high", "filters": expected})
    where = json.loads((settings.VAR / "postgres.json").read_text())
    dump = subprocess.run(
        ["/usr/lib/postgresql/15/bin/pg_dump", "--inserts", "--no-owner", "--no-privileges", "-h", "127.0.0.1", "-p",
         str(where["port"]), "-U", where["user"], settings.DATABASES["default"]["NAME"]],
        env={**os.environ, "PGPASSWORD": where["password"]}, check=True, stdout=subprocess.PIPE,
    ).stdout  # fmt: skip
    lines_kept = [line for line in dump.splitlines() if not line.startswith(b"\\")]  # commands of its own client
    out.write_bytes(gzip.compress(b"\n".join(lines_kept), mtime=0))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
