"""The page of a result as plain text."""

from __future__ import annotations

from pennyweight.report.forms.form import Form, Written

__all__ = ["FORM"]


def _render(written: Written) -> bytes:
    from pennyweight.documents import text

    return (text.render(written.document) + "\n").encode()


def _is_ours(lines: list[str], header: str) -> bool:
    """A title, underlined with as many signs."""
    return len(lines) > 2 and set(lines[1]) == {"="} and len(lines[1]) == len(lines[0])


FORM = Form(".txt", _render, _is_ours)
