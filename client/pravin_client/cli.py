"""The client from the command line: one command, one JSON answer on standard output, an exit code for schedulers.

Exit codes: 0 done; 1 the data does not allow it (work failed, a gate is not met, a checksum differs); 2 wrong use; 3 the server is
not there or does not let in.
"""

from __future__ import annotations

import argparse
import getpass
import json
import os
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from pravin_client.client import FORMS, Client
from pravin_client.connection import Connection
from pravin_client.errors import ClientError, Refused, Unreachable, WorkFailed, WrongUse
from pravin_client.signing_in import make_token

DONE, NOT_ALLOWED_BY_DATA, WRONG_USE, NO_SERVER = 0, 1, 2, 3
ADDRESS, TOKEN, PASSWORD = "PRAVIN_ADDRESS", "PRAVIN_TOKEN", "PRAVIN_PASSWORD"
NOT_LET_IN = {401, 403}

Action = Callable[[Client, argparse.Namespace], Any]


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns the exit code."""
    options = parser().parse_args(arguments)
    address = options.address or os.environ.get(ADDRESS, "http://127.0.0.1:8700")
    try:
        if options.action is _token:
            answer = _token(address, options)
        else:
            with Client(address, os.environ.get(TOKEN, "")) as client:
                answer = options.action(client, options)
    except ClientError as error:
        print(f"pravin: {error}", file=sys.stderr)
        return _code(error)
    except OSError as error:
        print(f"pravin: {error.filename}: {error.strerror}", file=sys.stderr)
        return WRONG_USE
    print(json.dumps(answer, indent=1, ensure_ascii=False))
    return NOT_ALLOWED_BY_DATA if options.action is _verify and not all(answer.values()) else DONE


def _code(error: ClientError) -> int:
    if isinstance(error, Unreachable) or (isinstance(error, Refused) and error.status in NOT_LET_IN):
        return NO_SERVER
    if isinstance(error, WorkFailed) or (isinstance(error, Refused) and error.status == 409):
        return NOT_ALLOWED_BY_DATA
    return WRONG_USE


def parser() -> argparse.ArgumentParser:
    """What the command line takes."""
    root = argparse.ArgumentParser(
        prog="pravin api",
        description="Work with a server that runs. Every command prints JSON.",
        epilog=f"The address is --address or {ADDRESS}; the token is taken from {TOKEN} only, since other people of a machine see what"
        " stands on a command line.",
    )
    root.add_argument("--address", help="of the server, such as http://127.0.0.1:8700")
    commands = root.add_subparsers(required=True, metavar="COMMAND")

    def _command(name: str, action: Any, says: str, /, **places: dict[str, Any]) -> argparse.ArgumentParser:
        command = commands.add_parser(name, help=says, description=says)
        for place, how in places.items():
            command.add_argument(place, **how)
        command.set_defaults(action=action)
        return command

    feed = {"help": "the feed as it stands in addresses, such as field-samples"}
    delivery: dict[str, Any] = {"type": int, "help": "the id of the delivery"}
    release: dict[str, Any] = {"type": int, "help": "the id of the release"}

    command = _command("token", _token, f"make a token; the password comes from {PASSWORD} or is asked for", user={})
    command.add_argument("--name", default="command line", help="what it is for")
    command.add_argument("--days", type=int, default=365, help="how long it holds")
    command.add_argument("--read", action="store_true", help="nothing can be changed with it")
    _command("feeds", lambda client, _: client.feeds(), "all feeds, those that wait for a person first")
    command = _command("new-feed", _new_feed, "create a feed", name={})
    command.add_argument("--supplier", default="")
    command.add_argument("--about", default="")
    command = _command("deliver", _deliver, "send files as one delivery; goes on where an earlier try ended", feed=feed)
    command.add_argument("files", nargs="+", type=Path)
    command.add_argument("--again", action="store_true", help="also when the same bytes were delivered before")
    command = _command("wait", _wait, "wait until nothing goes on with a delivery", delivery=delivery)
    command.add_argument("--seconds", type=float, default=3600.0, help="at most")
    command = _command("rules", _rules, "take over a rulebook (YAML or JSON)", feed=feed)
    command.add_argument("file", type=Path)
    _command("findings", lambda client, at: client.findings(at.delivery), "what was noticed", delivery=delivery)
    _command("news", _news, "what the deliveries before had not", delivery=delivery)
    _command(
        "run", lambda client, at: client.run(at.delivery, at.key), "run the rulebook, to the end", delivery=delivery
    )
    command = _command("quarantine", _quarantine, "the quarantined records with their reasons", delivery=delivery)
    command.add_argument("--to", type=Path, help="write them into this file")
    command.add_argument("--form", default="csv", choices=sorted(FORMS))
    command = _command("decide", _decide, "make the decisions of a JSON file, then run once", delivery=delivery)
    command.add_argument("file", type=Path)
    for name, action, says in (
        ("propose", Client.propose, "propose for release"),
        ("publish", Client.publish, "publish"),
    ):
        command = _command(name, _with_word(action), f"{says} what the newest run left ready", delivery=delivery)
        command.add_argument("--word", default="", help="what you say of it")
    command = _command("download", _download, "a release as a file", release=release)
    command.add_argument("--to", type=Path, required=True)
    command.add_argument("--form", default="csv", choices=(*sorted(FORMS), "package"))
    _command("verify", _verify, "whether the files of a release's package have their checksums", release=release)
    command = _command("events", lambda client, at: client.events(at.after), "what was done, the oldest first")
    command.add_argument("--after", type=int, default=0, help="the last entry that is known")
    _command("operations", _operations, "the names of all operations")
    command = _command("call", _call, "any operation by its name", operation={})
    command.add_argument("parameters", nargs="*", metavar="NAME=VALUE")
    command.add_argument("--body", help="a JSON file (- for standard input)")
    for each in commands.choices.values():
        each.add_argument("--key", default="", help="the same command with the same key is carried out once")
    return root


def _token(address: str, options: argparse.Namespace) -> Any:
    password = os.environ.get(PASSWORD) or getpass.getpass(f"Password of {options.user}: ")
    rights = "read" if options.read else "work"
    connection = Connection(address)
    try:
        return make_token(connection, options.user, password, options.name, rights, options.days)
    finally:
        connection.close()


def _new_feed(client: Client, at: argparse.Namespace) -> Any:
    return client.make_feed(at.name, at.supplier, at.about, at.key)


def _deliver(client: Client, at: argparse.Namespace) -> Any:
    return {"delivery": client.deliver(at.feed, at.files, at.again, _progress)}


def _progress(name: str, here: int, size: int) -> None:
    if sys.stderr.isatty():
        end = "\n" if here == size else "\r"
        print(f"{name}: {here:,} of {size:,} bytes", end=end, file=sys.stderr, flush=True)


def _wait(client: Client, at: argparse.Namespace) -> Any:
    return client.wait(at.delivery, at.seconds)


def _rules(client: Client, at: argparse.Namespace) -> Any:
    return client.take_rules(at.feed, at.file.read_text(encoding="utf-8"), at.key)


def _news(client: Client, at: argparse.Namespace) -> Any:
    return client.connection.ask("GET", f"/api/deliveries/{at.delivery}/news")


def _quarantine(client: Client, at: argparse.Namespace) -> Any:
    if at.to is None:
        return list(client.quarantine(at.delivery))
    client.quarantine_file(at.delivery, at.to, at.form)
    return {"file": str(at.to)}


def _decide(client: Client, at: argparse.Namespace) -> Any:
    decisions = _json(at.file.read_text(encoding="utf-8"), str(at.file))
    if not isinstance(decisions, list):
        raise WrongUse(f"{at.file} holds no list of decisions.")
    return client.decide(at.delivery, decisions)


def _with_word(action: Callable[[Client, int, str, str], Any]) -> Action:
    return lambda client, at: action(client, at.delivery, at.word, at.key)


def _download(client: Client, at: argparse.Namespace) -> Any:
    client.download(at.release, at.to, at.form)
    return {"file": str(at.to), "bytes": at.to.stat().st_size}


def _verify(client: Client, at: argparse.Namespace) -> dict[str, bool]:
    return client.verify(at.release)


def _operations(client: Client, _: argparse.Namespace) -> Any:
    return {name: operation.says for name, operation in sorted(client.operations.items())}


def _call(client: Client, at: argparse.Namespace) -> Any:
    pairs = [pair.partition("=") for pair in at.parameters]
    if odd := [name for name, mark, _ in pairs if not mark]:
        raise WrongUse(f"{odd[0]} is not NAME=VALUE.")
    text = (
        None if at.body is None else sys.stdin.read() if at.body == "-" else Path(at.body).read_text(encoding="utf-8")
    )
    body = None if text is None else _json(text, at.body)
    return client.call(at.operation, body, at.key, **{name: value for name, _, value in pairs})


def _json(text: str, place: str) -> Any:
    try:
        return json.loads(text)
    except ValueError as error:
        raise WrongUse(f"{place} is not JSON: {error}.") from None


if __name__ == "__main__":
    sys.exit(main())
