"""A paper to print and to hand over."""

from __future__ import annotations

from pathlib import Path

from pennyweight.report.forms.form import Form, Written, signed

__all__ = ["FORM"]


def _render(written: Written) -> bytes:
    from pennyweight.report.layouts.paper import paper

    return paper(written.handout, written.cover)


def _knows(path: Path) -> bool:
    return b"(Pennyweight)" in path.read_bytes()


FORM = Form(".pdf", _render, signed, knows=_knows)
