"""What the readers of text share: the encoding, and where it is in doubt."""

from __future__ import annotations

from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import EncodingGuess, detect_encoding, differing_lines
from pravin_core.intake.formats.base import BY_HAND, Doubt, Place
from pravin_core.intake.settings import SettingsRequest


def encoding_of(place: Place, request: SettingsRequest) -> EncodingGuess:
    """The encoding wanted, judged before, or judged now. Raises IntakeError when the file is no text."""
    if request.encoding:
        rivals = place.guess.rivals if place.guess else ()
        return EncodingGuess(request.encoding, BY_HAND, rivals)
    if place.guess:
        return place.guess
    try:
        return detect_encoding(place.path)
    except IntakeError as error:
        raise IntakeError(error.message, advice=error.advice, file=place.name) from error


def doubts_of(place: Place, guess: EncodingGuess) -> tuple[Doubt, ...]:
    """Lines that read differently under the encoding and its rivals."""
    if not guess.rivals:
        return ()
    return tuple(Doubt(line, readings) for line, readings in differing_lines(place.path, (guess.name, *guess.rivals)))
