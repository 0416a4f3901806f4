"""Errors that a user can meet. Each is one sentence with names and numbers, and perhaps a hint."""

from __future__ import annotations

LONGEST = 300


class FictilisError(Exception):
    """An expected error: its text is the sentence a user reads, on one line; ``hint`` says what can be done."""

    def __init__(self, sentence: str, hint: str = "") -> None:
        sentence = " ".join(sentence.split())  # names and other programs' words may bring line breaks
        sentence = sentence.encode("utf-8", "replace").decode()  # and file names bytes that are no text
        if len(sentence) > LONGEST:
            sentence = f"{sentence[: LONGEST - 1]}…"
        super().__init__(sentence)
        self.sentence = sentence
        self.hint = hint

    @property
    def said(self) -> str:
        """The sentence, and the hint behind it: what every door shows."""
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
