"""Who waits for whom, and why: modes, the lock table of a moment, chains, time lost, sessions second by second."""
