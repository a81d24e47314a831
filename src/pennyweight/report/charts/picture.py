"""The charts of a result as one picture, one below the other; the same figures give the same file."""

from __future__ import annotations

from io import BytesIO

from pennyweight.documents import Chart
from pennyweight.report.charts.figure import figure
from pennyweight.report.cover import MAKER

__all__ = ["picture"]


def picture(charts: tuple[Chart, ...], form: str) -> bytes:
    """The charts as a picture, "png" or "svg"."""
    from matplotlib import rc_context

    target = BytesIO()
    marks = {"Creator": MAKER, "Date": None} if form == "svg" else {"Software": MAKER}
    with rc_context({"svg.hashsalt": "pennyweight"}):
        drawn = figure(*charts)
        if form == "png":  # packed less: a tenth larger, in a third of the time
            drawn.savefig(target, format=form, metadata=marks, pil_kwargs={"compress_level": 3})
        else:
            drawn.savefig(target, format=form, metadata=marks)
    return target.getvalue()
