"""A page that stands alone: the result as it is handed over, its charts and its files inside."""

from __future__ import annotations

from pennyweight.report.forms.form import Form, Written, signed

__all__ = ["FORM"]


def _render(written: Written) -> bytes:
    from pennyweight.report.layouts.page import page

    return page(written.handout, written.cover).encode()


FORM = Form(".html", _render, signed)
