"""The few errors this program raises on purpose.

Each says what happened, to what, and what to do. The core knows no HTTP: `web/errors.py` maps the
classes to status codes once.
"""

from __future__ import annotations

from typing import Any


class ThicketError(Exception):
    """Base of all deliberate errors.

    code: stable short name for programs. message: what happened. remedy: what the user can do.
    details: plain JSON values (setting, limit, value, file ...).
    """

    code = "error"

    def __init__(self, message: str, *, remedy: str = "", **details: Any) -> None:
        super().__init__(message)
        self.message = message
        self.remedy = remedy
        self.details = details


class UnreadableFile(ThicketError):
    """The bytes are not a picture we can read, or are damaged."""

    code = "unreadable-file"


class TooLarge(ThicketError):
    """Refused before decoding because it passes a limit."""

    code = "too-large"


class BadSetting(ThicketError):
    """A setting is unknown, out of range or of the wrong type; the recipe is left as it was."""

    code = "bad-setting"


class BadRecipe(ThicketError):
    """A recipe cannot be read: not JSON, wrong shape, or from a newer version."""

    code = "bad-recipe"


class NotFound(ThicketError):
    """The named thing is not here."""

    code = "not-found"


class StaleEdit(ThicketError):
    """Somebody else edited first; details carry the current revision."""

    code = "stale-edit"


class PassedState(StaleEdit):
    """A picture of a state that is not there any more was asked for; details carry the current revision."""

    code = "passed-state"


class NotAllowed(ThicketError):
    """Refused for safety: wrong origin, host or token."""

    code = "not-allowed"


class TooManyTries(NotAllowed):
    """Wrong access tokens came too fast; details carry the seconds to wait."""

    code = "too-many-tries"


class ServiceAway(ThicketError):
    """Something the program needs beside itself (the queue's server) does not answer; nothing was changed."""

    code = "service-away"


class DamagedBlob(ThicketError):
    """Stored bytes are not what was stored; details name the blob."""

    code = "damaged"


class FolderTrouble(ThicketError):
    """The data folder cannot be used. exit_code: what the program leaves with; see docs/guide/operation.md."""

    code = "folder"

    def __init__(self, message: str, *, remedy: str = "", exit_code: int, **details: Any) -> None:
        super().__init__(message, remedy=remedy, **details)
        self.exit_code = exit_code


class ShapeError(ThicketError):
    """An array has a shape an operation cannot work on."""

    code = "bad-shape"


class WriteFailed(ThicketError):
    """A file could not be written, or did not read back as written."""

    code = "write-failed"


class Cancelled(ThicketError):
    """The work was called off; nothing was changed."""

    code = "cancelled"
