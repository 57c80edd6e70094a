"""Cases: the record of an investigation, with what was kept for it."""
