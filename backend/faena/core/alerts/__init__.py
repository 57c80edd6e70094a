"""When somebody must be told: conditions on figures over time, and the trouble that they make out."""
