"""Signs of trouble of a server, a rule a file. Each is weighed in sessions that have it worse than usual, roughly."""
