"""Execution plans: read from any form, time per step, suspicions, differences."""
