"""Reading and showing amounts, rates, dates and spans, as analysts write them."""
