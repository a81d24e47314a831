"""Goals and questions of a deal: met, nearly met, how far beyond its bound a figure lies, and what is looked at."""

from __future__ import annotations

from decimal import Decimal
from functools import partial

import numpy as np

from pennyweight.array_kinds import Floats
from pennyweight.deals.compiler.program import bound_name, met_name, nearly_name, slack_name
from pennyweight.deals.compiler.slots import Slots
from pennyweight.deals.language.nodes import Compare, Logic, Name, Node, Number, Unary
from pennyweight.deals.parts import Goal, Question

__all__ = ["compile_goals", "compile_question", "compile_slacks"]


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
        names.append(name)
    return tuple(names)


def compile_question(program: Slots, question: Question) -> int:
    """What is looked at: a difference that becomes zero, a condition that holds, or a figure at its largest."""
    node = question.so_that
    if node is None:
        return program.names["pays_off"]
    if question.aim == "true" and isinstance(node, Compare) and node.operator == "==":
        return program.operation("-", program.translate(node.left), program.translate(node.right))
    return program.translate(node)


def _compile_goal(program: Slots, goal: Goal) -> int:
    value = program.names[goal.measure]
    tolerance = program.definition.style.tolerance(program.definition.unit(goal.measure))
    for key, node in (("at_least", goal.at_least), ("at_most", goal.at_most), ("nearly", goal.nearly)):
        if node is None:
            continue
        bound = program.translate(node)
        program.names[bound_name(goal.measure, key)] = bound
        upward = goal.at_least is not None
        near = min(tolerance, _half_digit(node))
        compute = partial(_reaches, upward, near, goal.undefined_is_met)
        slot = program.emit(("reaches", upward, near, goal.undefined_is_met), compute, [value, bound], False)
        if program.space[slot]:
            slot = program.over_things("lowest_of", slot)
        if key != "nearly":
            sides = (value, bound) if upward else (bound, value)
            slack = program.operation("-", *sides)
            if goal.undefined_is_met:
                slack = program.emit("undefined is met", _endless, [slack], False)
            program.names[slack_name(goal.measure)] = (
                program.over_things("lowest_of", slack) if program.space[slack] else slack
            )
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


def _reaches(upward: bool, tolerance: float, undefined: bool, value: Floats, bound: Floats) -> Floats:
    """1 where the value reaches the bound, 0 where it does not or where either is undefined."""
    reached = value >= bound - tolerance if upward else value <= bound + tolerance
    if undefined:
        reached = reached | np.isnan(value)
    return reached.astype(np.float64)
