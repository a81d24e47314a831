# %% [markdown]
# # The water-taxi in a notebook
#
# A notebook kept as a script: editors open each `# %%` as a cell. Every result shows itself with its chart when it
# stands last in a cell; `plot(ax)` draws it where you want it.

# %%
"""The water-taxi of Larkmere weighed, compared and drawn, cell by cell."""

from matplotlib.figure import Figure

from pennyweight import CashFlows, Deal, Loan

deal = Deal.starter("taxi")
weighing = deal.weigh()
weighing  # the page, with its chart  # noqa: B018

# %% What the verdict hangs on
nearest = min(weighing.turning_points, key=lambda point: abs(point.distance or 1.0))
print(nearest.input, nearest.turns_at)

# %% Scenarios side by side, as a frame of pandas
figures = deal.compare().frame
print(figures[["npv", "irr"]])

# %% Two charts on one figure
made = Figure(figsize=(12, 4.5))
left, right = made.subplots(1, 2)
weighing.plot(left)
deal.vary({"hull": "380k..500k/7", "hurdle": "6%..14%:2%"}, show="npv").plot(right)

# %% Flows and a loan show themselves as well
flows = CashFlows([-1000, 300, 420, 680], period="year")
loan = Loan(86_000, "4.2%", years=15, start="2026-12-31")
loan.plot(chart=1)
