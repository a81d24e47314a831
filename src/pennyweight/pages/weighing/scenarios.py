"""The scenarios of a deal beside each other: the verdict and every figure of each."""

from __future__ import annotations

from pennyweight.analysis.showing import show_figure
from pennyweight.analysis.weighing.weighing import Weighing, weigh
from pennyweight.documents import Cell, Column, Table
from pennyweight.errors import PennyweightError
from pennyweight.pages.weighing.words import VERDICT_TONES

__all__ = ["scenario_cases", "scenarios_table"]


def scenario_cases(weighing: Weighing) -> dict[str, Weighing]:
    """The deal as it stands and in each scenario, by name; one whose loan cannot be is left out."""
    found = {}
    for name in ("base", *weighing.definition.scenarios):
        try:
            found[name] = weighing if name == weighing.scenario else weigh(weighing.model, name)
        except PennyweightError:
            continue
    return found


def scenarios_table(weighing: Weighing) -> Table:
    """Verdict and figures, a column a scenario; what cannot be weighed is named below."""
    deal, cases = weighing.definition, scenario_cases(weighing)
    columns = [Column("Figure", words=True), *(Column(case.scenario_label) for case in cases.values())]
    words = (Cell(case.verdict, VERDICT_TONES[case.verdict]) for case in cases.values())
    rows: list[tuple[Cell, ...]] = [(Cell("Verdict"), *words)]
    for name, measure in weighing.measures.items():
        shown = (show_figure(deal, name, case.measures[name].value, unit=False) for case in cases.values())
        rows.append((Cell(deal.style.headed(measure.label, measure.unit)), *map(Cell, shown)))
    lost = [deal.scenario_label(name) for name in deal.scenarios if name not in cases]
    note = f"Cannot be weighed: {', '.join(lost)}." if lost else ""
    return Table("Scenarios", tuple(columns), tuple(rows), note)
