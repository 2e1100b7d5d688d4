"""The simulated mailbox: mail as files, one for each message, for machines without a mail server."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django.core.mail.backends.base import BaseEmailBackend


class Mailbox(BaseEmailBackend):
    """Writes each message into MAIL_DIR, wholly or not at all. One with a Message-ID that is there already is the same message, as a mail
    server takes it that was told twice.
    """

    def send_messages(self, email_messages: Sequence[EmailMessage]) -> int:
        return sum(_put(message) for message in email_messages)


def _put(message: EmailMessage) -> bool:
    content: Any = message.message()
    folder: Path = settings.MAIL_DIR
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / f"{hashlib.sha256(str(content['Message-ID']).encode()).hexdigest()[:32]}.eml"
    part = target.with_suffix(f".{os.getpid()}.part")
    part.write_bytes(content.as_bytes())
    try:
        os.link(part, target)  # fails where it is there: of two that write at once one wins
    except FileExistsError:
        return False
    finally:
        part.unlink()
    return True
