"""Errors that a user can meet. Each is one sentence with names and numbers, and perhaps a hint."""

from __future__ import annotations

import unicodedata
from typing import TypeVar

T = TypeVar("T")
LONGEST = 300
# what turns the writing round: marks and overrides of direction. Source: Unicode Standard Annex 9, 2
TURNS = "\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"


def is_hidden(letter: str) -> bool:
    """Whether a letter is not seen but does something: one of control, of direction, or half of one."""
    return letter in TURNS or unicodedata.category(letter) in ("Cc", "Cs", "Zl", "Zp")


def escaped(text: str) -> str:
    """A text in which such letters are seen, as \\u202e."""
    return "".join(f"\\u{ord(c):04x}" if is_hidden(c) else c for c in text)


def there(value: T | None) -> T:
    """A value that is there, by what was asked before. Raises LookupError where it is not: a fault of the program."""
    if value is None:
        raise LookupError("what was taken for granted is not there")
    return value


class FictilisError(Exception):
    """An expected error: its text is the sentence a user reads, on one line; ``hint`` says what can be done."""

    def __init__(self, sentence: str, hint: str = "") -> None:
        sentence = " ".join(sentence.split())  # names and other programs' words may bring line breaks
        sentence = escaped(sentence.encode("utf-8", "replace").decode())  # and file names bytes that are no text
        if len(sentence) > LONGEST:
            sentence = f"{sentence[: LONGEST - 1]}…"
        super().__init__(sentence)
        self.sentence = sentence
        self.hint = hint

    @property
    def said(self) -> str:
        """The sentence, and the hint behind it: as it is shown."""
        return f"{self.sentence} {self.hint}".strip()


class BadFile(FictilisError):
    """A file that cannot be read, with its name and what is wrong in it."""


class CannotSave(FictilisError):
    """A file that could not be written; the earlier file is whole."""


class NotATarget(FictilisError):
    """A mesh that cannot be a target of a base. ``reason`` is ``counts``, ``faces`` or ``order``."""

    def __init__(self, sentence: str, reason: str, hint: str = "") -> None:
        super().__init__(sentence, hint)
        self.reason = reason


class EditRefused(FictilisError):
    """An edit that cannot be made on this scene."""


class UsageError(FictilisError):
    """Words on the command line that make no sense together."""


class Cancelled(FictilisError):
    """Long work that the user stopped."""


def behind_a_colon(error: Exception) -> str:
    """The words of an error as they go on in another sentence; names keep their capitals."""
    text = str(error).rstrip(".")
    return text[:1].lower() + text[1:] if text.split(" ")[0] in ("A", "An", "In", "It", "Its", "The", "What") else text
