"""Session samples: the dictionary of combinations, the open hours as rows, closed hours as columns."""
