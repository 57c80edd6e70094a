"""Conditions on what is watched, the alerts they make, and the ways by which somebody is told."""
