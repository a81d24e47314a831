"""The names of a deal file: what may be one, and each used once."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from pennyweight.deals.file.context import Context
from pennyweight.deals.file.shape import NAMING
from pennyweight.deals.parts import RESERVED
from pennyweight.errors import InputError

__all__ = ["check_names"]

_LONGEST_NAME = 60
_NAME = re.compile(rf"[A-Za-z][A-Za-z0-9_]{{0,{_LONGEST_NAME - 1}}}")


def check_names(context: Context) -> None:
    """Note every name that cannot be one, and every one that is used twice."""
    seen: dict[str, str] = {}
    for section in NAMING:
        for name in getattr(context.shape, section):
            with context.noting():
                _check_name(context, section, name, seen)
    for section in ("scenarios", "checks", "charts"):
        for name in getattr(context.shape, section):
            if not _NAME.fullmatch(name) or name == "base":
                where = context.where(section, name)
                context.mistakes.append(
                    InputError(
                        f"{where}: '{name}' cannot be a name here; "
                        "use letters, digits and _, and not 'base', which is the deal as it stands.",
                        at=where,
                    )
                )
    for name, each in context.each.items():
        with context.noting():
            _check_column(context, name, each)
    for table, item in context.shape.tables.items():
        with context.noting():
            _check_axes(context, table, item.by)


def _check_name(context: Context, section: str, name: str, seen: dict[str, str]) -> None:
    where = context.where(section, name)
    if not _NAME.fullmatch(name):
        raise InputError(
            f"{where}: '{name}' cannot be a name; use letters, digits and _, a letter first, {_LONGEST_NAME} at most.",
            at=where,
        )
    if name in RESERVED:
        raise InputError(f"{where}: '{name}' has a meaning of its own; choose another name.", at=where)
    if name in seen:
        raise InputError(f"{where}: the name '{name}' is already used at {seen[name]}.", at=where)
    seen[name] = where


def _check_column(context: Context, name: str, each: str) -> None:
    """Refuse a formula for each thing of a set that is named as one of its columns: nobody could tell them apart."""
    if each in context.sets and name in context.sets[each].things.columns:
        section = next(one for one in NAMING if name in getattr(context.shape, one))
        where = context.where(section, name)
        raise InputError(
            f"{where}: {each} has a column '{name}', and a formula for each of {each} bears its name; rename one.",
            at=where,
        )


def _check_axes(context: Context, table: str, by: Mapping[str, Any]) -> None:
    where = context.where("tables", table, "by")
    if not 1 <= len(by) <= 2:
        raise InputError(f"{where} names {len(by)}; a table goes by one name or two.", at=where)
    for name in by:
        if any(name in own for own in (context.shape.inputs, context.shape.values, context.shape.sets)) or "." in name:
            continue
        taken = name in RESERVED or any(name in getattr(context.shape, one) for one in NAMING)
        if taken or not _NAME.fullmatch(name):
            raise InputError(f"{where}: '{name}' must be an input, or a name that nothing else has.", at=where)
