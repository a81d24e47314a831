# %% [markdown]
# # What price makes it work?
# The highest price of the hull at which the water-taxi still pays off: in every scenario, and along the grant.

# %%
from __future__ import annotations

from pennyweight import Deal

deal = Deal.starter("taxi")
found = deal.find("hull", "npv == 0", scenarios=deal.scenarios)
print(found.frame.to_string(index=False))

# %%
line = deal.break_even("hull", "npv == 0", along={"grant_share": "0%..30%/4"})
print(line.frame.round(2).to_string(index=False))

# %%
axes = line.plot()
print(axes.get_xlabel(), "|", axes.get_ylabel())
