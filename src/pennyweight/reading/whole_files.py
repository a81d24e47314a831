"""Files written whole or not at all."""

from __future__ import annotations

import contextlib
import os
import platform
import re
import secrets
import stat
import zlib
from collections.abc import Callable
from pathlib import Path

from pennyweight.errors import InputError, Place

__all__ = ["replace_with"]


def replace_with(path: Path, save: Callable[[Path], object]) -> None:
    """Write beside the place and move it there, so that nobody ever finds half a file.

    A link is followed to what it points at; an existing file keeps its permissions, and its other names when it has
    any.
    """
    try:
        target = path.resolve()
        _clear_away(target.parent)
        beside = target.with_name(f"{_BEGINS}{_HOST}-{os.getpid()}-{secrets.token_hex(4)}{target.suffix}")
        try:
            with beside.open("xb"):  # made here, so that its permissions follow the user's habits
                pass
            save(beside)
            found = target.stat() if target.exists() else None
            if found is not None and found.st_nlink > 1:
                target.write_bytes(beside.read_bytes())
                return
            if found is not None:
                beside.chmod(stat.S_IMODE(found.st_mode))
            os.replace(beside, target)
        finally:
            beside.unlink(missing_ok=True)
    except OSError as error:
        raise InputError(f"{path} cannot be written: {error.strerror}.", at=Place.of_file(path)) from None


_BEGINS = ".pennyweight-"
_HOST = format(zlib.crc32(platform.node().encode()), "08x")
_HALF = re.compile(rf"{re.escape(_BEGINS)}{_HOST}-([0-9]+)-[0-9a-f]{{8}}(\.[a-z]+)?")


def _clear_away(folder: Path) -> None:
    """Remove what writes of this machine left half done because they were killed; one that is still going on stays."""
    for entry in folder.glob(f"{_BEGINS}{_HOST}-*"):
        match = _HALF.fullmatch(entry.name)
        if match and not _is_running(int(match[1])):
            with contextlib.suppress(OSError):
                entry.unlink()


def _is_running(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):  # it is somebody else's, or no such number can be
        return True
    return True
