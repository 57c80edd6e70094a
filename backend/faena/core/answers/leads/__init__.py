"""Leads: what is at fault in a window, found by rules that claim the samples which their cause explains."""
