"""A result as it is handed over: a page to read, a paper to print, a workbook to go on with."""
