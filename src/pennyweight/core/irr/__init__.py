"""Internal rates of return of one row, of many, of dated accounts; all real roots of a row."""
