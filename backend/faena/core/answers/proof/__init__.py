"""Before and after: what differs between two windows, how surely, and the verdict in words."""
