"""A page that stands alone: the document with its charts inside."""

from __future__ import annotations

from pennyweight.documents import Document
from pennyweight.documents.palette import PARCHMENT
from pennyweight.report.forms.form import MAKER, Form, Written, signed
from pennyweight.report.forms.picture_forms import picture

__all__ = ["FORM", "page"]


def page(document: Document) -> str:
    """A whole page with the charts of a document in it."""
    from html import escape

    from pennyweight.documents import html

    pictures = []
    for chart in document.charts:
        drawn = picture((chart,), "svg").decode()
        pictures.append(f"<figure>{drawn[drawn.index('<svg') :]}</figure>")
    style = (
        f"body{{margin:2rem auto;max-width:72rem;background:{PARCHMENT}}}"
        "svg{max-width:100%;height:auto}"
        "td,th{padding:.1rem .8rem .1rem 0}figure{margin:1rem 0}"
    )
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="generator" content="{MAKER}">'
        f"<title>{escape(document.title)}</title>"
        f"<style>{style}</style><body>{html.render(document)}{''.join(pictures)}</body></html>\n"
    )


def _render(written: Written) -> bytes:
    return page(written.document).encode()


FORM = Form(".html", _render, signed)
