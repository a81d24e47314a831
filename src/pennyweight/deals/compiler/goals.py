"""Goals and questions of a deal: met, nearly met, how far beyond its bound a figure lies, and what is looked at.

A figure that is summed of large amounts is off by some of their last digits, so that one that ought to be zero is a
hair above or below. How far that may be goes by the largest amount of its unit that it is made of, and by the number of
periods; what a search decides, it decides with that (see `Margin`), and with no more, so that an answer lies where the
figure meets its bound and not where the goal's tolerance ends.
"""

from __future__ import annotations

from decimal import Decimal
from functools import partial

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import asked_name, bound_name, met_name, nearly_name, noise_name, slack_name
from pennyweight.deals.compiler.slots import Margin, Slots
from pennyweight.deals.language.nodes import Compare, Logic, Name, Node, Number, Unary, names_in
from pennyweight.deals.parts import Goal, Question

__all__ = ["compile_goals", "compile_question", "compile_slacks"]

_ROUNDING = 64 * 2.0**-52
"""What a period's arithmetic may add, relative to the largest amount: adding up n amounts errs by n times the last bit
at the most, a level that grows likewise; the rest is room."""
_LEAST = 1e-12
_WITH_TOLERANCE = ("money", "rate", "share", "years", "period", "date")


def compile_goals(program: Slots) -> None:
    """Name what the goals come to: met, nearly met, how far beyond the bound, and whether the deal pays off."""
    deal = program.definition
    met = [_compile_goal(program, goal) for goal in deal.goals.values()]
    pays_off = met[0] if met else program.number(float("nan"))
    for slot in met[1:]:
        pays_off = program.operation("and", pays_off, slot)
    program.names["pays_off"] = pays_off


def compile_slacks(program: Slots, question: Question) -> tuple[str, ...]:
    """The differences whose signs decide a condition that is one comparison, or several joined by `and`."""
    node = question.so_that
    if question.aim != "true":
        return ()
    if node is None or node == Name("pays_off"):
        return tuple(slack_name(goal) for goal in program.definition.goals)
    parts = node.parts if isinstance(node, Logic) and node.operator == "and" else (node,)
    names = []
    for number, part in enumerate(parts):
        if not (isinstance(part, Compare) and part.operator in (">=", "<=", ">", "<")):
            return ()
        sides = (part.left, part.right) if part.operator[0] == ">" else (part.right, part.left)
        name = f"{slack_name(question.name)} {number}"
        program.names[name] = program.operation("-", *map(program.translate, sides))
        unit = program.definition.names.unit(part.left)
        near = min(program.definition.style.tolerance(unit), _half_digit(part.left), _half_digit(part.right))
        _add_margin(program, name, names_in(part), unit, near, strict=part.operator in "<>")
        names.append(name)
    return tuple(names)


def compile_question(program: Slots, question: Question) -> int:
    """What is looked at: a difference that becomes zero, a condition that holds, or a figure at its largest."""
    node = question.so_that
    if node is None:
        return program.names["pays_off"]
    if question.aim == "true" and isinstance(node, Compare) and node.operator == "==":
        name, unit = asked_name(question.name), program.definition.names.unit(node.left)
        _add_margin(program, name, names_in(node), unit, program.definition.style.tolerance(unit))
        return program.operation("-", program.translate(node.left), program.translate(node.right))
    if question.aim != "true":
        _add_margin(program, asked_name(question.name), names_in(node), program.definition.names.unit(node), np.inf)
        return program.translate(node)
    return _condition(program, node)


def _condition(program: Slots, node: Node) -> int:
    """A condition whose comparisons of figures hold where rounding alone keeps them from it."""
    if isinstance(node, Logic):
        first, *rest = (_condition(program, part) for part in node.parts)
        for slot in rest:
            first = program.operation(node.operator, first, slot)
        return first
    if not (isinstance(node, Compare) and node.operator in (">=", "<=", ">", "<")):
        return program.translate(node)
    left, right = program.translate(node.left), program.translate(node.right)
    if program.space[left] or program.space[right]:
        return program.translate(node)
    noise = _noise(program, names_in(node), program.definition.names.unit(node.left), (left, right))
    return program.emit(("within", node.operator), partial(_within, node.operator), [left, right, noise], False)


def _within(operator: str, left: Floats, right: Floats, noise: Floats) -> Floats:
    """A comparison that counts what rounding may have moved as equal."""
    over = left - right if operator[0] == ">" else right - left
    holds = over > noise if len(operator) == 1 else over >= -noise
    return np.where(np.isnan(over), np.nan, holds)


def _add_margin(
    program: Slots,
    slack: str,
    read: set[str],
    unit: str,
    most: float,
    *,
    strict: bool = False,
    sides: tuple[int, ...] = (),
) -> None:
    """Say how near to zero a slack of figures of this unit is zero."""
    program.names[noise_name(slack)] = _noise(program, read, unit)
    program.margins[slack] = Margin(noise_name(slack), most, strict)


def _noise(program: Slots, read: set[str], unit: str, sides: tuple[int, ...] = ()) -> int:
    """The slot of how far rounding may have moved a figure made of these names."""
    deal, seen, todo = program.definition, set[str](), list(read)
    while todo:
        name = todo.pop()
        if name not in seen and name in program.names:
            seen.add(name)
            todo += names_in(program.nodes[name]) if name in program.nodes else ()
    seen = {name for name in seen if name[0] != "?" and not program.space[program.names[name]]}
    own = [name for name in sorted(seen) if deal.unit(name) == unit]
    slots = dict.fromkeys([*sides, *(program.names[name] for name in own)])
    if not slots:
        return program.number(_LEAST)
    return program.emit("noise", partial(_rounding_of, program.time.rows), list(slots), False)


def _rounding_of(rows: int, *amounts: Floats) -> Floats:
    largest: Floats = np.zeros(1)
    for amount in amounts:
        size = np.abs(amount)
        size = np.where(np.isfinite(size), size, 0.0)
        largest = np.maximum(largest, size.max(axis=0) if size.ndim == 2 else size)
    return np.asarray(_ROUNDING * rows * largest + _LEAST)


def _compile_goal(program: Slots, goal: Goal) -> int:
    value = program.names[goal.measure]
    unit = program.definition.unit(goal.measure)
    tolerance = program.definition.style.tolerance(unit)
    for key, node in (("at_least", goal.at_least), ("at_most", goal.at_most), ("nearly", goal.nearly)):
        if node is None:
            continue
        bound = program.translate(node)
        program.names[bound_name(goal.measure, key)] = bound
        upward = goal.at_least is not None
        near, most = tolerance, _half_digit(node)
        args, read = [value, bound], {goal.measure, *names_in(node)}
        if unit not in _WITH_TOLERANCE:  # of what is counted in other units a sum may be off by more than 1e-9
            args.append(_noise(program, read, unit))
        compute = partial(_reaches, upward, near, most, goal.undefined_is_met)
        slot = program.emit(("reaches", upward, near, most, goal.undefined_is_met), compute, args, False)
        if program.space[slot]:
            slot = program.over_things("lowest_of", slot)
        if key != "nearly":
            sides = (value, bound) if upward else (bound, value)
            slack = program.operation("-", *sides)
            if goal.undefined_is_met:
                slack = program.emit("undefined is met", _endless, [slack], False)
            name = slack_name(goal.measure)
            program.names[name] = program.over_things("lowest_of", slack) if program.space[slack] else slack
            _add_margin(program, name, read, unit, min(near, most))
        program.names[nearly_name(goal.measure) if key == "nearly" else met_name(goal.measure)] = slot
    return program.names[met_name(goal.measure)]


def _half_digit(bound: Node) -> float:
    """Half of the last decimal a bound is written with: 0.2791 is not "at most 0.27"; infinite when it has none."""
    if isinstance(bound, Unary):
        return _half_digit(bound.operand)
    if not isinstance(bound, Number) or bound.percent:
        return float("inf")
    exponent = int(Decimal(repr(bound.value)).normalize().as_tuple().exponent)
    return 0.5 * 10.0**exponent if exponent < 0 else float("inf")


def _endless(slack: Floats) -> Floats:
    """The slack of a goal that an undefined figure meets: without end there."""
    return np.where(np.isnan(slack), np.inf, slack)


def _reaches(
    upward: bool, near: float, most: float, undefined: bool, value: Floats, bound: Floats, noise: Floats | float = 0.0
) -> Floats:
    """1 where the value reaches the bound, 0 where it does not or where either is undefined."""
    tolerance = np.minimum(np.maximum(near, noise), most)
    reached = value >= bound - tolerance if upward else value <= bound + tolerance
    if undefined:
        reached = reached | np.isnan(value)
    return reached.astype(np.float64)
