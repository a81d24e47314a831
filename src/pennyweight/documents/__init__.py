"""The neutral description of something to show, and its plain-text and HTML forms."""

from pennyweight.documents.model import (
    Block,
    Cell,
    Chart,
    Checks,
    Column,
    Document,
    Figures,
    FlowsChart,
    GrowthChart,
    HeatMap,
    Line,
    RateChart,
    Table,
    Text,
    Verdict,
)

__all__ = [
    "Block",
    "Cell",
    "Chart",
    "Checks",
    "Column",
    "Document",
    "Figures",
    "FlowsChart",
    "GrowthChart",
    "HeatMap",
    "Line",
    "RateChart",
    "Table",
    "Text",
    "Verdict",
]
