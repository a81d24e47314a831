"""What stands on page one besides the result, and the files a report carries."""

from __future__ import annotations

import datetime as dt
import warnings
from dataclasses import dataclass, field
from pathlib import Path

from pennyweight.errors import InputError, Place
from pennyweight.reading.embedded_files import Carried
from pennyweight.reading.text_files import check_file

__all__ = ["MAKER", "Cover", "read_logo"]

MAKER = "Pennyweight"
"""What files say of who has made them."""

_LARGEST_LOGO = 4 * 2**20
_MOST_DOTS = 4_000
_KINDS = {b"\x89PNG\r\n\x1a\n": "png", b"\xff\xd8\xff": "jpeg"}


@dataclass(frozen=True, slots=True)
class Cover:
    """Title, who has prepared it and when, a picture (PNG or JPEG), and the files that are carried."""

    title: str = ""
    prepared_by: str = ""
    logo: bytes = b""
    again: str = ""
    """The command that makes the same of the files carried."""
    carried: Carried = field(default_factory=Carried)
    dated: dt.date | None = None
    """The day it was made; without one the same figures give the same file on every day."""
    source_shown: bool = True
    """Whether the files are shown too, beside going along."""

    @property
    def by(self) -> str:
        """Who has made it, and when."""
        who = [f"Prepared by {self.prepared_by}"] if self.prepared_by else []
        return ", ".join(who + [f"{'made' if who else 'Made'} on {self.dated}"] * (self.dated is not None))

    @property
    def made(self) -> dt.date:
        """The day that files say of themselves."""
        return self.dated or dt.date(2000, 1, 1)

    @property
    def logo_kind(self) -> str:
        """ "png", "jpeg", or nothing without a logo."""
        return next((kind for head, kind in _KINDS.items() if self.logo.startswith(head)), "")


def read_logo(path: Path) -> bytes:
    """A picture for page one; InputError when it is none, too large, or cannot be read."""
    option = Place.of_option("--logo")
    if not path.exists():
        raise InputError(f"--logo: there is no file {path}; it cannot be read.", at=option)
    try:
        check_file(path, f"--logo: {path}", _LARGEST_LOGO)
        content = path.read_bytes()
    except OSError as error:
        raise InputError(f"--logo: {path} cannot be read: {error.strerror}.", at=option) from None
    if not any(content.startswith(head) for head in _KINDS):
        raise InputError(f"--logo: {path} is no PNG or JPEG picture.", at=Place.of_option("--logo"))
    try:
        from io import BytesIO

        from PIL import Image

        with warnings.catch_warnings(action="ignore"), Image.open(BytesIO(content)) as picture:
            if max(picture.size) > _MOST_DOTS:
                raise InputError(
                    f"--logo: {path} has {picture.width:,} x {picture.height:,} dots; the most is "
                    f"{_MOST_DOTS:,} a side.",
                    at=option,
                )
            picture.verify()
    except InputError:
        raise
    except Exception:
        raise InputError(f"--logo: {path} is a damaged picture.", at=Place.of_option("--logo")) from None
    return content
