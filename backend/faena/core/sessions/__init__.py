"""Sessions as samples show them: frames of samples, and tapes of one session."""
