"""Answers: what a view asks for in one call, joined from all kinds of evidence. Routes ask here, and only write it out."""
