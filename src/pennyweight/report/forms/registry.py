"""Every form of output by the ending of its file; one more is a module with its `FORM`, and a line here."""

from __future__ import annotations

from pennyweight.report.forms import csv_form, html_form, json_form, pdf_form, picture_forms, text_form, xlsx_form
from pennyweight.report.forms.form import Form

__all__ = ["FORMS", "STREAMS"]

FORMS: dict[str, Form] = {
    form.ending: form
    for form in (
        csv_form.FORM,
        html_form.FORM,
        json_form.FORM,
        pdf_form.FORM,
        picture_forms.PNG,
        picture_forms.SVG,
        text_form.FORM,
        xlsx_form.FORM,
    )
}

STREAMS: dict[str, Form] = {form.ending[1:]: form for form in FORMS.values() if form.streams}
"""Those that `--format` offers for the standard output, by their word."""
