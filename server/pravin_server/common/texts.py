"""What may come in from outside: texts that the database can hold, numbers that JSON can."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any
from urllib.parse import unquote_to_bytes

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja.parser import Parser

from pravin_server.common.errors import Invalid, problem

DEEPEST = 60  # levels of a JSON body
LARGEST = 2**63  # of whole numbers, as the database keeps them


def unfit(text: str) -> str:
    """Why a text cannot be kept; empty when it can."""
    if "\x00" in text:
        return "it holds a NUL character"
    try:
        text.encode()
    except UnicodeEncodeError:
        return "it holds half of a character (a lone surrogate)"
    return ""


class BodyParser(Parser):
    """Reads JSON bodies strictly: what could not be kept is refused where it comes in, with its place."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The data of a body. Raises Invalid."""
        try:
            data = json.loads(request.body, parse_constant=_no_number)
        except RecursionError:
            raise Invalid(f"The request is nested deeper than {DEEPEST} levels.") from None
        except (UnicodeDecodeError, ValueError) as error:
            if isinstance(error, json.JSONDecodeError):
                raise Invalid(f"The request is not JSON: line {error.lineno}, column {error.colno}.") from None
            raise Invalid("The request is not JSON in UTF-8.") from None
        _look(data)
        return data


def _no_number(word: str) -> float:
    raise Invalid(f"{word} is not a JSON number.")


def _look(data: Any) -> None:
    """Look at every value without recursion. Raises Invalid."""
    waiting: list[tuple[Any, tuple[str, ...]]] = [(data, ())]
    while waiting:
        value, place = waiting.pop()
        if len(place) > DEEPEST:
            raise Invalid(f"The request is nested deeper than {DEEPEST} levels.")
        if isinstance(value, str) and (why := unfit(value)):
            raise Invalid(f"The text at {'.'.join(place) or 'the top'} cannot be kept: {why}.", field=".".join(place))
        if isinstance(value, float) and not math.isfinite(value):
            raise Invalid(f"The number at {'.'.join(place)} is too large.", field=".".join(place))
        if isinstance(value, int) and abs(value) >= LARGEST:
            raise Invalid(f"The number at {'.'.join(place)} has too many digits.", field=".".join(place))
        if isinstance(value, dict):
            for key, part in value.items():
                if unfit(key):
                    raise Invalid(f"A name at {'.'.join(place) or 'the top'} cannot be kept: {unfit(key)}.")
                waiting.append((part, (*place, key[:60])))
        elif isinstance(value, list):
            waiting += [(part, (*place, str(at))) for at, part in enumerate(value)]


class FitAddresses:
    """Refuses addresses, forms and names of files whose texts could not be kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        query = unquote_to_bytes(request.META.get("QUERY_STRING", "").encode("latin-1", "replace"))
        texts = [request.path, query.decode("utf-8", "surrogateescape")]
        if request.method == "POST" and (request.content_type or "").startswith("multipart/"):
            texts += [text for pair in request.POST.lists() for text in (pair[0], *pair[1])]
            texts += [name for name, files in request.FILES.lists() for name in (name, *(str(f.name) for f in files))]
        if why := next((reason for text in texts if (reason := unfit(text))), ""):
            body = problem(422, "The request is not valid", f"A text of the request cannot be kept: {why}.")
            return JsonResponse(body, status=422, content_type="application/problem+json")
        return self.get_response(request)
