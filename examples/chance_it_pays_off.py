# %% [markdown]
# # How likely is it that the deal pays off?
# Draws, with how far the chance may be off, and on which guesses it is worth to spend an hour.

# %%
from __future__ import annotations

from pennyweight import Deal

deal = Deal.starter("taxi")
drawn = deal.simulate(16_384, hold="bank_share", fan="reserve")
chance = drawn.chances["pays_off"]
print(f"pays off in {chance.met:.1%} of the cases (± {chance.met_error:.1%}), nearly in {chance.nearly:.1%}")

# %%
print(drawn.frame[["measure", "defined", "worst_5", "p5", "p50", "p95"]].round(3).to_string(index=False))

# %%
drivers = deal.drivers("npv", cases=2_048)
assert drivers.shares is not None
for share in drivers.shares.shares[:3]:
    print(f"{' & '.join(share.inputs)}: {share.in_all:.0%} of the variance")
