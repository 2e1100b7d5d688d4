"""Secrets that must be read again (passwords of other databases), encrypted where they are kept.

The keys come from the environment (PRAVIN_SECRETS_KEY, the newest first, divided by commas); with none, one that
`./pravin` makes beside the other secrets of the installation.
"""

from __future__ import annotations

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from django.conf import settings

from pravin_server.common.errors import Invalid

MARK = "enc1:"


def sealed(text: str) -> str:
    """A secret as it is kept; an empty one stays empty."""
    return MARK + _keys().encrypt(text.encode()).decode() if text else ""


def opened(kept: str) -> str:
    """A secret as it was. Raises Invalid when it was sealed with a key that is not here."""
    if not kept:
        return ""
    try:
        return _keys().decrypt(kept.removeprefix(MARK).encode()).decode()
    except InvalidToken as error:
        raise Invalid("A stored password cannot be opened: its key is not here. Type the password again.") from error


def _keys() -> MultiFernet:
    return MultiFernet([Fernet(key.encode()) for key in settings.SECRETS_KEYS])
