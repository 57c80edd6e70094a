"""Sessions: lists and tapes, recordings, and the record of sessions that were ended."""
