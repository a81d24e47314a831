"""The charts of a result as a picture."""

from __future__ import annotations

from functools import partial

from pennyweight.report.forms.form import Form, Written, signed

__all__ = ["PNG", "SVG"]


def _render(form: str, written: Written) -> bytes:
    from pennyweight.report.charts.picture import picture

    return picture(written.document.charts, form)


PNG = Form(".png", partial(_render, "png"), signed, draws=True)
SVG = Form(".svg", partial(_render, "svg"), signed, draws=True)
